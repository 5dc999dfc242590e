//! A look-ahead limiter of the true peak (BS.1770-4 annex 2, by the crate `ebur128`) for a sound that is known as a whole.
//!
//! For each block the gain that its true peak needs; of the blocks around the least one, so that the gain is down before a peak
//! comes; let go slowly, and averaged, so that it bends and never jumps. It is one gain for both channels and delays nothing:
//! where nothing peaks each sample stays as it is.

use super::Source;
use super::loudness::{BLOCK_SAMPLES, BlockEnergies, TruePeak, feed};
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::units::db_from_gain;

/// Samples of a block: 1.33 ms.
pub const LIMITER_BLOCK_SAMPLES: usize = 64;
/// Blocks on either side in which a peak is seen: 10.7 ms.
const REACH: usize = 8;
/// Blocks on either side over which the gain is averaged. The two that are fewer hold what the meter finds late and what lies
/// between two blocks.
const SMOOTH: usize = REACH - 2;
/// The gain comes back with this time constant, in seconds: sooner it is heard as roughness of low notes, later as a hole
/// behind each peak (common practice, no source).
const RELEASE_S: f64 = 0.08;

/// True peaks of the blocks of a sound that comes piece by piece, as amplitudes.
pub struct BlockPeaks {
    meter: TruePeak,
    peaks: Vec<f32>,
}

impl BlockPeaks {
    /// For a sound of one or two channels.
    pub fn new(channel_count: usize) -> Self {
        Self { meter: TruePeak::new(channel_count), peaks: Vec::new() }
    }

    /// The next piece, of whole blocks unless it is the last one.
    pub fn add(&mut self, planes: &[&[f32]]) {
        let len = planes[0].len();
        for start in (0..len).step_by(LIMITER_BLOCK_SAMPLES) {
            let block: Vec<&[f32]> = planes.iter().map(|plane| &plane[start..len.min(start + LIMITER_BLOCK_SAMPLES)]).collect();
            self.peaks.push(self.meter.add_and_look(&block));
        }
    }

    /// The peaks of all blocks.
    pub fn end(mut self) -> Vec<f32> {
        // What the meter finds late of the last block.
        let silence = [0.0f32; LIMITER_BLOCK_SAMPLES];
        let late = self.meter.add_and_look(&vec![&silence[..]; self.meter.channel_count()]);
        if let Some(last) = self.peaks.last_mut() {
            *last = last.max(late);
        }
        self.peaks
    }
}

/// What a limiter goes by: [`super::loudness::block_energies`] of a sound, and the peaks of its [`BlockPeaks`].
pub fn for_limiter(source: &dyn Source) -> (Vec<f64>, Vec<f32>) {
    let count = source.channel_count();
    let (mut energies, mut peaks) = (BlockEnergies::new(count), BlockPeaks::new(count));
    feed(source, 100 * BLOCK_SAMPLES as usize, |planes| {
        energies.add(planes);
        peaks.add(planes);
    });
    (energies.end(), peaks.end())
}

/// The gains that hold a sound under a ceiling.
#[derive(Debug, Clone, PartialEq)]
pub struct Limiter {
    /// At the middle of each block.
    gains: Vec<f32>,
}

impl Limiter {
    /// Holds the sound that has these block peaks, raised by `gain`, under `ceiling`; both are amplitudes.
    pub fn new(peaks: &[f32], gain: f64, ceiling: f64) -> Self {
        let needed: Vec<f32> = peaks.iter().map(|&peak| (ceiling / (f64::from(peak) * gain).max(1e-12)).min(1.0) as f32).collect();
        let around = |k: usize, reach: usize| k.saturating_sub(reach)..(k + reach + 1).min(needed.len());
        let mut held: Vec<f32> = (0..needed.len()).map(|k| needed[around(k, REACH)].iter().copied().fold(1.0, f32::min)).collect();
        let keep = (-(LIMITER_BLOCK_SAMPLES as f64) / f64::from(SAMPLE_RATE_HZ) / RELEASE_S).exp() as f32;
        let mut before = 1.0f32;
        for gain in &mut held {
            *gain = gain.min(1.0 - (1.0 - before) * keep);
            before = *gain;
        }
        // A Hann window: the gain begins and ends to fall without a corner.
        let weight = |by: usize| 0.5 + 0.5 * (std::f32::consts::PI * by as f32 / (SMOOTH + 1) as f32).cos();
        let smooth = |k: usize| {
            let (mut sum, mut all) = (0.0f32, 0.0f32);
            for j in around(k, SMOOTH) {
                let weight = weight(j.abs_diff(k));
                sum += weight * held[j];
                all += weight;
            }
            // Exactly one where nothing is held.
            if sum == all { 1.0 } else { sum / all }
        };
        Self { gains: (0..held.len()).map(smooth).collect() }
    }

    /// The gain at a sample: linear from the middle of a block to that of the next.
    fn gain(&self, at: u64) -> f32 {
        const HALF: u64 = LIMITER_BLOCK_SAMPLES as u64 / 2;
        let Some(since) = at.checked_sub(HALF) else { return self.gains.first().copied().unwrap_or(1.0) };
        let (block, share) = ((since / LIMITER_BLOCK_SAMPLES as u64) as usize, (since % LIMITER_BLOCK_SAMPLES as u64) as f32 / LIMITER_BLOCK_SAMPLES as f32);
        let at_block = |k: usize| self.gains.get(k).or(self.gains.last()).copied().unwrap_or(1.0);
        let (a, b) = (at_block(block), at_block(block + 1));
        a + (b - a) * share
    }

    /// Limits samples that begin at `start` of the sound.
    pub fn apply(&self, start: u64, channels: &mut [Vec<f32>]) {
        for k in 0..channels.first().map_or(0, Vec::len) {
            let gain = self.gain(start + k as u64);
            channels.iter_mut().for_each(|channel| channel[k] *= gain);
        }
    }

    /// What becomes of the [`super::loudness::block_energies`] of the sound, whose block peaks say where in a tenth of a second its
    /// energy lies.
    pub fn energies(&self, energies: &[f64], peaks: &[f32]) -> Vec<f64> {
        const BLOCKS: usize = super::loudness::BLOCK_SAMPLES as usize / LIMITER_BLOCK_SAMPLES;
        let power = |k: usize| {
            let own = (k * BLOCKS).min(peaks.len())..((k + 1) * BLOCKS).min(peaks.len());
            let of = |with: &dyn Fn(usize) -> f32| own.clone().map(|j| f64::from(with(j) * with(j))).sum::<f64>();
            let (before, after) = (of(&|j| peaks[j]), of(&|j| peaks[j] * self.gains[j]));
            if before > 0.0 { after / before } else { 1.0 }
        };
        energies.iter().enumerate().map(|(k, energy)| energy * power(k)).collect()
    }

    /// By how much it lowers at most, in dB.
    pub fn most_db(&self) -> f64 {
        -db_from_gain(f64::from(self.gains.iter().copied().fold(1.0, f32::min)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;
    use crate::sound::loudness::true_peak_dbtp;
    use jaunty_units::units::gain_from_db;

    fn limited(sound: &Sound, gain: f64, ceiling_db: f64) -> (Sound, Limiter) {
        let mut peaks = BlockPeaks::new(sound.channels().len());
        peaks.add(&sound.channels().iter().map(Vec::as_slice).collect::<Vec<_>>());
        let limiter = Limiter::new(&peaks.end(), gain, gain_from_db(ceiling_db));
        let mut planes: Vec<Vec<f32>> = sound.channels().iter().map(|plane| plane.iter().map(|s| s * gain as f32).collect()).collect();
        limiter.apply(0, &mut planes);
        (Sound::new(planes), limiter)
    }

    /// The signals of EBU Tech 3341 for true peaks (15 to 19): a quarter of the sample rate, whose samples lie beside its peaks.
    #[test]
    fn peaks_between_the_samples_are_held() {
        for phase_degrees in [0.0f64, 45.0, 60.0, 67.5] {
            let tone = |n: usize| (std::f64::consts::FRAC_PI_2 * n as f64 + phase_degrees.to_radians()).sin();
            // Soft, then four times as loud for a second.
            let plane: Vec<f32> = (0..144_000).map(|n| (tone(n) * if (48_000..96_000).contains(&n) { 1.6 } else { 0.4 }) as f32).collect();
            let (held, limiter) = limited(&Sound::new(vec![plane.clone(), plane]), 1.0, -1.0);
            let peak = true_peak_dbtp(&held).unwrap();
            assert!((-1.6..=-0.95).contains(&peak), "{peak:.2} dBTP at {phase_degrees} degrees");
            assert!((limiter.most_db() - 5.1).abs() < 0.4, "{:.2} dB", limiter.most_db());
        }
    }

    #[test]
    fn what_does_not_peak_stays_as_it_is_to_the_sample_and_what_peaks_is_down_before() {
        let plane: Vec<f32> = (0..96_000).map(|n| if n == 48_000 { 1.5 } else { 0.25 * (n as f32 * 0.05).sin() }).collect();
        let (held, _) = limited(&Sound::new(vec![plane.clone()]), 1.0, -1.0);
        // 30 ms before it, and one and a half seconds behind: the release is over by then.
        assert_eq!(held.channels()[0][..46_500], plane[..46_500]);
        assert!(plane.iter().zip(&held.channels()[0]).skip(90_000).all(|(a, b)| (a - b).abs() < 1e-5));
        assert!(true_peak_dbtp(&held).unwrap() < -0.95);
        // The gain bends: from one sample to the next it changes by less than a tenth of a decibel.
        let gains: Vec<f32> = plane.iter().zip(&held.channels()[0]).filter(|(a, _)| a.abs() > 0.05).map(|(a, b)| b / a).collect();
        assert!(gains.windows(2).all(|g| (g[1] - g[0]).abs() < 0.02));
    }

    #[test]
    fn any_noise_at_any_gain_is_held() {
        let mut state = 7u32;
        let mut noise = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            state as f32 / u32::MAX as f32 * 2.0 - 1.0
        };
        let planes: Vec<Vec<f32>> = (0..2).map(|_| (0..60_000).map(|n| noise() * if n % 7000 < 300 { 1.0 } else { 0.2 }).collect()).collect();
        for gain in [1.0, 2.0, 6.0] {
            let (held, _) = limited(&Sound::new(planes.clone()), gain, -1.0);
            let peak = true_peak_dbtp(&held).unwrap();
            assert!(peak < -0.9, "{peak:.2} dBTP");
        }
    }
}
