//! Sound as planar `f32` samples at [`jaunty_units::SAMPLE_RATE_HZ`].
//!
//! [`Source`] is what the rest of the core reads from: a whole [`Sound`] in memory, or a file
//! that another crate maps. Reading a range touches only that range, so an hour-long bed can be
//! rendered and read without holding it.

pub mod blocks;
pub mod limiter;
pub mod loudness;
pub mod resample;

use std::fmt;
use std::ops::Range;

/// Something with samples in it.
pub trait Source {
    /// Length in samples (of one channel).
    fn len_samples(&self) -> u64;

    /// Number of channels, 1 or 2.
    fn channel_count(&self) -> usize;

    /// Fills `out` with channel `channel` from `start` on. `start` may be negative; what lies
    /// outside the sound is 0.
    fn read(&self, channel: usize, start: i64, out: &mut [f32]);

    /// Fills `out` with the mean of all channels from `start` on.
    fn read_mono(&self, start: i64, out: &mut [f32]) {
        self.read(0, start, out);
        if self.channel_count() == 2 {
            let mut other = vec![0.0; out.len()];
            self.read(1, start, &mut other);
            for (left, right) in out.iter_mut().zip(other) {
                *left = 0.5 * (*left + right);
            }
        }
    }
}

/// A sound that goes on at its beginning when it is over, and came from its end before it began.
pub struct Looped<'a>(pub &'a dyn Source);

impl Source for Looped<'_> {
    fn len_samples(&self) -> u64 {
        self.0.len_samples()
    }

    fn channel_count(&self) -> usize {
        self.0.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        let length = self.0.len_samples() as i64;
        if length == 0 {
            return out.fill(0.0);
        }
        let (mut at, mut rest) = (start.rem_euclid(length), out);
        while !rest.is_empty() {
            let (now, later) = rest.split_at_mut(((length - at) as usize).min(rest.len()));
            self.0.read(channel, at, now);
            (at, rest) = (0, later);
        }
    }
}

/// A whole sound in memory.
#[derive(Clone, PartialEq, Default)]
pub struct Sound {
    channels: Vec<Vec<f32>>,
}

impl fmt::Debug for Sound {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Sound({} channels, {} samples)", self.channels.len(), self.len_samples())
    }
}

impl Sound {
    /// A sound of one or two channels of equal length. Values that are not finite become 0.
    ///
    /// # Panics
    /// If there are no channels, more than two, or their lengths differ.
    pub fn new(mut channels: Vec<Vec<f32>>) -> Self {
        assert!(matches!(channels.len(), 1 | 2), "a sound has one or two channels");
        assert!(channels.iter().all(|c| c.len() == channels[0].len()), "channels differ in length");
        for sample in channels.iter_mut().flatten() {
            if !sample.is_finite() {
                *sample = 0.0;
            }
        }
        Self { channels }
    }

    /// Silence of `len_samples` in `channel_count` channels.
    pub fn silence(channel_count: usize, len_samples: usize) -> Self {
        Self::new(vec![vec![0.0; len_samples]; channel_count])
    }

    /// A range of another sound, as if it had silence on either side.
    pub fn of(source: &dyn Source, range: Range<u64>) -> Self {
        let plane = |channel| {
            let mut plane = vec![0.0; (range.end - range.start) as usize];
            source.read(channel, range.start as i64, &mut plane);
            plane
        };
        Self::new((0..source.channel_count()).map(plane).collect())
    }

    /// Goes on with another sound of as many channels.
    pub fn append(&mut self, next: &Self) {
        self.channels.iter_mut().zip(&next.channels).for_each(|(own, more)| own.extend_from_slice(more));
    }

    /// Adds another sound of as many channels and samples.
    pub fn add(&mut self, other: &Self) {
        for (own, more) in self.channels.iter_mut().zip(&other.channels) {
            own.iter_mut().zip(more).for_each(|(sum, sample)| *sum += sample);
        }
    }

    /// Multiplies every sample.
    pub fn raise(&mut self, gain: f32) {
        self.channels.iter_mut().flatten().for_each(|sample| *sample *= gain);
    }

    /// The samples of every channel.
    pub fn channels(&self) -> &[Vec<f32>] {
        &self.channels
    }

    /// The samples of every channel, to be changed.
    pub fn channels_mut(&mut self) -> &mut [Vec<f32>] {
        &mut self.channels
    }
}

impl Source for Sound {
    fn len_samples(&self) -> u64 {
        self.channels.first().map_or(0, |c| c.len() as u64)
    }

    fn channel_count(&self) -> usize {
        self.channels.len()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        copy_range(&self.channels[channel.min(self.channels.len() - 1)], start, out);
    }
}

/// Copies `samples[start..]` to `out`, with 0 for what lies outside.
pub fn copy_range(samples: &[f32], start: i64, out: &mut [f32]) {
    out.fill(0.0);
    let skip = usize::try_from(-start.min(0)).unwrap_or(usize::MAX).min(out.len());
    let from = usize::try_from(start.max(0)).unwrap_or(usize::MAX).min(samples.len());
    let count = (out.len() - skip).min(samples.len() - from);
    out[skip..skip + count].copy_from_slice(&samples[from..from + count]);
}

/// The mean of all channels at half the sample rate (24 kHz), which holds all that reading needs.
pub fn mono_24k(source: &dyn Source) -> Vec<f32> {
    let mut out = Vec::with_capacity(source.len_samples() as usize / 2 + 1);
    mono_24k_in_blocks(source, |block| out.extend_from_slice(block));
    out
}

/// [`mono_24k`] block by block, for what needs no more of it at once: 12 hours in the memory of one second.
pub fn mono_24k_in_blocks(source: &dyn Source, take: impl FnMut(&[f32])) {
    halve_in_blocks(source.len_samples() as usize, |start, block| source.read_mono(start, block), take);
}

/// Samples at half their rate.
pub fn halved(samples: &[f32]) -> Vec<f32> {
    let mut out = Vec::with_capacity(samples.len() / 2 + 1);
    halve_in_blocks(samples.len(), |start, block| copy_range(samples, start, block), |block| out.extend_from_slice(block));
    out
}

/// Halves what `read` gives, a block at a time.
fn halve_in_blocks(len: usize, read: impl Fn(i64, &mut [f32]), mut take: impl FnMut(&[f32])) {
    const BLOCK: usize = 1 << 16;
    let halver = Halver::new();
    let mut block = vec![0.0f32; BLOCK + 2 * HALVER_REACH];
    let mut out = Vec::new();
    for start in (0..len).step_by(BLOCK) {
        read(start as i64 - HALVER_REACH as i64, &mut block);
        out.clear();
        halver.halve(&block, BLOCK.min(len - start).div_ceil(2), &mut out);
        take(&out);
    }
}

/// Samples on either side that one halved sample depends on.
const HALVER_REACH: usize = 16;
/// Taps beside the middle one that are not 0.
const SIDE_TAPS: usize = 8;

/// Halves the rate: a 31-tap half-band filter (windowed sinc, Hann) keeps aliases under -40 dB
/// below 0.42 of the new Nyquist.
struct Halver {
    /// Of the odd distances 1, 3, 5 …; the even ones of a half-band filter are 0.
    taps: [f32; SIDE_TAPS],
}

impl Halver {
    fn new() -> Self {
        let taps = std::array::from_fn(|k| {
            let away = (2 * k + 1) as f64;
            let x = std::f64::consts::PI * away / 2.0;
            let window = 0.5 + 0.5 * (std::f64::consts::PI * away / HALVER_REACH as f64).cos();
            (0.5 * x.sin() / x * window) as f32
        });
        Self { taps }
    }

    /// Appends `count` samples; `block` begins [`HALVER_REACH`] samples before the first.
    fn halve(&self, block: &[f32], count: usize, out: &mut Vec<f32>) {
        // Even and odd samples apart, so that every loop runs over neighbours.
        let (even, odd): (Vec<f32>, Vec<f32>) = block.chunks_exact(2).map(|pair| (pair[0], pair[1])).unzip();
        let middle = HALVER_REACH / 2;
        let first = out.len();
        out.extend(even[middle..middle + count].iter().map(|x| 0.5 * x));
        for (k, tap) in self.taps.iter().enumerate() {
            let (before, after) = (&odd[middle - 1 - k..], &odd[middle + k..]);
            for ((sum, a), b) in out[first..].iter_mut().zip(before).zip(after) {
                *sum += tap * (a + b);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn outside_of_a_sound_is_silence() {
        let sound = Sound::new(vec![vec![1.0, 2.0, 3.0]]);
        let mut out = [9.0; 5];
        sound.read(0, -1, &mut out);
        assert_eq!(out, [0.0, 1.0, 2.0, 3.0, 0.0]);
        sound.read(0, i64::MAX, &mut out);
        assert_eq!(out, [0.0; 5]);
        sound.read(0, i64::MIN + 1, &mut out);
        assert_eq!(out, [0.0; 5]);
    }

    #[test]
    fn halving_keeps_a_low_tone_and_drops_a_high_one() {
        let tone = |hz: f32| {
            let samples = (0..200_000).map(|n| (n as f32 * hz * std::f32::consts::TAU / 48_000.0).sin());
            mono_24k(&Sound::new(vec![samples.collect()]))
        };
        let rms = |s: &[f32]| (s[100..s.len() - 100].iter().map(|x| x * x).sum::<f32>() / (s.len() - 200) as f32).sqrt();
        assert!((rms(&tone(1000.0)) - 0.5f32.sqrt()).abs() < 0.01);
        assert!(rms(&tone(18_000.0)) < 0.01);
    }
}
