//! Short-time spectra of a bed at 24 kHz: a quick one for onsets, a long one for harmony.

use jaunty_sound::sound::{blocks::Blocks, halved};

/// Sample rate of everything in this module, in Hz.
pub const RATE_HZ: f32 = 24_000.0;
/// Onset frames a second.
pub const ONSET_FRAMES_PER_S: f64 = 100.0;
/// Mel bands of the onset spectra.
pub const MEL_BANDS: usize = 40;
/// Bands of the onset flux: low (bass drum, bass), middle, high (snare's noise, cymbals).
pub const FLUX_BANDS: usize = 3;

const ONSET_HOP: usize = 240;
const ONSET_BLOCK: usize = 1024;
/// Pitch classes end at 2.5 kHz: a quarter of the rate holds them, at a quarter of the work.
const HARMONY_RATE_HZ: f32 = RATE_HZ / 4.0;
const HARMONY_HOP: usize = 300;
const HARMONY_BLOCK: usize = 2048;
/// Harmony frames a second.
pub const HARMONY_FRAMES_PER_S: f64 = 20.0;

fn mel_from_hz(hz: f32) -> f32 {
    // O'Shaughnessy 1987: m = 2595 log10(1 + f/700).
    2595.0 * (1.0 + hz / 700.0).log10()
}

/// Middle of a mel band in Hz.
pub fn band_hz(band: usize) -> f32 {
    let (low, high) = (mel_from_hz(30.0), mel_from_hz(11_000.0));
    700.0 * (10f32.powf((low + (high - low) * (band + 1) as f32 / (MEL_BANDS + 1) as f32) / 2595.0) - 1.0)
}

/// Triangular filters as (first bin, weights), each summing to 1.
fn mel_filters() -> Vec<(usize, Vec<f32>)> {
    let (low, high) = (mel_from_hz(30.0), mel_from_hz(11_000.0));
    let edge_bin = |k: usize| {
        let mel = low + (high - low) * k as f32 / (MEL_BANDS + 1) as f32;
        700.0 * (10f32.powf(mel / 2595.0) - 1.0) * ONSET_BLOCK as f32 / RATE_HZ
    };
    (0..MEL_BANDS)
        .map(|band| {
            let (a, b, c) = (edge_bin(band), edge_bin(band + 1), edge_bin(band + 2));
            // Low bands are narrower than a bin: each keeps at least the bin at its middle.
            let first = (a.ceil() as usize).min(b.round() as usize);
            let last = (c.floor() as usize).max(b.round() as usize);
            let mut weights: Vec<f32> = (first..=last)
                .map(|bin| {
                    let x = bin as f32;
                    let rise = if x <= b { (x - a) / (b - a) } else { (c - x) / (c - b) };
                    rise.max(if bin == b.round() as usize { 0.1 } else { 0.0 })
                })
                .collect();
            let sum: f32 = weights.iter().sum();
            weights.iter_mut().for_each(|w| *w /= sum);
            (first, weights)
        })
        .collect()
}

/// Mel spectra and band flux, 100 frames a second; frame `k` is centred on `k` hundredths of a second.
pub struct OnsetSpectra {
    /// Power of each mel band in log10, [`MEL_BANDS`] values a frame, floored 60 dB under the loud parts.
    pub log_mel: Vec<f32>,
    /// Rise of each band group, [`FLUX_BANDS`] values a frame.
    pub flux: Vec<[f32; FLUX_BANDS]>,
}

impl OnsetSpectra {
    /// The spectra of `mono` at 24 kHz.
    pub fn of(mono: &[f32]) -> Self {
        let filters = mel_filters();
        let mut power: Vec<f32> = Vec::with_capacity(mono.len() / ONSET_HOP * MEL_BANDS);
        Blocks::new(ONSET_BLOCK, ONSET_HOP).for_each(mono, |bins| {
            for (first, weights) in &filters {
                power.push(weights.iter().zip(&bins[*first..]).map(|(w, p)| w * p).sum());
            }
        });
        let floor = 1e-6 * percentile(&power, 0.95).max(1e-12);
        let log_mel: Vec<f32> = power.iter().map(|p| p.max(floor).log10()).collect();
        let flux = flux(&log_mel);
        Self { log_mel, flux }
    }

    /// Number of frames.
    pub fn len(&self) -> usize {
        self.flux.len()
    }

    /// The mel bands of frame `frame`.
    pub fn mel(&self, frame: usize) -> &[f32] {
        &self.log_mel[frame * MEL_BANDS..(frame + 1) * MEL_BANDS]
    }
}

/// Band-wise rise against the loudest neighbour two frames ago, after the vibrato-proof flux of
/// Boeck and Widmer (DAFx 2013), here on mel bands.
fn flux(log_mel: &[f32]) -> Vec<[f32; FLUX_BANDS]> {
    const LAG: usize = 2;
    /// First bands of the middle and the high group: about 220 Hz and 2.4 kHz.
    const GROUPS: [usize; FLUX_BANDS + 1] = [0, 4, 22, MEL_BANDS];
    let count = log_mel.len() / MEL_BANDS;
    (0..count)
        .map(|frame| {
            let Some(before) = frame.checked_sub(LAG) else { return [0.0; FLUX_BANDS] };
            let now = &log_mel[frame * MEL_BANDS..][..MEL_BANDS];
            let then = &log_mel[before * MEL_BANDS..][..MEL_BANDS];
            std::array::from_fn(|group| {
                let (from, to) = (GROUPS[group], GROUPS[group + 1]);
                let rise: f32 = (from..to)
                    .map(|band| {
                        let neighbours = &then[band.saturating_sub(1)..(band + 2).min(MEL_BANDS)];
                        let loudest = neighbours.iter().copied().fold(f32::MIN, f32::max);
                        (now[band] - loudest).max(0.0)
                    })
                    .sum();
                rise / (to - from) as f32
            })
        })
        .collect()
}

/// Pitch classes over time, 20 frames a second.
pub struct HarmonySpectra {
    /// Tonal energy of the 12 pitch classes (C first), 120 Hz to 2.5 kHz.
    pub chroma: Vec<[f32; 12]>,
    /// The same for 38 to 180 Hz.
    pub bass: Vec<[f32; 12]>,
}

impl HarmonySpectra {
    /// The pitch classes of `mono` at 24 kHz.
    pub fn of(mono: &[f32]) -> Self {
        let top_bin = bin_of(2500.0) + 32;
        let chroma_map = PitchMap::new(120.0, 2500.0);
        let bass_map = PitchMap::new(38.0, 180.0);
        let reference = {
            let power: f32 = mono.iter().map(|x| x * x).sum::<f32>() / mono.len().max(1) as f32;
            // Magnitude of a sine of the sound's own RMS level through the window.
            (power.sqrt() * HARMONY_BLOCK as f32 / 4.0).max(1e-6)
        };
        let mut compressed = vec![0.0; top_bin];
        let mut tonal = vec![0.0; top_bin];
        let (mut chroma, mut bass) = (Vec::new(), Vec::new());
        Blocks::new(HARMONY_BLOCK, HARMONY_HOP).for_each(&halved(&halved(mono)), |power| {
            for (c, p) in compressed.iter_mut().zip(power) {
                *c = (1.0 + 30.0 * p.sqrt() / reference).ln();
            }
            keep_peaks(&compressed, &mut tonal);
            chroma.push(chroma_map.fold(&tonal));
            bass.push(bass_map.fold(&tonal));
        });
        Self { chroma, bass }
    }
}

fn bin_of(hz: f32) -> usize {
    (hz * HARMONY_BLOCK as f32 / HARMONY_RATE_HZ).round() as usize
}

/// Takes 1.2 times the moving average over 31 bins off, which leaves tones and drops drums.
fn keep_peaks(spectrum: &[f32], tonal: &mut [f32]) {
    const HALF: usize = 15;
    let mut sum: f32 = spectrum[..HALF].iter().sum();
    for bin in 0..spectrum.len() {
        if bin + HALF < spectrum.len() {
            sum += spectrum[bin + HALF];
        }
        if bin > HALF {
            sum -= spectrum[bin - HALF - 1];
        }
        let width = (bin + HALF).min(spectrum.len() - 1) + 1 - bin.saturating_sub(HALF);
        tonal[bin] = (spectrum[bin] - 1.2 * sum / width as f32).max(0.0);
    }
}

/// Weights from bins to pitch classes, a Gaussian of 0.35 semitone about each.
struct PitchMap {
    weights: Vec<(usize, [f32; 12])>,
}

impl PitchMap {
    fn new(low_hz: f32, high_hz: f32) -> Self {
        let weights = (bin_of(low_hz)..=bin_of(high_hz))
            .map(|bin| {
                let hz = bin as f32 * HARMONY_RATE_HZ / HARMONY_BLOCK as f32;
                // MIDI 1.0: note 69 is 440 Hz; note 60 (C) is class 0.
                let pitch = 69.0 + 12.0 * (hz / 440.0).log2();
                let row = std::array::from_fn(|class| {
                    let away = (pitch - class as f32 + 6.0).rem_euclid(12.0) - 6.0;
                    (-0.5 * (away / 0.35).powi(2)).exp()
                });
                (bin, row)
            })
            .collect();
        Self { weights }
    }

    fn fold(&self, tonal: &[f32]) -> [f32; 12] {
        let mut classes = [0.0; 12];
        for (bin, row) in &self.weights {
            let energy = tonal[*bin];
            if energy > 0.0 {
                for (class, weight) in classes.iter_mut().zip(row) {
                    *class += energy * weight;
                }
            }
        }
        classes
    }
}

/// The value below which `share` (0 to 1) of `values` lie; 0 for none.
pub fn percentile(values: &[f32], share: f64) -> f32 {
    if values.is_empty() {
        return 0.0;
    }
    let mut copy = values.to_vec();
    let rank = ((copy.len() - 1) as f64 * share).round() as usize;
    *copy.select_nth_unstable_by(rank, f32::total_cmp).1
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f32::consts::TAU;

    #[test]
    fn a_tone_of_440_hz_is_an_a() {
        let tone: Vec<f32> = (0..48_000).map(|n| (n as f32 * 440.0 * TAU / RATE_HZ).sin()).collect();
        let middle = HarmonySpectra::of(&tone).chroma[20];
        let loudest = (0..12).max_by(|&a, &b| middle[a].total_cmp(&middle[b]));
        assert_eq!(loudest, Some(9));
    }

    #[test]
    fn flux_rises_where_a_sound_starts() {
        let mut burst = vec![0.0f32; 48_000];
        for (n, sample) in burst[24_000..].iter_mut().enumerate() {
            *sample = (n as f32 * 700.0 * TAU / RATE_HZ).sin();
        }
        let spectra = OnsetSpectra::of(&burst);
        let total: Vec<f32> = spectra.flux.iter().map(|f| f.iter().sum()).collect();
        let top = (0..total.len()).max_by(|&a, &b| total[a].total_cmp(&total[b])).unwrap();
        assert!((98..=102).contains(&top), "frame {top}");
    }
}
