//! The gain over time that level objects make.

use super::{FadeShape, LevelObject, Slope};
use jaunty_units::units::gain_from_db;
use std::ops::Range;

/// A swell of a curve, or a sweep, of which the top is what it adds.
#[derive(Debug, Clone, PartialEq)]
struct Swell {
    start: u64,
    end: u64,
    rise: u64,
    fall: u64,
    top_db: f64,
    slopes: (Slope, Slope),
}

impl Swell {
    /// How much of it is there at a sample in it, 0 to 1.
    fn share(&self, at: u64) -> f64 {
        let up = if self.rise == 0 { 1.0 } else { sloped((at - self.start) as f64 / self.rise as f64, self.slopes.0) };
        // A fall is a rise seen from its end: what is sharp at first is sharp at last there.
        let mirrored = match self.slopes.1 {
            Slope::One => Slope::One,
            Slope::GentlyThenSharply => Slope::SharplyThenGently,
            Slope::SharplyThenGently => Slope::GentlyThenSharply,
        };
        let down = if self.fall == 0 { 1.0 } else { sloped(self.end.saturating_sub(at) as f64 / self.fall as f64, mirrored) };
        up.min(down)
    }
}

/// Gain over time, made from level objects.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct GainCurve {
    base_db: f64,
    dips: Vec<(u64, u64, f64)>,
    emphases: Vec<(u64, u64, f64)>,
    trims: Vec<(u64, u64, f64)>,
    sweeps: Vec<Swell>,
    swells: Vec<Swell>,
    fade_in: Option<(u64, u64, FadeShape)>,
    fade_out: Option<(u64, u64, FadeShape)>,
}

/// A line through corners: samples of the cut, and what is there.
pub type Corners = Vec<(u64, f32)>;

/// Distance of the points at which a curve is computed; between them it is linear: 1.33 ms.
pub const CURVE_STEP_SAMPLES: u64 = 64;
/// An emphasis goes down and comes back over this time: 0.3 s.
const EMPHASIS_EASE: u64 = 14_400;
/// A trim of a phrase eases over this time, outside of it: 0.1 s.
const TRIM_EASE: u64 = 4800;

impl GainCurve {
    /// The curve of `objects`. Without a base the level outside of all objects is 0 dB.
    pub fn of(objects: &[LevelObject]) -> Self {
        let mut curve = Self::default();
        for object in objects {
            match *object {
                LevelObject::Base { gain_db } => curve.base_db = gain_db,
                LevelObject::Dip { start_samples, end_samples, gain_db, .. } => curve.dips.push((start_samples, end_samples, gain_db)),
                LevelObject::Emphasis { start_samples, end_samples, deeper_db } => curve.emphases.push((start_samples, end_samples, deeper_db)),
                LevelObject::Sweep { start_samples, end_samples, gain_db, rise_samples, fall_samples, rise_slope, fall_slope } => {
                    // A passage shorter than both its eases is only as high as they reach.
                    let half = ((end_samples - start_samples) / 2).max(1);
                    curve.sweeps.push(Swell {
                        start: start_samples,
                        end: end_samples,
                        rise: rise_samples.min(half),
                        fall: fall_samples.min(half),
                        top_db: gain_db,
                        slopes: (rise_slope, fall_slope),
                    });
                }
                LevelObject::Trim { start_samples, end_samples, gain_db } => curve.trims.push((start_samples, end_samples, gain_db)),
                LevelObject::Swell { start_samples, end_samples, rise_samples, fall_samples, gain_db, rise_slope, fall_slope, .. } => {
                    curve.swells.push(Swell {
                        start: start_samples,
                        end: end_samples,
                        rise: rise_samples,
                        fall: fall_samples,
                        top_db: gain_db,
                        slopes: (rise_slope, fall_slope),
                    });
                }
                LevelObject::FadeIn { start_samples, length_samples, shape, .. } => curve.fade_in = Some((start_samples, length_samples, shape)),
                LevelObject::FadeOut { end_samples, length_samples, shape, .. } => curve.fade_out = Some((end_samples, length_samples, shape)),
            }
        }
        curve.dips.sort_by_key(|d| d.0);
        curve.swells.sort_by_key(|s| s.start);
        curve
    }

    /// Level in dB at a sample of the cut, without the fades.
    pub fn level_db(&self, at: u64) -> f64 {
        let under = self.under_db(at) - around(&self.emphases, at, EMPHASIS_EASE) + around(&self.trims, at, TRIM_EASE);
        // A closing swell stays up for good: the last point of a curve must not let the level fall back.
        let swell = self.swells.iter().find(|s| s.start <= at && (at < s.end || s.fall == 0));
        let level = swell.map_or(under, |s| under + (s.top_db - under) * s.share(at));
        let swept = self.sweeps.iter().filter(|s| (s.start..s.end).contains(&at)).map(|s| s.top_db * s.share(at));
        level + swept.sum::<f64>()
    }

    /// The level of the dips, eased from one to the next across the gap between them.
    fn under_db(&self, at: u64) -> f64 {
        let next = self.dips.partition_point(|d| d.0 <= at);
        match (next.checked_sub(1).map(|k| self.dips[k]), self.dips.get(next)) {
            (None, None) => self.base_db,
            (None, Some(first)) => first.2,
            (Some(last), None) => last.2,
            (Some(a), Some(b)) => {
                let x = at.saturating_sub(a.1) as f64 / b.0.saturating_sub(a.1).max(1) as f64;
                a.2 + (b.2 - a.2) * eased(x)
            }
        }
    }

    /// Amplitude gain at a sample of the cut.
    pub fn gain(&self, at: u64) -> f64 {
        let opened = self.fade_in.map_or(1.0, |(start, length, shape)| match at.checked_sub(start) {
            None => 0.0,
            Some(since) if since < length => faded(since as f64 / length as f64, shape),
            Some(_) => 1.0,
        });
        let closed = self.fade_out.map_or(1.0, |(end, length, shape)| match end.checked_sub(at) {
            None | Some(0) => 0.0,
            Some(left) if left < length => faded(left as f64 / length as f64, shape),
            Some(_) => 1.0,
        });
        gain_from_db(self.level_db(at)) * opened * closed
    }

    /// Whether a passage by hand begins or ends between the points around a cell.
    fn has_edge_within(&self, cell: u64) -> bool {
        let inside = |at: u64| at / CURVE_STEP_SAMPLES == cell && !at.is_multiple_of(CURVE_STEP_SAMPLES);
        self.sweeps.iter().any(|s| inside(s.start) || inside(s.end))
    }

    /// What this curve's gain has more than that of `before` over `range`, as corners, each a sample of the cut and the
    /// difference there: between two of them it is linear, as [`Self::apply`] has both. The first lies at or before the start of
    /// the range, the last at or behind its end.
    pub fn change_from(&self, before: &Self, range: Range<u64>) -> Corners {
        let cells = range.start / CURVE_STEP_SAMPLES..range.end.div_ceil(CURVE_STEP_SAMPLES);
        let places = cells.clone().flat_map(|cell| {
            let step = if self.has_edge_within(cell) || before.has_edge_within(cell) { 1 } else { CURVE_STEP_SAMPLES };
            (cell * CURVE_STEP_SAMPLES..(cell + 1) * CURVE_STEP_SAMPLES).step_by(step as usize)
        });
        let mut corners = Corners::new();
        for at in places.chain([cells.end * CURVE_STEP_SAMPLES]) {
            let more = (self.gain(at) - before.gain(at)) as f32;
            // Of a level stretch only its ends are corners.
            if let [.., (_, first), (last, same)] = corners.as_mut_slice()
                && *first == more
                && *same == more
            {
                *last = at;
                continue;
            }
            corners.push((at, more));
        }
        corners
    }

    /// Multiplies samples that begin at `start` of the cut with the curve.
    pub fn apply(&self, start: u64, channels: &mut [Vec<f32>]) {
        let len = channels.first().map_or(0, Vec::len) as u64;
        let mut at = start;
        // The grid is anchored to the cut, so every range hears the same curve.
        let mut cell = u64::MAX;
        let (mut left, mut right) = (0.0, 0.0);
        while at < start + len {
            if at / CURVE_STEP_SAMPLES != cell {
                let next = at / CURVE_STEP_SAMPLES;
                left = if cell != u64::MAX && next == cell + 1 { right } else { self.gain(next * CURVE_STEP_SAMPLES) };
                cell = next;
                right = self.gain((cell + 1) * CURVE_STEP_SAMPLES);
            }
            let stop = ((cell + 1) * CURVE_STEP_SAMPLES).min(start + len);
            let first = (at - start) as usize..(stop - start) as usize;
            // Where a passage by hand begins or ends between two points, nothing outside of it may change.
            if self.has_edge_within(cell) {
                for (k, index) in first.enumerate() {
                    let gain = self.gain(at + k as u64) as f32;
                    channels.iter_mut().for_each(|channel| channel[index] *= gain);
                }
                at = stop;
                continue;
            }
            let slope = (right - left) / CURVE_STEP_SAMPLES as f64;
            let offset = (at - cell * CURVE_STEP_SAMPLES) as f64;
            for channel in channels.iter_mut() {
                for (k, sample) in channel[first.clone()].iter_mut().enumerate() {
                    *sample *= (left + slope * (offset + k as f64)) as f32;
                }
            }
            at = stop;
        }
    }
}

/// The value of the spans that hold `at`, eased outside of them over `ease` samples.
fn around(spans: &[(u64, u64, f64)], at: u64, ease: u64) -> f64 {
    let of = |&(start, end, value): &(u64, u64, f64)| {
        let away = start.saturating_sub(at).max(at.saturating_sub(end));
        value * eased(1.0 - away as f64 / ease as f64)
    };
    spans.iter().map(of).sum()
}

/// A rise from 0 to 1.
fn sloped(x: f64, slope: Slope) -> f64 {
    /// A staged rise has gone a quarter of its way after three fifths of its time (common
    /// practice: quickly until about three quarters, then the rest slowly, and its mirror).
    const TIME: f64 = 0.6;
    const WAY: f64 = 0.25;
    let x = x.clamp(0.0, 1.0);
    let gently_then_sharply = |x: f64| if x < TIME { WAY * x / TIME } else { WAY + (1.0 - WAY) * (x - TIME) / (1.0 - TIME) };
    match slope {
        Slope::One => eased(x),
        Slope::GentlyThenSharply => gently_then_sharply(x),
        Slope::SharplyThenGently => 1.0 - gently_then_sharply(1.0 - x),
    }
}

/// Amplitude of a fade in at `x` (0 to 1) of its length.
fn faded(x: f64, shape: FadeShape) -> f64 {
    /// Where a fade that is even in dB begins: what is softer is silence.
    const FLOOR_DB: f64 = -60.0;
    match shape {
        FadeShape::LinearDb => gain_from_db(FLOOR_DB * (1.0 - x)) * (x * 50.0).min(1.0),
        FadeShape::Linear => x,
        FadeShape::EqualPower => (std::f64::consts::FRAC_PI_2 * x).sin(),
        FadeShape::S => eased(x),
    }
}

/// Smooth step from 0 to 1: no corner at either end is heard as a jump.
fn eased(x: f64) -> f64 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}
