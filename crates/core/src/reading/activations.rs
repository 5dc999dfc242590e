//! How much each moment sounds like a beat and like the first beat of a bar.
//!
//! A small network listens: mel bands, their rises and the pitch classes of every fiftieth of a
//! second go through one dense layer and ten residual layers that look ever farther back and ahead
//! (a temporal convolutional network after Davies and Boeck, EUSIPCO 2019). `tools/reading`
//! composes the music that it learned from, and trains it.

use super::features::norm;
use super::spectra::{HARMONY_FRAMES_PER_S, HarmonySpectra, MEL_BANDS, OnsetSpectra, percentile};

/// Frames a second of the network.
pub const FRAMES_PER_S: f64 = 50.0;
/// Pairs of mel bands whose rises are told.
const RISES: usize = MEL_BANDS / 2;
/// Numbers that the network hears of each frame.
pub const INPUTS: usize = MEL_BANDS + 2 * RISES + 24;

/// Second of the middle of a frame: two onset frames make one.
pub fn second_of(frame: f64) -> f64 {
    frame / FRAMES_PER_S + 0.005
}

/// Frame, with its fraction, of a second: the inverse of [`second_of`].
pub fn frame_of(second: f64) -> f64 {
    (second - 0.005) * FRAMES_PER_S
}

/// What the network hears: [`INPUTS`] numbers for each frame.
///
/// Mel bands count from the band's own mean, so that neither level nor equalisation matter.
pub fn inputs(onsets: &OnsetSpectra, harmony: &HarmonySpectra) -> Vec<f32> {
    let frames = onsets.len() / 2;
    let mut means = [0.0f32; MEL_BANDS];
    for frame in 0..onsets.len() {
        for (mean, value) in means.iter_mut().zip(onsets.mel(frame)) {
            *mean += value / onsets.len() as f32;
        }
    }
    let floor_of = |classes: &[[f32; 12]], share: f32| share * percentile(&classes.iter().map(norm).collect::<Vec<_>>(), 0.5).max(1e-3);
    let (chroma_floor, bass_floor) = (floor_of(&harmony.chroma, 0.05), floor_of(&harmony.bass, 0.2));
    let mut all = Vec::with_capacity(frames * INPUTS);
    for frame in 0..frames {
        let (a, b) = (onsets.mel(2 * frame), onsets.mel(2 * frame + 1));
        all.extend((0..MEL_BANDS).map(|band| ((a[band] + b[band]) / 2.0 - means[band]) / 1.5));
        for (now, index) in [(a, 2 * frame), (b, 2 * frame + 1)] {
            let then = onsets.mel(index.saturating_sub(2));
            let rise = |band: usize| {
                let loudest = then[band.saturating_sub(1)..(band + 2).min(MEL_BANDS)].iter().copied().fold(f32::MIN, f32::max);
                (now[band] - loudest).max(0.0)
            };
            all.extend((0..RISES).map(|pair| rise(2 * pair) + rise(2 * pair + 1)));
        }
        let at = second_of(frame as f64) * HARMONY_FRAMES_PER_S;
        for (classes, floor) in [(&harmony.chroma, chroma_floor), (&harmony.bass, bass_floor)] {
            let between = between(classes, at);
            let length = norm(&between) + floor;
            all.extend(between.map(|c| c / length));
        }
    }
    all
}

/// The classes at a place between two frames.
fn between(classes: &[[f32; 12]], at: f64) -> [f32; 12] {
    let Some(last) = classes.len().checked_sub(1) else { return [0.0; 12] };
    let k = (at as usize).min(last);
    let (a, b) = (&classes[k], &classes[(k + 1).min(last)]);
    let share = (at - k as f64).clamp(0.0, 1.0) as f32;
    std::array::from_fn(|c| a[c] + share * (b[c] - a[c]))
}

/// Channels of the network.
const WIDTH: usize = 48;
/// Its residual layers; layer `l` looks 2^(l+1) frames either way.
const LAYERS: usize = 10;
/// Frames that a residual layer combines.
const TAPS: usize = 5;
/// Channels before the output.
const HEAD: usize = 32;
/// A beat, and the first beat of a bar.
const OUTPUTS: usize = 2;

/// How likely each frame is a beat, and the first beat of a bar, as probabilities.
pub struct Activations {
    /// Of a beat.
    pub beat: Vec<f32>,
    /// Of the first beat of a bar.
    pub downbeat: Vec<f32>,
}

/// The weights, written by `tools/reading/train.py`: little-endian floats in the order in which
/// [`Network::new`] takes them.
const WEIGHTS: &[u8] = include_bytes!("activations.weights");

struct Dense<'a> {
    weights: &'a [f32],
    bias: &'a [f32],
}

impl Dense<'_> {
    /// `output = bias + input * weights`; the weights of one input lie together.
    fn apply(&self, input: &[f32], output: &mut [f32]) {
        output.copy_from_slice(self.bias);
        for (value, row) in input.iter().zip(self.weights.chunks_exact(self.bias.len())) {
            if *value != 0.0 {
                for (sum, weight) in output.iter_mut().zip(row) {
                    *sum += value * weight;
                }
            }
        }
    }
}

fn relu(values: &mut [f32]) {
    values.iter_mut().for_each(|v| *v = v.max(0.0));
}

struct Layer<'a> {
    depth: &'a [f32],
    depth_bias: &'a [f32],
    mix: Dense<'a>,
}

struct Network<'a> {
    first: Dense<'a>,
    layers: Vec<Layer<'a>>,
    head: Dense<'a>,
    last: Dense<'a>,
}

impl<'a> Network<'a> {
    fn new(mut weights: &'a [f32]) -> Self {
        let mut take = |count: usize| {
            let (these, rest) = weights.split_at(count);
            weights = rest;
            these
        };
        let first = Dense { weights: take(INPUTS * WIDTH), bias: take(WIDTH) };
        let layers = (0..LAYERS)
            .map(|_| Layer { depth: take(TAPS * WIDTH), depth_bias: take(WIDTH), mix: Dense { weights: take(WIDTH * WIDTH), bias: take(WIDTH) } })
            .collect();
        let head = Dense { weights: take(WIDTH * HEAD), bias: take(HEAD) };
        Self { first, layers, head, last: Dense { weights: take(HEAD * OUTPUTS), bias: take(OUTPUTS) } }
    }

    /// Logits of each frame.
    fn logits(&self, inputs: &[f32]) -> Vec<[f32; OUTPUTS]> {
        let frames = inputs.len() / INPUTS;
        let mut hidden = vec![0.0; frames * WIDTH];
        for (input, output) in inputs.chunks_exact(INPUTS).zip(hidden.chunks_exact_mut(WIDTH)) {
            self.first.apply(input, output);
            relu(output);
        }
        let mut before = hidden.clone();
        let (mut seen, mut step) = ([0.0; WIDTH], [0.0; WIDTH]);
        for (index, layer) in self.layers.iter().enumerate() {
            before.copy_from_slice(&hidden);
            for frame in 0..frames {
                seen.copy_from_slice(layer.depth_bias);
                for (tap, weights) in layer.depth.chunks_exact(WIDTH).enumerate() {
                    let at = frame as isize + ((tap as isize - (TAPS / 2) as isize) << index);
                    if (0..frames as isize).contains(&at) {
                        let there = &before[at as usize * WIDTH..][..WIDTH];
                        for ((sum, value), weight) in seen.iter_mut().zip(there).zip(weights) {
                            *sum += value * weight;
                        }
                    }
                }
                relu(&mut seen);
                layer.mix.apply(&seen, &mut step);
                for (sum, value) in hidden[frame * WIDTH..][..WIDTH].iter_mut().zip(&step) {
                    *sum += value;
                }
            }
        }
        let (mut head, mut out) = ([0.0; HEAD], [0.0; OUTPUTS]);
        hidden
            .chunks_exact(WIDTH)
            .map(|row| {
                self.head.apply(row, &mut head);
                relu(&mut head);
                self.last.apply(&head, &mut out);
                out
            })
            .collect()
    }
}

fn weights() -> Vec<f32> {
    WEIGHTS.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect()
}

impl Activations {
    /// Listens to what [`inputs`] gives.
    pub fn of(inputs: &[f32]) -> Self {
        let logits = Network::new(&weights()).logits(inputs);
        let probability = |k: usize| logits.iter().map(|l| 1.0 / (1.0 + (-l[k]).exp())).collect();
        Self { beat: probability(0), downbeat: probability(1) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The outputs that the training framework (jax) gave for the same made-up input.
    #[test]
    fn the_network_says_what_it_said_in_training() {
        let check: Vec<(usize, f32, f32)> = serde_json::from_str(include_str!("activations.check.json")).unwrap();
        let input: Vec<f32> = (0..300 * INPUTS).map(|n| (((n * 7919) % 2003) as f64 / 1001.5 - 1.0) as f32).collect();
        let logits = Network::new(&weights()).logits(&input);
        for (frame, beat, downbeat) in check {
            let [b, d] = logits[frame];
            assert!(
                (b - beat).abs() < 2e-3 * beat.abs().max(1.0) && (d - downbeat).abs() < 2e-3 * downbeat.abs().max(1.0),
                "frame {frame}: {b} {d} for {beat} {downbeat}"
            );
        }
    }
}
