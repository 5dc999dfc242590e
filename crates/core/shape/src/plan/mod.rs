//! The plan: the one document that says how a cut sounds.
//!
//! It is declarative, small and complete: the same plan and sounds give the same samples, bit
//! for bit, for any range ([`crate::mix::render`]).

mod ambience;
mod energies;
pub mod film;
mod kept;
pub mod lane;
pub mod succession;

pub use ambience::{Ambience, AmbienceInput, AmbienceWish, LOWERED_DB, SpeechRule};
pub use film::{FILM_GAIN_DB, FilmInput, FilmWish};
pub use kept::Kept;
pub use lane::Lane;

use crate::shape::pocket::{Pocket, strongest_band_hz};
use crate::shape::{self, Frame, LevelChange, LevelError, LevelName, LevelObject, Measured, ShapeWishes};
use jaunty_fit::fit::{Fitting, FittingStart};
use jaunty_picture::picture::Line;
use jaunty_sound::sound::{Source, loudness};
use jaunty_speech::speech::{Phrase, SpeechReading, attach_words};
use jaunty_speech::voice::{Narration, Piece, Placed};
use jaunty_units::digest::digest;
use kept::Anew;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::Arc;

/// What a layer is to the cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Role {
    /// Music, re-cut to the length.
    Bed,
    /// Speech.
    Narration,
    /// The film's own sound.
    Film,
    /// The sound of a place.
    Ambience,
}

/// What the level of the beds is measured against: what must be understood, as far as there is such a thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum BedAgainst {
    /// The narration.
    #[default]
    Voice,
    /// The film's own sound, which is heard all over the cut.
    Film,
    /// Nothing: the bed has a loudness of its own.
    Itself,
}

/// One sound of the cut and what happens to it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Layer {
    /// What it is.
    pub role: Role,
    /// Name of the sound: its content hash.
    pub sound: String,
    /// How the bed was re-cut; other layers have none.
    pub fitting: Option<Fitting>,
    /// What is heard of it and where; without one, all of it from the start of the cut.
    #[serde(default)]
    pub piece: Option<Piece>,
    /// What its level does.
    pub levels: Vec<LevelObject>,
    /// The voice's place in its spectrum.
    #[serde(default)]
    pub pocket: Option<Pocket>,
    /// How an ambience goes on and on.
    #[serde(default)]
    pub ambience: Option<Ambience>,
}

impl Layer {
    /// The level objects that are heard where the bed lies; all of them where it lies everywhere.
    pub fn heard_levels(&self) -> impl Iterator<Item = &LevelObject> {
        let place = self.fitting.as_ref().map_or((0, u64::MAX), |f| (f.start_samples, f.end_samples()));
        self.levels.iter().filter(move |o| o.span().is_none_or(|(from, to)| from < place.1 && to > place.0))
    }
}

/// What happens to the whole of a mix: one gain, so that nothing in it changes against anything else.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Master {
    /// The loudness that was asked for, in LUFS.
    pub target_lufs: f64,
    /// Gain in dB.
    pub gain_db: f64,
    /// How much more it would have taken, had the guard not kept the true peak at -1 dBTP.
    pub held_back_db: f64,
}

/// How a cut sounds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Plan {
    /// Length of the cut in samples.
    pub length_samples: u64,
    /// The layers.
    pub layers: Vec<Layer>,
    /// The phrases that the levels were set for, in samples of the cut.
    pub phrases: Vec<Phrase>,
    /// Which of them are said in the film, not by the narration: from where to where.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub talk: Vec<(u64, u64)>,
    /// How far the loudest phrase lies over the softest one, as they are heard, in dB.
    #[serde(default)]
    pub uneven_db: Option<f64>,
    /// What the level of the beds is measured against.
    #[serde(default)]
    pub bed_against: BedAgainst,
    /// What happens to the whole.
    #[serde(default)]
    pub master: Option<Master>,
    /// Digest of what the bed was fitted under: whether narration or picture have changed since.
    #[serde(default)]
    pub fitted_under: String,
}

impl Plan {
    /// The sounds that it plays, by their hashes.
    pub fn sounds(&self) -> BTreeSet<&str> {
        self.layers.iter().map(|layer| layer.sound.as_str()).collect()
    }

    /// A plan of silence.
    pub fn empty(length_samples: u64) -> Self {
        Self {
            length_samples,
            layers: Vec::new(),
            phrases: Vec::new(),
            talk: Vec::new(),
            uneven_db: None,
            bed_against: BedAgainst::default(),
            master: None,
            fitted_under: String::new(),
        }
    }

    /// As long as this and no longer: what would be heard later is left out.
    #[must_use]
    pub fn until(&self, length_samples: u64) -> Self {
        Self { length_samples: self.length_samples.min(length_samples), ..self.clone() }
    }

    /// With so much more gain over all, in dB.
    #[must_use]
    pub fn raised(&self, gain_db: f64) -> Self {
        let before = self.master.unwrap_or(Master { target_lufs: 0.0, gain_db: 0.0, held_back_db: 0.0 });
        let master = if gain_db == 0.0 { self.master } else { Some(Master { gain_db: before.gain_db + gain_db, ..before }) };
        Self { master, ..self.clone() }
    }

    /// The beds; the first is the one at hand.
    pub fn beds(&self) -> impl Iterator<Item = &Layer> {
        self.layers.iter().filter(|l| l.role == Role::Bed)
    }

    /// The bed at hand, if there is one.
    pub fn bed(&self) -> Option<&Layer> {
        self.beds().next()
    }

    /// The dip that holds the bed under a phrase, if there is one.
    pub fn dip_under(&self, phrase: &Phrase) -> Option<&LevelObject> {
        /// Phrases whose edges moved by so little since still belong to it: 50 ms.
        const REACH_SAMPLES: u64 = 2400;
        let holds = |(from, to): (u64, u64)| phrase.start_samples + REACH_SAMPLES >= from && phrase.end_samples <= to + REACH_SAMPLES;
        self.beds().flat_map(|l| &l.levels).find(|o| matches!(o, LevelObject::Dip { .. }) && o.span().is_some_and(holds))
    }

    /// Places in [`Self::layers`] of those whose levels differ from `other`'s; `None` where anything but levels differs.
    pub fn differs_in_levels(&self, other: &Self) -> Option<Vec<usize>> {
        let bare = |layer: &Layer| Layer { levels: Vec::new(), ..layer.clone() };
        let alike = self.layers.len() == other.layers.len() && self.length_samples == other.length_samples;
        let pairs = || self.layers.iter().zip(&other.layers).enumerate();
        let otherwise = || pairs().filter(|(_, (a, b))| a.levels != b.levels).map(|(k, _)| k).collect();
        (alike && pairs().all(|(_, (a, b))| bare(a) == bare(b))).then(otherwise)
    }

    /// Changes a level object by hand. Its twins in the other beds change with it: where one bed
    /// gives over to the next within a swell, both rise alike. Nothing else changes.
    ///
    /// # Errors
    /// [`LevelError`].
    pub fn change_level(&mut self, name: LevelName, change: &LevelChange) -> Result<(), LevelError> {
        let mut objects = self.layers.iter_mut().filter(|l| l.role == Role::Bed).flat_map(|l| &mut l.levels).filter(|o| name.names(o)).peekable();
        objects.peek().ok_or(LevelError::NoObject)?;
        objects.try_for_each(|object| object.change(change))
    }
}

/// A bed with its fitting and its samples.
#[derive(Clone, Copy)]
pub struct BedInput<'a> {
    /// Name of the sound.
    pub sound: &'a str,
    /// Its samples.
    pub source: &'a dyn Source,
    /// The chosen fitting.
    pub fitting: &'a Fitting,
    /// Bar lines of the bed, which tops of swells prefer.
    pub bar_lines_samples: &'a [u64],
    /// Its level objects so far, of which those set by hand are kept.
    pub before: &'a [LevelObject],
}

/// A piece of the narration with the reading and the samples of its take.
#[derive(Clone, Copy)]
pub struct PieceInput<'a> {
    /// What is heard and where.
    pub piece: &'a Piece,
    /// Samples of the take.
    pub source: &'a dyn Source,
    /// Phrases of the take.
    pub reading: &'a SpeechReading,
}

/// Everything that a plan is made from.
#[derive(Clone, Copy, Default)]
pub struct Inputs<'a> {
    /// Length of the cut.
    pub length_samples: u64,
    /// The beds, one after another on the cut; the first one here is the one at hand.
    pub beds: &'a [BedInput<'a>],
    /// The narration.
    pub narration: &'a [PieceInput<'a>],
    /// Known words of the narration.
    pub lines: &'a [Line],
    /// The film's own sound, when it is to be heard.
    pub film: Option<FilmInput<'a>>,
    /// What is wanted of the levels.
    pub shape: Option<&'a ShapeWishes>,
    /// Ambiences.
    pub ambiences: &'a [AmbienceInput<'a>],
    /// What was measured of these sounds before.
    pub kept: Option<&'a dyn Kept>,
}

/// Proposes the plan of a cut: the fitted beds, the narration, and the beds' levels under it.
pub fn propose(inputs: Inputs<'_>) -> Plan {
    let Inputs { length_samples, narration, .. } = inputs;
    let (scratch, real): (Vec<&PieceInput<'_>>, Vec<_>) = narration.iter().partition(|n| n.piece.scratch.is_some());
    let of = |pieces: &[&PieceInput<'_>]| -> Vec<Phrase> { pieces.iter().flat_map(|n| n.piece.phrases(&n.reading.phrases)).collect() };
    let mut phrases = of(&real);
    phrases.sort_by_key(|p| p.start_samples);
    // Lines that a machine speaks have their phrase already.
    let open: Vec<Line> = inputs.lines.iter().filter(|l| !scratch.iter().any(|n| n.piece.scratch.as_ref() == Some(&l.words))).cloned().collect();
    attach_words(&mut phrases, &open);
    phrases.extend(of(&scratch));
    phrases.sort_by_key(|p| p.start_samples);
    // What the narration says, and what is said in the film where the narration is silent.
    let narrator = phrases;
    let talk = inputs.film.map_or(Vec::new(), |f| film::phrases(f.wish, f.talk.unwrap_or_default(), f.until_samples));
    let phrases = film::beside(&narrator, &talk);
    let wishes = inputs.shape.cloned().unwrap_or_default();
    let narrated = Narration { pieces: narration.iter().map(|n| Placed { source: n.source, piece: n.piece }).collect(), length_samples };
    let kept = inputs.kept.unwrap_or(&Anew);
    let pieces: Vec<&Piece> = narration.iter().map(|n| n.piece).collect();
    let named = |what: &str| digest(&(what, &pieces, length_samples));
    let speech_energies = if narration.is_empty() { Arc::default() } else { kept.numbers(named("speech"), &|| loudness::block_energies(&narrated)) };
    let spans = |phrases: &[Phrase]| -> Vec<(u64, u64)> { phrases.iter().map(|p| (p.start_samples, p.end_samples)).collect() };
    let (spoken, narrated_spans) = (spans(&phrases), spans(&narrator));
    let trims = if wishes.even_voice { evened(&narrator, &speech_energies) } else { Vec::new() };
    // From here on the voice is as it will be heard.
    let speech_energies = if trims.is_empty() { speech_energies } else { shape::trimmed(&speech_energies, &trims).into() };
    let speech_energies = match inputs.film.filter(|_| phrases.len() > narrator.len()) {
        None => speech_energies,
        Some(film) => film::with_talk(&film, &speech_energies, &phrases, &narrator, length_samples, kept).into(),
    };
    let layer = |role, sound: &str| Layer { role, sound: sound.to_owned(), fitting: None, piece: None, levels: Vec::new(), pocket: None, ambience: None };
    let mut layers = Vec::new();
    let speech = shape::speech_lufs(&phrases, &speech_energies);
    let film_lufs = inputs.film.filter(|_| speech.is_none()).and_then(|f| film::lufs(&f, kept));
    let film_place = inputs.film.filter(|film| film.wish.place.is_some()).map(|film| film.heard());
    let (handed, film_handed) = succession::fades(&inputs.beds.iter().map(|b| b.fitting).collect::<Vec<_>>(), film_place);
    for (bed, (hand_in_samples, hand_out_samples)) in inputs.beds.iter().zip(handed) {
        let bed_energies = energies::of_fitted(kept, bed.sound, bed.source, bed.fitting);
        let measured = Measured { bed: &bed_energies, speech: &speech_energies, film_lufs };
        let end_samples = bed.fitting.end_samples().min(length_samples);
        let frame = Frame {
            length_samples,
            start_samples: bed.fitting.start_samples,
            end_samples,
            fades_in: bed.fitting.start == FittingStart::FadeIn,
            ring_out_samples: bed.fitting.last_hit_samples.map(|hit| end_samples.saturating_sub(hit)),
            downbeats_samples: bed.fitting.bar_lines(bed.bar_lines_samples).into_iter().map(|l| l.0).collect(),
            hand_in_samples,
            hand_out_samples,
        };
        let levels = shape::propose_bed(measured, &phrases, &frame, &wishes, bed.before);
        let pocket = wishes.pocket.filter(|_| !spoken.is_empty()).and_then(|wish| {
            let strongest =
                || kept.numbers(digest(&(named("band"), &spoken)), &|| strongest_band_hz(&narrated, &spoken).into_iter().collect()).first().copied();
            let centre_hz = wish.centre_hz.or_else(strongest)?;
            Some(Pocket { depth_db: wish.depth_db, q: wish.q, centre_hz, phrases: spoken.clone() })
        });
        layers.push(Layer { fitting: Some(bed.fitting.clone()), levels, pocket, ..layer(Role::Bed, bed.sound) });
    }
    layers.extend(narration.iter().map(|n| Layer { piece: Some(n.piece.clone()), levels: trims.clone(), ..layer(Role::Narration, &n.piece.sound) }));
    // Its own talk is no reason for the film to be low.
    layers.extend(inputs.film.map(|film| film::layer(&film, film_handed, &narrated_spans, length_samples)));
    layers.extend(inputs.ambiences.iter().map(|a| ambience::layer(a, &spoken, speech, length_samples, kept)));
    let uneven_db = uneven(&phrases, &speech_energies);
    let bed_against = match (speech, film_lufs) {
        (Some(_), _) => BedAgainst::Voice,
        (None, Some(_)) => BedAgainst::Film,
        (None, None) => BedAgainst::Itself,
    };
    let talk = phrases.iter().filter(|p| !narrator.contains(p)).map(|p| (p.start_samples, p.end_samples)).collect();
    Plan { layers, phrases, talk, uneven_db, bed_against, ..Plan::empty(length_samples) }
}

/// How far the loudest phrase lies over the softest one, in dB.
fn uneven(phrases: &[Phrase], speech: &[f64]) -> Option<f64> {
    let loud = phrases.iter().filter_map(|p| shape::speech_lufs(std::slice::from_ref(p), speech));
    let (low, high) = loud.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), l| (low.min(l), high.max(l)));
    (high >= low).then_some(high - low)
}

/// Trims that bring every phrase to the middle one's loudness; under 1 dB nothing is done.
fn evened(phrases: &[Phrase], speech: &[f64]) -> Vec<LevelObject> {
    /// The room and its noise come up with a phrase: beyond this they are heard (common practice, no source).
    const MOST_DB: f64 = 12.0;
    let loud: Vec<Option<f64>> = phrases.iter().map(|p| shape::speech_lufs(std::slice::from_ref(p), speech)).collect();
    let mut sorted: Vec<f64> = loud.iter().flatten().copied().collect();
    sorted.sort_by(f64::total_cmp);
    let Some(&middle) = sorted.get(sorted.len() / 2) else { return Vec::new() };
    let trim = |(phrase, lufs): (&Phrase, &Option<f64>)| {
        let gain_db = (middle - (*lufs)?).clamp(-MOST_DB, MOST_DB);
        (gain_db.abs() >= 1.0).then_some(LevelObject::Trim { start_samples: phrase.start_samples, end_samples: phrase.end_samples, gain_db })
    };
    phrases.iter().zip(&loud).filter_map(trim).collect()
}
