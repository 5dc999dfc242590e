//! Checking a plan before it is handed over: findings, each with its place and what to do.

mod measured;

pub use measured::{MEASURED, measured_findings};

use crate::cut::{Accepted, Change, Figure, FilmChange, FitChange, LevelsChange, Setup};
use jaunty_fit::fit::{EndWish, FittingEnd, Wish};
use jaunty_reading::reading::Reading;
use jaunty_shape::plan::{Plan, Role};
use jaunty_shape::shape::{LEAST_UNDER_SPEECH_DB, LevelChange, LevelName, LevelObject, UNDER_SPEECH_DB};
use jaunty_units::digest::digest;
use jaunty_units::units::{FrameRate, samples_from_seconds};
use serde::{Deserialize, Serialize};

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Weight {
    /// Good to know.
    Note,
    /// Worth a look before handing over.
    Look,
}

/// One thing found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Finding {
    /// How much it matters.
    pub weight: Weight,
    /// Where, in samples of the cut.
    pub at_samples: u64,
    /// What was found.
    pub text: String,
    /// What to do about it.
    pub mend: String,
    /// What would mend it at once, where that is known.
    pub remedy: Option<Remedy>,
}

/// A change that mends what was found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Remedy {
    /// What it will do, in words.
    pub words: String,
    /// The change.
    pub change: Change,
}

impl Finding {
    fn new(weight: Weight, at_samples: u64, text: impl Into<String>, mend: &str) -> Self {
        Self { weight, at_samples, text: text.into(), mend: mend.to_owned(), remedy: None }
    }

    fn mended_by(self, words: impl Into<String>, change: Change) -> Self {
        Self { remedy: Some(Remedy { words: words.into(), change }), ..self }
    }

    /// Its name among those that somebody accepted: what is found there otherwise, or elsewhere, has another one.
    pub fn key(&self) -> String {
        digest(&(self.at_samples, &self.text))
    }

    /// Whether it needs a look that nobody has taken.
    pub fn is_open(&self, accepted: &[Accepted]) -> bool {
        self.weight == Weight::Look && !accepted.iter().any(|a| a.finding == self.key())
    }
}

/// What [`findings`] and [`picture_findings`] look at, as sentences that hold when it finds nothing.
pub const LOOKED_AT: [&str; 9] = [
    "The bed may be used for what this cut is for, as far as its terms are known.",
    "The cut has a bed, and the bed lasts to the end of the picture.",
    "The film is as long as the cut, and counts its frames alike.",
    "Nothing hangs past the picture, and no phrase is cut off by its end.",
    "The bed keeps at least 18 dB under the voice while it speaks.",
    "The phrases of the voice are alike in loudness, within 6 dB.",
    "Every splice is one that nobody should notice.",
    "The bed's own ending is kept, when it has one.",
    "The beat that the splices lie on is certain.",
];

/// Looks over how the film goes with the cut.
pub fn picture_findings(setup: &Setup) -> Vec<Finding> {
    let picture = &setup.picture;
    let tail_s = picture.tail_frames as f64 / picture.rate.as_f64();
    let text = format!("The sound runs on for {tail_s:.1} s behind the picture.");
    let mend = "A file is as long as the picture unless you ask for the rest at Hand over.";
    let tail = (picture.tail_frames > 0).then(|| {
        Finding::new(Weight::Note, picture.picture_samples(), text, mend).mended_by("end it with the picture", Change::Fit(FitChange::RunOn { frames: 0 }))
    });
    tail.into_iter().chain(film_finding(setup)).collect()
}

fn film_finding(setup: &Setup) -> Option<Finding> {
    let film = setup.film.as_ref()?;
    let picture = &setup.picture;
    let seconds = |rate: FrameRate, frames: u64| frames as f64 / rate.as_f64();
    let longer_s = seconds(film.rate, film.length_frames) - seconds(picture.rate, picture.length_frames);
    let text = if film.rate != picture.rate {
        format!("The film has {:.3} frames a second, the cut counts {:.3}.", film.rate.as_f64(), picture.rate.as_f64())
    } else if longer_s.abs() > 0.5 / picture.rate.as_f64() {
        format!("The film is {:.1} s {} than the cut.", longer_s.abs(), if longer_s > 0.0 { "longer" } else { "shorter" })
    } else {
        return None;
    };
    let at = if longer_s < 0.0 { samples_from_seconds(seconds(film.rate, film.length_frames)) } else { 0 };
    let finding = Finding::new(Weight::Look, at, text, "Bring in the film of this length, or make the cut like it.");
    Some(finding.mended_by("make the cut as long as the film, at its rate", Change::Film(FilmChange::Length)))
}

/// Phrases that differ by more than this want evening, in dB (common practice: voice pieces are alike).
const UNEVEN_DB: f64 = 6.0;

/// Splices at least so hard to hear (of 100) nobody should notice,
const NOBODY: u8 = 70;
/// and those at least so hard deserve a listen ([`jaunty_fit::fit::Splice::hard_to_hear`]).
const LISTEN: u8 = 40;

/// Looks a plan over. `reading` is the bed's, when there is one; `objections` say why the bed may
/// not be used for what the cut is for ([`jaunty_picture::terms::objection`]).
pub fn findings(plan: &Plan, reading: Option<&Reading>, objections: &[String]) -> Vec<Finding> {
    let mut all = Vec::new();
    let mut add = |finding| all.push(finding);
    if plan.bed().is_none() {
        add(Finding::new(Weight::Look, 0, "This cut has no bed.", "Bring one in at Beds."));
        return all;
    }
    for objection in objections {
        let mend = "Choose another bed, or settle it with the supplier and change what the cut is for at Picture.";
        add(Finding::new(Weight::Look, 0, objection.as_str(), mend));
    }
    if !plan.layers.iter().any(|l| l.role == Role::Narration) {
        add(Finding::new(Weight::Note, 0, "This cut has no narration, so the bed has no dips.", "Bring one in at Voice, if there is one."));
    }
    for phrase in plan.phrases.iter().filter(|p| p.end_samples > plan.length_samples) {
        let at = phrase.start_samples.min(plan.length_samples);
        add(Finding::new(Weight::Look, at, "A phrase is cut off by the end of the picture.", "Make the cut longer or the narration shorter."));
    }
    if let Some(uneven) = plan.uneven_db.filter(|db| *db > UNEVEN_DB) {
        let is_evened = plan.layers.iter().any(|l| l.role == Role::Narration && l.levels.iter().any(|o| matches!(o, LevelObject::Trim { .. })));
        let (still, mend) = if is_evened {
            (" still", "Bring in a better take of the soft one at Voice: raised further, its room would be heard.")
        } else {
            ("", "Even the phrases out at Shape, among the figures.")
        };
        let text = format!("The loudest phrase{still} lies {uneven:.0} dB over the softest one.");
        let finding = Finding::new(Weight::Note, plan.phrases.first().map_or(0, |p| p.start_samples), text, mend);
        let even = Change::Levels(LevelsChange::Figure { figure: Figure::EvenVoice(true) });
        add(if is_evened { finding } else { finding.mended_by("even the phrases out", even) });
    }
    for object in plan.beds().flat_map(jaunty_shape::plan::Layer::heard_levels) {
        if let LevelObject::Dip { start_samples, under_speech_db, .. } = *object
            && under_speech_db < LEAST_UNDER_SPEECH_DB
        {
            let text = format!("The bed lies only {under_speech_db:.0} dB under the voice here.");
            let finding = Finding::new(Weight::Look, start_samples, text, "18 to 25 dB keep every word clear: lower the dip.");
            add(match LevelName::of(object) {
                None => finding,
                Some(name) => {
                    let change = LevelChange { under_speech_db: Some(UNDER_SPEECH_DB), ..LevelChange::default() };
                    finding.mended_by(
                        format!("lower the bed here by {:.0} dB, to {UNDER_SPEECH_DB} under the voice", UNDER_SPEECH_DB - under_speech_db),
                        Change::Levels(LevelsChange::Set { lane: None, levels: vec![name], change }),
                    )
                }
            });
        }
    }
    for fitting in plan.beds().filter_map(|b| b.fitting.as_ref()) {
        for splice in &fitting.splices {
            let hard = splice.hard_to_hear();
            let (weight, text) = match hard {
                // How often a sequel passes nothing tells.
                NOBODY.. if splice.is_sequel => (Weight::Note, "Another phrase goes on here than would have come"),
                NOBODY.. => continue,
                LISTEN.. => (Weight::Note, "This splice deserves a listen"),
                _ => (Weight::Look, "This splice may be heard"),
            };
            let text = format!("{text} ({hard} of 100 hard to hear): bar {} goes on at bar {}.", splice.leave_bar, splice.enter_bar + 1);
            add(Finding::new(weight, splice.at_samples, text, "Listen to it; if it shows, take another fitting.")
                .mended_by("try the next best place", Change::Fit(FitChange::Wish { wish: Wish::NoSplice(splice.at) })));
        }
        for note in &fitting.notes {
            add(Finding::new(Weight::Look, fitting.start_samples, note.to_string(), "Listen, or bring another bed."));
        }
    }
    // A bed that gives over to the next one may well lose its ending.
    let last = plan.bed().and_then(|b| b.fitting.as_ref()).filter(|f| f.end_samples() >= plan.length_samples);
    if let Some(fitting) = last
        && fitting.end == FittingEnd::Fade
        && reading.is_some_and(|r| r.ending.kind == jaunty_reading::reading::EndingKind::OwnEnding)
    {
        let wish = Wish::End(EndWish::OwnEnding { hit_samples: None });
        let text = "The bed fades although it has an ending of its own.";
        add(Finding::new(Weight::Note, plan.length_samples, text, "Look for a fitting with its own ending.")
            .mended_by("ask for its own ending", Change::Fit(FitChange::Wish { wish })));
    }
    all
}
