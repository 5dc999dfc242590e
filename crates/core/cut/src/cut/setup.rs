//! What the user says about a cut: the document that plans are made for.
//!
//! It is kept with every revision, so that whatever is said can be taken back.

use super::Refusal;
use super::used::{Candidate, Film, Laid, Licence, Take, UsedSound};
use crate::handover::{Credit, USUAL_PATTERN, check_pattern};
use jaunty_fit::fit::Wishes;
use jaunty_picture::picture::{Line, ListChange, Picture, Unused};
use jaunty_picture::terms::{Purpose, Terms};
use jaunty_reading::reading::Correction;
use jaunty_shape::plan::{AmbienceWish, Lane};
use jaunty_shape::shape::ShapeWishes;
use jaunty_speech::speech::PhraseEdit;
use jaunty_speech::voice::Piece;
use jaunty_units::digest::digest;
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// How far an ambience lies under the speech unless something else is said: at about -16 dB of full level (common
/// practice), which is some 14 dB under a voice.
pub const AMBIENCE_UNDER_SPEECH_DB: f64 = 14.0;

/// What became of the last list that came in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ListReport {
    /// Name of the file.
    pub file: String,
    /// What it was, for people.
    pub format: String,
    /// What of it is used, for people.
    pub used: String,
    /// What it changed, when an earlier one was there.
    pub changes: Vec<ListChange>,
    /// What was not used.
    pub unused: Vec<Unused>,
}

/// Figures that a house keeps for all its cuts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct HouseFigures {
    /// What they are called, 1 to 80 characters.
    pub name: String,
    /// The figures.
    pub shape: ShapeWishes,
    /// How files are named that are handed over, with `{title}`, `{what}`, `{revision}` and `{date}`.
    pub file_names: String,
}

impl HouseFigures {
    /// Whether they can be kept.
    ///
    /// # Errors
    /// [`Refusal`] with what is allowed.
    pub fn check(&self) -> Result<(), Refusal> {
        const MOST_NAME_CHARS: usize = 80;
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > MOST_NAME_CHARS || name.contains(char::is_control) {
            return Err(Refusal::NotAllowed(format!("Figures of a house have a name of 1 to {MOST_NAME_CHARS} characters.")));
        }
        self.shape.check().map_err(|cause| Refusal::NotAllowed(format!("Not possible: {cause}.")))?;
        check_pattern(&self.file_names).map_err(Refusal::not_allowed)
    }
}

/// Something that Check found and that is to stay as it is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Accepted {
    /// Which finding: [`crate::check::Finding::key`].
    pub finding: String,
    /// Who says so.
    pub by: String,
}

/// What a cut is a version of.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Version {
    /// The cut it began as.
    pub of: String,
    /// Digest of what was taken over from it.
    pub taken: String,
    /// What was not.
    pub left_out: Vec<Message>,
}

/// What a plan is made for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Setup {
    /// What the cut is called.
    #[serde(default)]
    pub title: String,
    /// Length, rate, shots and moments.
    #[serde(flatten)]
    pub picture: Picture,
    /// What it is for.
    #[serde(default)]
    pub purpose: Purpose,
    /// The film, if there is one.
    #[serde(default)]
    pub film: Option<Film>,
    /// The bed at hand, once there is one.
    pub bed: Option<UsedSound>,
    /// Beds that lie elsewhere on the cut than the one at hand.
    #[serde(default)]
    pub laid: Vec<Laid>,
    /// Beds that may be chosen, the chosen ones among them.
    #[serde(default)]
    pub candidates: Vec<Candidate>,
    /// Written lines of the narration.
    #[serde(default)]
    pub lines: Vec<Line>,
    /// Recordings and files of speech.
    #[serde(default)]
    pub takes: Vec<Take>,
    /// What is heard of them, and where.
    #[serde(default)]
    pub pieces: Vec<Piece>,
    /// What became of the last list.
    #[serde(default)]
    pub list: Option<ListReport>,
    /// What is wanted of the levels.
    #[serde(default)]
    pub shape: ShapeWishes,
    /// Ambiences.
    #[serde(default)]
    pub ambiences: Vec<AmbienceWish>,
    /// The figures of the house as they were taken, if they were: the levels may have been changed since.
    #[serde(default)]
    pub house: Option<HouseFigures>,
    /// What Check found and somebody accepted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub accepted: Vec<Accepted>,
    /// What it is a version of, if it is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<Version>,
}

impl Setup {
    /// The sounds and films that it names, by their hashes.
    pub fn sounds(&self) -> BTreeSet<&str> {
        let beds = self.bed.iter().chain(self.laid.iter().map(|l| &l.bed)).map(|b| &b.hash);
        let candidates = self.candidates.iter().flat_map(|c| std::iter::once(&c.hash).chain(c.retimed.as_ref().map(|r| &r.of)));
        let takes = self.takes.iter().flat_map(|t| std::iter::once(&t.hash).chain(&t.cleaned));
        let film = self.film.iter().flat_map(|f| std::iter::once(&f.hash).chain(&f.sound));
        let rest = self.pieces.iter().map(|p| &p.sound).chain(self.ambiences.iter().map(|a| &a.hash));
        beds.chain(candidates).chain(takes).chain(film).chain(rest).map(String::as_str).collect()
    }

    /// What a sound of this cut is called.
    pub fn name_of(&self, hash: &str) -> Option<&str> {
        let candidates = self.candidates.iter().map(|c| (&c.hash, &c.name));
        let takes = self.takes.iter().flat_map(|t| std::iter::once(&t.hash).chain(&t.cleaned).map(move |hash| (hash, &t.name)));
        let ambiences = self.ambiences.iter().map(|a| (&a.hash, &a.name));
        let film = self.film.iter().filter_map(|f| Some((f.sound.as_ref()?, &f.name)));
        candidates.chain(takes).chain(ambiences).chain(film).find(|(of, _)| *of == hash).map(|(_, name)| name.as_str())
    }

    /// Who made a bed, and by which right it is used.
    pub fn credit(&self, hash: &str) -> Credit {
        let Some(candidate) = self.candidates.iter().find(|c| c.hash == hash) else { return Credit::default() };
        let name = candidate.name.as_str();
        let title = name.rsplit_once('.').filter(|(stem, end)| !stem.is_empty() && end.len() <= 4).map_or(name, |(stem, _)| stem).to_owned();
        match &candidate.licence {
            None => match &candidate.own_terms {
                None => Credit { title, ..Credit::default() },
                Some(own) => Credit { title, terms: own.terms.name().to_owned(), line: own.credit.clone(), ..Credit::default() },
            },
            Some(licence) => Credit {
                title,
                maker: licence.maker.clone(),
                source: licence.supplier.clone(),
                licence: licence.number.clone(),
                terms: licence.terms.name().to_owned(),
                line: licence.credit.clone(),
            },
        }
    }

    /// A cut with nothing in it.
    pub fn new(title: &str, picture: Picture) -> Self {
        Self {
            title: title.to_owned(),
            picture,
            purpose: Purpose::default(),
            film: None,
            bed: None,
            laid: Vec::new(),
            candidates: Vec::new(),
            lines: Vec::new(),
            takes: Vec::new(),
            pieces: Vec::new(),
            list: None,
            shape: ShapeWishes::default(),
            ambiences: Vec::new(),
            house: None,
            accepted: Vec::new(),
            version: None,
        }
    }

    /// Takes the figures of a house.
    pub fn take_house(&mut self, house: HouseFigures) {
        self.shape = house.shape.clone();
        self.house = Some(house);
    }

    /// How files are named that are handed over of it.
    pub fn file_names(&self) -> &str {
        self.house.as_ref().map_or(USUAL_PATTERN, |h| &h.file_names)
    }

    /// Digest of how a bed is read and of what it is fitted to: length, narration, its words, the
    /// film's sound.
    pub fn fitted_as(&self, hash: &str) -> String {
        let film = self.film.as_ref().filter(|f| f.sound_on).and_then(|f| f.sound.as_ref());
        let mut edits: Vec<_> = self.takes.iter().map(|t| &t.edits).collect();
        edits.extend(self.film.iter().filter(|f| f.talks().is_some()).map(|f| &f.edits));
        digest(&(self.picture.length_samples(), &self.pieces, &self.lines, film, self.corrections(hash), self.wishes(hash), edits))
    }

    /// Whether a plan made for `other` is a plan for this as well, with all that is heard.
    pub fn sounds_like(&self, other: &Self) -> bool {
        let bed = self.bed.as_ref().map_or("", |b| &b.hash);
        let takes = |setup: &Self| setup.takes.iter().map(|t| t.heard().to_owned()).collect::<Vec<_>>();
        let film = |setup: &Self| setup.film.as_ref().map(|f| (f.wish.clone(), f.talk));
        self.bed == other.bed
            && film(self) == film(other)
            && takes(self) == takes(other)
            && self.laid == other.laid
            && self.fitted_as(bed) == other.fitted_as(bed)
            && self.shape == other.shape
            && self.ambiences == other.ambiences
    }

    /// From where to where a lane is heard, in samples of the cut; none for one that is not there.
    pub fn lane_heard(&self, lane: &Lane) -> Option<(u64, u64)> {
        let length_samples = self.picture.length_samples();
        match lane {
            Lane::Film => self.film.as_ref().map(|f| f.wish.heard(self.picture.picture_samples())).map(|p| (p.start_samples, p.end_samples)),
            Lane::Ambience { sound } => self.ambiences.iter().find(|a| a.hash == *sound).map(|a| a.heard(length_samples)),
        }
    }

    /// What a person said about the reading of a bed.
    pub fn corrections(&self, hash: &str) -> &[Correction] {
        self.candidates.iter().find(|c| c.hash == hash).map_or(&[], |c| &c.corrections)
    }

    /// What a person said about the phrases of a take, or of the film's own sound.
    pub fn edits(&self, hash: &str) -> &[PhraseEdit] {
        let film = || self.film.as_ref().filter(|f| f.talks() == Some(hash)).map(|f| &f.edits);
        self.takes.iter().find(|t| t.hash == hash).map(|t| &t.edits).or_else(film).map_or(&[], Vec::as_slice)
    }

    /// The candidate that is or was made from a file.
    pub fn made_from(&self, original: &str) -> Option<&Candidate> {
        self.candidates.iter().find(|c| c.original() == original)
    }

    /// What is wanted of the fit of a bed.
    pub fn wishes(&self, hash: &str) -> Option<&Wishes> {
        self.candidates.iter().find(|c| c.hash == hash).map(|c| &c.wishes)
    }

    /// Adds a candidate unless it is there.
    pub fn add_candidate(&mut self, hash: &str, name: &str, licence: Option<Licence>) {
        match self.candidates.iter_mut().find(|c| c.hash == hash) {
            Some(there) => there.licence = licence.or(there.licence.take()),
            None => self.candidates.push(Candidate {
                hash: hash.to_owned(),
                name: name.to_owned(),
                kind_by_hand: None,
                opinion: None,
                note: String::new(),
                licence,
                own_terms: None,
                wishes: Wishes::default(),
                corrections: Vec::new(),
                retimed: None,
            }),
        }
    }

    /// By which terms a candidate is used, where they are known.
    pub fn terms(&self, hash: &str) -> Option<Terms> {
        let candidate = self.candidates.iter().find(|c| c.hash == hash)?;
        candidate.licence.as_ref().map(|l| l.terms).or(candidate.own_terms.as_ref().map(|o| o.terms))
    }

    /// The candidate of a hash.
    pub fn candidate(&mut self, hash: &str) -> Option<&mut Candidate> {
        self.candidates.iter_mut().find(|c| c.hash == hash)
    }

    /// Everything about a sound goes: as candidate, bed, take, and the pieces of it.
    pub fn forget(&mut self, hash: &str) {
        let of = |setup: &Self| setup.parts().iter().position(|p| setup.bed_of(*p).is_some_and(|b| b.hash == hash));
        while let Some(index) = of(self) {
            if self.take_off(index).is_err() {
                break;
            }
        }
        self.candidates.retain(|c| c.hash != hash);
        self.takes.retain(|t| t.hash != hash);
        self.pieces.retain(|p| p.sound != hash);
        self.ambiences.retain(|a| a.hash != hash);
    }
}
