//! A small temporal convolutional network after Davies and Boeck (EUSIPCO 2019): one dense layer,
//! residual layers that look ever farther back and ahead, and a head. `tools/` trains it.

/// Frames that a residual layer combines; layer `l` looks 2^(l+1) frames either way.
const TAPS: usize = 5;

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
        let first = Dense { weights: take(inputs * WIDTH), bias: take(WIDTH) };
        let layers = (0..layers)
            .map(|_| Layer { depth: take(TAPS * WIDTH), depth_bias: take(WIDTH), mix: Dense { weights: take(WIDTH * WIDTH), bias: take(WIDTH) } })
            .collect();
        let head = Dense { weights: take(WIDTH * HEAD), bias: take(HEAD) };
        Self { inputs, first, layers, head, last: Dense { weights: take(HEAD * OUTPUTS), bias: take(OUTPUTS) } }
    }

    /// Logits of each frame of `inputs`, which lie one after another.
    pub fn logits(&self, inputs: &[f32]) -> Vec<[f32; OUTPUTS]> {
        let frames = inputs.len() / self.inputs;
        let mut hidden = vec![0.0; frames * WIDTH];
        for (input, output) in inputs.chunks_exact(self.inputs).zip(hidden.chunks_exact_mut(WIDTH)) {
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
