//! Counting a bed: the likeliest grid, and the other ways in which it could be counted.

use super::activations::{Activations, frame_of};
use super::beats::{self, interpolate};
use super::correct::{Recount, correct_grid};
use super::correction::Correction;
use super::features::BeatFeatures;
use super::grid::Grid;
use super::level::{self, Candidate};
use super::metre::{self, Bars};
use serde::{Deserialize, Serialize};

/// Another way to count the bed, for when the likeliest is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct SecondOpinion {
    /// What leads to it.
    pub correction: Correction,
    /// Its tempo.
    pub tempo_bpm: f64,
    /// Its beats in a bar.
    pub metre: u32,
    /// How likely it is beside the one taken, 0 to 1.
    pub likelihood: f32,
}

/// Other grids that are told at most.
const OPINIONS: usize = 3;
/// Less likely ones are not worth a look.
const LEAST_LIKELIHOOD: f32 = 0.02;

/// What a bed is counted from.
pub struct Counter<'a> {
    /// What the network listened to.
    pub inputs: &'a [f32],
    /// What it heard.
    pub heard: &'a Activations,
    /// Onset frames that hold music.
    pub span: (usize, usize),
    /// What beats sound like.
    pub features: &'a dyn Fn(&[f64]) -> Vec<BeatFeatures>,
}

/// How much accents count beside the log-odds of the network.
const ACCENTS: f32 = 0.6;

/// How often nine in ten bars began where they were said to (F-measure over 0.9 at 70 ms) where the network was as sure
/// of them: measured on 120 composed pieces and the 26 of the development set, in ninths, with the older of the two
/// networks alone.
const BARS_RIGHT: [(f32, f32); 8] = [(0.05, 0.08), (0.15, 0.15), (0.2, 0.25), (0.27, 0.48), (0.4, 0.62), (0.5, 0.7), (0.6, 0.9), (0.7, 0.96)];

/// A table read between its entries.
fn chance(table: &[(f32, f32)], sure: f32) -> f32 {
    let pair = table.windows(2).find(|w| sure <= w[1].0).or(table.windows(2).last());
    pair.map_or(sure, |w| {
        let share = ((sure - w[0].0) / (w[1].0 - w[0].0)).clamp(0.0, 1.0);
        w[0].1 + share * (w[1].1 - w[0].1)
    })
}

struct Counted {
    beats_s: Vec<f64>,
    odds: Vec<f32>,
    bars: Bars,
}

impl Counter<'_> {
    /// The likeliest grid and the others, likeliest first.
    pub fn grids(&self) -> (Grid, Vec<SecondOpinion>) {
        let mut all = level::candidates(self.heard, self.inputs, self.span);
        if all.is_empty() {
            return (Grid { metre: 4, ..Grid::default() }, Vec::new());
        }
        let likeliest = all.remove(0);
        let best = self.count(likeliest.beats_s);
        let mut grid = self.grid(&best);
        let opinions = self.opinions(&best, &grid, likeliest.likelihood, &all);
        let bar_doubt = opinions.iter().filter(|o| !tells_beats(&o.correction)).map(|o| o.likelihood).fold(0.0, f32::max);
        grid.beat_confidence = likeliest.likelihood;
        grid.bar_confidence = chance(&BARS_RIGHT, grid.bar_confidence * (1.0 - 0.7 * bar_doubt));
        (grid, opinions)
    }

    /// Beats in bars, by what the network says and by how the beats sound.
    fn count(&self, beats_s: Vec<f64>) -> Counted {
        let odds = self.odds(&beats_s);
        Counted { bars: metre::find(&odds), beats_s, odds }
    }

    fn odds(&self, beats_s: &[f64]) -> Vec<f32> {
        let accents = metre::accents(&(self.features)(beats_s));
        metre::first_beat_odds(beats_s, self.heard).iter().zip(accents).map(|(odds, accent)| odds + ACCENTS * accent).collect()
    }

    /// What else could be meant, where one correction leads to it; `sure` is how likely the best one is.
    fn opinions(&self, best: &Counted, grid: &Grid, sure: f32, others: &[Candidate]) -> Vec<SecondOpinion> {
        let tempo_bpm = grid.tempo_bpm;
        let by_level = others.iter().filter(|other| other.likelihood >= LEAST_LIKELIHOOD).filter_map(|other| {
            let bpm = beats::tempo(&other.beats_s);
            let ways = [Correction::DoubleTempo, Correction::HalfTempo, Correction::OffBeats, Correction::Tempo { bpm: bpm.round() }];
            let leads_there = |way: &Correction| level::same(&correct_grid(grid.clone(), std::slice::from_ref(way), self).beats_s, &other.beats_s);
            let correction = ways.into_iter().find(leads_there)?;
            Some(SecondOpinion { correction, tempo_bpm: bpm, metre: best.bars.metre, likelihood: other.likelihood / (other.likelihood + sure) })
        });
        // What a bar more or less earns is a clear lead.
        let likelihood = |lost: f32| 1.0 / (1.0 + (lost / (0.04 * best.bars.score.abs() + 3.0)).exp());
        let odds = &best.odds;
        let metre = best.bars.metre;
        let first = best.bars.downbeats.first().copied().unwrap_or(0);
        let straight = metre::counted(odds, metre as usize, first % metre as usize).score;
        let by_phase = (1..metre).map(|beats| {
            let score = metre::counted(odds, metre as usize, (first + beats as usize) % metre as usize).score;
            let by = if beats > metre / 2 { beats as i32 - metre as i32 } else { beats as i32 };
            SecondOpinion { correction: Correction::ShiftBars { beats: by }, tempo_bpm, metre, likelihood: likelihood(straight - score) }
        });
        let by_metre = [2, 3, 4].into_iter().filter(|m| *m != metre).map(|beats| {
            let score = metre::only(odds, beats as usize).score;
            SecondOpinion { correction: Correction::Metre { beats }, tempo_bpm, metre: beats, likelihood: likelihood(best.bars.score - score) }
        });
        let mut all: Vec<SecondOpinion> = by_level.chain(by_phase).chain(by_metre).filter(|o| o.likelihood >= LEAST_LIKELIHOOD).collect();
        all.sort_by(|a, b| b.likelihood.total_cmp(&a.likelihood));
        all.truncate(OPINIONS);
        all
    }

    fn grid(&self, counted: &Counted) -> Grid {
        let beats_s = beats::refine(&counted.beats_s, &self.heard.beat);
        let near = |values: &[f32], s: f64| (-1..=1).map(|k| interpolate(values, frame_of(s) + f64::from(k))).fold(0.0, f32::max);
        let mean = |values: Vec<f32>| values.iter().sum::<f32>() / values.len().max(1) as f32;
        Grid {
            tempo_bpm: beats::tempo(&beats_s),
            metre: counted.bars.metre,
            downbeats: counted.bars.downbeats.clone(),
            beat_confidence: mean(counted.beats_s.iter().map(|&s| near(&self.heard.beat, s)).collect()),
            bar_confidence: mean(counted.bars.downbeats.iter().map(|&k| near(&self.heard.downbeat, counted.beats_s[k])).collect()),
            beats_s,
        }
    }
}

fn tells_beats(correction: &Correction) -> bool {
    matches!(correction, Correction::DoubleTempo | Correction::HalfTempo | Correction::OffBeats | Correction::Tempo { .. })
}

impl Recount for Counter<'_> {
    fn near(&self, bpm: f64, taps_s: &[f64]) -> Option<Grid> {
        let path = beats::path_near(self.heard, self.span, bpm, taps_s)?;
        // Who taps says how the tempo moves.
        let path = if taps_s.is_empty() { beats::to_a_clock(path, self.heard, self.span) } else { path };
        Some(self.grid(&self.count(path.beats_s)))
    }

    fn in_bars_of(&self, grid: Grid, beats: u32) -> Grid {
        let bars = metre::only(&self.odds(&grid.beats_s), beats as usize);
        Grid { metre: beats, downbeats: bars.downbeats, ..grid }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::SAMPLE_RATE_HZ;

    #[test]
    fn a_sound_that_ends_with_a_whole_bar_has_a_line_at_its_end() {
        let grid = |count: usize| Grid {
            beats_s: (0..count).map(|k| k as f64 * 0.5).collect(),
            metre: 4,
            downbeats: (0..count).step_by(4).collect(),
            ..Grid::default()
        };
        let end = 16 * u64::from(SAMPLE_RATE_HZ);
        let closed = grid(32).closed_at(end, end);
        assert_eq!((closed.beats_s.last(), closed.downbeats.last()), (Some(&16.0), Some(&32)));
        // Not in the middle of a bar, not after silence, not where no beat would be.
        for (count, music, length) in [(31, end, end), (32, end - 9600, end), (32, end + 9600, end + 9600)] {
            assert_eq!(grid(count).closed_at(length, music), grid(count), "{count} beats, {music} of {length}");
        }
    }

    #[test]
    fn chances_rise_with_how_sure_the_network_is() {
        let all: Vec<f32> = (0..=100).map(|k| chance(&BARS_RIGHT, k as f32 / 100.0)).collect();
        assert!(all.windows(2).all(|w| w[0] <= w[1]) && all.iter().all(|c| (0.0..=1.0).contains(c)));
        for (sure, measured) in BARS_RIGHT {
            assert!((chance(&BARS_RIGHT, sure) - measured).abs() < 1e-6);
        }
    }
}
