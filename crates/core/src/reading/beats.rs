//! Tempo and beats.
//!
//! Beats are the best path through (time, interval): a beat is rewarded by the onset strength
//! under it and charged for strong onsets that fall between two beats; the interval may change a
//! little from beat to beat. This is the dynamic program of Ellis (J. New Music Research 36(1),
//! 2007) with the interval as a second state, as in the tempo-and-phase models of Krebs, Boeck
//! and Widmer (ISMIR 2015), so that drift is followed and half or double tempo are weighed
//! against each other over the whole piece.

use super::spectra::{ONSET_FRAMES_PER_S, OnsetSpectra, RATE_HZ};

/// Slowest and fastest tempo considered, in beats a minute.
const TEMPO_RANGE_BPM: (f64, f64) = (46.0, 215.0);
/// Where people tap when nothing else decides, and how far in octaves they stray (cf. Moelants
/// 2002, "Preferred tempo reconsidered": about 120 BPM).
const PREFERRED_BPM: f64 = 112.0;
const PREFERRED_OCTAVES: f64 = 0.5;

/// The beats of a bed.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct BeatGrid {
    /// Beats in seconds, rising.
    pub beats_s: Vec<f64>,
    /// Median tempo; 0 without beats.
    pub tempo_bpm: f64,
    /// 0 to 1.
    pub confidence: f32,
}

/// Tracks the beats within `span` (onset frames that hold music).
pub fn track(onsets: &OnsetSpectra, mono: &[f32], span: (usize, usize)) -> BeatGrid {
    let (from, to) = span;
    // Two seconds is the least in which a pulse can show.
    if to.saturating_sub(from) < (2.0 * ONSET_FRAMES_PER_S) as usize {
        return BeatGrid::default();
    }
    let strength = strength(&onsets.flux[from..to]);
    if strength.iter().copied().fold(0.0, f32::max) < 0.2 {
        return BeatGrid::default();
    }
    let intervals = Intervals::new();
    let prior = intervals.prior(&strength);
    let (_, path) = candidates(&intervals, &prior)
        .into_iter()
        .map(|(near, prior)| best_path(&strength, &near, &prior))
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .unwrap_or_default();
    let beats: Vec<usize> = extend(&path, to - from);
    let confidence = confidence(&strength, &beats);
    let beats_s = refine(&beats.iter().map(|b| b + from).collect::<Vec<_>>(), &onsets.flux, mono);
    BeatGrid { tempo_bpm: tempo(&beats_s), beats_s, confidence }
}

/// Onset strength between 0 and about 1: the bands together, freed of their local mean, with the
/// bass counted double because pulses live there.
fn strength(flux: &[[f32; 3]]) -> Vec<f32> {
    let mean = |band: usize| flux.iter().map(|f| f[band]).sum::<f32>() / flux.len() as f32 + 1e-3;
    let means: [f32; 3] = std::array::from_fn(mean);
    let mixed: Vec<f32> = flux.iter().map(|f| 1.0 * f[0].min(20.0 * means[0]) + 1.2 * f[1] + 0.7 * f[2]).collect();
    let smooth = smooth3(&mixed);
    // Local level over 4 s: quiet passages count as much as loud ones.
    let half = (2.0 * ONSET_FRAMES_PER_S) as usize;
    let mut sums = vec![0.0f64; smooth.len() + 1];
    let mut squares = sums.clone();
    for (k, &x) in smooth.iter().enumerate() {
        sums[k + 1] = sums[k] + f64::from(x);
        squares[k + 1] = squares[k] + f64::from(x * x);
    }
    let overall = (squares[smooth.len()] / smooth.len() as f64).sqrt();
    (0..smooth.len())
        .map(|k| {
            let (a, b) = (k.saturating_sub(half), (k + half).min(smooth.len()));
            let count = (b - a) as f64;
            let mean = (sums[b] - sums[a]) / count;
            let deviation = ((squares[b] - squares[a]) / count - mean * mean).max(0.0).sqrt();
            let level = deviation.max(0.2 * overall).max(1e-4);
            let z = (f64::from(smooth[k]) - mean) / level;
            (z / 4.0).clamp(0.0, 1.0) as f32
        })
        .collect()
}

fn smooth3(values: &[f32]) -> Vec<f32> {
    (0..values.len())
        .map(|k| {
            let before = values[k.saturating_sub(1)];
            let after = values[(k + 1).min(values.len() - 1)];
            0.25 * before + 0.5 * values[k] + 0.25 * after
        })
        .collect()
}

/// The beat intervals considered, in onset frames.
struct Intervals {
    first: usize,
    count: usize,
}

impl Intervals {
    fn new() -> Self {
        let first = (60.0 * ONSET_FRAMES_PER_S / TEMPO_RANGE_BPM.1).floor() as usize;
        let last = (60.0 * ONSET_FRAMES_PER_S / TEMPO_RANGE_BPM.0).ceil() as usize;
        Self { first, count: last - first + 1 }
    }

    fn frames(&self, index: usize) -> usize {
        self.first + index
    }

    /// Logarithm of how much each interval is favoured: by the autocorrelation of the strength at
    /// it and its double, and by where people tap.
    fn prior(&self, strength: &[f32]) -> Vec<f32> {
        let mean = strength.iter().sum::<f32>() / strength.len() as f32;
        let centred: Vec<f32> = strength.iter().map(|x| x - mean).collect();
        let power: f32 = centred.iter().map(|x| x * x).sum::<f32>().max(1e-6);
        let lag = |frames: usize| -> f32 {
            if frames >= centred.len() {
                return 0.0;
            }
            centred.iter().zip(&centred[frames..]).map(|(a, b)| a * b).sum::<f32>() / power
        };
        let lags: Vec<f32> = (0..=4 * self.frames(self.count)).map(lag).collect();
        let around = |frames: usize| {
            let near = &lags[frames.saturating_sub(1)..(frames + 2).min(lags.len())];
            near.iter().copied().fold(0.0, f32::max)
        };
        (0..self.count)
            .map(|index| {
                let frames = self.frames(index);
                let salience = around(frames) + 0.6 * around(2 * frames) + 0.4 * around(4 * frames);
                let bpm = 60.0 * ONSET_FRAMES_PER_S / frames as f64;
                let octaves = (bpm / PREFERRED_BPM).log2() / PREFERRED_OCTAVES;
                (0.03 + salience.max(0.0)).ln() - 0.5 * (octaves * octaves) as f32
            })
            .collect()
    }
}

/// Tempi that are tried, each with what lies within a sixth of it: a piece may drift, but a jump
/// from one level of the pulse to another in mid-piece is the commonest mistake of one free path.
const CANDIDATES: usize = 6;
const DRIFT: f64 = 1.0 / 6.0;

/// The intervals around the highest peaks of the prior, with their part of it.
fn candidates(intervals: &Intervals, prior: &[f32]) -> Vec<(Intervals, Vec<f32>)> {
    let is_peak = |&k: &usize| (k == 0 || prior[k - 1] <= prior[k]) && (k + 1 == prior.len() || prior[k + 1] < prior[k]);
    let mut peaks: Vec<usize> = (0..prior.len()).filter(is_peak).collect();
    peaks.sort_by(|&a, &b| prior[b].total_cmp(&prior[a]));
    peaks.truncate(CANDIDATES);
    let around = |peak: usize| {
        let frames = intervals.frames(peak) as f64;
        let from = ((frames * (1.0 - DRIFT)) as usize).max(intervals.first) - intervals.first;
        let to = ((frames * (1.0 + DRIFT)).ceil() as usize - intervals.first + 1).min(prior.len());
        (Intervals { first: intervals.first + from, count: to - from }, prior[from..to].to_vec())
    };
    peaks.into_iter().map(around).collect()
}

/// What a change of interval costs.
///
/// One frame either way is nearly free: an interval of 45.5 frames has to be played as 45 and 46
/// in turn, and must not lose against a wrong one that happens to be whole.
fn change_cost(before: usize, now: usize) -> f32 {
    let frames = before.abs_diff(now);
    let beyond = frames.saturating_sub(1) as f32 / now as f32;
    0.02 * frames.min(1) as f32 + 900.0 * beyond * beyond
}

/// Intervals that one beat may differ from the last.
const CHANGE_REACH: usize = 5;

/// The best beats through the strength, in frames, and their score.
fn best_path(strength: &[f32], intervals: &Intervals, prior: &[f32]) -> (f32, Vec<usize>) {
    let len = strength.len();
    let peak: Vec<f32> = (0..len).map(|k| strength[k.saturating_sub(1)..(k + 2).min(len)].iter().copied().fold(0.0, f32::max)).collect();
    let on: Vec<f32> = (0..len).map(|k| (0.06 + 0.35 * peak[k] + 0.65 * strength[k]).ln()).collect();
    let mut off = vec![0.0f32; len + 1];
    for k in 0..len {
        off[k + 1] = off[k] + (1.0 - 0.94 * strength[k]).ln();
    }
    let weights: Vec<f32> = prior.iter().map(|p| 0.55 * p).collect();
    let count = intervals.count;
    // score[k * count + index]: best path with a beat at frame k whose last interval is `index`.
    let mut score = vec![f32::NEG_INFINITY; len * count];
    let mut from = vec![u16::MAX; len * count];
    let slowest = intervals.frames(count - 1);
    for k in 0..len {
        for index in 0..count {
            let frames = intervals.frames(index);
            let edge = (frames / 8).max(2);
            let slot = k * count + index;
            if k < frames {
                // A first beat may fall anywhere in the first interval; what is skipped is not free.
                if k < slowest {
                    score[slot] = on[k] + 0.5 * off[k.saturating_sub(edge)] + weights[index] - 0.3 * k as f32 / frames as f32;
                }
                continue;
            }
            let back = (k - frames) * count;
            let mut best = f32::NEG_INFINITY;
            let mut who = u16::MAX;
            for before in index.saturating_sub(CHANGE_REACH)..(index + CHANGE_REACH + 1).min(count) {
                let value = score[back + before] - change_cost(intervals.frames(before), frames);
                if value > best {
                    best = value;
                    who = before as u16;
                }
            }
            let quiet = off[k + 1 - edge] - off[(k - frames + edge).min(k + 1 - edge)];
            score[slot] = best + on[k] + quiet + weights[index];
            from[slot] = who;
        }
    }
    // Longer paths have more terms, so ends are compared within one slowest interval of the end.
    let mut best = (f32::NEG_INFINITY, 0, 0);
    for k in len.saturating_sub(slowest)..len {
        for index in 0..count {
            let rest = (len - k) as f32 / intervals.frames(index) as f32;
            let value = score[k * count + index] - rest * 1.5;
            if value > best.0 {
                best = (value, k, index);
            }
        }
    }
    let (total, mut k, mut index) = best;
    let mut beats = vec![k];
    loop {
        let who = from[k * count + index];
        if who == u16::MAX {
            break;
        }
        k -= intervals.frames(index);
        index = who as usize;
        beats.push(k);
    }
    beats.reverse();
    (total, beats)
}

/// Adds beats at either end while a whole interval fits.
fn extend(beats: &[usize], len: usize) -> Vec<usize> {
    let mut all = beats.to_vec();
    if beats.len() < 3 {
        return all;
    }
    let first = beats[1] - beats[0];
    while all[0] + 3 >= first {
        let earlier = all[0].saturating_sub(first);
        all.insert(0, earlier);
    }
    let last = beats[beats.len() - 1] - beats[beats.len() - 2];
    while all[all.len() - 1] + last < len {
        all.push(all[all.len() - 1] + last);
    }
    all
}

/// How much stronger the onsets on beats are than half-way between them, as 0 to 1.
fn confidence(strength: &[f32], beats: &[usize]) -> f32 {
    if beats.len() < 4 {
        return 0.0;
    }
    let near = |k: usize| strength[k.saturating_sub(3)..(k + 4).min(strength.len())].iter().copied().fold(0.0, f32::max);
    let on = beats.iter().map(|&b| near(b)).sum::<f32>() / beats.len() as f32;
    let between = beats.windows(2).map(|w| near((w[0] + w[1]) / 2)).sum::<f32>() / (beats.len() - 1) as f32;
    ((on - 0.7 * between) / 0.6).clamp(0.0, 1.0)
}

/// Moves each beat to the attack under it, as far as its neighbours agree.
fn refine(beats: &[usize], flux: &[[f32; 3]], mono: &[f32]) -> Vec<f64> {
    /// Attacks are sought this far on either side, in seconds.
    const REACH_S: f64 = 0.035;
    let envelope = AttackEnvelope::of(mono);
    let offsets: Vec<Option<f64>> = beats
        .iter()
        .map(|&beat| {
            let total: f32 = flux[beat.saturating_sub(2)..(beat + 3).min(flux.len())].iter().flatten().sum();
            (total > 0.02).then(|| envelope.attack_near(beat as f64 / ONSET_FRAMES_PER_S, REACH_S)).flatten()
        })
        .collect();
    let times: Vec<f64> = beats.iter().map(|&b| b as f64 / ONSET_FRAMES_PER_S).collect();
    let moved: Vec<f64> = (0..beats.len())
        .map(|k| {
            // The median of the neighbours' shifts follows a player's timing and ignores a lone grace note.
            let mut near: Vec<f64> = offsets[k.saturating_sub(4)..(k + 5).min(beats.len())].iter().flatten().copied().collect();
            if near.is_empty() {
                return times[k];
            }
            near.sort_by(f64::total_cmp);
            let common = near[near.len() / 2];
            let own = offsets[k].filter(|o| (o - common).abs() < 0.012).unwrap_or(common);
            (times[k] + 0.5 * own + 0.5 * common).max(0.0)
        })
        .collect();
    let mut rising = moved;
    rising.dedup_by(|b, a| *b <= *a);
    rising
}

/// Energy rise of the sound in steps of 1.5 ms.
pub struct AttackEnvelope {
    rise: Vec<f32>,
}

/// Samples of a step at 24 kHz: 1.5 ms.
const ATTACK_HOP: usize = 36;

impl AttackEnvelope {
    /// The envelope of `mono` at 24 kHz.
    pub fn of(mono: &[f32]) -> Self {
        let energy: Vec<f32> = mono.chunks(ATTACK_HOP).map(|c| c.iter().map(|x| x * x).sum::<f32>().sqrt()).collect();
        let rise = (0..energy.len())
            .map(|k| {
                // Rise over 4.5 ms against the 9 ms before, which passes over the swing of a low note.
                let after = energy[k..(k + 3).min(energy.len())].iter().copied().fold(0.0, f32::max);
                let before = energy[k.saturating_sub(6)..k].iter().copied().fold(0.0, f32::max);
                (after - before).max(0.0)
            })
            .collect();
        Self { rise }
    }

    /// Seconds from `time_s` to the steepest rise within `reach_s`; `None` where nothing rises.
    pub fn attack_near(&self, time_s: f64, reach_s: f64) -> Option<f64> {
        let step_s = ATTACK_HOP as f64 / f64::from(RATE_HZ);
        let from = ((time_s - reach_s) / step_s).max(0.0) as usize;
        let to = (((time_s + reach_s) / step_s) as usize).min(self.rise.len());
        let top = (from..to).max_by(|&a, &b| self.rise[a].total_cmp(&self.rise[b]))?;
        if self.rise[top] <= 1e-5 {
            return None;
        }
        // The first step of the rise that reaches half of the steepest is where the attack begins.
        let start = (from..=top).rev().take_while(|&k| self.rise[k] > 0.5 * self.rise[top]).last().unwrap_or(top);
        Some(start as f64 * step_s + step_s - time_s)
    }
}

fn tempo(beats_s: &[f64]) -> f64 {
    if beats_s.len() < 2 {
        return 0.0;
    }
    // Over four beats at a time, which takes the jitter of single beats out.
    let span = 4.min(beats_s.len() - 1);
    let mut steps: Vec<f64> = beats_s.windows(span + 1).map(|w| (w[span] - w[0]) / span as f64).collect();
    steps.sort_by(f64::total_cmp);
    60.0 / steps[steps.len() / 2]
}
