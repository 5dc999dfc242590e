//! Tempo and beats.
//!
//! Beats are the best path through (time, interval): each beat earns how likely the network holds
//! it (its log-odds), and the interval may change a little from beat to beat. This is the dynamic
//! program of Ellis (J. New Music Research 36(1), 2007) with the interval as a second state, as in
//! the tempo-and-phase models of Krebs, Boeck and Widmer (ISMIR 2015), so that drift is followed.
//! A few tempi are tried, and each gives a path: half and double tempo are weighed against each
//! other over the whole piece, together with the bars that they allow. The path and what is done to it afterwards
//! stand in one file: each counts on how the other counts frames.

use super::activations::{Activations, frame_of, second_of};
use super::spectra::{ONSET_FRAMES_PER_S, percentile};

/// Slowest and fastest tempo considered, in beats a minute.
const TEMPO_RANGE_BPM: (f64, f64) = (40.0, 220.0);

/// Beats in seconds, rising, and how well they explain what the network heard.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct BeatPath {
    /// Beats.
    pub beats_s: Vec<f64>,
    /// Sum of the log-odds of the beats, less what changes of tempo cost.
    pub score: f32,
}

/// The best path of each likely tempo within `span` (onset frames that hold music).
pub fn paths(heard: &Activations, span: (usize, usize)) -> Vec<BeatPath> {
    let Some(probability) = probabilities(heard, span) else { return Vec::new() };
    let odds = odds(&probability);
    candidates(&probability).into_iter().map(|near| path(&odds, near, span)).collect()
}

/// The best grid of one unchanging tempo near that of `path`, where that explains nearly as much.
///
/// Much music is made to a clock. Where the network hears little, or off-beats louder than beats, a
/// free path slides off the beat within a few beats, hardly punished, and back much later.
pub fn to_a_clock(path: BeatPath, heard: &Activations, span: (usize, usize)) -> BeatPath {
    /// What a free path may explain more, in log-odds a beat. Of 146 pieces 69 lie below, of which one
    /// lost beats (it was wrong either way); 66 of the 84 that drift by more than 50 ms lie above 1.
    const FREEDOM: f32 = 0.5;
    let Some(probability) = probabilities(heard, span) else { return path };
    let odds = odds(&probability);
    let frames = in_frames(&path.beats_s, span.0);
    match steady(&odds, &frames) {
        Some((even, beats)) if earned(&odds, &frames) - even < FREEDOM * frames.len() as f32 => {
            BeatPath { beats_s: in_seconds(&extend(&beats, odds.len()), span.0), ..path }
        }
        _ => path,
    }
}

/// What beats at `frames` earn together.
fn earned(odds: &[f32], frames: &[usize]) -> f32 {
    frames.iter().filter_map(|k| odds.get(*k)).sum()
}

/// Seconds as frames counted from `first`.
fn in_frames(beats_s: &[f64], first: usize) -> Vec<usize> {
    beats_s.iter().map(|s| ((s * ONSET_FRAMES_PER_S).round() as usize).saturating_sub(first)).collect()
}

/// Frames counted from `first` in seconds.
fn in_seconds(frames: &[usize], first: usize) -> Vec<f64> {
    frames.iter().map(|k| (k + first) as f64 / ONSET_FRAMES_PER_S).collect()
}

/// What a beat in each frame earns.
fn odds(probability: &[f32]) -> Vec<f32> {
    let even = even_odds(probability, 0.5);
    probability.iter().map(|p| log_odds(*p) - even).collect()
}

/// The best path near a tempo, through where somebody tapped.
///
/// Somebody who taps beside every beat that is heard, always by as much, hears another pulse of the
/// same tempo: the whole path is moved there. Else the path is drawn to the taps where they are.
pub fn path_near(heard: &Activations, span: (usize, usize), bpm: f64, taps_s: &[f64]) -> Option<BeatPath> {
    /// What a tap adds to the odds: more than any doubt of the network.
    const TAPPED: f32 = 8.0;
    /// How far from the beat people tap, in onset frames (common practice: some 30 ms).
    const TAP_REACH: f64 = 4.0;
    let probability = probabilities(heard, span)?;
    // Every beat earns something, so that the path goes on where the network hears none.
    let mut odds: Vec<f32> = probability.iter().map(|p| log_odds(*p) - log_odds(0.0) + 0.5).collect();
    let near = Intervals::around(60.0 * ONSET_FRAMES_PER_S / bpm, 1, odds.len());
    let heard_alone = path(&odds, near, span);
    if let Some(share) = tapped_beside(&heard_alone.beats_s, taps_s) {
        let moved = heard_alone.beats_s.windows(2).map(|w| w[0] + share * (w[1] - w[0])).filter(|s| *s >= 0.0);
        return Some(BeatPath { beats_s: moved.collect(), ..heard_alone });
    }
    for tap in taps_s {
        let middle = tap * ONSET_FRAMES_PER_S - span.0 as f64;
        let around = (middle - 3.0 * TAP_REACH).max(0.0) as usize..((middle + 3.0 * TAP_REACH).max(0.0) as usize).min(odds.len());
        for k in around {
            odds[k] += TAPPED * (-0.5 * ((k as f64 - middle) / TAP_REACH).powi(2)).exp() as f32;
        }
    }
    Some(path(&odds, near, span))
}

/// How far beside the beats somebody tapped all the time, as a share of a beat from -0.5 to 0.5;
/// `None` for on them, for here and there, and for hardly at all.
fn tapped_beside(beats_s: &[f64], taps_s: &[f64]) -> Option<f64> {
    /// Taps on the beat come up to this share early or late (common practice: some 50 ms).
    const ON: f64 = 0.1;
    /// The mean of the taps' places on the circle of a beat lies as far out: a spread of some 0.07 of a beat.
    const TOGETHER: f64 = 0.9;
    let places: Vec<f64> = taps_s
        .iter()
        .filter_map(|tap| {
            let next = beats_s.partition_point(|b| b <= tap);
            let (before, after) = (beats_s.get(next.checked_sub(1)?)?, beats_s.get(next)?);
            Some(std::f64::consts::TAU * (tap - before) / (after - before))
        })
        .collect();
    let mean = |of: fn(f64) -> f64| places.iter().map(|p| of(*p)).sum::<f64>() / places.len().max(1) as f64;
    let (x, y) = (mean(f64::cos), mean(f64::sin));
    let share = y.atan2(x) / std::f64::consts::TAU;
    (places.len() >= 4 && x.hypot(y) > TOGETHER && share.abs() > ON).then_some(share)
}

/// Of a beat in each onset frame of `span`; `None` for less than two seconds, the least in which a
/// pulse can show.
fn probabilities(heard: &Activations, (from, to): (usize, usize)) -> Option<Vec<f32>> {
    let enough = to.saturating_sub(from) >= (2.0 * ONSET_FRAMES_PER_S) as usize;
    enough.then(|| (from..to).map(|k| interpolate(&heard.beat, frame_of(k as f64 / ONSET_FRAMES_PER_S))).collect())
}

fn path(odds: &[f32], near: Intervals, (from, to): (usize, usize)) -> BeatPath {
    let (score, path) = best_path(odds, near);
    BeatPath { beats_s: in_seconds(&extend(&path, to - from), from), score }
}

/// The best grid of one unchanging tempo near that of `path`, over the same stretch, and what it earns.
fn steady(odds: &[f32], path: &[usize]) -> Option<(f32, Vec<usize>)> {
    /// How far the tempo may be from the path's.
    const NEAR: f64 = 0.015;
    if path.len() < 9 {
        return None;
    }
    let (first, last) = (path[0], path[path.len() - 1]);
    let mut steps: Vec<usize> = path.windows(9).map(|w| w[8] - w[0]).collect();
    steps.sort_unstable();
    let typical = steps[steps.len() / 2] as f64 / 8.0;
    let beats = |begin: f64, interval: f64| {
        let all = (0..).map(move |n| (begin + f64::from(n) * interval + 0.5) as usize);
        all.take_while(move |at| *at <= last + 4)
    };
    let score = |begin: f64, interval: f64| beats(begin, interval).filter_map(|at| odds.get(at)).sum::<f32>();
    let mut best = (f32::NEG_INFINITY, 0.0, 0.0);
    let mut consider = |begin: f64, interval: f64| {
        let value = score(begin, interval);
        if value > best.0 {
            best = (value, begin, interval);
        }
        best
    };
    // Tempi so close that the last beat moves by three frames, then finer about the best.
    let step = 3.0 / (last - first) as f64;
    let count = (NEAR / step).ceil() as i64;
    let mut found = (0.0, 0.0, 0.0);
    for k in -count..=count {
        for phase in (0..typical.ceil() as usize).step_by(2) {
            let (value, begin, interval) = consider((first + phase) as f64 - typical / 2.0, typical * (1.0 + step * k as f64));
            found = (f64::from(value), begin, interval);
        }
    }
    let (_, begin, interval) = found;
    for k in -3..=3 {
        for phase in -2..=2 {
            consider(begin + f64::from(phase), interval * (1.0 + step / 4.0 * f64::from(k)));
        }
    }
    let (score, begin, interval) = best;
    Some((score, beats(begin.max(0.0), interval).filter(|at| *at < odds.len()).collect()))
}

/// The log-odds above which something counts: `share` as likely as the likely peaks are. Where the
/// network is unsure of everything, what it holds likeliest still tells.
pub fn even_odds(probability: &[f32], share: f32) -> f32 {
    let peaks: Vec<f32> = probability.windows(3).filter(|w| w[1] >= w[0] && w[1] > w[2] && w[1] > 0.02).map(|w| w[1]).collect();
    log_odds(share * percentile(&peaks, 0.9)).clamp(-3.0, 0.0)
}

/// Logarithm of the odds, bounded: nothing is impossible to a network.
pub fn log_odds(probability: f32) -> f32 {
    let p = probability.clamp(0.002, 0.998);
    (p / (1.0 - p)).ln()
}

/// A signal between its frames.
pub fn interpolate(values: &[f32], at: f64) -> f32 {
    let Some(last) = values.len().checked_sub(1) else { return 0.0 };
    let at = at.clamp(0.0, last as f64);
    let k = at as usize;
    let share = (at - k as f64) as f32;
    values[k] + share * (values[(k + 1).min(last)] - values[k])
}

/// The beat intervals considered, in onset frames: `count` from `first` on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Intervals {
    first: usize,
    count: usize,
}

impl Intervals {
    /// What lies within a sixth of `middle` frames, bounded.
    fn around(middle: f64, least: usize, most: usize) -> Self {
        let first = ((middle * (1.0 - DRIFT)) as usize).max(least).max(1);
        let last = ((middle * (1.0 + DRIFT)).ceil() as usize).min(most).max(first);
        Self { first, count: last - first + 1 }
    }

    fn frames(self, index: usize) -> usize {
        self.first + index
    }
}

/// Tempi that are tried, each with what lies within a sixth of it: a piece may drift, but a jump
/// from one level of the pulse to another in mid-piece is the commonest mistake of one free path.
const CANDIDATES: usize = 7;
const DRIFT: f64 = 1.0 / 6.0;

/// The intervals around the highest peaks of the autocorrelation at an interval and its double.
fn candidates(probability: &[f32]) -> Vec<Intervals> {
    let frames_at = |bpm: f64| 60.0 * ONSET_FRAMES_PER_S / bpm;
    let (shortest, longest) = (frames_at(TEMPO_RANGE_BPM.1).floor() as usize, frames_at(TEMPO_RANGE_BPM.0).ceil() as usize);
    let mean = probability.iter().sum::<f32>() / probability.len() as f32;
    // At half the rate, which the lags do not need: it quarters the work.
    let centred: Vec<f32> = probability.chunks(2).map(|c| c.iter().sum::<f32>() / c.len() as f32 - mean).collect();
    let lag = |frames: usize| -> f32 { centred.iter().zip(centred.get(frames..).unwrap_or(&[])).map(|(a, b)| a * b).sum() };
    let lags: Vec<f32> = (0..=longest + 2).map(lag).collect();
    let salience: Vec<f32> = (shortest..=longest).map(|frames| lags[frames / 2].max(lags[frames.div_ceil(2)]) + 0.6 * lags[frames]).collect();
    let is_peak = |&k: &usize| (k == 0 || salience[k - 1] <= salience[k]) && (k + 1 == salience.len() || salience[k + 1] < salience[k]);
    let mut peaks: Vec<usize> = (0..salience.len()).filter(is_peak).collect();
    peaks.sort_by(|&a, &b| salience[b].total_cmp(&salience[a]));
    let mut chosen: Vec<Intervals> = Vec::new();
    let mut middles: Vec<f64> = Vec::new();
    for peak in peaks {
        let middle = (shortest + peak) as f64;
        if chosen.len() == CANDIDATES || middles.iter().any(|m| (m / middle).ln().abs() < 0.08) {
            continue;
        }
        chosen.push(Intervals::around(middle, shortest, longest));
        middles.push(middle);
    }
    chosen
}

/// What a change of interval costs.
///
/// One frame either way is nearly free: an interval of 45.5 frames has to be played as 45 and 46
/// in turn, and must not lose against a wrong one that happens to be whole.
fn change_cost(before: usize, now: usize) -> f32 {
    let frames = before.abs_diff(now);
    let beyond = frames.saturating_sub(1) as f32 / now as f32;
    0.05 * frames.min(1) as f32 + 700.0 * beyond * beyond
}

/// Intervals that one beat may differ from the last.
const CHANGE_REACH: usize = 6;

/// The best beats through the odds, in frames, and their score.
fn best_path(odds: &[f32], intervals: Intervals) -> (f32, Vec<usize>) {
    let (count, len) = (intervals.count, odds.len());
    // score[index * len + k]: best path with a beat at frame k whose last interval is `index`.
    let mut score = vec![0.0f32; count * len];
    let costs: Vec<[f32; 2 * CHANGE_REACH + 1]> =
        (0..count).map(|index| std::array::from_fn(|k| change_cost(intervals.frames(index) + k, intervals.frames(index) + CHANGE_REACH))).collect();
    let near = |index: usize| index.saturating_sub(CHANGE_REACH)..(index + CHANGE_REACH + 1).min(count);
    let cost = |index: usize, before: usize| costs[index][before + CHANGE_REACH - index];
    // No beat follows another within the shortest interval: so many frames depend on earlier ones only, and a loop over
    // them runs over neighbours.
    let together = intervals.frames(0);
    let mut top = vec![0.0f32; together];
    for from in (0..len).step_by(together) {
        let here = from..(from + together).min(len);
        for index in 0..count {
            // A path may begin anywhere.
            let top = &mut top[..here.len()];
            top.fill(0.0);
            let skip = intervals.frames(index).saturating_sub(from).min(here.len());
            let back = (from + skip).saturating_sub(intervals.frames(index));
            for before in near(index) {
                let cost = cost(index, before);
                for (top, value) in top[skip..].iter_mut().zip(&score[before * len + back..]) {
                    let value = value - cost;
                    *top = if value > *top { value } else { *top };
                }
            }
            let cells = &mut score[index * len + here.start..index * len + here.end];
            cells.iter_mut().zip(top).zip(&odds[here.clone()]).for_each(|((cell, top), odds)| *cell = *top + odds);
        }
    }
    let Some(best) = (0..count * len).max_by(|&a, &b| score[a].total_cmp(&score[b]).then((b % len).cmp(&(a % len)))) else { return (0.0, Vec::new()) };
    let (mut index, mut k) = (best / len, best % len);
    let mut beats = vec![k];
    while let Some(back) = k.checked_sub(intervals.frames(index)) {
        let value = |before: usize| score[before * len + back] - cost(index, before);
        let Some(before) = near(index).max_by(|&a, &b| value(a).total_cmp(&value(b)).then(b.cmp(&a))).filter(|b| value(*b) > 0.0) else { break };
        (index, k) = (before, back);
        beats.push(k);
    }
    beats.reverse();
    (score[best], beats)
}

/// Adds beats at either end while a whole interval fits.
fn extend(beats: &[usize], len: usize) -> Vec<usize> {
    let mut all = beats.to_vec();
    if beats.len() < 3 {
        return all;
    }
    // The mean of some intervals: one alone is rounded to a frame.
    let some = 8.min(beats.len() - 1);
    let first = (beats[some] - beats[0]) as f64 / some as f64;
    let last = (beats[beats.len() - 1] - beats[beats.len() - 1 - some]) as f64 / some as f64;
    let (begin, end) = (beats[0] as f64, beats[beats.len() - 1] as f64);
    let earlier = (1..).map(|k| begin - f64::from(k) * first).take_while(|at| *at > -3.0).map(|at| at.round().max(0.0) as usize);
    let before: Vec<usize> = earlier.collect();
    all.splice(0..0, before.into_iter().rev());
    all.extend((1..).map(|k| end + f64::from(k) * last).take_while(|at| *at < len as f64).map(|at| at.round() as usize));
    all
}

/// Moves each beat to where the network hears its middle, as fine as a few milliseconds.
pub fn refine(beats_s: &[f64], heard: &[f32]) -> Vec<f64> {
    let mut last = -1.0f64;
    let one = |&second: &f64| {
        // As many beats as came in, and rising: the bars count them.
        last = middle(heard, second).max(last + 0.001).max(0.0);
        last
    };
    steadied(&beats_s.iter().map(one).collect::<Vec<f64>>())
}

/// Moves each beat most of the way to the straight line through its neighbours: single beats are
/// heard a few milliseconds off, a tempo is not. A neighbour that lies off the line counts less
/// (Cauchy's weight), so that a real change of tempo stays where it is.
fn steadied(beats_s: &[f64]) -> Vec<f64> {
    const REACH: usize = 3;
    const SHARE: f64 = 0.6;
    const OFF_S: f64 = 0.02;
    let line = |points: &[(f64, f64)], weights: &[f64]| {
        let total: f64 = weights.iter().sum();
        let mean = |of: &dyn Fn(&(f64, f64)) -> f64| points.iter().zip(weights).map(|(p, w)| w * of(p)).sum::<f64>() / total;
        let (x, y) = (mean(&|p| p.0), mean(&|p| p.1));
        let (covariance, variance) = (mean(&|p| (p.0 - x) * (p.1 - y)), mean(&|p| (p.0 - x).powi(2)));
        let slope = covariance / variance.max(1e-12);
        (y - slope * x, slope)
    };
    let near = |k: usize| {
        let around = k.saturating_sub(REACH)..(k + REACH + 1).min(beats_s.len());
        let points: Vec<(f64, f64)> = around.map(|j| (j as f64 - k as f64, beats_s[j])).collect();
        if points.len() < 3 {
            return beats_s[k];
        }
        let (at, slope) = line(&points, &vec![1.0; points.len()]);
        let weights: Vec<f64> = points.iter().map(|p| 1.0 / (1.0 + ((p.1 - at - slope * p.0) / OFF_S).powi(2))).collect();
        line(&points, &weights).0
    };
    let mut last = -1.0f64;
    let moved = |k: usize| {
        last = ((1.0 - SHARE) * beats_s[k] + SHARE * near(k)).max(last + 0.001).max(0.0);
        last
    };
    (0..beats_s.len()).map(moved).collect()
}

/// The network learned to mark the attack, which comes this much after a note begins.
const ATTACK_S: f64 = 0.004;

/// The middle of what the network hears around a time.
fn middle(heard: &[f32], second: f64) -> f64 {
    const REACH: usize = 2;
    let near = frame_of(second).round().max(0.0) as usize;
    let around = near.saturating_sub(REACH)..(near + REACH + 1).min(heard.len());
    let Some(peak) = around.max_by(|&a, &b| heard[a].total_cmp(&heard[b])) else { return second };
    // A flat stretch has no middle to speak of.
    if heard[peak] < 0.05 {
        return second;
    }
    let (mut sum, mut total) = (0.0, 0.0);
    for (k, &heard) in heard.iter().enumerate().take(peak + REACH + 1).skip(peak.saturating_sub(REACH)) {
        let weight = f64::from(heard).powi(2);
        sum += weight * second_of(k as f64);
        total += weight;
    }
    sum / total - ATTACK_S
}

/// Median tempo in beats a minute; 0 for less than two beats.
pub fn tempo(beats_s: &[f64]) -> f64 {
    if beats_s.len() < 2 {
        return 0.0;
    }
    // Over four beats at a time, which takes the jitter of single beats out.
    let span = 4.min(beats_s.len() - 1);
    let mut steps: Vec<f64> = beats_s.windows(span + 1).map(|w| (w[span] - w[0]) / span as f64).collect();
    steps.sort_by(f64::total_cmp);
    60.0 / steps[steps.len() / 2]
}

#[cfg(test)]
mod tests;
