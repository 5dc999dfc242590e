//! How many beats make a bar, and which of them is the first: of all ways to count, the likeliest over the whole bed.
//!
//! Each way (so many beats, beginning at that one) is described by how its first beats differ from the others in what the
//! network hears there and in how harmony, bass and level move; where a bar has halves, also by how the halves differ and
//! how they differ from the quarters. A softmax over that, fitted by `tools/reading/metre.py`, makes likelihoods.

mod weights;

use super::distance;
use crate::reading::activations::{Activations, INPUTS, frame_of};
use crate::reading::beats::log_odds;
use crate::reading::network::likelihoods;
use crate::reading::spectra::{MEL_BANDS, percentile};
use jaunty_units::units::mean;
use weights::{MEAN, SCALE, WEIGHTS};

/// Beats in a bar that are told apart here.
const METRES: [usize; 4] = [2, 3, 4, 6];
/// What is known of each beat.
const TRACKS: usize = 16;
/// Numbers that describe a way to count.
pub const FEATURES: usize = 3 * TRACKS + 8;

/// A way to count bars.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Count {
    /// Beats in a bar.
    pub metre: usize,
    /// The first beat that begins a bar, below `metre`.
    pub first: usize,
    /// What speaks for and against it.
    pub features: [f32; FEATURES],
    /// Their sum: the higher, the more plainly the beats are counted so.
    pub points: f32,
    /// 0 to 1; all ways sum to 1.
    pub likelihood: f32,
}

/// The ways in which `beats_s` could be counted in bars, likeliest first; none where there are too few of them. `inputs`
/// are those of the network.
pub fn counts(beats_s: &[f64], heard: &Activations, inputs: &[f32]) -> Vec<Count> {
    /// Bars of the longest metre that are needed.
    const LEAST_BEATS: usize = 18;
    if beats_s.len() < LEAST_BEATS || inputs.len() < INPUTS {
        return Vec::new();
    }
    let tracks = tracks(beats_s, heard, inputs);
    let steps: Vec<f32> = beats_s.windows(2).map(|w| (w[1] - w[0]) as f32).collect();
    let beat_s = percentile(&steps, 0.5).max(1e-3);
    let ways = METRES.into_iter().flat_map(|metre| (0..metre).map(move |first| (metre, first)));
    let described = |(metre, first)| {
        let features = features(&tracks, beat_s, metre, first);
        let points = (0..FEATURES).map(|k| WEIGHTS[k] * ((features[k] - MEAN[k]) / SCALE[k]).clamp(-4.0, 4.0)).sum();
        Count { metre, first, features, points, likelihood: 0.0 }
    };
    let mut all: Vec<Count> = ways.map(described).collect();
    let points: Vec<f32> = all.iter().map(|c| c.points).collect();
    for (count, likelihood) in all.iter_mut().zip(likelihoods(&points)) {
        count.likelihood = likelihood;
    }
    all.sort_by(|a, b| b.likelihood.total_cmp(&a.likelihood));
    all
}

fn features(tracks: &[Vec<f32>], beat_s: f32, metre: usize, first: usize) -> [f32; FEATURES] {
    let beats = tracks[0].len();
    let place = |track: &[f32], later: usize| mean(track.iter().skip((first + later) % metre).step_by(metre).copied());
    let places = |track: &[f32], of: &dyn Fn(usize) -> bool| mean((1..metre).filter(|k| of(*k)).map(|k| place(track, k)));
    let halves = metre.is_multiple_of(2) && metre > 2;
    let bar = (metre as f32 * beat_s / 2.0).log2();
    let is = |told: bool| f32::from(u8::from(told));
    let mut all = [0.0; FEATURES];
    for (k, track) in tracks.iter().enumerate() {
        let (on, half) = (place(track, 0), place(track, metre / 2));
        all[k] = on - places(track, &|_| true);
        if halves {
            all[TRACKS + k] = on - half;
            all[2 * TRACKS + k] = half - places(track, &|later| later != metre / 2);
        }
    }
    let of_the_whole = [bar, bar * bar, is(metre == 2), is(metre == 3), is(metre == 4), is(metre == 6), is(first == 0), is((beats - 1) % metre == first)];
    all[3 * TRACKS..].copy_from_slice(&of_the_whole);
    all
}

/// What is known of each beat: what the network hears at it, and how the sound moves there.
fn tracks(beats_s: &[f64], heard: &Activations, inputs: &[f32]) -> Vec<Vec<f32>> {
    let told = [
        (&heard.downbeat, 2),
        (&heard.chord, 2),
        (&heard.kick, 1),
        (&heard.snare, 1),
        (&heard.cymbal, 1),
        (&heard.bass, 1),
        (&heard.attack, 1),
        (&heard.phrase, 3),
        (&heard.beat, 1),
    ];
    let odds = told.into_iter().map(|(values, reach)| {
        let usual = log_odds(percentile(values, 0.5));
        let odds = |s: &f64| (log_odds(highest(values, frame_of(*s), reach)) - usual) / 2.0;
        beats_s.iter().map(odds).map(|o| o.clamp(-4.0, 4.0)).collect::<Vec<f32>>()
    });
    let last_s = beats_s[beats_s.len() - 1];
    let frames = inputs.len() / INPUTS;
    let frame = |s: f64| (frame_of(s).round().max(0.0) as usize).min(frames - 1);
    let lines: Vec<usize> = beats_s.iter().copied().chain([2.0 * last_s - beats_s[beats_s.len() - 2]]).map(frame).collect();
    let means = |from: usize, count: usize| -> Vec<Vec<f32>> {
        let of_beat = |w: &[usize]| {
            let span = w[0]..w[1].max(w[0] + 1);
            let mut sum = vec![0.0; count];
            for k in span.clone() {
                sum.iter_mut().zip(&inputs[k * INPUTS + from..][..count]).for_each(|(s, v)| *s += v / span.len() as f32);
            }
            sum
        };
        lines.windows(2).map(of_beat).collect()
    };
    let rises = |bands: std::ops::Range<usize>| -> Vec<f32> {
        let at = |k: usize| inputs[k * INPUTS + MEL_BANDS..][bands.clone()].iter().sum::<f32>() / bands.len() as f32;
        let around = |&k: &usize| (k.saturating_sub(1)..(k + 2).min(frames)).map(at).fold(f32::MIN, f32::max);
        lines[..beats_s.len()].iter().map(around).collect()
    };
    let level: Vec<f32> = means(0, MEL_BANDS).iter().map(|m| mean(m.iter().copied())).collect();
    let (chroma, bass) = (means(INPUTS - 24, 12), means(INPUTS - 12, 12));
    let moves = [moved(&chroma), moved(&bass), rises(0..5), rises(14..20), level, moved_by_twos(&chroma), moved_by_twos(&bass)];
    odds.chain(moves.into_iter().map(|track| super::standardise(&track))).collect()
}

/// How far each beat's classes lie from those of the beat before.
fn moved(classes: &[Vec<f32>]) -> Vec<f32> {
    std::iter::once(0.0).chain(classes.windows(2).map(|w| distance(&w[0], &w[1]))).collect()
}

/// How far the classes of each beat and the next lie from those of the two before.
fn moved_by_twos(classes: &[Vec<f32>]) -> Vec<f32> {
    let pairs: Vec<Vec<f32>> = classes.windows(2).map(|w| w[0].iter().zip(&w[1]).map(|(a, b)| a + b).collect()).collect();
    let moved = |k: usize| if k < 2 { 0.0 } else { pairs.get(k).map_or(0.0, |pair| distance(&pairs[k - 2], pair)) };
    (0..classes.len()).map(moved).collect()
}

/// The highest value around a frame.
fn highest(values: &[f32], frame: f64, reach: usize) -> f32 {
    let middle = frame.round().max(0.0) as usize;
    values.get(middle.saturating_sub(reach)..(middle + reach + 1).min(values.len())).unwrap_or(&[]).iter().copied().fold(0.0, f32::max)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Beats of half a second, at whose first of so many the network hears a bar, a bass drum, a bass note and a chord begin.
    fn counted(metre: usize, first: usize) -> Vec<Count> {
        let frames = 3000;
        let mut downbeat = vec![0.02; frames];
        let beats_s: Vec<f64> = (0..100).map(|k| 0.5 * f64::from(k) + 0.505).collect();
        for s in beats_s.iter().skip(first).step_by(metre) {
            downbeat[frame_of(*s) as usize] = 0.9;
        }
        let firsts = || downbeat.clone();
        let heard = Activations { kick: firsts(), bass: firsts(), chord: firsts(), ..Activations::of_beats(vec![0.1; frames], firsts()) };
        counts(&beats_s, &heard, &vec![0.0; frames * INPUTS])
    }

    #[test]
    fn what_the_network_hears_as_first_beats_is_counted_so() {
        for (metre, first) in [(3, 0), (3, 2), (4, 0), (4, 1), (4, 3)] {
            let all = counted(metre, first);
            assert_eq!((all[0].metre, all[0].first), (metre, first));
            assert!((all.iter().map(|c| c.likelihood).sum::<f32>() - 1.0).abs() < 1e-3 && all.len() == 15);
        }
    }

    #[test]
    fn two_beats_against_two_are_told_apart_by_what_changes_every_second_beat() {
        let classes: Vec<Vec<f32>> = (0..8).map(|k| (0..12).map(|c| f32::from(u8::from(c == k / 2))).collect()).collect();
        let (by_one, by_two) = (moved(&classes), moved_by_twos(&classes));
        assert!(by_one[2] > 1.0 && by_one[3] == 0.0);
        assert!((by_two[2] - 2.0 * 2f32.sqrt()).abs() < 1e-5 && by_two[2] > by_two[3]);
    }
}
