//! What a beat sounds like: the numbers from which beats and bars are compared.

use super::spectra::{FLUX_BANDS, HARMONY_FRAMES_PER_S, HarmonySpectra, MEL_BANDS, ONSET_FRAMES_PER_S, OnsetSpectra, percentile};

/// Parts of a beat whose onsets are told apart.
const BEAT_PARTS: usize = 4;

/// One beat.
#[derive(Debug, Clone, PartialEq)]
pub struct BeatFeatures {
    /// Pitch classes, length about 1.
    pub chroma: [f32; 12],
    /// Pitch classes of the bass, length about 1.
    pub bass: [f32; 12],
    /// Log10 power of the mel bands, first half of the beat then second.
    pub log_mel: Vec<f32>,
    /// Square root of the flux in each quarter of the beat and band, relative to the bed's mean.
    pub onset: [f32; BEAT_PARTS * FLUX_BANDS],
    /// Strongest flux of each band at the beat itself.
    pub attack: [f32; FLUX_BANDS],
    /// RMS level in dB.
    pub loudness_db: f32,
}

/// The features of the beats; the last beat lasts as long as the one before. `powers` are those of
/// every hundredth of a second.
pub fn of_beats(beats_s: &[f64], onsets: &OnsetSpectra, harmony: &HarmonySpectra, powers: &[f32]) -> Vec<BeatFeatures> {
    let chroma_norm = median_norm(&harmony.chroma);
    let bass_norm = median_norm(&harmony.bass);
    let flux_means: [f32; FLUX_BANDS] = std::array::from_fn(|band| onsets.flux.iter().map(|f| f[band]).sum::<f32>() / onsets.len().max(1) as f32 + 1e-4);
    (0..beats_s.len())
        .map(|k| {
            let start = beats_s[k];
            let end = match beats_s.get(k + 1) {
                Some(&next) => next,
                None => start + if k > 0 { start - beats_s[k - 1] } else { 0.5 },
            };
            let length = end - start;
            let part = |from: f64, to: f64| (start + from * length, start + to * length);
            let mut onset = [0.0; BEAT_PARTS * FLUX_BANDS];
            for quarter in 0..BEAT_PARTS {
                // 20 ms early, so that an attack on the line counts to the part it opens.
                let (a, b) = part(quarter as f64 / BEAT_PARTS as f64, (quarter + 1) as f64 / BEAT_PARTS as f64);
                let frames = range(a - 0.02, b - 0.02, ONSET_FRAMES_PER_S, onsets.len());
                for band in 0..FLUX_BANDS {
                    let sum: f32 = frames.clone().map(|f| onsets.flux[f][band]).sum();
                    onset[quarter * FLUX_BANDS + band] = (sum / frames.len().max(1) as f32 / flux_means[band]).sqrt();
                }
            }
            let mut log_mel = Vec::with_capacity(2 * MEL_BANDS);
            for (from, to) in [(0.0, 0.5), (0.5, 1.0)] {
                let (a, b) = part(from, to);
                let frames = range(a, b, ONSET_FRAMES_PER_S, onsets.len());
                for band in 0..MEL_BANDS {
                    let sum: f32 = frames.clone().map(|f| onsets.mel(f)[band]).sum();
                    log_mel.push(sum / frames.len().max(1) as f32);
                }
            }
            let at = range(start - 0.03, start + 0.05, ONSET_FRAMES_PER_S, onsets.len());
            let attack = std::array::from_fn(|band| at.clone().map(|f| onsets.flux[f][band]).fold(0.0, f32::max));
            let span = range(start, end, ONSET_FRAMES_PER_S, powers.len());
            let power = powers[span.clone()].iter().sum::<f32>() / span.len().max(1) as f32;
            BeatFeatures {
                chroma: mean_class(&harmony.chroma, start, end, 0.05 * chroma_norm),
                bass: mean_class(&harmony.bass, start, end, 0.20 * bass_norm),
                log_mel,
                onset,
                attack,
                loudness_db: 10.0 * (power + 1e-9).log10(),
            }
        })
        .collect()
}

/// Frames from `from_s` to `to_s`, at least one where the signal has any.
fn range(from_s: f64, to_s: f64, per_s: f64, len: usize) -> std::ops::Range<usize> {
    let from = ((from_s * per_s).round().max(0.0) as usize).min(len.saturating_sub(1));
    let to = ((to_s * per_s).round().max(0.0) as usize).clamp(from + 1, len.max(from + 1));
    from.min(len)..to.min(len)
}

pub(super) fn norm(classes: &[f32; 12]) -> f32 {
    classes.iter().map(|x| x * x).sum::<f32>().sqrt()
}

fn median_norm(frames: &[[f32; 12]]) -> f32 {
    percentile(&frames.iter().map(norm).collect::<Vec<_>>(), 0.5).max(1e-3)
}

fn mean_class(frames: &[[f32; 12]], start: f64, end: f64, floor: f32) -> [f32; 12] {
    let mut sum = [0.0; 12];
    let span = range(start, end, HARMONY_FRAMES_PER_S, frames.len());
    for frame in &frames[span.clone()] {
        for (total, value) in sum.iter_mut().zip(frame) {
            *total += value;
        }
    }
    sum.iter_mut().for_each(|x| *x /= span.len().max(1) as f32);
    let length = norm(&sum) + floor;
    sum.map(|x| x / length)
}

/// Level of the first beat after each bar line but the last, in dB against the loudest of them.
pub fn line_levels_db(features: &[BeatFeatures], downbeats: &[usize]) -> Vec<f32> {
    let levels: Vec<f32> = downbeats.iter().take(downbeats.len().saturating_sub(1)).map(|&beat| features[beat].loudness_db).collect();
    let loudest = levels.iter().copied().fold(f32::MIN, f32::max);
    levels.iter().map(|l| l - loudest).collect()
}

/// Level of each bar in dB relative to the loudest.
pub fn bar_levels_db(features: &[BeatFeatures], downbeats: &[usize]) -> Vec<f32> {
    let levels: Vec<f32> = downbeats
        .windows(2)
        .map(|bar| {
            let power: f32 = features[bar[0]..bar[1]].iter().map(|f| 10f32.powf(f.loudness_db / 10.0)).sum();
            10.0 * (power / (bar[1] - bar[0]) as f32 + 1e-9).log10()
        })
        .collect();
    let loudest = levels.iter().copied().fold(f32::MIN, f32::max);
    levels.iter().map(|l| l - loudest).collect()
}
