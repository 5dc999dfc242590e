//! Where somebody sings or speaks inside a bed.
//!
//! A small network hears what that of the beats hears. `tools/singing` makes what it learned from:
//! synthetic voices, speaking and made to sing, over composed music, and synthetic leads that glide
//! and have vibrato as what is no voice, over recordings too. Real singers were not among its teachers.

use super::Span;
use super::activations::{FRAMES_PER_S, INPUTS, second_of};
use super::network::{self, Network, probability};
use jaunty_units::units::samples_from_seconds;

/// Channels of the network, its residual layers, and the channels of its head.
const WIDTH: usize = 24;
const LAYERS: usize = 7;
const HEAD: usize = 16;

/// The weights, written by `tools/singing/train.py`.
const WEIGHTS: &[u8] = include_bytes!("singing.weights");

type VoiceNetwork<'a> = Network<'a, WIDTH, HEAD, 1>;

/// A passage begins where half a second is at least this likely to be sung,
const BEGINS: f32 = 0.85;
/// and goes on while it is this likely.
const GOES_ON: f32 = 0.5;
/// Half of the window over which likelihoods are averaged, in frames: a quarter of a second.
const HALF_WINDOW: usize = FRAMES_PER_S as usize / 4;
/// Breaths between two lines do not end a passage: 1 s.
const BREATH: usize = FRAMES_PER_S as usize;
/// A passage lasts at least this long: 1 s.
const LEAST: usize = FRAMES_PER_S as usize;

/// Passages in which somebody sings or speaks, with how likely; `inputs` as the network of the beats takes them.
pub fn passages(inputs: &[f32]) -> Vec<Span> {
    let logits = VoiceNetwork::new(&network::weights(WEIGHTS), INPUTS, LAYERS).logits(inputs);
    let raw: Vec<f32> = logits.iter().map(|l| probability(l[0])).collect();
    spans(&smoothed(&raw)).into_iter().map(|(from, to, likelihood)| span(from, to, likelihood)).collect()
}

fn span(from: usize, to: usize, likelihood: f32) -> Span {
    let sample = |frame: usize| samples_from_seconds(second_of(frame as f64).max(0.0));
    Span { start_samples: sample(from), end_samples: sample(to), likelihood }
}

fn smoothed(raw: &[f32]) -> Vec<f32> {
    let mut sums = vec![0.0f64];
    raw.iter().for_each(|p| sums.push(sums[sums.len() - 1] + f64::from(*p)));
    (0..raw.len())
        .map(|k| {
            let (from, to) = (k.saturating_sub(HALF_WINDOW), (k + HALF_WINDOW + 1).min(raw.len()));
            ((sums[to] - sums[from]) / (to - from) as f64) as f32
        })
        .collect()
}

/// Runs that begin sure and go on fairly sure, joined across breaths, as frames and mean likelihood.
fn spans(likely: &[f32]) -> Vec<(usize, usize, f32)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    let mut k = 0;
    while k < likely.len() {
        if likely[k] < BEGINS {
            k += 1;
            continue;
        }
        let from = (0..k).rev().take_while(|&j| likely[j] >= GOES_ON).last().unwrap_or(k);
        let to = (k..likely.len()).take_while(|&j| likely[j] >= GOES_ON).last().map_or(k, |j| j + 1);
        match runs.last_mut() {
            Some(last) if from < last.1 + BREATH => last.1 = to,
            _ => runs.push((from, to)),
        }
        k = to.max(k + 1);
    }
    runs.into_iter().filter(|(from, to)| to - from >= LEAST).map(|(from, to)| (from, to, likely[from..to].iter().sum::<f32>() / (to - from) as f32)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_network_says_what_it_said_in_training() {
        network::check::against(&VoiceNetwork::new(&network::weights(WEIGHTS), INPUTS, LAYERS), include_str!("singing.check.json"));
    }

    #[test]
    fn lines_with_breaths_between_are_one_passage_and_a_cough_is_none() {
        let mut likely = vec![0.1f32; 1000];
        likely[100..250].fill(0.9);
        likely[280..400].fill(0.9);
        likely[700..720].fill(0.9);
        let found = spans(&likely);
        assert_eq!(found.iter().map(|s| (s.0, s.1)).collect::<Vec<_>>(), [(100, 400)]);
        assert!(found[0].2 > 0.7);
    }
}
