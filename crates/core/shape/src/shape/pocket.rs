//! A pocket for the voice: a cut in the bed's spectrum, there while somebody speaks.
//!
//! The filter is the peaking equaliser of the Audio EQ Cookbook (R. Bristow-Johnson), through the
//! crate `biquad`; its middle comes from the narration's own spectrum. It runs all the time, and what it
//! takes away is mixed in as far as somebody speaks.

use biquad::{Biquad, Coefficients, DirectForm2Transposed, ToHertz, Type};
use jaunty_sound::sound::{Source, blocks::Blocks, halved};
use jaunty_units::SAMPLE_RATE_HZ;
use serde::{Deserialize, Serialize};

/// What somebody wants of a pocket.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct PocketWish {
    /// How much is taken away in its middle, in dB.
    pub depth_db: f64,
    /// How narrow it is.
    pub q: f64,
    /// Its middle in Hz; the narration's strongest band without one.
    pub centre_hz: Option<f64>,
}

impl PocketWish {
    /// Gently sharp, between 1 and 2 kHz (common practice: -5.5 dB at 1.4 kHz).
    pub const GENTLE: Self = Self { depth_db: 5.5, q: 1.4, centre_hz: Some(1400.0) };
    /// Narrow, at the voice's own frequencies (common practice: Q 4, up to -18 dB).
    pub const NARROW: Self = Self { depth_db: 12.0, q: 4.0, centre_hz: None };
}

/// Pockets to choose from, in words; the first is none.
pub const CHOICES: [(&str, Option<PocketWish>); 3] =
    [("no pocket", None), ("−5.5 dB at 1.4 kHz, gentle", Some(PocketWish::GENTLE)), ("−12 dB at the voice's own, narrow", Some(PocketWish::NARROW))];

impl Default for PocketWish {
    fn default() -> Self {
        Self::GENTLE
    }
}

/// A pocket of a plan.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Pocket {
    /// How much is taken away in its middle, in dB.
    pub depth_db: f64,
    /// How narrow it is.
    pub q: f64,
    /// Its middle in Hz.
    pub centre_hz: f64,
    /// When somebody speaks, first sample and the one after the last, rising.
    pub phrases: Vec<(u64, u64)>,
}

/// It opens and closes over this time: 0.15 s.
const EASE_SAMPLES: u64 = 7200;
/// The filter is run anew for every stretch of this length,
const STRETCH: u64 = 24_000;
/// from this long before: long enough for its memory of anything earlier to be gone.
const BEFORE: u64 = 9600;

impl Pocket {
    /// How far the pocket is open at a sample of the cut, 0 to 1: open while somebody speaks,
    /// eased in before and out after.
    pub fn presence(&self, at: u64) -> f32 {
        let next = self.phrases.partition_point(|p| p.1 + EASE_SAMPLES <= at);
        let open = self.phrases[next..].iter().take(2).map(|&(start, end)| {
            let before = start.saturating_sub(at).min(EASE_SAMPLES);
            let after = at.saturating_sub(end).min(EASE_SAMPLES);
            1.0 - before.max(after) as f32 / EASE_SAMPLES as f32
        });
        let x = open.fold(0.0, f32::max);
        x * x * (3.0 - 2.0 * x)
    }

    fn filter(&self) -> DirectForm2Transposed<f32> {
        let (rate, centre) = ((SAMPLE_RATE_HZ as f32).hz(), (self.centre_hz as f32).clamp(20.0, 20_000.0).hz());
        let coefficients = Coefficients::<f32>::from_params(Type::PeakingEQ(-self.depth_db as f32), rate, centre, (self.q as f32).max(0.1));
        DirectForm2Transposed::<f32>::new(coefficients.expect("a middle below half the sample rate"))
    }

    /// Takes the pocket out of `out`, which holds `read` from sample `start` of the cut on.
    ///
    /// The filter begins anew at fixed places of the cut, so that every range hears the same.
    pub fn apply(&self, start: u64, out: &mut [f32], read: &dyn Fn(i64, &mut [f32])) {
        let end = start + out.len() as u64;
        let mut stretch = start / STRETCH * STRETCH;
        while stretch < end {
            let (from, to) = (stretch.max(start), (stretch + STRETCH).min(end));
            // Nothing to do where nobody speaks.
            if (stretch..stretch + STRETCH + 1).step_by(480).any(|at| self.presence(at) > 0.0) {
                let first = stretch as i64 - BEFORE as i64;
                let mut samples = vec![0.0f32; (BEFORE + STRETCH) as usize];
                read(first, &mut samples);
                let mut filter = self.filter();
                // It opens so slowly that a line between points 0.7 ms apart is the curve.
                const STEP: usize = 32;
                for (k, part) in samples.chunks_mut(STEP).enumerate() {
                    let at = |k: usize| self.presence((first + (k * STEP) as i64).max(0) as u64);
                    let (open, next) = (at(k), at(k + 1));
                    let slope = (next - open) / STEP as f32;
                    for (n, sample) in part.iter_mut().enumerate() {
                        let cut = filter.run(*sample);
                        *sample += (open + slope * n as f32) * (cut - *sample);
                    }
                }
                let offset = (from as i64 - first) as usize;
                out[(from - start) as usize..(to - start) as usize].copy_from_slice(&samples[offset..offset + (to - from) as usize]);
            }
            stretch += STRETCH;
        }
    }
}

/// The middle of the third of an octave between 300 Hz and 3.4 kHz in which a narration is
/// strongest while somebody speaks, in Hz; `None` for silence.
pub fn strongest_band_hz(narration: &dyn Source, phrases: &[(u64, u64)]) -> Option<f64> {
    /// A minute of speech says enough.
    const MOST_SAMPLES: u64 = 60 * SAMPLE_RATE_HZ as u64;
    const BLOCK: usize = 2048;
    // Thirds of an octave from 315 Hz (IEC 61260-1, base ten, from memory).
    let centres: Vec<f64> = (25..=35).map(|n| 10f64.powf(f64::from(n) / 10.0)).collect();
    let mut powers = vec![0.0f64; centres.len()];
    let mut heard = 0;
    for &(start, end) in phrases {
        if heard > MOST_SAMPLES {
            break;
        }
        let mut samples = vec![0.0f32; end.saturating_sub(start).min(MOST_SAMPLES) as usize];
        heard += samples.len() as u64;
        narration.read_mono(start as i64, &mut samples);
        let bin_hz = f64::from(SAMPLE_RATE_HZ) / 2.0 / BLOCK as f64;
        Blocks::new(BLOCK, BLOCK / 2).for_each(&halved(&samples), |power| {
            for (sum, centre) in powers.iter_mut().zip(&centres) {
                let (from, to) = ((centre / 1.122 / bin_hz) as usize, (centre * 1.122 / bin_hz) as usize + 1);
                *sum += f64::from(power[from..to.min(power.len())].iter().sum::<f32>());
            }
        });
    }
    let strongest = (0..centres.len()).max_by(|&a, &b| powers[a].total_cmp(&powers[b]))?;
    (powers[strongest] > 1e-6).then(|| centres[strongest])
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_sound::sound::Sound;

    fn tone(hz: f32, seconds: usize) -> Sound {
        Sound::new(vec![(0..48_000 * seconds).map(|n| 0.5 * (n as f32 * hz * std::f32::consts::TAU / 48_000.0).sin()).collect()])
    }

    fn level_db(pocket: &Pocket, hz: f32, from: u64) -> f32 {
        let sound = tone(hz, 4);
        let mut out = vec![0.0f32; 24_000];
        sound.read(0, from as i64, &mut out);
        pocket.apply(from, &mut out, &|start, block| sound.read(0, start, block));
        let power = |s: &[f32]| s.iter().map(|x| x * x).sum::<f32>() / s.len() as f32;
        10.0 * (power(&out) / 0.125).log10()
    }

    #[test]
    fn the_cut_is_as_deep_and_as_wide_as_the_cookbook_says() {
        let pocket = Pocket { depth_db: 12.0, q: 4.0, centre_hz: 1000.0, phrases: vec![(0, 192_000)] };
        assert!((level_db(&pocket, 1000.0, 72_000) + 12.0).abs() < 0.05);
        // RBJ Audio EQ Cookbook: at the edges of the bandwidth of a peaking filter the gain is half
        // the depth in dB; the edges lie where f/f0 - f0/f = +-1/Q. (The warping of the bilinear
        // transform is small at 1 kHz.)
        let edge = |sign: f32| (sign / 8.0 + (1.0f32 / 64.0 + 1.0).sqrt()) * 1000.0;
        for hz in [edge(1.0), edge(-1.0)] {
            assert!((level_db(&pocket, hz, 72_000) + 6.0).abs() < 0.15, "{hz} Hz: {}", level_db(&pocket, hz, 72_000));
        }
        assert!(level_db(&pocket, 100.0, 72_000).abs() < 0.1 && level_db(&pocket, 8000.0, 72_000).abs() < 0.1);
    }

    #[test]
    fn it_is_there_only_while_somebody_speaks_and_every_range_hears_the_same() {
        let pocket = Pocket { depth_db: 12.0, q: 4.0, centre_hz: 1000.0, phrases: vec![(48_000, 96_000)] };
        assert!(level_db(&pocket, 1000.0, 0).abs() < 0.05 && level_db(&pocket, 1000.0, 120_000).abs() < 0.05);
        assert!(level_db(&pocket, 1000.0, 60_000) < -11.5);
        let sound = tone(1000.0, 3);
        let read = |start: i64, block: &mut [f32]| sound.read(0, start, block);
        let hear = |from: usize, to: usize| {
            let mut out = sound.channels()[0][from..to].to_vec();
            pocket.apply(from as u64, &mut out, &read);
            out
        };
        let whole = hear(0, 144_000);
        for (from, to) in [(1, 2), (47_000, 71_234), (95_999, 96_001), (23_999, 144_000)] {
            assert!(hear(from, to) == whole[from..to], "{from}..{to}");
        }
    }

    #[test]
    fn the_middle_is_where_the_voice_is() {
        assert_eq!(strongest_band_hz(&tone(1000.0, 2), &[(0, 96_000)]).map(f64::round), Some(1000.0));
        assert_eq!(strongest_band_hz(&Sound::silence(1, 48_000), &[(0, 48_000)]), None);
    }
}
