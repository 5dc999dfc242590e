//! Lengths at which the bed ends by itself, and stills that are held longer or shorter for them.

use crate::studio::{NaturalWays, StillsWay};
use jaunty_core::units::FrameRate;
use serde::Serialize;
use utoipa::ToSchema;

/// A length at which the bed ends by itself.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NaturalLengthView {
    /// In frames.
    pub length_frames: u64,
    /// In seconds.
    pub length_s: f64,
    /// Whether the whole bed is heard then.
    pub whole: bool,
}

/// Lengths at which the bed ends by itself.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NaturalWaysView {
    /// Nearest first.
    pub lengths: Vec<NaturalLengthView>,
    /// How the stills could take them up.
    pub stills: Vec<StillsView>,
    /// Why they cannot.
    pub why_not: Option<String>,
}

impl From<&NaturalWays> for NaturalWaysView {
    fn from(ways: &NaturalWays) -> Self {
        let length = |&(length_frames, whole): &(u64, bool)| NaturalLengthView { length_frames, length_s: length_frames as f64 / ways.rate.as_f64(), whole };
        Self {
            lengths: ways.lengths.iter().map(length).collect(),
            stills: ways.stills.iter().map(|way| StillsView::of(way, ways.rate)).collect(),
            why_not: ways.why_not.map(str::to_owned),
        }
    }
}

/// A way to hold the stills.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StillsView {
    /// Length of the cut then, in frames.
    pub length_frames: u64,
    /// The same in seconds.
    pub length_s: f64,
    /// By how much each still is held longer; below 1 shorter.
    pub factor: f64,
    /// How long a still stands then, on average.
    pub mean_hold_s: f64,
    /// Whether that is sensible.
    pub advised: bool,
}

impl StillsView {
    /// A way, for pictures that run at `rate`.
    fn of(way: &StillsWay, rate: FrameRate) -> Self {
        Self {
            length_frames: way.length_frames,
            length_s: way.length_frames as f64 / rate.as_f64(),
            factor: way.held.factor,
            mean_hold_s: way.held.mean_hold_frames / rate.as_f64(),
            advised: way.held.advised,
        }
    }
}
