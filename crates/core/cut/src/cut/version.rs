//! Several lengths of one cut: a version is a cut of its own that began as another one at another length.
//!
//! It takes over what still makes sense there: the bed and what was said of its reading and its fit, the levels' figures,
//! the ambiences. What belongs to the other's picture or to a moment of its time is left out, and said.

use super::Cut;
use super::setup::{Setup, Version};
use super::used::{Candidate, Laid, UsedSound};
use jaunty_fit::fit::{EndWish, Wishes};
use jaunty_shape::plan::AmbienceWish;
use jaunty_shape::shape::LevelKind;
use jaunty_units::digest::digest;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::CutLength;

/// As many versions may be made in one go.
pub const MOST_VERSIONS: usize = 12;

/// What a version takes over.
struct TakenOver {
    bed: Option<UsedSound>,
    laid: Vec<Laid>,
    candidates: Vec<Candidate>,
    ambiences: Vec<AmbienceWish>,
}

/// What is said of so many of them; nothing of none.
fn counted(n: usize, said: impl Fn(usize) -> Message) -> Option<Message> {
    (n > 0).then(|| said(n))
}

/// How a length is called: "30 s", "1:30", or its timecode where it is no whole number of seconds.
fn called(length: CutLength) -> String {
    let frames = length.frames();
    let seconds = (frames as f64 / length.rate().as_f64()).round() as u64;
    if CutLength::from_seconds(length.rate(), seconds as f64) != Ok(length) {
        length.rate().timecode(frames).to_string()
    } else if seconds < 100 {
        format!("{seconds} s")
    } else {
        format!("{}:{:02}", seconds / 60, seconds % 60)
    }
}

/// What is wanted of a fit to another length, in samples; what is tied to a moment of the cut or asks for one certain
/// splice is left out, and said.
fn at_length(of: &Wishes, length_samples: u64, left_out: &mut Vec<Message>) -> Wishes {
    let mut wishes = of.clone();
    left_out.extend(counted(of.pins.len(), |n| message!("left.pins", n = n)));
    left_out.extend(counted(of.splices.len(), |n| message!("left.splices", n = n)));
    (wishes.pins, wishes.splices) = (Vec::new(), Vec::new());
    if let EndWish::OwnEnding { hit_samples: hit @ Some(_) } = &mut wishes.end {
        left_out.push(message!("left.lastHit"));
        *hit = None;
    }
    if let Some(place) = wishes.place
        && place.start_samples >= length_samples
    {
        left_out.push(message!("left.bedBegins", at = Fact::Clock(place.start_samples)));
        wishes.place = None;
    }
    wishes
}

impl Setup {
    /// Digest of everything that a version takes over of this.
    pub fn shared(&self) -> String {
        let beds: Vec<_> = self.candidates.iter().map(|c| (&c.hash, &c.wishes, &c.corrections)).collect();
        let house = self.house.as_ref().map(|h| &h.name);
        digest(&(&self.bed, &self.laid, beds, &self.shape, &self.ambiences, house))
    }

    fn taken_over(&self, length_samples: u64, left_out: &mut Vec<Message>) -> TakenOver {
        let at_hand = self.bed.as_ref().map(|b| b.hash.clone());
        let fits = |candidate: &Candidate| {
            // Only the wishes of the bed that is heard are worth a word.
            let mut unsaid = Vec::new();
            let said = if Some(&candidate.hash) == at_hand.as_ref() { &mut *left_out } else { &mut unsaid };
            Candidate { wishes: at_length(&candidate.wishes, length_samples, said), ..candidate.clone() }
        };
        let candidates = self.candidates.iter().map(fits).collect();
        let begins = |start: u64| start < length_samples;
        let laid = self.laid.iter().filter(|l| begins(l.wishes.place.map_or(0, |p| p.start_samples)));
        let laid: Vec<Laid> = laid.map(|l| Laid { wishes: at_length(&l.wishes, length_samples, &mut Vec::new()), ..l.clone() }).collect();
        for gone in self.laid.iter().filter(|l| !laid.iter().any(|kept| kept.bed == l.bed)) {
            left_out.push(message!("left.bed", name = &gone.bed.name));
        }
        // Passages by hand belong to moments of this length; fades go with their ambience.
        let fades = |a: &AmbienceWish| a.by_hand.iter().filter(|o| o.kind() != Some(LevelKind::Sweep)).cloned().collect();
        let taken = |a: &AmbienceWish| AmbienceWish { by_hand: fades(a), ..a.clone() };
        let ambiences: Vec<AmbienceWish> = self.ambiences.iter().filter(|a| begins(a.start_samples)).map(taken).collect();
        left_out.extend(counted(self.ambiences.len() - ambiences.len(), |n| message!("left.ambiences", n = n)));
        TakenOver { bed: self.bed.clone(), laid, candidates, ambiences }
    }

    /// This cut, called `of`, at another length. Shots, moments and a film belong to the picture of this length; speech is
    /// taken over where all of it fits.
    pub fn version(&self, of: &str, length: CutLength) -> Self {
        let mut picture = self.picture.clone();
        picture.set_length(length);
        let length_samples = picture.length_samples();
        let mut left_out = Vec::new();
        if self.film.is_some() {
            left_out.push(message!("left.film"));
        }
        left_out.extend(counted(picture.shots.len(), |n| message!("left.shots", n = n)));
        left_out.extend(counted(picture.moments.len(), |n| message!("left.moments", n = n)));
        (picture.shots, picture.moments) = (Vec::new(), Vec::new());
        let speech_end = self.pieces.iter().map(|p| p.on_cut().end).max().unwrap_or(0);
        let speech_fits = speech_end <= length_samples && self.lines.iter().all(|l| l.start_samples < length_samples);
        if !speech_fits {
            left_out.push(if speech_end > length_samples { message!("left.narration", at = Fact::Clock(speech_end)) } else { message!("left.lines") });
        }
        let taken = self.taken_over(length_samples, &mut left_out);
        let mut title: String = self.title.chars().take(180).collect();
        title = format!("{title}, {}", called(length));
        Self {
            title,
            picture,
            film: None,
            list: None,
            bed: taken.bed,
            laid: taken.laid,
            candidates: taken.candidates,
            ambiences: taken.ambiences,
            lines: if speech_fits { self.lines.clone() } else { Vec::new() },
            takes: if speech_fits { self.takes.clone() } else { Vec::new() },
            pieces: if speech_fits { self.pieces.clone() } else { Vec::new() },
            accepted: Vec::new(),
            version: Some(Version { of: of.to_owned(), taken: self.shared(), left_out }),
            ..self.clone()
        }
    }

    /// Takes over anew what a version takes over; its own picture, film and speech stay.
    pub(super) fn follow(&mut self, mother: &Self) {
        let mut left_out = Vec::new();
        let taken = mother.taken_over(self.picture.length_samples(), &mut left_out);
        let own = std::mem::take(&mut self.candidates).into_iter().filter(|c| !taken.candidates.iter().any(|t| t.hash == c.hash));
        let own: Vec<Candidate> = own.collect();
        (self.bed, self.laid, self.ambiences) = (taken.bed, taken.laid, taken.ambiences);
        self.candidates = taken.candidates.into_iter().chain(own).collect();
        (self.shape, self.house) = (mother.shape.clone(), mother.house.clone());
        if let Some(version) = &mut self.version {
            (version.taken, version.left_out) = (mother.shared(), left_out);
        }
    }
}

impl Cut {
    /// The first state of a version: silence until it is planned. What was set by hand of the levels is tied to moments.
    pub fn version(&self, of: &str, length: CutLength) -> Self {
        let mut setup = self.setup.version(of, length);
        let by_hand = self.plan.layers.iter().flat_map(|l| &l.levels).filter(|o| o.by_hand()).count();
        if let Some(version) = &mut setup.version {
            version.left_out.extend(counted(by_hand, |n| message!("left.levels", n = n)));
        }
        Self::new(setup)
    }
}
