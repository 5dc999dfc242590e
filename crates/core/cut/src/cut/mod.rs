//! A cut: what somebody said about it, and what follows from that.
//!
//! Everything that a person can say about a cut is one [`Change`]; what comes in or was found in the
//! background is an [`Arrival`]. Both are applied to a [`Cut`] and answer with their [`Effect`]: the
//! one place that says what must be computed anew. [`compute`] does that, from the sounds as they
//! were opened.
//!
//! | part | holds |
//! |---|---|
//! | `setup` | what is wanted: the document that plans are made for |
//! | `used` | sounds and films as a cut uses them |
//! | `parts` | several beds, one after another |
//! | `change` | what can be said, and how it changes the setup |
//! | `arrival` | what comes in |
//! | `effect` | what must be computed anew, and what is left to do in the background |
//! | `limits` | what figures may be |
//! | `moments` | what lies on a moment goes with it |
//! | `tempo` | a bed at another tempo |
//! | `brought` | whether a cut from elsewhere can be worked with |
//! | `version` | the same cut at another length |
//! | `material` | planning: from setup and sounds to fittings and plan |

mod arrival;
mod brought;
mod change;
mod effect;
mod limits;
mod material;
mod moments;
mod parts;
mod setup;
mod tempo;
mod used;
mod version;

pub use arrival::{Arrival, ListFile};
pub use change::{
    AmbienceChange, AskedRate, AskedTerms, BedChange, CandidateChange, Change, CheckChange, CutChange, Description, Figure, FilmChange, FitChange,
    LevelsChange, MomentName, PictureChange, ReadingChange, SpliceSide, SpliceTouch, VoiceChange,
};
pub use effect::{Effect, Work};
pub use limits::{LIMITS, Limits};
pub use material::{CandidateFit, Material, OpenBed, Opened, Sounds, compute, fitted_under, scene};
pub use parts::{Part, PartError};
pub use setup::{AMBIENCE_UNDER_SPEECH_DB, Accepted, HouseFigures, ListReport, Setup};
pub use tempo::MOST_TEMPO_PERCENT;
pub use used::{Candidate, Film, Laid, Licence, Opinion, OwnTerms, Retimed, Take, TakeOrigin, UsedSound};
pub use version::MOST_VERSIONS;

use crate::handover::Form;
use jaunty_fit::fit::Fitting;
use jaunty_reading::reading::Reading;
use jaunty_shape::plan::Plan;
use jaunty_shape::shape::LevelError;
use jaunty_speech::speech::SpeechReading;
use jaunty_units::digest::digest;
use std::collections::HashMap;

/// One state of a cut: what is wanted, and the plan that was made for it.
#[derive(Debug, Clone, PartialEq)]
pub struct Cut {
    /// What is wanted.
    pub setup: Setup,
    /// How it sounds.
    pub plan: Plan,
    /// The fittings to choose from.
    pub fittings: Vec<Fitting>,
    /// Which of them the plan plays.
    pub chosen: usize,
}

impl Cut {
    /// A cut of silence.
    pub fn new(setup: Setup) -> Self {
        Self { plan: Plan::empty(setup.picture.length_samples()), setup, fittings: Vec::new(), chosen: 0 }
    }

    /// Digest of everything that a file to hand over is made of.
    pub fn handed_as(&self, form: &Form) -> String {
        /// One who writes otherwise has another number, so that nothing old is taken for new.
        const WRITER: u32 = 3;
        let setup = &self.setup;
        let credits: Vec<_> = setup.candidates.iter().map(|c| (&c.hash, &c.name, &c.licence)).collect();
        let film = setup.film.as_ref().map(|f| &f.hash);
        let accepted = matches!(form, Form::Report { .. } | Form::Everything { .. }).then_some(&setup.accepted);
        digest(&(WRITER, form, accepted, &self.plan, &setup.title, &setup.picture, setup.purpose, credits, film, setup.file_names()))
    }

    /// The fitting that is played.
    pub fn fitting(&self) -> Option<&Fitting> {
        self.fittings.get(self.chosen)
    }

    /// Whether a candidate would lie otherwise than before, so that candidates are to be compared again.
    pub fn compares_otherwise(&self, before: &Setup) -> bool {
        let mut both = self.setup.candidates.iter().filter(|c| before.candidates.iter().any(|b| b.hash == c.hash));
        both.any(|c| self.setup.fitted_as(&c.hash) != before.fitted_as(&c.hash))
    }
}

/// What has been read of the sounds that a change is about, as corrected by hand.
#[derive(Debug, Clone, Default)]
pub struct Readings {
    /// Of beds, by hash.
    pub beds: HashMap<String, Reading>,
    /// Of speech, by hash; its phrases as they were heard.
    pub speech: HashMap<String, SpeechReading>,
}

/// Why something that was said cannot be done. The texts are for people.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// It names something that is not there.
    #[error("there is no {0} of that name")]
    Unknown(&'static str),
    /// It makes no sense; the text says what would.
    #[error("{0}")]
    NotAllowed(String),
}

impl From<LevelError> for Refusal {
    fn from(cause: LevelError) -> Self {
        match cause {
            LevelError::NoObject => Self::Unknown("swell, dip or fade"),
            other => Self::NotAllowed(format!("Not possible: {other}.")),
        }
    }
}

impl Refusal {
    /// What is refused, with the rule that refuses it.
    pub fn not_allowed(cause: impl std::fmt::Display) -> Self {
        Self::NotAllowed(cause.to_string())
    }
}

/// A time in samples that lies where a cut may: 0 to 12 hours.
fn within_a_cut(samples: u64) -> Result<u64, Refusal> {
    use jaunty_units::units::CutLength;
    if samples <= CutLength::MOST_SAMPLES { Ok(samples) } else { Err(Refusal::NotAllowed(format!("A time is 0 to {} hours.", CutLength::MOST_HOURS))) }
}
