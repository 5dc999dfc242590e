//! Stills that are held longer or shorter, so that the bed fits as it is.

use crate::studio::StillsWay;
use jaunty_core::units::FrameRate;
use serde::Serialize;
use utoipa::ToSchema;

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
    pub fn of(way: &StillsWay, rate: FrameRate) -> Self {
        Self {
            length_frames: way.length_frames,
            length_s: way.length_frames as f64 / rate.as_f64(),
            factor: way.held.factor,
            mean_hold_s: way.held.mean_hold_frames / rate.as_f64(),
            advised: way.held.advised,
        }
    }
}
