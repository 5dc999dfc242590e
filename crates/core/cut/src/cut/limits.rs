//! What figures may be: told to whoever shows fields for them, so that none of it is repeated there.

use super::tempo::MOST_TEMPO_PERCENT;
use crate::handover::LOUDNESS_LUFS;
use jaunty_fit::fit::{CROSSFADE_MS, LEAST_RUN_BARS, MOST_PLAYS, SPEED_CHANGE};
use jaunty_picture::picture::MOST_TAIL_S;
use jaunty_reading::reading::TEMPO_BPM;
use jaunty_shape::plan::succession::MOST_HANDOVER_S;
use jaunty_shape::plan::{FILM_GAIN_DB, LOWERED_DB};
use jaunty_shape::shape::{BED_ALONE_RANGE_LUFS, BY_HAND_DB, BY_HAND_S, EASE_S, LEAST_GAP_S, SLOPE_S, SWEEP_DB, UNDER_DB};
use jaunty_units::units::Bounds;
use serde::Serialize;

/// Bounds of the figures that somebody types or drags.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Limits {
    /// The bed under the speech, and alone.
    pub under_db: Bounds,
    /// Loudness of a bed of its own.
    pub bed_alone_lufs: Bounds,
    /// A rise or fall of the whole.
    pub ease_s: Bounds,
    /// The least gap that gets a swell.
    pub least_gap_s: Bounds,
    /// Slopes of opening and closing.
    pub slope_s: Bounds,
    /// A level by hand under the voice.
    pub by_hand_db: Bounds,
    /// A rise or fall by hand.
    pub by_hand_s: Bounds,
    /// A passage by hand, up or down.
    pub sweep_db: Bounds,
    /// By how much something sinks under speech.
    pub lower_db: Bounds,
    /// Gain of the film's own sound.
    pub film_gain_db: Bounds,
    /// How long the sound runs on behind the picture.
    pub tail_s: Bounds,
    /// By how much a bed is faster than it came.
    pub faster_percent: Bounds,
    /// Beats a minute.
    pub tempo_bpm: Bounds,
    /// Least bars between splices.
    pub least_run_bars: Bounds,
    /// Most change of speed.
    pub speed_percent: Bounds,
    /// How often a passage may be heard.
    pub most_plays: Bounds,
    /// A crossfade.
    pub crossfade_ms: Bounds,
    /// How long one bed gives over to the next.
    pub handover_s: Bounds,
    /// Loudness of what is handed over.
    pub loudness_lufs: Bounds,
}

/// The bounds that changes are held to.
pub const LIMITS: Limits = Limits {
    under_db: UNDER_DB,
    bed_alone_lufs: BED_ALONE_RANGE_LUFS,
    ease_s: EASE_S,
    least_gap_s: LEAST_GAP_S,
    slope_s: SLOPE_S,
    by_hand_db: BY_HAND_DB,
    by_hand_s: BY_HAND_S,
    sweep_db: SWEEP_DB,
    lower_db: LOWERED_DB,
    film_gain_db: FILM_GAIN_DB,
    tail_s: Bounds::new(0.0, MOST_TAIL_S),
    faster_percent: Bounds::new(-MOST_TEMPO_PERCENT, MOST_TEMPO_PERCENT),
    tempo_bpm: TEMPO_BPM,
    least_run_bars: LEAST_RUN_BARS,
    speed_percent: Bounds::new(100.0 * SPEED_CHANGE.from, 100.0 * SPEED_CHANGE.to),
    most_plays: MOST_PLAYS,
    crossfade_ms: CROSSFADE_MS,
    handover_s: Bounds::new(0.0, MOST_HANDOVER_S),
    loudness_lufs: LOUDNESS_LUFS,
};
