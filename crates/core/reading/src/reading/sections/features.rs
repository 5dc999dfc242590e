//! What tells a bar line at which a section begins.
//!
//! Sections begin where the sound changes and stays changed (the novelty of Foote, ICME 2000, on
//! three likenesses and at several reaches), where a cymbal rings and a fill came before, and where
//! a stretch that is heard again elsewhere begins or ends.

use super::super::activations::{INPUTS, frame_of};
use super::super::spectra::{MEL_BANDS, percentile};

/// Numbers about a bar line.
pub const FEATURES: usize = 22;

/// Parts of a bar that are told apart.
const PARTS: usize = 4;
const RISES: std::ops::Range<usize> = MEL_BANDS..2 * MEL_BANDS;
const CLASSES: std::ops::Range<usize> = 2 * MEL_BANDS..INPUTS;
/// Distances at which likeness has fallen to 1/e: mel bands, rises, pitch classes.
const REACHES: [f32; 3] = [0.25, 0.12, 0.15];
/// Least distance of a repeat, in bars.
const NEAREST_REPEAT: usize = 4;

type Bar = [[f32; INPUTS]; PARTS];

/// Means of the network's inputs over the quarters of each bar.
fn bars_of(inputs: &[f32], bar_lines_s: &[f64]) -> Vec<Bar> {
    let frames = inputs.len() / INPUTS;
    bar_lines_s
        .windows(2)
        .map(|bar| {
            std::array::from_fn(|part| {
                let at = |k: usize| frame_of(bar[0] + (bar[1] - bar[0]) * k as f64 / PARTS as f64).round().clamp(0.0, frames as f64 - 1.0) as usize;
                let (from, to) = (at(part), at(part + 1).max(at(part) + 1));
                let mut mean = [0.0; INPUTS];
                for frame in inputs[from * INPUTS..to * INPUTS].chunks_exact(INPUTS) {
                    for (sum, value) in mean.iter_mut().zip(frame) {
                        *sum += value / (to - from) as f32;
                    }
                }
                mean
            })
        })
        .collect()
}

fn rms_difference<'a>(a: impl Iterator<Item = &'a f32>, b: impl Iterator<Item = &'a f32>) -> f32 {
    let (sum, count) = a.zip(b).fold((0.0, 0), |(sum, count), (x, y)| (sum + (x - y) * (x - y), count + 1));
    (sum / count.max(1) as f32).sqrt()
}

/// Likeness of all pairs of bars in one group of numbers.
struct Alike {
    count: usize,
    values: Vec<f32>,
}

impl Alike {
    fn of(bars: &[Bar], group: std::ops::Range<usize>, reach: f32) -> Self {
        let count = bars.len();
        let mut values = vec![1.0; count * count];
        for a in 0..count {
            for b in a + 1..count {
                let flat = |bar: usize| bars[bar].iter().flat_map(|part| &part[group.clone()]);
                let value = (-rms_difference(flat(a), flat(b)) / reach).exp();
                values[a * count + b] = value;
                values[b * count + a] = value;
            }
        }
        Self { count, values }
    }

    fn at(&self, a: usize, b: usize) -> f32 {
        self.values[a * self.count + b]
    }

    /// How much the bars before `bar` are alike among themselves, those after too, and the two not.
    fn novelty(&self, bar: usize, reach: usize) -> f32 {
        let reach = reach.min(bar).min(self.count - bar);
        let mean = |rows: std::ops::Range<usize>, columns: std::ops::Range<usize>| {
            let cells = (rows.len() * columns.len()) as f32;
            rows.flat_map(|a| columns.clone().map(move |b| self.at(a, b))).sum::<f32>() / cells
        };
        let (before, after) = (bar - reach..bar, bar..bar + reach);
        0.5 * (mean(before.clone(), before.clone()) + mean(after.clone(), after.clone())) - mean(before, after)
    }

    /// How much better the four bars from `bar` on are heard elsewhere than those just before it
    /// (`ahead`), or the four before it than those from it on.
    fn repeat(&self, bar: usize, ahead: bool) -> f32 {
        let run = |bar: usize, other: usize, ahead: bool, most: usize| {
            let room = if ahead { self.count - bar.max(other) } else { bar.min(other) };
            let length = most.min(room);
            let one = |k: usize| if ahead { self.at(bar + k, other + k) } else { self.at(bar - 1 - k, other - 1 - k) };
            (0..length).map(one).sum::<f32>() / length.max(1) as f32
        };
        let whole = |place: usize| if ahead { place + 4 <= self.count && place > 0 } else { place >= 4 };
        if !whole(bar) {
            return 0.0;
        }
        (0..self.count)
            .filter(|other| other.abs_diff(bar) >= NEAREST_REPEAT && whole(*other))
            .map(|other| run(bar, other, ahead, 4) - run(bar, other, !ahead, 2))
            .fold(0.0, f32::max)
    }
}

/// The numbers of each bar line but the first and the last: `bar_lines_s.len() - 2` of them, for bar 1 on.
pub fn of_bar_lines(inputs: &[f32], bar_lines_s: &[f64]) -> Vec<[f32; FEATURES]> {
    if inputs.len() < INPUTS {
        return Vec::new();
    }
    let bars = bars_of(inputs, bar_lines_s);
    let count = bars.len();
    let mean_over =
        |bar: &Bar, group: std::ops::Range<usize>| -> Vec<f32> { group.map(|k| bar.iter().map(|part| part[k]).sum::<f32>() / PARTS as f32).collect() };
    let mel: Vec<Vec<f32>> = bars.iter().map(|bar| mean_over(bar, 0..MEL_BANDS)).collect();
    let rises: Vec<Vec<f32>> = bars.iter().map(|bar| mean_over(bar, RISES)).collect();
    let levels: Vec<f32> = mel.iter().map(|m| m.iter().sum::<f32>() / m.len() as f32).collect();
    let [by_mel, by_rises, by_classes] = [(0..MEL_BANDS, 0), (RISES, 1), (CLASSES, 2)].map(|(group, k)| Alike::of(&bars, group, REACHES[k]));
    let again = Alike { count, values: by_mel.values.iter().zip(&by_classes.values).map(|(a, b)| a * b).collect() };

    let change = |rows: &[Vec<f32>], bar: usize, reach: usize| {
        let reach = reach.min(bar).min(count - bar);
        let mean = |span: std::ops::Range<usize>| -> Vec<f32> {
            let over = span.len() as f32;
            (0..rows[0].len()).map(|k| span.clone().map(|b| rows[b][k]).sum::<f32>() / over).collect()
        };
        rms_difference(mean(bar - reach..bar).iter(), mean(bar..bar + reach).iter())
    };
    let step = |bar: usize, reach: usize| {
        let mean = |span: std::ops::Range<usize>| levels[span.clone()].iter().sum::<f32>() / span.len() as f32;
        mean(bar..(bar + reach).min(count)) - mean(bar.saturating_sub(reach)..bar)
    };
    let beyond_median = |values: Vec<f32>| -> Vec<f32> {
        let median = percentile(&values, 0.5);
        values.into_iter().map(|v| v - median).collect()
    };
    let mean = |values: &[f32]| values.iter().sum::<f32>() / values.len() as f32;
    let cymbal = beyond_median(bars.iter().map(|b| mean(&b[0][30..40])).collect());
    let cymbal_rise = beyond_median(bars.iter().map(|b| mean(&b[0][55..60]) + mean(&b[0][75..80])).collect());
    // How unlike the rises of the end of a bar are to what they mostly are.
    let unusual = |parts: std::ops::Range<usize>| -> Vec<f32> {
        let usual: Vec<f32> = parts
            .clone()
            .flat_map(|part| RISES.map(move |k| (part, k)))
            .map(|(part, k)| percentile(&bars.iter().map(|b| b[part][k]).collect::<Vec<_>>(), 0.5))
            .collect();
        let rise = |bar: &Bar| -> Vec<f32> { bar[parts.clone()].iter().flat_map(|part| part[RISES].to_vec()).collect() };
        bars.iter().map(|bar| rise(bar).iter().zip(&usual).map(|(v, u)| (v - u).abs()).sum::<f32>() / usual.len() as f32).collect()
    };
    let (fill, long_fill) = (unusual(3..4), unusual(2..4));
    (1..count)
        .map(|bar| {
            let (near, far) = (step(bar, 1), step(bar, 4));
            [
                by_mel.novelty(bar, 2),
                by_mel.novelty(bar, 4),
                by_mel.novelty(bar, 8),
                by_rises.novelty(bar, 4),
                by_rises.novelty(bar, 8),
                by_classes.novelty(bar, 4),
                by_classes.novelty(bar, 8),
                change(&mel, bar, 1),
                change(&mel, bar, 4),
                change(&mel, bar, 8),
                change(&rises, bar, 1),
                change(&rises, bar, 4),
                near.abs(),
                near,
                far.abs(),
                far,
                cymbal[bar],
                cymbal_rise[bar],
                fill[bar - 1],
                long_fill[bar - 1],
                again.repeat(bar, true),
                again.repeat(bar, false),
            ]
        })
        .collect()
}
