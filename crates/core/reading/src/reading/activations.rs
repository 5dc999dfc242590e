//! How much each moment sounds like a beat and like the first beat of a bar.
//!
//! Two small networks listen to mel bands, their rises and the pitch classes of every fiftieth of a
//! second. `tools/reading` composes the music that they learned from, and trains them: one on pieces
//! of every kind, the other mostly on songs, and to say as well what the notes said (drums, bass, chords,
//! attacks, phrases). What both say of beats and bars is averaged: where one is wrong, the other seldom is.

use super::features::norm;
use super::network::{self, Network, probability};
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

/// Channels of the network, its residual layers, the channels of its head, and what it says of a
/// frame, in the order of `tools/reading/train.py`.
const WIDTH: usize = 64;
const LAYERS: usize = 10;
const HEAD: usize = 32;
const OUTPUTS: usize = 9;

/// How likely each frame is a beat, the first beat of a bar and so on, as probabilities.
pub struct Activations {
    /// Of a beat.
    pub beat: Vec<f32>,
    /// Of the first beat of a bar.
    pub downbeat: Vec<f32>,
    /// Of a bass drum.
    pub kick: Vec<f32>,
    /// Of a snare drum, a clap or a stick on the rim.
    pub snare: Vec<f32>,
    /// Of a cymbal.
    pub cymbal: Vec<f32>,
    /// Of a low note that begins.
    pub bass: Vec<f32>,
    /// Of another chord.
    pub chord: Vec<f32>,
    /// Of any note that begins.
    pub attack: Vec<f32>,
    /// Of the start of a phrase.
    pub phrase: Vec<f32>,
}

/// The weights, written by `tools/reading/train.py`.
const WEIGHTS: &[u8] = include_bytes!("activations.weights");

type BeatNetwork<'a> = Network<'a, WIDTH, HEAD, OUTPUTS>;

/// Weights of the network that knows composed pieces of every kind, and beats and first beats only.
const COMPOSED_WEIGHTS: &[u8] = include_bytes!("composed.weights");

type ComposedNetwork<'a> = Network<'a, 48, 32, 2>;

impl Activations {
    /// Listens to what [`inputs`] gives.
    pub fn of(inputs: &[f32]) -> Self {
        let weights = network::weights(WEIGHTS);
        let mut logits = BeatNetwork::new(&weights, INPUTS, LAYERS).logits(inputs);
        let weights = network::weights(COMPOSED_WEIGHTS);
        let others = ComposedNetwork::new(&weights, INPUTS, LAYERS).logits(inputs);
        for (one, other) in logits.iter_mut().zip(others) {
            one.iter_mut().zip(other).for_each(|(a, b)| *a = 0.5 * (*a + b));
        }
        let [beat, downbeat, kick, snare, cymbal, bass, chord, attack, phrase] = std::array::from_fn(|k| logits.iter().map(|l| probability(l[k])).collect());
        Self { beat, downbeat, kick, snare, cymbal, bass, chord, attack, phrase }
    }

    /// What is heard where only beats and first beats are: for tests.
    #[cfg(test)]
    pub fn of_beats(beat: Vec<f32>, downbeat: Vec<f32>) -> Self {
        let silent = vec![0.0; beat.len()];
        let [kick, snare, cymbal, bass, chord, attack, phrase] = std::array::from_fn(|_| silent.clone());
        Self { beat, downbeat, kick, snare, cymbal, bass, chord, attack, phrase }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_networks_say_what_they_said_in_training() {
        network::check::against(&BeatNetwork::new(&network::weights(WEIGHTS), INPUTS, LAYERS), include_str!("activations.check.json"));
        network::check::against(&ComposedNetwork::new(&network::weights(COMPOSED_WEIGHTS), INPUTS, LAYERS), include_str!("composed.check.json"));
    }
}
