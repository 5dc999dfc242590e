//! Shaping the level: objects that say what the level does and why, and the gain curve they make.
//!
//! A *dip* holds the bed under a group of phrases; an *emphasis* holds it further under one of
//! them; a *swell* raises it in a gap; a *sweep* raises or lowers just one passage; fades open and
//! close it. Objects are tied to phrases and gaps,
//! so they can be made anew when the narration moves, while what was set by hand stays
//! ([`propose_bed`]). The curve is computed from the objects whenever it is needed and never
//! stored as samples.
//!
//! Where several want something, the later in this order wins: base, dip, emphasis, swell; a sweep
//! adds to what they say, and fades lie over all of them.
//!
//! | part | does |
//! |---|---|
//! | `wishes` | what somebody wants of all of them: figures, ease, fades |
//! | `rules` | objects from narration and measurement |
//! | `forms` | how a cut opens and closes |
//! | `hand` | changing one by hand, and giving it back to the rule |
//! | `curve` | the gain over time |
//! | `pocket` | a cut in the bed's spectrum that follows the speech |

mod curve;
mod forms;
mod hand;
pub mod pocket;
mod rules;
mod wishes;

pub use curve::{CURVE_STEP_SAMPLES, Corners, GainCurve};
pub use forms::{Closing, ENTERS, Entry, Opening, entry};
pub use hand::{BY_HAND_DB, BY_HAND_S, LevelChange, LevelError, LevelKind, LevelName, SWEEP_DB, sweep};
pub use rules::{Frame, Measured, propose_bed, speech_lufs, trimmed};
pub use wishes::{BED_ALONE_RANGE_LUFS, EASE_S, LEAST_GAP_S, LOUDNESS_CHOICES, SLOPE_S, ShapeError, ShapeWishes, UNDER_DB};

use serde::{Deserialize, Serialize};

/// How far the bed lies under the speech by default, in dB: WCAG 2 success criterion 1.4.7.
pub const UNDER_SPEECH_DB: f64 = 20.0;
/// The least that a dip keeps in every moment, in dB: the lower end of the trade's 18 to 25.
pub const LEAST_UNDER_SPEECH_DB: f64 = 18.0;
/// How far a swell's top lies under the loudness of the speech, in dB: common practice.
pub const SWELL_UNDER_SPEECH_DB: f64 = 7.0;
/// Loudness of a bed that has no narration over it: EBU R 128 programme loudness.
pub const BED_ALONE_LUFS: f64 = -23.0;

/// A passage by hand begins and ends over this time unless something else is said: 0.25 s.
const SWEEP_EASE_SAMPLES: u64 = 12_000;

fn sweep_ease() -> u64 {
    SWEEP_EASE_SAMPLES
}

/// How much further an emphasis goes by default, in dB: clearly heard, and still music.
pub const EMPHASIS_DB: f64 = 4.0;

/// How a rise or a fall goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Slope {
    /// In one.
    #[default]
    One,
    /// Gently at first, then sharply.
    GentlyThenSharply,
    /// Sharply at first, then gently.
    SharplyThenGently,
}

/// The shape of a fade.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum FadeShape {
    /// Even in dB.
    LinearDb,
    /// Even in amplitude.
    Linear,
    /// Even in power when crossed with its mirror.
    #[default]
    EqualPower,
    /// Slow at both ends.
    S,
}

/// One thing that the level does. Positions are samples of the cut; gains are dB over the sound
/// as it came in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum LevelObject {
    /// The level where nothing else says anything.
    Base {
        /// Gain in dB.
        gain_db: f64,
    },
    /// The bed held under a group of phrases.
    Dip {
        /// First sample of the first phrase.
        start_samples: u64,
        /// The sample after the last phrase.
        end_samples: u64,
        /// Gain in dB.
        gain_db: f64,
        /// How far that lies under the speech, as loudness in dB.
        under_speech_db: f64,
        /// Whether a person set it.
        by_hand: bool,
    },
    /// The bed raised in a gap.
    Swell {
        /// Where the rise begins.
        start_samples: u64,
        /// Where the fall is complete.
        end_samples: u64,
        /// Length of the rise; 0 at the very start.
        rise_samples: u64,
        /// Length of the fall; 0 at the very end.
        fall_samples: u64,
        /// Gain of the top in dB.
        gain_db: f64,
        /// How far the top lies under the loudness of the speech, in dB.
        under_speech_db: f64,
        /// How it rises.
        #[serde(default)]
        rise_slope: Slope,
        /// How it falls.
        #[serde(default)]
        fall_slope: Slope,
        /// Whether a person set it.
        by_hand: bool,
    },
    /// The bed held further under one phrase.
    Emphasis {
        /// First sample of the phrase.
        start_samples: u64,
        /// The sample after its last.
        end_samples: u64,
        /// How much further, in dB.
        deeper_db: f64,
    },
    /// A passage raised or lowered by hand, over all that the rest says.
    Sweep {
        /// First sample.
        start_samples: u64,
        /// The sample after the last.
        end_samples: u64,
        /// Gain in dB.
        gain_db: f64,
        /// Length of its beginning, until it is all there; inside of the passage.
        #[serde(default = "sweep_ease")]
        rise_samples: u64,
        /// Length of its end, until nothing of it is left; inside of the passage.
        #[serde(default = "sweep_ease")]
        fall_samples: u64,
        /// How it begins.
        #[serde(default)]
        rise_slope: Slope,
        /// How it ends.
        #[serde(default)]
        fall_slope: Slope,
    },
    /// A phrase made louder or quieter, in a layer of speech.
    Trim {
        /// First sample.
        start_samples: u64,
        /// The sample after the last.
        end_samples: u64,
        /// Gain in dB.
        gain_db: f64,
    },
    /// The opening, from silence.
    FadeIn {
        /// Where it begins: silence before.
        start_samples: u64,
        /// Its length.
        length_samples: u64,
        /// Its shape.
        #[serde(default)]
        shape: FadeShape,
        /// Whether a person set it.
        #[serde(default)]
        by_hand: bool,
    },
    /// The close, into silence.
    FadeOut {
        /// Where it is complete.
        end_samples: u64,
        /// Its length.
        length_samples: u64,
        /// Its shape.
        #[serde(default)]
        shape: FadeShape,
        /// Whether a person set it.
        #[serde(default)]
        by_hand: bool,
    },
}
