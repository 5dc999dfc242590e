//! Everything that a person can say about a cut.
//!
//! Things are named by what they are, never by their place in a list: sounds by their hash, phrases
//! and pieces by a sample of the cut, shots by their first frame, wishes by what they are about.

mod bed;
mod check;
mod describe;
mod film;
mod fit;
mod lanes;
mod levels;
mod picture;
mod reading;
mod voice;

pub use bed::{AskedTerms, BedChange, CandidateChange};
pub use check::CheckChange;
pub(super) use describe::MOST_TITLE_CHARS;
pub use describe::{AskedRate, CutChange, Description};
pub use film::FilmChange;
pub use fit::{FitChange, SpliceSide, SpliceTouch};
pub use levels::{AmbienceChange, Figure, LevelsChange};
pub use picture::{MomentName, PictureChange};
pub use reading::ReadingChange;
pub use voice::VoiceChange;
pub(super) use voice::lay_take;

use super::{Cut, Effect, Readings, Refusal, Setup};
use jaunty_shape::plan::Role;
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};

/// One change of a cut, by what it is about.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "about", rename_all = "camelCase")]
pub enum Change {
    /// Title, length, rate and purpose.
    Cut(CutChange),
    /// Shots and moments.
    Picture(PictureChange),
    /// The film and its own sound.
    Film(FilmChange),
    /// The beds to choose from, and those on the cut.
    Bed(BedChange),
    /// The reading of the bed at hand.
    Reading(ReadingChange),
    /// The fit of the bed at hand.
    Fit(FitChange),
    /// The narration.
    Voice(VoiceChange),
    /// Levels and ambiences.
    Levels(LevelsChange),
    /// What Check found.
    Check(CheckChange),
}

impl Change {
    /// The sounds that must have been read for it, and as what.
    pub fn needs(&self, setup: &Setup) -> Vec<(String, Role)> {
        let mut needed = match self {
            Self::Bed(change) => change.needs(),
            Self::Voice(change) => change.needs(setup),
            Self::Fit(change) => change.needs(setup),
            Self::Cut(_) | Self::Picture(_) | Self::Film(_) | Self::Reading(_) | Self::Levels(_) | Self::Check(_) => Vec::new(),
        };
        // Whatever a client names: only what the cut has is looked for.
        needed.retain(|(hash, _)| setup.candidates.iter().any(|c| c.hash == *hash) || setup.takes.iter().any(|t| t.hash == *hash));
        needed
    }

    /// Makes the change; says what must be computed anew.
    ///
    /// # Errors
    /// [`Refusal`]; what was changed of `cut` then is to be thrown away.
    pub fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        match self {
            Self::Cut(change) => change.apply(cut),
            Self::Picture(change) => change.apply(cut),
            Self::Film(change) => change.apply(cut),
            Self::Bed(change) => change.apply(cut, readings),
            Self::Reading(change) => change.apply(cut),
            Self::Fit(change) => change.apply(cut, readings),
            Self::Voice(change) => change.apply(cut, readings),
            Self::Levels(change) => change.apply(cut),
            Self::Check(change) => change.apply(cut),
        }
    }

    /// What is done, for the history.
    pub fn message(&self, before: &Cut) -> Message {
        match self {
            Self::Cut(change) => change.message(before),
            Self::Picture(change) => change.message(before),
            Self::Film(change) => change.message(before),
            Self::Bed(change) => change.message(before),
            Self::Reading(change) => change.message(before),
            Self::Fit(change) => change.message(before),
            Self::Voice(change) => change.message(before),
            Self::Levels(change) => change.message(before),
            Self::Check(change) => change.message(),
        }
    }
}
