//! Counting a bed: the likeliest grid, and the other ways in which it could be counted.

use super::activations::{Activations, frame_of};
use super::beats::{self, interpolate};
use super::correct::{Recount, correct_grid};
use super::correction::Correction;
use super::features::BeatFeatures;
use super::grid::Grid;
use super::level::{self, Candidate};
use super::metre::{
    self, Bars,
    choice::{self, Count},
};
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

struct Counted {
    beats_s: Vec<f64>,
    /// The ways to count bars, likeliest first.
    ways: Vec<Count>,
    bars: Bars,
}

impl Counted {
    /// How likely bars begin where they are said to, if the beats are right.
    fn bars_sure(&self) -> f32 {
        /// Bars of five or seven, and beds of a few bars, which the choice knows nothing of.
        const UNKNOWN: f32 = 0.5;
        self.ways.first().filter(|way| way.metre == self.bars.metre as usize).map_or(UNKNOWN, |way| way.likelihood)
    }
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
        grid.beat_confidence = likeliest.likelihood;
        // Where beats are wrong, bars are.
        grid.bar_confidence = likeliest.likelihood * best.bars_sure();
        (grid, opinions)
    }

    /// Beats in bars, by what the network says and by how the beats sound.
    fn count(&self, beats_s: Vec<f64>) -> Counted {
        let ways = choice::counts(&beats_s, self.heard, self.inputs);
        Counted { bars: metre::walk(&self.odds(&beats_s), ways.first().map(|way| (way.metre, way.first))), beats_s, ways }
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
        let bars_sure = best.bars_sure();
        let by_bars = best.ways.iter().skip(1).enumerate().filter_map(|(k, way)| {
            let (metre, first) = best.ways.first().map(|best| (best.metre, best.first))?;
            let correction = if way.metre == metre {
                let by = (way.first + metre - first) % metre;
                Correction::ShiftBars { beats: if by > metre / 2 { by as i32 - metre as i32 } else { by as i32 } }
            } else if best.ways[1..=k].iter().all(|likelier| likelier.metre != way.metre) {
                Correction::Metre { beats: way.metre as u32 }
            } else {
                return None;
            };
            Some(SecondOpinion { correction, tempo_bpm, metre: way.metre as u32, likelihood: way.likelihood / (way.likelihood + bars_sure) })
        });
        let mut all: Vec<SecondOpinion> = by_level.chain(by_bars).filter(|o| o.likelihood >= LEAST_LIKELIHOOD).collect();
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

impl Recount for Counter<'_> {
    fn near(&self, bpm: f64, taps_s: &[f64]) -> Option<Grid> {
        let path = beats::path_near(self.heard, self.span, bpm, taps_s)?;
        // Who taps says how the tempo moves.
        let path = if taps_s.is_empty() { beats::to_a_clock(path, self.heard, self.span) } else { path };
        Some(self.grid(&self.count(path.beats_s)))
    }

    fn in_bars_of(&self, grid: Grid, beats: u32) -> Grid {
        let told = choice::counts(&grid.beats_s, self.heard, self.inputs).into_iter().find(|way| way.metre == beats as usize);
        let odds = self.odds(&grid.beats_s);
        let bars = told.map_or_else(|| metre::only(&odds, beats as usize), |way| metre::only_from(&odds, way.metre, way.first));
        Grid { metre: beats, downbeats: bars.downbeats, ..grid }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_units::SAMPLE_RATE_HZ;

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
}
