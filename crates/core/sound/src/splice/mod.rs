//! One splice: where exactly both sides meet, and how they cross.
//!
//! The join lies a little before the downbeat, so that the new attack is never cut into. The
//! entering side is moved until the attacks of both sides meet, and the gains of the crossfade
//! follow from how alike both sides are: like sounds add up in amplitude, unlike ones in power.
//! What would stop dead there rings on ([`tail`]).

pub mod meeting;
mod ring_out;
mod room;
pub mod surprise;
pub mod tail;

pub use ring_out::{RELEASE_SAMPLES, RingOut};

use crate::sound::Source;
use serde::{Deserialize, Serialize};

/// The join lies this far before the downbeat: 12 ms.
pub const LEAD_SAMPLES: u64 = 576;
/// Length of the crossfade: 30 ms, ending at the join.
pub const FADE_SAMPLES: u64 = 1440;

/// Step of the attack envelopes: 1.5 ms.
const HOP: usize = 72;
/// Attacks are compared this far on either side, less the farther they are: 600 ms. One beat alone is often met at a wrong
/// place.
const REACH_HOPS: usize = 400;
/// The entering side moves at most this far: 20 ms.
const MOST_SHIFT_HOPS: i64 = 13;
/// Beside the bar line it moves at most this much more: 6 ms.
const DRIFT_HOPS: i64 = 4;
/// Bars are known to some milliseconds: so much more alike must be what is moved as far as it may be, less what is moved less.
const FAR: f32 = 0.1;
/// Attack envelopes less alike than this do not move anything.
const LEAST_LIKENESS: f32 = 0.5;
/// The same of music that is not the same.
const LEAST_LIKENESS_OF_OTHERS: f32 = 0.8;
/// After the attacks, waveforms may move the entry by this much more: 3 ms.
const WAVE_REACH: i64 = 144;

/// A splice named by the downbeats that it leaves and enters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct SpliceAt {
    /// The downbeat that is left.
    pub leave_samples: u64,
    /// The downbeat that is entered.
    pub enter_samples: u64,
}

/// How the two sides of a splice cross.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Law {
    /// From how alike both sides are, so that the level holds.
    #[default]
    Measured,
    /// For unlike sides.
    EqualPower,
    /// For like sides.
    EqualGain,
}

/// What somebody changed of a splice by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Touch {
    /// Which splice.
    #[serde(flatten)]
    pub splice: SpliceAt,
    /// How far the entering side was moved later in its source, instead of what the alignment found.
    #[serde(default)]
    pub moved_samples: Option<i64>,
    /// How much later than the bar line both sides meet.
    #[serde(default)]
    pub later_samples: i64,
    /// Length of the crossfade.
    #[serde(default)]
    pub fade_samples: Option<u64>,
    /// How it crosses.
    #[serde(default)]
    pub law: Law,
    /// Whether what is left rings on ([`tail`]), instead of what was found.
    #[serde(default)]
    pub rings: Option<bool>,
}

/// The exact shape of a join.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Join {
    /// How far the entering side was moved later in its source, in samples.
    pub moved_samples: i64,
    /// Correlation of both sides inside the crossfade, -1 to 1.
    pub correlation: f32,
    /// Length of the crossfade in samples.
    pub fade_samples: u64,
    /// How much later than [`LEAD_SAMPLES`] before the bar line both sides meet.
    #[serde(default)]
    pub later_samples: i64,
    /// How they cross.
    #[serde(default)]
    pub law: Law,
    /// Whether what is left rings on under what enters ([`tail`]).
    #[serde(default)]
    pub rings: bool,
}

impl Join {
    /// Gains of the leaving and the entering side at `x` (0 to 1) of the crossfade.
    pub fn gains(&self, x: f32) -> (f32, f32) {
        let correlation = match self.law {
            Law::Measured => self.correlation,
            Law::EqualPower => 0.0,
            Law::EqualGain => 1.0,
        };
        crossfade_gains(x, correlation)
    }
}

/// Finds the join between two downbeats, at which both sides meet `later_samples` after them, with what
/// somebody changed of it by hand. Where other music goes on than would have come (`is_sequel`) there is no wave to meet,
/// and only attacks that are much alike are met.
pub fn align(bed: &dyn Source, lines: SpliceAt, later_samples: i64, is_sequel: bool, touch: Option<&Touch>) -> Join {
    let later_samples = touch.map_or(later_samples, |t| t.later_samples);
    let [leave, enter] = [lines.leave_samples, lines.enter_samples].map(|line| (line as i64).saturating_add(later_samples));
    let moved_samples = touch.and_then(|t| t.moved_samples).unwrap_or_else(|| {
        let least = if is_sequel { LEAST_LIKENESS_OF_OTHERS } else { LEAST_LIKENESS };
        // The attacks of a downbeat are the surest; those beside it may move the entry by a little more, for a tempo that drifts.
        let on_line = shift_by_attacks(bed, (lines.leave_samples as i64, lines.enter_samples as i64), least, MOST_SHIFT_HOPS);
        let by_attacks = if later_samples == 0 { on_line } else { on_line + shift_by_attacks(bed, (leave, enter + on_line), least, DRIFT_HOPS) };
        if is_sequel { by_attacks } else { shift_by_waves(bed, leave, enter, by_attacks) }
    });
    let fade_samples = touch.and_then(|t| t.fade_samples).unwrap_or(FADE_SAMPLES);
    let lead = LEAD_SAMPLES as i64;
    let (left, entered) = (leave - lead, enter - lead + moved_samples);
    let correlation = fade_correlation(bed, left, entered, fade_samples);
    let rings = touch.and_then(|t| t.rings).unwrap_or_else(|| tail::Around::of(bed, left, entered).rings());
    Join { moved_samples, correlation, fade_samples, later_samples, law: touch.map_or(Law::Measured, |t| t.law), rings }
}

fn attack_envelope(bed: &dyn Source, centre: i64, reach_hops: usize) -> Vec<f32> {
    let hops = 2 * reach_hops + 7;
    let mut samples = vec![0.0; hops * HOP];
    bed.read_mono(centre - ((reach_hops + 6) * HOP) as i64, &mut samples);
    let level: Vec<f32> = samples.chunks(HOP).map(|c| c.iter().map(|x| x * x).sum::<f32>().sqrt()).collect();
    (6..level.len())
        .map(|k| {
            let before = level[k - 6..k].iter().copied().fold(0.0, f32::max);
            (level[k] - before).max(0.0)
        })
        .collect()
}

fn shift_by_attacks(bed: &dyn Source, (leave, enter): (i64, i64), least: f32, most_hops: i64) -> i64 {
    let there = attack_envelope(bed, leave, REACH_HOPS);
    let here = attack_envelope(bed, enter, REACH_HOPS + most_hops as usize);
    let nearness = |k: usize| 1.0 - (k as f32 - REACH_HOPS as f32).abs() / (REACH_HOPS + 1) as f32;
    let weighed = |envelope: &[f32]| envelope.iter().enumerate().map(|(k, attack)| attack * nearness(k)).collect::<Vec<_>>();
    let left = weighed(&there);
    let mut best = (least, 0);
    for shift in -most_hops..=most_hops {
        let from = (shift + most_hops) as usize;
        let alike = correlation(&left, &weighed(&here[from..from + there.len()])) - FAR * (shift as f32 / MOST_SHIFT_HOPS as f32).powi(2);
        if alike > best.0 {
            best = (alike, shift);
        }
    }
    // What grows up to the edge of the search has its best place elsewhere, and means something else.
    if best.1.abs() == most_hops { 0 } else { best.1 * HOP as i64 }
}

fn shift_by_waves(bed: &dyn Source, leave: i64, enter: i64, around: i64) -> i64 {
    const HALF: i64 = 1200;
    let mut there = vec![0.0; 2 * HALF as usize];
    bed.read_mono(leave - HALF, &mut there);
    let mut here = vec![0.0; (2 * HALF + 2 * WAVE_REACH) as usize];
    bed.read_mono(enter + around - HALF - WAVE_REACH, &mut here);
    let mut best = (0.6, 0);
    for shift in -WAVE_REACH..=WAVE_REACH {
        let from = (shift + WAVE_REACH) as usize;
        let value = correlation(&there, &here[from..from + there.len()]);
        if value > best.0 {
            best = (value, shift);
        }
    }
    around + best.1
}

fn fade_correlation(bed: &dyn Source, leave: i64, enter: i64, fade_samples: u64) -> f32 {
    let mut there = vec![0.0; fade_samples as usize];
    let mut here = there.clone();
    bed.read_mono(leave - fade_samples as i64, &mut there);
    bed.read_mono(enter - fade_samples as i64, &mut here);
    correlation(&there, &here)
}

/// Normalised correlation of two equally long signals, 0 when either is silent.
fn correlation(a: &[f32], b: &[f32]) -> f32 {
    let (mut ab, mut aa, mut bb) = (0.0f32, 0.0f32, 0.0f32);
    for (x, y) in a.iter().zip(b) {
        ab += x * y;
        aa += x * x;
        bb += y * y;
    }
    if aa <= 1e-12 || bb <= 1e-12 { 0.0 } else { ab / (aa * bb).sqrt() }
}

/// Gains of the leaving and the entering side at `x` (0 to 1) of the crossfade.
///
/// With `u = 1 - x` and `v = x` the level of the sum of two equally loud signals with correlation
/// `rho` is `k sqrt(u^2 + v^2 + 2 rho u v)`; `k` makes it 1. At `rho = 0` this is an equal-power
/// law, at `rho = 1` the linear equal-gain one. Negative correlation is treated as none.
pub fn crossfade_gains(x: f32, correlation: f32) -> (f32, f32) {
    let (u, v) = (1.0 - x, x);
    let k = 1.0 / (u * u + v * v + 2.0 * correlation.max(0.0) * u * v).sqrt();
    (k * u, k * v)
}
