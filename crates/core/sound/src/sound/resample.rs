//! Reading a sound at a speed within a percent of its own, by windowed-sinc interpolation.

use super::Source;
use std::sync::LazyLock;

/// Taps on either side of the wanted place.
const HALF_TAPS: usize = 16;
/// Places between two samples for which taps are tabled; between them they are interpolated.
const PHASES: usize = 256;

/// Products that are summed side by side.
const LANES: usize = 8;

/// `PHASES + 1` rows of `2 * HALF_TAPS` taps: sinc times a Hann window, each row summing to 1.
static TAPS: LazyLock<Vec<[f32; 2 * HALF_TAPS]>> = LazyLock::new(|| {
    (0..=PHASES)
        .map(|phase| {
            let fraction = phase as f64 / PHASES as f64;
            let raw: [f64; 2 * HALF_TAPS] = std::array::from_fn(|tap| {
                let x = tap as f64 - (HALF_TAPS as f64 - 1.0) - fraction;
                let window = 0.5 + 0.5 * (std::f64::consts::PI * x / (HALF_TAPS as f64 + 1.0)).cos();
                let angle = std::f64::consts::PI * x;
                window * if x.abs() < 1e-9 { 1.0 } else { angle.sin() / angle }
            });
            let sum: f64 = raw.iter().sum();
            raw.map(|tap| (tap / sum) as f32)
        })
        .collect()
});

/// Fills `out` with channel `channel`; sample `n` is taken at `position + n * speed`.
///
/// Positions are absolute, so neighbouring ranges meet without a seam.
pub fn read_at_speed(source: &dyn Source, channel: usize, position: f64, speed: f64, out: &mut [f32]) {
    let first = position.floor() as i64 - HALF_TAPS as i64 + 1;
    let needed = (out.len() as f64 * speed).ceil() as usize + 2 * HALF_TAPS + 2;
    let mut samples = vec![0.0; needed];
    source.read(channel, first, &mut samples);
    let taps = &*TAPS;
    let start = position - first as f64 - (HALF_TAPS as f64 - 1.0);
    for (n, sample) in out.iter_mut().enumerate() {
        let at = start + n as f64 * speed;
        // Never below zero, so cutting off is rounding down.
        let whole = at as usize;
        let phase = (at - whole as f64) * PHASES as f64;
        let row = phase as usize;
        let between = (phase - row as f64) as f32;
        let window = &samples[whole..][..2 * HALF_TAPS];
        let (a, b) = (&taps[row], &taps[row + 1]);
        // Sums of their own, so that they are made side by side.
        let mut sums = [0.0f32; LANES];
        for k in (0..2 * HALF_TAPS).step_by(LANES) {
            for (lane, sum) in sums.iter_mut().enumerate() {
                let tap = a[k + lane] + between * (b[k + lane] - a[k + lane]);
                *sum += window[k + lane] * tap;
            }
        }
        *sample = sums.iter().sum();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;

    #[test]
    fn a_tone_stays_a_tone() {
        let tone = |n: f64| (n * 1000.0 * std::f64::consts::TAU / 48_000.0).sin() as f32;
        let sound = Sound::new(vec![(0..20_000).map(|n| tone(n as f64)).collect()]);
        let mut out = vec![0.0; 10_000];
        read_at_speed(&sound, 0, 500.25, 1.004, &mut out);
        for (n, sample) in out.iter().enumerate() {
            let wanted = tone(500.25 + n as f64 * 1.004);
            assert!((sample - wanted).abs() < 1e-3, "sample {n}");
        }
    }
}
