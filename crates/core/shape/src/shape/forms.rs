//! How a cut opens and closes: forms of spoken shows and films, as common practice has them.

use super::Slope;
use jaunty_units::units::samples_from_seconds;
use serde::{Deserialize, Serialize};

/// The bed alone, then a fall under the voice.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Opening {
    /// Length of the fall, in seconds.
    pub fall_s: f64,
    /// How it falls.
    pub slope: Slope,
    /// At which share of the fall the voice enters: 0 at its beginning, 1 when it is complete.
    pub enters: f64,
}

/// Where the voice may enter, as shares of the fall, in words.
pub const ENTERS: [(&str, f64); 3] = [("as the fall begins", 0.0), ("half-way down", 0.5), ("once it is down", 1.0)];

impl Default for Opening {
    /// Over the last four of ten seconds, quickly until about three quarters, the voice half-way
    /// (common practice, no source).
    fn default() -> Self {
        Self { fall_s: 4.0, slope: Slope::SharplyThenGently, enters: 0.5 }
    }
}

impl Opening {
    /// Where the fall is complete, and how long it is, when the voice enters at sample `voice`.
    pub fn fall(&self, voice: u64) -> (u64, u64) {
        let fall = samples_from_seconds(self.fall_s);
        let end = voice + (fall as f64 * (1.0 - self.enters.clamp(0.0, 1.0))).round() as u64;
        // A voice that enters early leaves less time to fall.
        (end, fall.min(end))
    }
}

/// The bed rises under and behind the last words.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Closing {
    /// Length of the rise, in seconds.
    pub rise_s: f64,
    /// How it rises.
    pub slope: Slope,
    /// How long before the end of the last words it begins to rise; after them with 0.
    #[serde(default)]
    pub under_words_s: f64,
}

impl Default for Closing {
    /// Slowly, then quickly, over four seconds, of which the last word hears the slow beginning (common practice, no source).
    fn default() -> Self {
        Self { rise_s: 4.0, slope: Slope::GentlyThenSharply, under_words_s: 1.0 }
    }
}

/// What the first words wait for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Entry {
    /// Nothing: they come where they are asked for.
    There,
    /// The next downbeat.
    Downbeat,
    /// The next section of the bed: the downbeat after its fill.
    Section,
}

/// Where the voice enters when the bed is to be alone for `alone` samples: `downbeats` and
/// `sections` are those of the bed as fitted, rising. `None` when there is none to wait for.
pub fn entry(alone: u64, entry: Entry, downbeats: &[u64], sections: &[u64]) -> Option<u64> {
    /// A downbeat this little before is still met: 50 ms.
    const REACH: u64 = 2400;
    let next = |all: &[u64]| all.iter().copied().find(|at| *at + REACH >= alone);
    match entry {
        Entry::There => Some(alone),
        Entry::Downbeat => next(downbeats),
        Entry::Section => next(sections),
    }
}
