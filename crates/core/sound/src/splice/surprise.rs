//! How much a place of a sound surprises: how far its spectrum changes within 60 ms.
//!
//! A splice is heard when it surprises more than the music's own bar lines do, so both are measured
//! with the same yardstick and a splice is told as its rank among the bar lines.

use crate::sound::{Source, blocks::Blocks, halved};

/// Looked at on either side: 60 ms.
const REACH_MS: i64 = 60;
const PER_MS: i64 = jaunty_units::SAMPLE_RATE_HZ as i64 / 1000;
/// Block and hop at 24 kHz: 21 ms, 5 ms.
pub(super) const BLOCK: usize = 512;
const HOP: usize = 120;
/// Bands of a third of an octave or so, as first bins of the block's spectrum.
const EDGES: [usize; BAND_COUNT + 1] = [1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 19, 24, 30, 38, 48, 60, 76, 96, 121, 152, 192];
pub(super) const BAND_COUNT: usize = 20;

/// Powers of the bands.
pub(super) type Bands = [f32; BAND_COUNT];

/// The bands of a spectrum of powers of blocks of [`BLOCK`].
pub(super) fn bands(power: &[f32]) -> Bands {
    std::array::from_fn(|band| power[EDGES[band]..EDGES[band + 1]].iter().sum())
}

/// The middle of a band in Hz.
pub(super) fn band_middle_hz(band: usize) -> f32 {
    let hz_per_bin = (jaunty_units::SAMPLE_RATE_HZ / 2) as f32 / BLOCK as f32;
    ((EDGES[band] * EDGES[band + 1]) as f32).sqrt() * hz_per_bin
}

/// Mean change of the log spectrum, in dB over 10 ms, at its most within 60 ms of `at`.
pub fn surprise(source: &dyn Source, at: u64) -> f32 {
    // Room for the blocks themselves on both sides.
    let reach = (REACH_MS + 30) * PER_MS;
    let mut samples = vec![0.0f32; 2 * reach as usize];
    source.read_mono(at as i64 - reach, &mut samples);
    let mut frames: Vec<Bands> = Vec::new();
    Blocks::new(BLOCK, HOP).for_each(&halved(&samples), |power| {
        frames.push(bands(power));
    });
    let top = frames.iter().flatten().copied().fold(1e-9, f32::max);
    // What is 60 dB under the loudest band is silence.
    let db = |power: f32| 10.0 * power.max(top * 1e-6).log10();
    let middle = frames.len() as i64 / 2;
    let frames_reach = REACH_MS * PER_MS / (2 * HOP as i64);
    let near = (middle - frames_reach).max(2) as usize..((middle + frames_reach + 1).max(0) as usize).min(frames.len());
    near.map(|k| {
        let change = |band: usize| (db(frames[k][band]) - db(frames[k - 2][band])).abs();
        (0..BAND_COUNT).map(change).sum::<f32>() / BAND_COUNT as f32
    })
    .fold(0.0, f32::max)
}

/// What is heard just before and just after the bar lines of a bed: how much a splice from one to another would surprise,
/// before it is made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LineSpectra {
    /// The 60 ms before each line and those after it, in dB.
    sides: Vec<[Bands; 2]>,
    /// How far the lines themselves change, rising.
    own: Vec<f32>,
}

impl LineSpectra {
    /// Of the lines of a bed.
    pub fn of(bed: &dyn Source, lines_samples: &[u64]) -> Self {
        let power_from = |from: i64| {
            let mut samples = vec![0.0f32; (REACH_MS * PER_MS) as usize];
            bed.read_mono(from, &mut samples);
            power(&samples)
        };
        let mut sides: Vec<[Bands; 2]> = lines_samples.iter().map(|&line| [REACH_MS, 0].map(|early_ms| power_from(line as i64 - early_ms * PER_MS))).collect();
        let top = sides.iter().flatten().flatten().copied().fold(1e-9, f32::max);
        sides.iter_mut().flatten().flatten().for_each(|power| *power = 10.0 * power.max(top * 1e-6).log10());
        Self::from_sides(sides)
    }

    fn from_sides(sides: Vec<[Bands; 2]>) -> Self {
        let mut all = Self { own: Vec::new(), sides };
        let mut own: Vec<f32> = (0..all.sides.len()).map(|k| all.change(k, k)).collect();
        own.sort_by(f32::total_cmp);
        all.own = own;
        all
    }

    /// Mean change of the bands in dB from before line `leave` to after line `enter`.
    fn change(&self, leave: usize, enter: usize) -> f32 {
        let (before, after) = (&self.sides[leave][0], &self.sides[enter][1]);
        before.iter().zip(after).map(|(b, a)| (a - b).abs()).sum::<f32>() / before.len() as f32
    }

    /// Share of the bed's own lines at which less changes than from before line `leave` to after line `enter`; a half
    /// where nothing is known of them.
    pub fn rank(&self, leave: usize, enter: usize) -> f32 {
        if leave.max(enter) < self.sides.len() { rank(&self.own, self.change(leave, enter)) } else { 0.5 }
    }

    /// As little-endian bytes.
    pub fn to_bytes(&self) -> Vec<u8> {
        self.sides.iter().flatten().flatten().flat_map(|v| v.to_le_bytes()).collect()
    }

    /// The inverse of [`LineSpectra::to_bytes`]; what is no whole line is left out.
    pub fn from_bytes(bytes: &[u8]) -> Self {
        let values: Vec<f32> = bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let (bands, _) = values.as_chunks::<BAND_COUNT>();
        Self::from_sides(bands.as_chunks::<2>().0.to_vec())
    }
}

/// Power of the bands over all of `samples`; only those of equally many compare.
pub(super) fn power(samples: &[f32]) -> Bands {
    let mut sum: Bands = [0.0; BAND_COUNT];
    // Blocks that reach beyond what was read would hear silence as a change.
    let inner = BLOCK / 2 / HOP;
    let mut index = 0;
    let blocks = samples.len() / 2 / HOP;
    Blocks::new(BLOCK, HOP).for_each(&halved(samples), |power| {
        if (inner..blocks.saturating_sub(inner)).contains(&index) {
            sum.iter_mut().zip(bands(power)).for_each(|(sum, band)| *sum += band);
        }
        index += 1;
    });
    sum
}

/// The surprises of the bar lines of a bed, rising.
pub fn of_bar_lines(bed: &dyn Source, lines_samples: &[u64]) -> Vec<f32> {
    /// As many say enough about a bed.
    const MOST: usize = 160;
    let step = lines_samples.len().div_ceil(MOST).max(1);
    let mut all: Vec<f32> = lines_samples.iter().step_by(step).map(|&line| surprise(bed, line)).collect();
    all.sort_by(f32::total_cmp);
    all
}

/// Share of the bar lines that surprise less, 0 to 1; a half without any.
pub fn rank(of_bar_lines: &[f32], surprise: f32) -> f32 {
    if of_bar_lines.is_empty() { 0.5 } else { of_bar_lines.partition_point(|s| *s < surprise) as f32 / of_bar_lines.len() as f32 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;

    #[test]
    fn a_cut_into_another_sound_surprises_and_going_on_does_not() {
        let tone = |n: usize, hz: f32| 0.3 * (n as f32 * hz * std::f32::consts::TAU / 48_000.0).sin();
        let bed = Sound::new(vec![(0..96_000).map(|n| if n < 48_000 { tone(n, 220.0) } else { tone(n, 3000.0) }).collect()]);
        let (on, off) = (surprise(&bed, 48_000), surprise(&bed, 24_000));
        assert!(on > 10.0 * off.max(0.3), "{on} against {off}");
        assert_eq!(rank(&[1.0, 2.0, 3.0, 4.0], 2.5), 0.5);
    }

    #[test]
    fn what_a_splice_would_change_is_told_before_it_is_made() {
        // A low and a high tone in turn, a second each: going on at the same tone changes nothing.
        let tone = |n: usize| 0.3 * (n as f32 * if (n / 48_000).is_multiple_of(2) { 220.0 } else { 2000.0 } * std::f32::consts::TAU / 48_000.0).sin();
        let bed = Sound::new(vec![(0..480_000).map(tone).collect()]);
        let lines: Vec<u64> = (0..10).map(|k| k * 48_000).collect();
        let spectra = LineSpectra::of(&bed, &lines);
        // Before line 3 the low tone sounds, after line 2 too.
        assert!(spectra.rank(3, 2) < 0.2, "{}", spectra.rank(3, 2));
        assert!(spectra.change(3, 5) > 10.0 * spectra.change(3, 2).max(0.1));
        assert_eq!(spectra.rank(3, 99), 0.5);
        assert_eq!(LineSpectra::from_bytes(&spectra.to_bytes()), spectra);
    }
}
