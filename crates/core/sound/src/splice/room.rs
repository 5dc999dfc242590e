//! A room as its impulse response: noise that dies away, the high part sooner than the low
//! (Moorer, Computer Music Journal 3(2), 1979).

use jaunty_units::SAMPLE_RATE_HZ;
use realfft::num_complex::Complex;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use std::sync::Arc;

/// Impulse response of a room that falls by 60 dB over `length` samples.
pub(super) fn room(length: usize, seed: u64) -> Vec<f32> {
    let seconds = length as f32 / SAMPLE_RATE_HZ as f32;
    // ln(1000): 60 dB in amplitude.
    let (slow, quick) = (6.9 / seconds.max(0.2), 6.9 / (0.4 * seconds).max(0.1));
    let pole = (-std::f32::consts::TAU * 2500.0 / SAMPLE_RATE_HZ as f32).exp();
    let mut state = 0x9E37_79B9_7F4A_7C15 ^ (seed + 1).wrapping_mul(0xD1B5_4A32_D192_ED03);
    let mut low = 0.0f32;
    (0..length)
        .map(|n| {
            // xorshift64 (Marsaglia, J. Statistical Software 8(14), 2003).
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            let noise = (state >> 40) as f32 / (1u32 << 23) as f32 - 1.0;
            low = pole * low + (1.0 - pole) * noise;
            let t = n as f32 / SAMPLE_RATE_HZ as f32;
            2.5 * low * (-slow * t).exp() + 0.5 * (noise - low) * (-quick * t).exp()
        })
        .collect()
}

/// The first `length` samples of the convolution of `a` and `b`.
pub(super) fn convolve(a: &[f32], b: &[f32], length: usize) -> Vec<f32> {
    let transform = Transform::of_size((a.len() + b.len()).next_power_of_two().max(2));
    let mut product = transform.spectrum(a);
    product.iter_mut().zip(transform.spectrum(b)).for_each(|(x, y)| *x *= y);
    transform.samples(product, length)
}

/// `samples` with gains over frequency: pairs of Hz and gain, rising; straight lines between them, level outside.
pub(super) fn shaped(samples: &[f32], gains: &[(f32, f32)]) -> Vec<f32> {
    // Twice as long, so that nothing goes round.
    let size = (2 * samples.len()).next_power_of_two().max(2);
    let transform = Transform::of_size(size);
    let mut spectrum = transform.spectrum(samples);
    for (bin, value) in spectrum.iter_mut().enumerate() {
        let hz = bin as f32 * SAMPLE_RATE_HZ as f32 / size as f32;
        let above = gains.partition_point(|g| g.0 < hz);
        *value *= match (above.checked_sub(1).map(|k| gains[k]), gains.get(above)) {
            (Some((low, a)), Some(&(high, b))) => a + (b - a) * (hz - low) / (high - low),
            (Some((_, gain)), None) | (None, Some(&(_, gain))) => gain,
            (None, None) => 1.0,
        };
    }
    transform.samples(spectrum, samples.len())
}

/// A Fourier transform of real signals, both ways.
struct Transform {
    size: usize,
    forward: Arc<dyn RealToComplex<f32>>,
    inverse: Arc<dyn ComplexToReal<f32>>,
}

impl Transform {
    fn of_size(size: usize) -> Self {
        let mut planner = RealFftPlanner::<f32>::new();
        Self { size, forward: planner.plan_fft_forward(size), inverse: planner.plan_fft_inverse(size) }
    }

    fn spectrum(&self, samples: &[f32]) -> Vec<Complex<f32>> {
        let mut padded = vec![0.0; self.size];
        padded[..samples.len()].copy_from_slice(samples);
        let mut out = self.forward.make_output_vec();
        self.forward.process(&mut padded, &mut out).expect("buffers of the transform's own size");
        out
    }

    fn samples(&self, mut spectrum: Vec<Complex<f32>>, length: usize) -> Vec<f32> {
        // The spectrum of a real signal is real at both ends but for rounding.
        let last = spectrum.len() - 1;
        spectrum[0].im = 0.0;
        spectrum[last].im = 0.0;
        let mut out = vec![0.0; self.size];
        self.inverse.process(&mut spectrum, &mut out).expect("buffers of the transform's own size");
        out.truncate(length);
        out.resize(length, 0.0);
        out.iter_mut().for_each(|x| *x /= self.size as f32);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_transform_convolves_as_the_definition_does() {
        let a: Vec<f32> = (0..37).map(|n| ((n * 7) % 11) as f32 - 5.0).collect();
        let b: Vec<f32> = (0..23).map(|n| ((n * 5) % 13) as f32 - 6.0).collect();
        let quick = convolve(&a, &b, 59);
        for (n, value) in quick.iter().enumerate() {
            let slow: f32 = (0..a.len()).filter(|k| *k <= n && n - k < b.len()).map(|k| a[k] * b[n - k]).sum();
            assert!((value - slow).abs() < 1e-3, "{n}: {value} for {slow}");
        }
    }
}
