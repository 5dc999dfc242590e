//! Which level of the pulse is the beat: of the ways in which a bed could be counted (half, same and double tempo,
//! thirds, on the beat or off it) the one that people would count.
//!
//! The right beats are nearly always among the paths that are found anyway, their halves and doubles, and the places
//! half-way between. What decides is what the network hears there: a snare on every other beat, a bass drum and a bass
//! note on the beat, chords that change on beats and not between them. A softmax over a few numbers of each candidate,
//! fitted by `tools/reading/level.py`, makes likelihoods of that, and thereby second opinions and how sure the choice is.

mod weights;

use super::activations::{Activations, INPUTS, frame_of};
use super::beats::{self, BeatPath, even_odds, log_odds};
use super::metre::choice::{self, Count};
use super::metre::distance;
use super::network::likelihoods;
use super::spectra::MEL_BANDS;
use jaunty_units::units::mean;
use weights::{MEAN, SCALE, WEIGHTS};

/// Numbers that describe a candidate.
pub const FEATURES: usize = 30;

/// A way to count a bed.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// Beats in seconds, rising.
    pub beats_s: Vec<f64>,
    /// What speaks for and against it.
    pub features: [f32; FEATURES],
    /// How likely people would count it so, 0 to 1; all candidates sum to 1.
    pub likelihood: f32,
}

/// Slowest and fastest beat that anybody counts.
const RANGE_BPM: std::ops::Range<f64> = 36.0..240.0;

/// The ways in which what was `heard` could be counted, likeliest first. `inputs` are those of the network, `span` the
/// onset frames that hold music.
pub fn candidates(heard: &Activations, inputs: &[f32], span: (usize, usize)) -> Vec<Candidate> {
    let ways = ways(beats::paths(heard, span), heard, span);
    let evidence = Evidence::of(heard, inputs);
    let candidate = |beats_s: Vec<f64>| Candidate { features: evidence.features(&beats_s, &choice::counts(&beats_s, heard, inputs)), beats_s, likelihood: 0.0 };
    let mut all: Vec<Candidate> = ways.into_iter().map(candidate).collect();
    let best = all.iter().map(|c| c.features[SCORE]).fold(f32::MIN, f32::max);
    for candidate in &mut all {
        candidate.features[SCORE_BEHIND] = (candidate.features[SCORE] - best) / best.abs().max(0.3);
    }
    let points: Vec<f32> = all.iter().map(|c| points(&c.features)).collect();
    for (candidate, likelihood) in all.iter_mut().zip(likelihoods(&points)) {
        candidate.likelihood = likelihood;
    }
    all.sort_by(|a, b| b.likelihood.total_cmp(&a.likelihood));
    all
}

fn points(features: &[f32; FEATURES]) -> f32 {
    (0..FEATURES).map(|k| WEIGHTS[k] * ((features[k] - MEAN[k]) / SCALE[k]).clamp(-4.0, 4.0)).sum()
}

/// The paths and what can be made of them, each once.
fn ways(paths: Vec<BeatPath>, heard: &Activations, span: (usize, usize)) -> Vec<Vec<f64>> {
    /// Paths of which halves and doubles are worth a look.
    const HALVED: usize = 5;
    let mut paths = paths;
    paths.sort_by(|a, b| b.score.total_cmp(&a.score));
    let paths: Vec<Vec<f64>> = paths.into_iter().map(|path| beats::to_a_clock(path, heard, span).beats_s).collect();
    let every = |beats: &[f64], step: usize, from: usize| beats.iter().skip(from).step_by(step).copied().collect::<Vec<f64>>();
    let mut all = paths.clone();
    for (k, path) in paths.iter().enumerate().take(HALVED) {
        all.push(parted(path, 2));
        all.extend((0..2).map(|from| every(path, 2, from)));
        if k == 0 {
            all.push(parted(path, 3));
            all.extend((0..3).map(|from| every(path, 3, from)));
        }
    }
    let between: Vec<Vec<f64>> = all.iter().map(|beats| beats.windows(2).map(|w| (w[0] + w[1]) / 2.0).collect()).collect();
    all.extend(between);
    let mut chosen: Vec<Vec<f64>> = Vec::new();
    for beats in all {
        if beats.len() > 3 && RANGE_BPM.contains(&beats::tempo(&beats)) && !chosen.iter().any(|other| same(other, &beats)) {
            chosen.push(beats);
        }
    }
    chosen
}

/// Each beat in so many equal parts.
fn parted(beats: &[f64], parts: usize) -> Vec<f64> {
    let inside = beats.windows(2).flat_map(|w| (0..parts).map(move |k| w[0] + (w[1] - w[0]) * k as f64 / parts as f64));
    inside.chain(beats.last().copied()).collect()
}

/// Whether two ways to count are the same to a listener: one tempo, and nine in ten beats together.
pub fn same(a: &[f64], b: &[f64]) -> bool {
    const TOGETHER_S: f64 = 0.04;
    let near = |a: &[f64], b: &[f64]| {
        let found = a.iter().filter(|s| {
            let k = b.partition_point(|t| t < s);
            [k.checked_sub(1), Some(k)].into_iter().flatten().filter_map(|k| b.get(k)).any(|t| (t - *s).abs() < TOGETHER_S)
        });
        found.count() as f64 > 0.9 * a.len() as f64
    };
    (beats::tempo(a) / beats::tempo(b)).ln().abs() < 0.04 && near(a, b) && near(b, a)
}

/// Places of the features that are made of others.
const SCORE: usize = 2;
const SCORE_BEHIND: usize = 3;

/// What was heard, a frame of the network each, the highest of each frame and its neighbours.
struct Evidence<'a> {
    beat: Vec<f32>,
    beat_odds: Vec<f32>,
    first_odds: Vec<f32>,
    kick: Vec<f32>,
    snare: Vec<f32>,
    bass: Vec<f32>,
    chord: Vec<f32>,
    attack: Vec<f32>,
    /// Chords, cymbals and attacks before each frame.
    chords_until: Vec<f32>,
    cymbals_until: Vec<f32>,
    attacks_until: Vec<f32>,
    inputs: &'a [f32],
}

impl<'a> Evidence<'a> {
    fn of(heard: &Activations, inputs: &'a [f32]) -> Self {
        let odds = |values: &[f32]| {
            let even = even_odds(values, 0.5);
            values.iter().map(|p| log_odds(*p) - even).collect::<Vec<f32>>()
        };
        Self {
            beat: highest(&heard.beat, 1),
            beat_odds: highest(&odds(&heard.beat), 1),
            first_odds: highest(&odds(&heard.downbeat), 2),
            kick: highest(&heard.kick, 1),
            snare: highest(&heard.snare, 1),
            bass: highest(&heard.bass, 1),
            chord: highest(&heard.chord, 1),
            attack: highest(&heard.attack, 1),
            chords_until: counted(&heard.chord),
            cymbals_until: counted(&heard.cymbal),
            attacks_until: counted(&heard.attack),
            inputs,
        }
    }

    /// The numbers of a candidate but for how far it falls behind the best.
    fn features(&self, beats_s: &[f64], counts: &[Count]) -> [f32; FEATURES] {
        let duration_s = (beats_s[beats_s.len() - 1] - beats_s[0]).max(1.0) as f32;
        let octaves = (beats::tempo(beats_s) / 110.0).log2() as f32;
        let between = |share: f64| beats_s.windows(2).map(|w| w[0] + share * (w[1] - w[0])).collect::<Vec<f64>>();
        let (half, third, last_third) = (between(0.5), between(1.0 / 3.0), between(2.0 / 3.0));
        let mean_at = |values: &[f32], times: &[f64]| mean(times.iter().map(|s| at(values, *s)));
        let alternation = |values: &[f32], places: usize| alternation_of(&beats_s.iter().map(|s| at(values, *s)).collect::<Vec<f32>>(), places);
        let beat_odds: Vec<f32> = beats_s.iter().map(|s| at(&self.beat_odds, *s)).collect();
        let first_odds: Vec<f32> = beats_s.iter().map(|s| at(&self.first_odds, *s)).collect();
        let of_bars = |bar: usize| (0..bar).map(move |first| (bar, first));
        let bars = (2..=4).flat_map(of_bars).map(|(bar, first)| first_odds.iter().skip(first).step_by(bar).sum::<f32>()).fold(f32::MIN, f32::max);
        let rate = |until: &[f32]| {
            let frame = |s: f64| (frame_of(s).max(0.0) as usize).min(until.len() - 1);
            (until[frame(beats_s[beats_s.len() - 1])] - until[frame(beats_s[0])]) / (beats_s.len() - 1) as f32
        };
        let harmony = |from: usize| self.changes(beats_s, from);
        let (bass_changes, chroma_changes) = (harmony(INPUTS - 12), harmony(INPUTS - 24));
        let on_beats = |changes: &[f32]| {
            let (on, off) = (mean(changes.iter().step_by(2).copied()), mean(changes.iter().skip(1).step_by(2).copied()));
            (on - off) / (0.5 * (on + off)).max(1e-3)
        };
        let every_other = |changes: &[f32]| {
            let on: Vec<f32> = changes.iter().step_by(2).copied().collect();
            alternation_of(&on, 2) / mean(on.iter().copied()).max(1e-3)
        };
        let attacks = rate(&self.attacks_until);
        [
            octaves,
            octaves * octaves,
            (beat_odds.iter().sum::<f32>() + bars) / duration_s,
            0.0,
            beat_odds.iter().map(|o| o.max(0.0)).sum::<f32>() / duration_s,
            mean(first_odds.iter().map(|o| f32::from(u8::from(*o > 0.0)))),
            mean_at(&self.beat, beats_s),
            mean_at(&self.beat, &half),
            mean_at(&self.beat, &third).max(mean_at(&self.beat, &last_third)),
            mean_at(&self.snare, beats_s),
            mean_at(&self.snare, &half),
            alternation(&self.snare, 2),
            alternation(&self.snare, 4) - alternation(&self.snare, 2),
            mean_at(&self.kick, beats_s),
            mean_at(&self.kick, &half),
            alternation(&self.kick, 2),
            mean_at(&self.bass, beats_s) - mean_at(&self.bass, &half),
            mean_at(&self.chord, beats_s) - mean_at(&self.chord, &half),
            rate(&self.chords_until),
            rate(&self.cymbals_until),
            attacks,
            attacks * attacks,
            mean_at(&self.attack, &third).max(mean_at(&self.attack, &last_third)) - mean_at(&self.attack, &half),
            on_beats(&bass_changes),
            every_other(&bass_changes),
            on_beats(&chroma_changes),
            counts.first().map_or(0.0, |way| way.points),
            counts.first().map_or(0.0, |way| way.likelihood),
            counts.iter().filter(|way| way.metre == 3).map(|way| way.likelihood).sum(),
            counts.iter().filter(|way| way.metre == 2).map(|way| way.likelihood).sum(),
        ]
    }

    /// How far the twelve classes that begin at column `from` move into each half beat: on the beats in the even
    /// places, between them in the odd ones.
    fn changes(&self, beats_s: &[f64], from: usize) -> Vec<f32> {
        let halves = parted(beats_s, 2);
        let frames = self.inputs.len() / INPUTS;
        let means: Vec<[f32; 12]> = halves
            .windows(2)
            .map(|w| {
                let first = (frame_of(w[0]).round().max(0.0) as usize).min(frames - 1);
                let last = (frame_of(w[1]).round().max(0.0) as usize).clamp(first + 1, frames.max(first + 1));
                let mut sum = [0.0; 12];
                for frame in first..last.min(frames) {
                    let row = &self.inputs[frame * INPUTS + from..][..12];
                    sum.iter_mut().zip(row).for_each(|(s, v)| *s += v / (last - first) as f32);
                }
                sum
            })
            .collect();
        // The first beat has nothing before it.
        means.windows(2).map(|w| distance(&w[0], &w[1])).skip(1).collect()
    }
}

const _: () = assert!(INPUTS == 2 * MEL_BANDS + 24, "the classes of chords and bass are the last of the inputs");

fn at(values: &[f32], second: f64) -> f32 {
    let frame = frame_of(second).round();
    if frame < 0.0 { 0.0 } else { values.get(frame as usize).copied().unwrap_or(0.0) }
}

/// How much one place of so many stands out: the highest mean of a place less the mean of the others.
fn alternation_of(values: &[f32], places: usize) -> f32 {
    let means: Vec<f32> = (0..places).map(|k| mean(values.iter().skip(k).step_by(places).copied())).collect();
    let highest = means.iter().copied().fold(f32::MIN, f32::max);
    highest - (means.iter().sum::<f32>() - highest) / (places - 1) as f32
}

/// The highest of each value and its neighbours.
fn highest(values: &[f32], reach: usize) -> Vec<f32> {
    let around = |k: usize| values[k.saturating_sub(reach)..(k + reach + 1).min(values.len())].iter().copied().fold(f32::MIN, f32::max);
    (0..values.len()).map(around).collect()
}

/// How many peaks lie before each frame, each counted as much as it is likely.
fn counted(values: &[f32]) -> Vec<f32> {
    let mut sum = 0.0;
    let mut all = Vec::with_capacity(values.len() + 1);
    all.push(0.0);
    for (k, value) in values.iter().enumerate() {
        let (before, after) = (k.checked_sub(1).map_or(0.0, |j| values[j]), values.get(k + 1).copied().unwrap_or(0.0));
        if *value >= before && *value > after && *value > 0.1 {
            sum += value;
        }
        all.push(sum);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halves_doubles_and_off_beats_are_among_the_ways_each_once() {
        let heard = {
            let mut beat = vec![0.01; 3000];
            (0..60).for_each(|k| beat[25 + 50 * k] = 0.9);
            Activations::of_beats(beat, vec![0.01; 3000])
        };
        let all = candidates(&heard, &vec![0.0; 3000 * INPUTS], (0, 6000));
        let of_tempo = |bpm: f64| all.iter().filter(|c| (beats::tempo(&c.beats_s) / bpm).ln().abs() < 0.02).count();
        assert!(of_tempo(60.0) == 2 && of_tempo(120.0) >= 1, "on and off the beat, and twice as many");
        assert!((all.iter().map(|c| c.likelihood).sum::<f32>() - 1.0).abs() < 1e-3);
        assert!(all.windows(2).all(|w| w[0].likelihood >= w[1].likelihood && !same(&w[0].beats_s, &w[1].beats_s)));
    }

    #[test]
    fn a_place_that_stands_out_is_told_by_how_much() {
        assert_eq!(alternation_of(&[0.0, 1.0, 0.0, 1.0], 2), 1.0);
        assert_eq!(alternation_of(&[0.5; 12], 4), 0.0);
        assert_eq!(counted(&[0.0, 0.5, 0.0, 0.0, 0.25, 0.0]), [0.0, 0.0, 0.5, 0.5, 0.5, 0.75, 0.75]);
    }
}
