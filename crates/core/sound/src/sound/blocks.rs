//! Short-time spectra, for everything that listens.

use realfft::{RealFftPlanner, RealToComplex};
use std::f32::consts::TAU;
use std::sync::Arc;

/// Walks Hann-windowed blocks centred on multiples of a hop and gives their power.
pub struct Blocks {
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    hop: usize,
}

impl Blocks {
    /// Blocks of `block` samples, `hop` apart.
    pub fn new(block: usize, hop: usize) -> Self {
        let window = (0..block).map(|n| 0.5 - 0.5 * (TAU * n as f32 / block as f32).cos()).collect();
        Self { fft: RealFftPlanner::new().plan_fft_forward(block), window, hop }
    }

    /// Gives the power of every bin of every block of `mono`.
    pub fn for_each(&self, mono: &[f32], mut each: impl FnMut(&[f32])) {
        let block = self.window.len();
        let mut input = vec![0.0; block];
        let mut output = self.fft.make_output_vec();
        let mut scratch = self.fft.make_scratch_vec();
        let mut power = vec![0.0; output.len()];
        for centre in (0..mono.len()).step_by(self.hop) {
            crate::sound::copy_range(mono, centre as i64 - (block / 2) as i64, &mut input);
            for (sample, weight) in input.iter_mut().zip(&self.window) {
                *sample *= weight;
            }
            self.fft.process_with_scratch(&mut input, &mut output, &mut scratch).expect("buffers come from the transform itself");
            for (power, bin) in power.iter_mut().zip(&output) {
                *power = bin.re * bin.re + bin.im * bin.im;
            }
            each(&power);
        }
    }
}
