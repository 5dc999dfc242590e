//! One thing that a person says about a reading: what can be said, whether it makes sense, in words.

use jaunty_units::digest::digest;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::{Bounds, seconds_from_samples};
use serde::{Deserialize, Serialize};

/// Beats a minute that somebody may say.
pub const TEMPO_BPM: Bounds = Bounds::new(20.0, 400.0);

/// One thing that a person says about a reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Correction {
    /// There are twice as many beats.
    DoubleTempo,
    /// Only every second beat is one.
    HalfTempo,
    /// What was taken for beats lies between them: each moves half-way to the next.
    OffBeats,
    /// The pulse is near this tempo.
    Tempo {
        /// Beats a minute.
        bpm: f64,
    },
    /// So many beats make a bar.
    Metre {
        /// 1 to 12.
        beats: u32,
    },
    /// Bars begin so many beats later (earlier for negative).
    ShiftBars {
        /// Beats.
        beats: i32,
    },
    /// All beats lie so much later (earlier for negative).
    Nudge {
        /// Samples.
        samples: i64,
    },
    /// Somebody tapped the beat here.
    #[serde(rename_all = "camelCase")]
    Taps {
        /// When, rising.
        at_samples: Vec<u64>,
    },
    /// A grid that came from elsewhere.
    #[serde(rename_all = "camelCase")]
    Given {
        /// Every beat, rising.
        beats_samples: Vec<u64>,
        /// Which of them begin a bar.
        downbeats: Vec<usize>,
        /// Where sections begin, rising, with what they are called; empty where the file tells none.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        sections: Vec<(u64, String)>,
    },
    /// A section begins elsewhere.
    #[serde(rename_all = "camelCase")]
    MoveBoundary {
        /// Where it began.
        from_samples: u64,
        /// Where it begins.
        to_samples: u64,
    },
    /// Another section begins here.
    #[serde(rename_all = "camelCase")]
    Split {
        /// Where.
        at_samples: u64,
    },
    /// No section begins here.
    #[serde(rename_all = "camelCase")]
    Join {
        /// Where.
        at_samples: u64,
    },
    /// The section here has a name; an empty one takes it away.
    #[serde(rename_all = "camelCase")]
    Name {
        /// A place in it.
        at_samples: u64,
        /// Its name.
        name: String,
    },
    /// The section here is like others of this letter.
    #[serde(rename_all = "camelCase")]
    Letter {
        /// A place in it.
        at_samples: u64,
        /// The letter.
        label: String,
    },
    /// Somebody sings here, or nobody does.
    #[serde(rename_all = "camelCase")]
    Singing {
        /// First sample.
        start_samples: u64,
        /// The sample after the last.
        end_samples: u64,
        /// Whether.
        sings: bool,
    },
    /// The bed ends with its last hit here.
    #[serde(rename_all = "camelCase")]
    LastHit {
        /// Where.
        at_samples: u64,
    },
    /// The bed has no ending of its own: from here on it fades.
    #[serde(rename_all = "camelCase")]
    FadesFrom {
        /// Where.
        at_samples: u64,
    },
}

/// Why a correction makes no sense.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CorrectionError {
    /// A tempo or metre that no music has.
    #[error("A tempo lies between 20 and 400 beats a minute, a bar has 1 to 12 beats.")]
    Count,
    /// Too few taps.
    #[error("Tap at least four beats, evenly: from fewer no tempo can be told.")]
    Taps,
    /// A grid in disorder.
    #[error("The beats of a grid must rise and its bars must begin on beats; this one has {0}.")]
    Grid(&'static str),
    /// Text that does not fit.
    #[error("A letter has 1 to 3 characters, a name at most 60.")]
    Text,
    /// A span without length.
    #[error("A passage must end after it begins.")]
    Span,
}

impl Correction {
    /// Whether this can be said at all.
    ///
    /// # Errors
    /// [`CorrectionError`] that says what is allowed.
    pub fn check(&self) -> Result<(), CorrectionError> {
        let rising = |at: &[u64]| at.windows(2).all(|w| w[0] < w[1]);
        match self {
            Self::Tempo { bpm } if !TEMPO_BPM.hold(*bpm) => Err(CorrectionError::Count),
            Self::Metre { beats } if !(1..=12).contains(beats) => Err(CorrectionError::Count),
            Self::Taps { at_samples } if at_samples.len() < 4 || !rising(at_samples) => Err(CorrectionError::Taps),
            Self::Given { beats_samples, .. } if beats_samples.len() < 2 || !rising(beats_samples) => {
                Err(CorrectionError::Grid("fewer than two beats, or beats that fall"))
            }
            Self::Given { beats_samples, downbeats, .. } if downbeats.is_empty() || downbeats.iter().any(|d| *d >= beats_samples.len()) => {
                Err(CorrectionError::Grid("no bars, or bars beyond its beats"))
            }
            Self::Given { downbeats, .. } if !downbeats.windows(2).all(|w| w[0] < w[1]) => Err(CorrectionError::Grid("bars that fall")),
            Self::Letter { label, .. } if label.trim().is_empty() || label.chars().count() > 3 => Err(CorrectionError::Text),
            Self::Name { name, .. } if name.chars().count() > 60 => Err(CorrectionError::Text),
            Self::Singing { start_samples, end_samples, .. } if start_samples >= end_samples => Err(CorrectionError::Span),
            _ => Ok(()),
        }
    }

    /// A short name by which it is taken back: two that say the same have one.
    pub fn name(&self) -> String {
        let mut name = digest(self);
        name.truncate(16);
        name
    }

    /// Whether it says something about beats and bars, from which all else follows.
    pub fn is_about_grid(&self) -> bool {
        use Correction::*;
        matches!(self, DoubleTempo | HalfTempo | OffBeats | Tempo { .. } | Metre { .. } | ShiftBars { .. } | Nudge { .. } | Taps { .. } | Given { .. })
    }

    /// What was said.
    pub fn message(&self) -> Message {
        let at = |samples: &u64| Fact::Clock(*samples);
        match self {
            Self::DoubleTempo => message!("correction.double"),
            Self::HalfTempo => message!("correction.half"),
            Self::OffBeats => message!("correction.offBeats"),
            Self::Tempo { bpm } => message!("correction.tempo", bpm = Fact::figure(*bpm, 0)),
            Self::Metre { beats } => message!("correction.metre", beats = *beats),
            Self::ShiftBars { beats } if *beats < 0 => message!("correction.barsEarlier", n = beats.unsigned_abs()),
            Self::ShiftBars { beats } => message!("correction.barsLater", n = beats.unsigned_abs()),
            Self::Nudge { samples } if *samples < 0 => message!("correction.beatsEarlier", ms = milliseconds(*samples)),
            Self::Nudge { samples } => message!("correction.beatsLater", ms = milliseconds(*samples)),
            Self::Taps { at_samples } => message!("correction.taps", times = at_samples.len()),
            Self::Given { beats_samples, sections, .. } if sections.is_empty() => message!("correction.grid", beats = beats_samples.len()),
            Self::Given { beats_samples, sections, .. } => message!("correction.gridAndSections", beats = beats_samples.len(), sections = sections.len()),
            Self::MoveBoundary { from_samples, to_samples } => message!("correction.moveBoundary", from = at(from_samples), to = at(to_samples)),
            Self::Split { at_samples } => message!("correction.split", at = at(at_samples)),
            Self::Join { at_samples } => message!("correction.join", at = at(at_samples)),
            Self::Name { at_samples, name } if name.is_empty() => message!("correction.noName", at = at(at_samples)),
            Self::Name { at_samples, name } => message!("correction.name", name = name, at = at(at_samples)),
            Self::Letter { at_samples, label } => message!("correction.letter", letter = label, at = at(at_samples)),
            Self::Singing { start_samples, end_samples, sings: true } => message!("correction.singing", from = at(start_samples), to = at(end_samples)),
            Self::Singing { start_samples, end_samples, .. } => message!("correction.noSinging", from = at(start_samples), to = at(end_samples)),
            Self::LastHit { at_samples } => message!("correction.lastHit", at = at(at_samples)),
            Self::FadesFrom { at_samples } => message!("correction.fadesFrom", at = at(at_samples)),
        }
    }
}

fn milliseconds(samples: i64) -> Fact {
    Fact::figure(seconds_from_samples(samples.unsigned_abs()) * 1000.0, 0)
}
