//! What somebody wants of a fitting. Everything has a default that is right without a touch.
//!
//! Places in the bed are samples, not bar numbers, so that a wish still means the same after the
//! bars were counted anew; they are taken at the nearest bar line.

use jaunty_sound::splice::{SpliceAt, Touch};
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::units::Bounds;
use serde::{Deserialize, Serialize};

/// A passage of the bed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Passage {
    /// First sample.
    pub start_samples: u64,
    /// The sample after the last.
    pub end_samples: u64,
}

impl Passage {
    /// The end of a passage that goes on to the end, wherever that is.
    pub const OPEN_END: u64 = u64::MAX;
}

/// A moment of the bed that sounds at a moment of the cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Pin {
    /// Sample of the bed.
    pub bed_samples: u64,
    /// Sample of the cut.
    pub cut_samples: u64,
}

/// How the bed is to begin.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "camelCase")]
pub enum StartWish {
    /// As fits best; from the top where nothing speaks against it.
    #[default]
    Free,
    /// From the top, with its pickup.
    Top,
    /// At full level on a downbeat, the best one where none is named.
    #[serde(rename_all = "camelCase")]
    Cold {
        /// Sample of the bed.
        at_samples: Option<u64>,
    },
    /// Faded in, at the best downbeat where none is named.
    #[serde(rename_all = "camelCase")]
    FadeIn {
        /// Sample of the bed.
        at_samples: Option<u64>,
    },
}

/// How the bed is to end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "camelCase")]
pub enum EndWish {
    /// As fits best.
    #[default]
    Free,
    /// With the bed's own last hit.
    #[serde(rename_all = "camelCase")]
    OwnEnding {
        /// The sample of the cut on which it is to fall.
        hit_samples: Option<u64>,
    },
    /// On a downbeat, with a ring-out that we make.
    #[serde(rename_all = "camelCase")]
    Stop {
        /// About how long it rings.
        ring_out_samples: Option<u64>,
    },
    /// With a fade.
    Fade,
}

/// What is liked better where there is a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Likings {
    /// As few splices as possible.
    pub few_splices: bool,
    /// Sections in their own order.
    pub own_order: bool,
    /// Growing towards the end.
    pub builds: bool,
    /// Sparse passages under the speech, strong ones in its gaps.
    pub quiet_under_speech: bool,
    /// No singing under the speech.
    pub no_singing_under_speech: bool,
    /// Downbeats on picture cuts.
    pub downbeats_on_cuts: bool,
    /// Strong downbeats on marked moments.
    pub hits_on_moments: bool,
}

impl Default for Likings {
    fn default() -> Self {
        Self {
            few_splices: false,
            own_order: false,
            builds: false,
            quiet_under_speech: true,
            no_singing_under_speech: true,
            downbeats_on_cuts: true,
            hits_on_moments: true,
        }
    }
}

/// Everything that somebody may want of a fitting.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Wishes {
    /// Where on the cut the bed lies, in samples of the cut; all of it without one.
    pub place: Option<Passage>,
    /// How it begins.
    pub start: StartWish,
    /// How it ends.
    pub end: EndWish,
    /// Passages of the bed that must sound, whole.
    pub keep: Vec<Passage>,
    /// Passages of the bed that must not sound.
    pub leave_out: Vec<Passage>,
    /// Whether nothing that is sung may sound, wherever the reading hears it.
    pub leave_out_singing: bool,
    /// Moments of the bed fixed to moments of the cut.
    pub pins: Vec<Pin>,
    /// Splices that must be there.
    pub splices: Vec<SpliceAt>,
    /// Splices that must not be there.
    pub no_splices: Vec<SpliceAt>,
    /// What was changed of splices by hand.
    pub touches: Vec<Touch>,
    /// Bars that are played at least between two splices.
    pub least_run_bars: usize,
    /// How often a passage may be heard; as often as it takes without a number.
    pub most_plays: Option<u32>,
    /// The most that the speed may change, as a share.
    pub most_speed_change: f64,
    /// What is liked better.
    pub likings: Likings,
}

impl Default for Wishes {
    fn default() -> Self {
        Self {
            place: None,
            start: StartWish::Free,
            end: EndWish::Free,
            keep: Vec::new(),
            leave_out: Vec::new(),
            leave_out_singing: false,
            pins: Vec::new(),
            splices: Vec::new(),
            no_splices: Vec::new(),
            touches: Vec::new(),
            least_run_bars: 4,
            most_plays: None,
            most_speed_change: 0.01,
            likings: Likings::default(),
        }
    }
}

/// A wish that means nothing. The texts say what is allowed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum WishError {
    /// A passage without length.
    #[error("a passage ends after it begins")]
    EmptyPassage,
    /// Too many at once.
    #[error("at most {0} passages to keep and splices by hand together; take one back first")]
    TooMany(usize),
    /// Outside of what is sensible.
    #[error("the speed may change by 0 to 2 percent")]
    Speed,
    /// Outside of what is sensible.
    #[error("at least 1 and at most 32 bars are played between two splices")]
    LeastRun,
    /// Outside of what is sensible.
    #[error("a passage may be heard 1 to 100 times")]
    MostPlays,
    /// Outside of what is sensible.
    #[error("a crossfade lasts 1 to 2000 ms, and a splice moves by at most 2 s")]
    Touch,
}

/// How much the speed may change, as a share.
pub const SPEED_CHANGE: Bounds = Bounds::new(0.0, 0.02);

/// Least bars between two splices.
pub const LEAST_RUN_BARS: Bounds = Bounds::new(1.0, 32.0);

/// How often a passage may be heard.
pub const MOST_PLAYS: Bounds = Bounds::new(1.0, 100.0);

/// How long a crossfade is, in milliseconds.
pub const CROSSFADE_MS: Bounds = Bounds::new(1.0, 2000.0);

/// Passages to keep and splices by hand share the bits of a state, so there are so many at most.
pub const MOST_MUSTS: usize = 6;

impl Wishes {
    /// Whether each wish makes sense by itself.
    ///
    /// # Errors
    /// [`WishError`] for the first that does not.
    pub fn check(&self) -> Result<(), WishError> {
        const MS: u64 = SAMPLE_RATE_HZ as u64 / 1000;
        let mut passages = self.keep.iter().chain(&self.leave_out).chain(&self.place);
        if passages.any(|p| p.start_samples >= p.end_samples) {
            return Err(WishError::EmptyPassage);
        }
        if self.keep.len() + self.splices.len() > MOST_MUSTS {
            return Err(WishError::TooMany(MOST_MUSTS));
        }
        if !SPEED_CHANGE.hold(self.most_speed_change) {
            return Err(WishError::Speed);
        }
        if !LEAST_RUN_BARS.hold(self.least_run_bars as f64) {
            return Err(WishError::LeastRun);
        }
        if self.most_plays.is_some_and(|n| !MOST_PLAYS.hold(f64::from(n))) {
            return Err(WishError::MostPlays);
        }
        let sensible = |t: &Touch| {
            t.fade_samples.is_none_or(|f| CROSSFADE_MS.hold(f as f64 / MS as f64))
                && t.later_samples.unsigned_abs() <= 2000 * MS
                && t.moved_samples.is_none_or(|m| m.unsigned_abs() <= 2000 * MS)
        };
        if self.touches.iter().all(sensible) { Ok(()) } else { Err(WishError::Touch) }
    }
}
