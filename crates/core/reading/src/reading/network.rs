//! A small temporal convolutional network after Davies and Boeck (EUSIPCO 2019): one dense layer,
//! residual layers that look ever farther back and ahead, and a head. `tools/` trains it.

use ndarray::linalg::general_mat_mul;
use ndarray::{ArrayView2, ArrayViewMut2};

/// Frames that a residual layer combines; layer `l` looks 2^(l+1) frames either way.
const TAPS: usize = 5;
/// Frames that go through a layer together: what fits into the caches near a core.
const TOGETHER: usize = 512;

/// A dense layer: the weights of one input lie together.
struct Dense<'a> {
    weights: ArrayView2<'a, f32>,
    bias: &'a [f32],
}

impl<'a> Dense<'a> {
    fn new(weights: &'a [f32], bias: &'a [f32]) -> Self {
        let shape = (weights.len() / bias.len(), bias.len());
        Self { weights: ArrayView2::from_shape(shape, weights).expect("as many weights as inputs times outputs"), bias }
    }

    /// Adds `bias + input * weights` to each row of `output`; both hold whole rows.
    fn add(&self, input: &[f32], output: &mut [f32]) {
        let (inputs, outputs) = self.weights.dim();
        for row in output.chunks_exact_mut(outputs) {
            row.iter_mut().zip(self.bias).for_each(|(sum, bias)| *sum += bias);
        }
        let input = ArrayView2::from_shape((input.len() / inputs, inputs), input).expect("whole rows");
        let mut output = ArrayViewMut2::from_shape((output.len() / outputs, outputs), output).expect("whole rows");
        general_mat_mul(1.0, &input, &self.weights, 1.0, &mut output);
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

/// A network of `WIDTH` channels, `HEAD` before the `OUTPUTS`.
pub struct Network<'a, const WIDTH: usize, const HEAD: usize, const OUTPUTS: usize> {
    inputs: usize,
    first: Dense<'a>,
    layers: Vec<Layer<'a>>,
    head: Dense<'a>,
    last: Dense<'a>,
}

/// Weights as `tools/` writes them: little-endian floats.
pub fn weights(bytes: &[u8]) -> Vec<f32> {
    bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect()
}

/// How likely each of several is by its points: together 1.
pub fn likelihoods(points: &[f32]) -> Vec<f32> {
    let top = points.iter().copied().fold(f32::MIN, f32::max);
    let odds: Vec<f32> = points.iter().map(|p| (p - top).exp()).collect();
    let total: f32 = odds.iter().sum();
    odds.into_iter().map(|o| o / total).collect()
}

/// A logit as a probability.
pub fn probability(logit: f32) -> f32 {
    1.0 / (1.0 + (-logit).exp())
}

impl<'a, const WIDTH: usize, const HEAD: usize, const OUTPUTS: usize> Network<'a, WIDTH, HEAD, OUTPUTS> {
    /// The network of `weights`, in the order of `tools/reading/train.py`, with `inputs` numbers a frame.
    ///
    /// # Panics
    /// If there are fewer weights than that takes.
    pub fn new(mut weights: &'a [f32], inputs: usize, layers: usize) -> Self {
        let mut take = |count: usize| {
            let (these, rest) = weights.split_at(count);
            weights = rest;
            these
        };
        let first = Dense::new(take(inputs * WIDTH), take(WIDTH));
        let layers =
            (0..layers).map(|_| Layer { depth: take(TAPS * WIDTH), depth_bias: take(WIDTH), mix: Dense::new(take(WIDTH * WIDTH), take(WIDTH)) }).collect();
        let head = Dense::new(take(WIDTH * HEAD), take(HEAD));
        Self { inputs, first, layers, head, last: Dense::new(take(HEAD * OUTPUTS), take(OUTPUTS)) }
    }

    /// Logits of each frame of `inputs`, which lie one after another.
    pub fn logits(&self, inputs: &[f32]) -> Vec<[f32; OUTPUTS]> {
        let frames = inputs.len() / self.inputs;
        let mut hidden = vec![0.0; frames * WIDTH];
        for (input, output) in inputs.chunks(TOGETHER * self.inputs).zip(hidden.chunks_mut(TOGETHER * WIDTH)) {
            self.first.add(&input[..output.len() / WIDTH * self.inputs], output);
            relu(output);
        }
        let mut before = hidden.clone();
        let mut seen = vec![0.0; TOGETHER * WIDTH];
        for (index, layer) in self.layers.iter().enumerate() {
            before.copy_from_slice(&hidden);
            for (chunk, output) in hidden.chunks_mut(TOGETHER * WIDTH).enumerate() {
                let seen = &mut seen[..output.len()];
                for (k, row) in seen.chunks_exact_mut(WIDTH).enumerate() {
                    look_around::<WIDTH>(layer, &before, chunk * TOGETHER + k, 1 << index, row);
                }
                layer.mix.add(seen, output);
            }
        }
        let mut all = Vec::with_capacity(frames);
        for rows in hidden.chunks(TOGETHER * WIDTH) {
            let count = rows.len() / WIDTH;
            let (mut head, mut out) = (vec![0.0; count * HEAD], vec![0.0; count * OUTPUTS]);
            self.head.add(rows, &mut head);
            relu(&mut head);
            self.last.add(&head, &mut out);
            all.extend_from_slice(out.as_chunks::<OUTPUTS>().0);
        }
        all
    }
}

/// What a layer sees of `frame` and of those `step` apart around it.
fn look_around<const WIDTH: usize>(layer: &Layer<'_>, before: &[f32], frame: usize, step: usize, row: &mut [f32]) {
    row.copy_from_slice(layer.depth_bias);
    for (tap, weights) in layer.depth.chunks_exact(WIDTH).enumerate() {
        let Some(at) = (frame + tap * step).checked_sub(TAPS / 2 * step) else { continue };
        let Some(there) = before.get(at * WIDTH..(at + 1) * WIDTH) else { continue };
        for ((sum, value), weight) in row.iter_mut().zip(there).zip(weights) {
            *sum += value * weight;
        }
    }
    relu(row);
}

#[cfg(test)]
pub(super) mod check {
    //! What the training framework (jax) gave for a made-up input, against what we give.

    use super::*;

    /// Compares with `json`: rows of a frame and its logits.
    pub fn against<const W: usize, const H: usize, const O: usize>(network: &Network<'_, W, H, O>, json: &str) {
        let check: Vec<Vec<f32>> = serde_json::from_str(json).unwrap();
        let input: Vec<f32> = (0..300 * network.inputs).map(|n| (((n * 7919) % 2003) as f64 / 1001.5 - 1.0) as f32).collect();
        let logits = network.logits(&input);
        assert!(check.len() > 5);
        for row in check {
            for (ours, theirs) in logits[row[0] as usize].iter().zip(&row[1..]) {
                assert!((ours - theirs).abs() < 2e-3 * theirs.abs().max(1.0), "frame {}: {ours} for {theirs}", row[0]);
            }
        }
    }
}
