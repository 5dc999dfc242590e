//! The chance that one bar could follow another: a logistic mix of how far the bars are apart, of the same relative to
//! the bed itself, and of how varied the bed is.
//!
//! Distances alone are timid on recordings, where no bar comes again exactly, and relative figures alone are too sure on
//! beds in which nothing comes again. The weights were fitted on 63 pieces with exact symbolic truth, each also with the
//! sound of another mixed into its features, which stands in for players who never play the same twice; "right" is a bar
//! whose pitches agree (cosine of at least .9) and whose drums fall within one hit a beat with those of the bar that
//! would have come.

use super::{Distances, GROUPS, bridge};

/// Keeps logarithms of distances of almost nothing finite.
const S: f32 = 0.02;
/// No splice is free of doubt.
const SUREST: f32 = 0.97;
/// Pairs of bars by which ranks are told, at most.
const RANKED: usize = 20_000;

const BIAS: f32 = -1.296;
/// Of the logarithms of the energy of the bars after the splice, before it, and of three bars around it.
const ENERGIES: [f32; 3] = [-0.190, -0.037, 0.145];
/// Of the bridge, and of the same relative to the bed.
const BRIDGES: [f32; 2] = [0.293, -0.587];
/// Of the distances of each group after the splice, and before it.
const AFTER: [f32; GROUPS] = [-1.087, -2.648, 0.040, 0.480, 0.148];
const BEFORE: [f32; GROUPS] = [1.079, 0.045, 0.038, 0.198, -0.025];
/// Of the chroma of whole bars.
const WHOLE: f32 = -0.387;
/// Of ranks: the energy, that of three bars, the five groups, the chroma of whole bars.
const RANKS: [f32; GROUPS + 3] = [-0.053, -0.409, 0.563, 0.273, -0.088, -0.160, -0.051, -0.610];
/// Of the energy relative to the nearest bars of both sides, to the bed's median, and to how far the music moves by itself.
const RELATIVE: [f32; 3] = [-0.439, 0.193, -0.537];
/// Of the bed: its median energy, the median and the 20th percentile of the nearest, the median of its own moves.
const BED: [f32; 4] = [-1.396, -0.108, 0.040, -0.153];

/// How likely bar `j` could follow bar `i - 1`, in row `i - 1`. The last row, after which nothing would have come, holds
/// the bridge alone.
pub fn chances(distances: &Distances, bars: usize, bridged: &[f32]) -> Vec<f32> {
    if bars < 3 {
        return bridged.to_vec();
    }
    let bed = Bed::of(distances, bars);
    let mut all = vec![0.0; bars * bars];
    all[(bars - 1) * bars..].copy_from_slice(&bridged[(bars - 1) * bars..]);
    for leave in 1..bars {
        for enter in 0..bars {
            all[(leave - 1) * bars + enter] = if leave == enter { 1.0 } else { bed.chance(leave, enter, bridged) };
        }
    }
    all
}

/// What is known of a bed before its splices are judged.
struct Bed<'a> {
    distances: &'a Distances,
    bars: usize,
    energy3: Vec<f32>,
    ranks: Vec<Ranks>,
    relative_bridge: Vec<f32>,
    /// Logarithm of the mean energy to the three nearest bars, of each bar.
    nearest3: Vec<f32>,
    /// Logarithm of the energy from each bar to the next.
    moves: Vec<f32>,
    median: f32,
    of_bed: f32,
}

impl<'a> Bed<'a> {
    fn of(distances: &'a Distances, bars: usize) -> Self {
        let energy = &distances.energy;
        let at = |i: usize, j: usize| energy[i * bars + j];
        let mut energy3 = energy.clone();
        for i in 1..bars - 1 {
            for j in 1..bars - 1 {
                energy3[i * bars + j] = (at(i - 1, j - 1) + at(i, j) + at(i + 1, j + 1)) / 3.0;
            }
        }
        let nearest: Vec<[f32; 3]> =
            (0..bars).map(|a| nearest3(energy[a * bars..(a + 1) * bars].iter().enumerate().filter(|e| e.0 != a).map(|e| *e.1))).collect();
        let nearest1: Vec<f32> = nearest.iter().map(|n| n[0]).collect();
        let moves: Vec<f32> = (0..bars - 1).map(|a| at(a, a + 1)).collect();
        let ranks = [energy, &energy3].into_iter().chain(&distances.groups).chain([&distances.chroma_of_bars]).map(|m| Ranks::of(m, bars)).collect::<Vec<_>>();
        let median = ranks[0].quantile(0.5);
        let told = [median, quantile(&nearest1, 0.5), quantile(&nearest1, 0.2), quantile(&moves, 0.5)];
        let relative: Vec<f32> = energy.iter().map(|e| (-2.2 * e / median.max(0.05)).exp()).collect();
        Self {
            distances,
            bars,
            ranks,
            relative_bridge: bridge(&relative, bars),
            nearest3: nearest.iter().map(|n| (n.iter().sum::<f32>() / 3.0 + S).ln()).collect(),
            moves: moves.iter().map(|m| (m + S).ln()).collect(),
            median: (median + S).ln(),
            of_bed: told.iter().zip(BED).map(|(value, weight)| weight * (value + S).ln()).sum(),
            energy3,
        }
    }

    fn chance(&self, leave: usize, enter: usize, bridged: &[f32]) -> f32 {
        let d = self.distances;
        let here = leave * self.bars + enter;
        // The first bar has nothing before it.
        let before = if enter == 0 { here } else { (leave - 1) * self.bars + enter - 1 };
        let row = (leave - 1) * self.bars + enter;
        let log = |x: f32| (x + S).ln();
        let energy = log(d.energy[here]);
        let mut z = BIAS + self.of_bed;
        z += ENERGIES[0] * energy + ENERGIES[1] * log(d.energy[before]) + ENERGIES[2] * log(self.energy3[here]);
        z -= BRIDGES[0] * bridged[row].max(1e-4).ln() + BRIDGES[1] * self.relative_bridge[row].max(1e-4).ln();
        for (k, group) in d.groups.iter().enumerate() {
            z += AFTER[k] * group[here] + BEFORE[k] * group[before];
        }
        z += WHOLE * (d.chroma_of_bars[here] + 0.005).ln();
        let ranked = [&d.energy, &self.energy3].into_iter().chain(&d.groups).chain([&d.chroma_of_bars]);
        for ((matrix, ranks), weight) in ranked.zip(&self.ranks).zip(RANKS) {
            z += weight * (ranks.rank(matrix[here]) + 0.01).ln();
        }
        let by_itself = if enter == 0 { self.moves[leave - 1] } else { 0.5 * (self.moves[leave - 1] + self.moves[enter - 1]) };
        z += RELATIVE[0] * (energy - 0.5 * (self.nearest3[leave] + self.nearest3[enter]))
            + RELATIVE[1] * (energy - self.median)
            + RELATIVE[2] * (energy - by_itself);
        (1.0 / (1.0 + (-z).exp())).min(SUREST)
    }
}

/// The three smallest values, rising.
fn nearest3(values: impl Iterator<Item = f32>) -> [f32; 3] {
    let mut least = [f32::INFINITY; 3];
    for value in values {
        if value < least[2] {
            least[2] = value;
            least.sort_by(f32::total_cmp);
        }
    }
    // Of three bars there are two others only.
    let known = least.iter().copied().filter(|v| v.is_finite()).fold(0.0, f32::max);
    least.map(|v| v.min(known))
}

fn quantile(values: &[f32], share: f64) -> f32 {
    let mut sorted = values.to_vec();
    sorted.sort_by(f32::total_cmp);
    sorted[((sorted.len() - 1) as f64 * share).round() as usize]
}

/// Shares of the pairs of unequal bars that are nearer than so much.
struct Ranks(Vec<f32>);

impl Ranks {
    fn of(matrix: &[f32], bars: usize) -> Self {
        let pairs = bars * (bars - 1) / 2;
        // An odd step, so that no column is met more often than others.
        let step = pairs.div_ceil(RANKED) | 1;
        let mut sorted: Vec<f32> = (0..bars).flat_map(|a| (a + 1..bars).map(move |b| a * bars + b)).step_by(step).map(|k| matrix[k]).collect();
        sorted.sort_by(f32::total_cmp);
        Self(sorted)
    }

    fn rank(&self, value: f32) -> f32 {
        self.0.partition_point(|v| *v < value) as f32 / self.0.len() as f32
    }

    fn quantile(&self, share: f64) -> f32 {
        self.0[((self.0.len() - 1) as f64 * share).round() as usize]
    }
}
