//! How well one bar could follow another.
//!
//! Two bars are compared beat by beat in five groups of features; the distances give a likeness
//! `P(a, b) = exp(-E)` in 0 to 1. Bar `j` could follow bar `i - 1` when it resembles bar `i`, or
//! when somewhere in the bed a bar like `i - 1` is followed by a bar like `j` (the bridge). The
//! weights come from a measured prototype on beds with exact symbolic truth.

use super::features::BeatFeatures;
use super::metre::distance;
use serde::{Deserialize, Serialize};

/// Likeness of all pairs of bars, and how well each could follow each.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct BarLikeness {
    bars: usize,
    likeness: Vec<f32>,
    goodness: Vec<f32>,
}

/// A passage that can be played over and over.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Loop {
    /// First bar.
    pub start_bar: usize,
    /// The bar after the last.
    pub end_bar: usize,
    /// How well the first bar follows the last, 0 to 1.
    pub goodness: f32,
}

/// Typical distances of unlike bars per group; the distances are counted in these.
const SCALE_CHROMA: f32 = 0.68;
const SCALE_BASS: f32 = 0.89;
const SCALE_MEL: f32 = 0.77;
const SCALE_ONSET: f32 = 0.376;
const SCALE_LOUDNESS: f32 = 0.40;

/// Bars beyond which the bridge, whose work grows with the cube, is left out.
const BRIDGE_BARS: usize = 700;

impl BarLikeness {
    /// Compares all bars that `downbeats` (indices into `beats`) bound.
    pub fn between(beats: &[BeatFeatures], downbeats: &[usize], metre: usize) -> Self {
        let bars = downbeats.len().saturating_sub(1);
        let mut likeness = vec![1.0; bars * bars];
        for a in 0..bars {
            for b in a + 1..bars {
                let value = (-unlikeness(&beats[downbeats[a]..], &beats[downbeats[b]..], metre)).exp();
                likeness[a * bars + b] = value;
                likeness[b * bars + a] = value;
            }
        }
        let goodness = goodness(&likeness, bars);
        Self { bars, likeness, goodness }
    }

    /// Number of bars.
    pub fn bar_count(&self) -> usize {
        self.bars
    }

    /// Likeness of two bars, 0 to 1; 1 for a bar and itself.
    ///
    /// # Panics
    /// If there is no such bar.
    pub fn of(&self, a: usize, b: usize) -> f32 {
        self.likeness[a * self.bars + b]
    }

    /// How likely bar `enter` could follow bar `leave - 1`, 0 to 1. `leave` may be the number of
    /// bars: the bed's own end.
    ///
    /// # Panics
    /// If `leave` is 0 or there is no such bar.
    pub fn could_follow(&self, leave: usize, enter: usize) -> f32 {
        self.goodness[(leave - 1) * self.bars + enter]
    }

    /// For each bar the earliest bar that sounds (nearly) the same: itself where none came before.
    pub fn repeats(&self) -> Vec<usize> {
        /// From here on two bars are taken for the same by ear.
        const SAME: f32 = 0.86;
        let earliest = |bar: usize| (0..bar).find(|&other| self.of(bar, other) >= SAME).unwrap_or(bar);
        (0..self.bars).map(earliest).collect()
    }

    /// The likeness of a bed that was cut as a loop: its first bar follows its last.
    pub fn of_a_loop(mut self) -> Self {
        /// As sure as a bar that is repeated elsewhere.
        const MEANT: f32 = 0.96;
        if let Some(seam) = self.bars.checked_sub(1).and_then(|last| self.goodness.get_mut(last * self.bars)) {
            *seam = seam.max(MEANT);
        }
        self
    }

    /// Passages of 2, 4, 8 or 16 bars, or all of the bed, that can be played over and over, best first, with how well
    /// the first bar follows the last, 0 to 1.
    pub fn loops(&self) -> Vec<Loop> {
        /// As many are worth telling.
        const MOST: usize = 8;
        const LEAST: f32 = 0.6;
        let lengths = [16, 8, 4, 2].into_iter().chain(Some(self.bars).filter(|n| *n > 0 && ![16, 8, 4, 2].contains(n)));
        let mut all: Vec<Loop> = lengths
            .flat_map(|length| (0..(self.bars + 1).saturating_sub(length)).map(move |start_bar| (start_bar, start_bar + length)))
            .map(|(start_bar, end_bar)| Loop { start_bar, end_bar, goodness: self.could_follow(end_bar, start_bar) })
            .filter(|l| l.goodness >= LEAST)
            .collect();
        // Longer ones tire later: a tenth of goodness for each doubling.
        let worth = |l: &Loop| l.goodness + 0.1 * ((l.end_bar - l.start_bar) as f32).log2();
        all.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
        let mut chosen: Vec<Loop> = Vec::new();
        for l in all {
            // One of each neighbourhood.
            if chosen.iter().all(|c| c.start_bar.abs_diff(l.start_bar).max(c.end_bar.abs_diff(l.end_bar)) >= 4) {
                chosen.push(l);
            }
        }
        chosen.truncate(MOST);
        chosen
    }

    /// The matrices as little-endian bytes, with the number of bars first.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = (self.bars as u32).to_le_bytes().to_vec();
        for value in self.likeness.iter().chain(&self.goodness) {
            bytes.extend_from_slice(&value.to_le_bytes());
        }
        bytes
    }

    /// The inverse of [`BarLikeness::to_bytes`]; `None` if the bytes are no such thing.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let (head, body) = bytes.split_at_checked(4)?;
        let bars = u32::from_le_bytes(head.try_into().ok()?) as usize;
        let cells = bars.checked_mul(bars)?;
        if body.len() != cells.checked_mul(8)? {
            return None;
        }
        let values: Vec<f32> = body.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let (likeness, goodness) = values.split_at(cells);
        Some(Self { bars, likeness: likeness.to_vec(), goodness: goodness.to_vec() })
    }
}

/// The energy `E` between two bars: weighted distances of the five groups.
fn unlikeness(a: &[BeatFeatures], b: &[BeatFeatures], metre: usize) -> f32 {
    let mean = |of: &dyn Fn(&BeatFeatures, &BeatFeatures) -> f32| a.iter().zip(b).take(metre).map(|(x, y)| of(x, y)).sum::<f32>() / metre as f32;
    let by_dimension = |x: &[f32], y: &[f32]| distance(x, y) / (x.len() as f32).sqrt();
    let c = mean(&|x, y| distance(&x.chroma, &y.chroma)) / SCALE_CHROMA;
    let b_ = mean(&|x, y| distance(&x.bass, &y.bass)) / SCALE_BASS;
    let l = mean(&|x, y| by_dimension(&x.log_mel, &y.log_mel)) / SCALE_MEL;
    let o = mean(&|x, y| by_dimension(&x.onset, &y.onset)) / SCALE_ONSET;
    let d = mean(&|x, y| (x.loudness_db - y.loudness_db).abs() / 6.0) / SCALE_LOUDNESS;
    1.22 * c * c + 0.10 * b_ + 0.16 * b_ * b_ + 0.012 * l + 0.010 * l * l + 0.10 * o + 0.12 * o * o + 0.075 * d + 0.013 * d * d
}

fn goodness(likeness: &[f32], bars: usize) -> Vec<f32> {
    let mut bridge = vec![0.0f32; bars * bars];
    if bars <= BRIDGE_BARS {
        // bridge[last][enter] = max over k of P(k, last) * P(k + 1, enter), rows kept contiguous.
        for k in 0..bars.saturating_sub(1) {
            let next = &likeness[(k + 1) * bars..(k + 2) * bars];
            for last in 0..bars {
                let weight = likeness[k * bars + last];
                if weight < 0.05 {
                    continue;
                }
                for (cell, value) in bridge[last * bars..(last + 1) * bars].iter_mut().zip(next) {
                    *cell = cell.max(weight * value);
                }
            }
        }
    }
    let mut goodness = bridge;
    for last in 0..bars.saturating_sub(1) {
        for enter in 0..bars {
            let direct = likeness[(last + 1) * bars + enter];
            let cell = &mut goodness[last * bars + enter];
            *cell = if bars <= BRIDGE_BARS { 0.6 * *cell + 0.4 * direct } else { direct };
        }
    }
    goodness
}

#[cfg(test)]
mod tests {
    use super::*;

    fn beat(class: usize) -> BeatFeatures {
        let mut chroma = [0.0; 12];
        chroma[class] = 1.0;
        BeatFeatures { chroma, bass: chroma, log_mel: vec![0.0; 80], onset: [1.0; 12], attack: [1.0; 3], loudness_db: -20.0 }
    }

    #[test]
    fn what_really_follows_could_follow_best() {
        // Four bars of one beat that come twice: 0 4 7 5, 0 4 7 5.
        let beats: Vec<_> = [0, 4, 7, 5, 0, 4, 7, 5, 0].into_iter().map(beat).collect();
        let downbeats: Vec<usize> = (0..9).collect();
        let likeness = BarLikeness::between(&beats, &downbeats, 1);
        assert!(likeness.could_follow(2, 2) > 0.99, "going straight on");
        assert!(likeness.could_follow(2, 6) > 0.99, "the same place of the repeat");
        assert!(likeness.could_follow(2, 3) < 0.2, "skipping a chord");
        assert_eq!(BarLikeness::from_bytes(&likeness.to_bytes()), Some(likeness));
        assert_eq!(BarLikeness::from_bytes(&[1, 0, 0]), None);
    }
}
