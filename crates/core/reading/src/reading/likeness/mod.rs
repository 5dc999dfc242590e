//! How well one bar could follow another.
//!
//! Two bars are compared beat by beat in five groups of features; the distances give a likeness
//! `P(a, b) = exp(-E)` in 0 to 1, which finds exact repeats. Bar `j` could follow bar `i - 1` when it
//! resembles bar `i`, or when somewhere in the bed a bar like `i - 1` is followed by a bar like `j`
//! (the bridge); how likely, `follow` tells from all of it and from how the bed is otherwise. The
//! weights come from measured prototypes on beds with exact symbolic truth.

mod follow;
pub(super) mod sequel;

use super::features::BeatFeatures;
use super::metre::distance;
use jaunty_sound::splice::surprise::LineSpectra;
use jaunty_units::units::Sure;
use sequel::{Sequels, Sides};
use serde::{Deserialize, Serialize};

/// Likeness of all pairs of bars, and how well each could follow each.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct BarLikeness {
    bars: usize,
    likeness: Vec<f32>,
    chances: Vec<f32>,
    sequels: Sequels,
    lines: LineSpectra,
}

/// Groups of features: pitch classes, those of the bass, mel bands, onsets, loudness.
const GROUPS: usize = 5;

/// How far all pairs of bars are apart, each a matrix of bars times bars.
struct Distances {
    /// By group, in typical distances of unlike bars.
    groups: [Vec<f32>; GROUPS],
    /// Weighted together.
    energy: Vec<f32>,
    /// One less the cosine of the pitch classes of whole bars.
    chroma_of_bars: Vec<f32>,
}

impl Distances {
    fn between(beats: &[BeatFeatures], downbeats: &[usize], metre: usize) -> Self {
        let bars = downbeats.len().saturating_sub(1);
        let matrix = || vec![0.0; bars * bars];
        let mut all = Self { groups: std::array::from_fn(|_| matrix()), energy: matrix(), chroma_of_bars: matrix() };
        let of_bars: Vec<[f32; 12]> = downbeats.windows(2).map(|w| sum_of_chroma(&beats[w[0]..w[1]])).collect();
        for a in 0..bars {
            for b in a + 1..bars {
                let groups = distances(&beats[downbeats[a]..], &beats[downbeats[b]..], metre);
                let cosine: f32 = of_bars[a].iter().zip(&of_bars[b]).map(|(x, y)| x * y).sum();
                for cell in [a * bars + b, b * bars + a] {
                    all.groups.iter_mut().zip(groups).for_each(|(matrix, distance)| matrix[cell] = distance);
                    all.energy[cell] = energy(groups);
                    all.chroma_of_bars[cell] = (1.0 - cosine).max(0.0);
                }
            }
        }
        all
    }
}

/// The pitch classes of some beats together, of length 1 where there are any.
fn sum_of_chroma(beats: &[BeatFeatures]) -> [f32; 12] {
    let mut sum = [0.0f32; 12];
    beats.iter().for_each(|beat| sum.iter_mut().zip(&beat.chroma).for_each(|(s, c)| *s += c));
    let length = sum.iter().map(|s| s * s).sum::<f32>().sqrt().max(1e-9);
    sum.map(|s| s / length)
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

impl Loop {
    /// How surely nobody hears where it begins again: a seam is heard many times, so more is asked of it.
    pub fn seam(&self) -> Sure {
        Sure::from(self.goodness - 0.3)
    }
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
    /// Compares all bars that `downbeats` (indices into `beats`) bound; `lines` is what is heard around them.
    pub fn between(beats: &[BeatFeatures], downbeats: &[usize], metre: usize, lines: LineSpectra) -> Self {
        let bars = downbeats.len().saturating_sub(1);
        let distances = Distances::between(beats, downbeats, metre);
        let likeness: Vec<f32> = distances.energy.iter().map(|e| (-e).exp()).collect();
        let bridged = bridge(&likeness, bars);
        let chances = follow::chances(&distances, bars, &bridged);
        Self { bars, likeness, chances, sequels: Sequels::default(), lines }
    }

    /// With what is known of how phrases, which begin at `phrases`, could go on with each other.
    pub(super) fn with_sequels(mut self, sides: &Sides, phrases: &[usize]) -> Self {
        self.sequels = Sequels::between(sides, &self, phrases);
        self
    }

    /// How naturally bar `enter` would go on after bar `leave - 1` as another phrase, that is as a fitting sequel and not
    /// as a repeat of what would have come: the share of the bed's own steps from phrase to phrase that are less natural,
    /// 0 to 1. `None` unless phrases begin at both.
    pub fn sequel_rank(&self, leave: usize, enter: usize) -> Option<f32> {
        self.sequels.rank(leave, enter)
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
        self.chances[(leave - 1) * self.bars + enter]
    }

    /// Share of the bed's own bar lines at which the spectrum changes less than it would at a splice, 0 to 1.
    pub fn surprise_rank(&self, leave: usize, enter: usize) -> f32 {
        self.lines.rank(leave, enter)
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
        if let Some(seam) = self.bars.checked_sub(1).and_then(|last| self.chances.get_mut(last * self.bars)) {
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
        for value in self.likeness.iter().chain(&self.chances) {
            bytes.extend_from_slice(&value.to_le_bytes());
        }
        bytes.extend(self.sequels.to_bytes());
        bytes.extend(self.lines.to_bytes());
        bytes
    }

    /// The inverse of [`BarLikeness::to_bytes`]; `None` if the bytes are no such thing.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let (head, body) = bytes.split_at_checked(4)?;
        let bars = u32::from_le_bytes(head.try_into().ok()?) as usize;
        let cells = bars.checked_mul(bars)?;
        let (body, rest) = body.split_at_checked(cells.checked_mul(8)?)?;
        let (sequels, lines) = Sequels::from_bytes(rest)?;
        let values: Vec<f32> = body.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let (likeness, chances) = values.split_at(cells);
        Some(Self { bars, likeness: likeness.to_vec(), chances: chances.to_vec(), sequels, lines: LineSpectra::from_bytes(lines) })
    }
}

/// The distances of the five groups between two bars.
fn distances(a: &[BeatFeatures], b: &[BeatFeatures], metre: usize) -> [f32; GROUPS] {
    let mean = |of: &dyn Fn(&BeatFeatures, &BeatFeatures) -> f32| a.iter().zip(b).take(metre).map(|(x, y)| of(x, y)).sum::<f32>() / metre as f32;
    let by_dimension = |x: &[f32], y: &[f32]| distance(x, y) / (x.len() as f32).sqrt();
    [
        mean(&|x, y| distance(&x.chroma, &y.chroma)) / SCALE_CHROMA,
        mean(&|x, y| distance(&x.bass, &y.bass)) / SCALE_BASS,
        mean(&|x, y| by_dimension(&x.log_mel, &y.log_mel)) / SCALE_MEL,
        mean(&|x, y| by_dimension(&x.onset, &y.onset)) / SCALE_ONSET,
        mean(&|x, y| (x.loudness_db - y.loudness_db).abs() / 6.0) / SCALE_LOUDNESS,
    ]
}

/// The energy `E` between two bars: the five distances weighted.
fn energy([c, b, l, o, d]: [f32; GROUPS]) -> f32 {
    1.22 * c * c + 0.10 * b + 0.16 * b * b + 0.012 * l + 0.010 * l * l + 0.10 * o + 0.12 * o * o + 0.075 * d + 0.013 * d * d
}

/// Whether somewhere a bar like one is followed by a bar like another: in row `last` and column `enter` the largest
/// product of `likeness(k, last)` and `likeness(k + 1, enter)`. Of very long beds what would have come alone tells.
fn bridge(likeness: &[f32], bars: usize) -> Vec<f32> {
    let mut bridge = vec![0.0f32; bars * bars];
    if bars > BRIDGE_BARS {
        bridge[..(bars - 1) * bars].copy_from_slice(&likeness[bars..]);
        return bridge;
    }
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
    bridge
}

#[cfg(test)]
mod tests {
    use super::*;

    pub(super) fn beat(class: usize) -> BeatFeatures {
        let mut chroma = [0.0; 12];
        chroma[class] = 1.0;
        BeatFeatures { chroma, bass: chroma, log_mel: vec![0.0; 80], onset: [1.0; 12], attack: [1.0; 3], loudness_db: -20.0 }
    }

    #[test]
    fn what_really_follows_could_follow_best() {
        // Four bars of one beat that come twice: 0 4 7 5, 0 4 7 5.
        let beats: Vec<_> = [0, 4, 7, 5, 0, 4, 7, 5, 0].into_iter().map(beat).collect();
        let downbeats: Vec<usize> = (0..9).collect();
        let likeness = BarLikeness::between(&beats, &downbeats, 1, LineSpectra::default());
        assert!(likeness.could_follow(2, 2) > 0.99, "going straight on");
        assert!(likeness.could_follow(2, 6) > 0.9, "the same place of the repeat");
        assert!(likeness.could_follow(2, 3) < 0.2, "skipping a chord");
        assert_eq!(BarLikeness::from_bytes(&likeness.to_bytes()), Some(likeness));
        assert_eq!(BarLikeness::from_bytes(&[1, 0, 0]), None);
    }

    #[test]
    fn what_comes_again_may_follow_also_where_a_player_never_plays_it_twice_alike() {
        // Sixteen bars of four beats in four chords, each bar a little louder, brighter and busier than the one before.
        let beats: Vec<_> = (0..68)
            .map(|k| {
                let bar = k / 4;
                let mut one = beat([0, 9, 5, 7][bar % 4]);
                let shade = 0.1 * (bar as f32 * 2.4).sin();
                one.log_mel.iter_mut().enumerate().for_each(|(band, v)| *v = shade * (band as f32 * 0.3).cos());
                one.onset.iter_mut().for_each(|v| *v += shade);
                one.loudness_db += 4.0 * shade;
                one
            })
            .collect();
        let likeness = BarLikeness::between(&beats, &(0..17).map(|bar| 4 * bar).collect::<Vec<_>>(), 4, LineSpectra::default());
        for leave in 4..12 {
            let order: Vec<usize> = {
                let mut bars: Vec<usize> = (0..16).filter(|b| *b != leave).collect();
                bars.sort_by(|a, b| likeness.could_follow(leave, *b).total_cmp(&likeness.could_follow(leave, *a)));
                bars
            };
            assert!(order[..3].iter().all(|bar| bar % 4 == leave % 4), "{leave}: {order:?}");
            assert!((0..16).all(|bar| (0.0..=1.0).contains(&likeness.could_follow(leave, bar))));
        }
        assert_eq!(likeness.could_follow(5, 5), 1.0);
    }
}
