//! What a sound is: music, speech, or the sound of a room or a place.
//!
//! Stretches of ten seconds are described by a dozen numbers that are known to tell the three
//! apart (Saunders 1996, "Real-time discrimination of broadcast speech/music"; Scheirer and Slaney
//! 1997, "Construction and evaluation of a robust multifeature speech/music discriminator"; and
//! how well spectral peaks stay and keep to a scale of semitones). A network of one hidden layer,
//! fitted by `tools/kind/train.py` on material that is named there, turns them into likelihoods,
//! and the stretches vote.

mod weights;

use jaunty_sound::progress::{Cancelled, Progress};
use jaunty_sound::sound::blocks::Blocks;
use jaunty_sound::sound::{Source, mono_24k};
use jaunty_units::units::Sure;
use jaunty_units::units::mean;
use serde::{Deserialize, Serialize};
use weights::{BIAS, HIDDEN, MEAN, SCALE, UNIT_BIAS, UNITS, WEIGHTS};

/// What a sound is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Kind {
    /// Music: may be a bed.
    Music,
    /// Speech: may be narration.
    Speech,
    /// A room or a place: may be an ambience.
    Room,
}

/// What a sound was taken for.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Recognised {
    /// The most likely kind.
    pub kind: Kind,
    /// How likely it is, 1/3 (a guess) to 1.
    pub confidence: f32,
}

impl Recognised {
    /// How sure that is; the last of a scale that was measured on few recordings is not taken for sure.
    pub fn sure(self) -> Sure {
        Sure::from(self.confidence - 0.05)
    }

    /// Whether it is so surely something else than `kind` that somebody should be told.
    pub fn is_surely_not(self, kind: Kind) -> bool {
        self.kind != kind && self.confidence >= 0.8
    }
}

/// Numbers that describe a stretch.
pub const FEATURES: usize = 14;
/// Their names, in order.
pub const FEATURE_NAMES: [&str; FEATURES] = [
    "quiet_share",
    "pause_share",
    "syllable_modulation",
    "pulse",
    "in_tune",
    "held_peaks",
    "peak_count",
    "flatness_db",
    "centroid_spread",
    "centroid",
    "range_db",
    "flux",
    "voice_band_modulation",
    "voice_band_depth",
];

const RATE: usize = 24_000;
/// A stretch is ten seconds; of long sounds a dozen are looked at, evenly spread.
const STRETCH: usize = 10 * RATE;
const MOST_STRETCHES: usize = 12;
/// Frames of ten milliseconds.
const HOP: usize = RATE / 100;
/// Shorter sounds than this say nothing, in samples at 24 kHz.
const LEAST: usize = RATE / 2;

/// Says what a sound is. Silence and sounds under half a second are a room, with confidence 1/3.
///
/// # Errors
/// [`Cancelled`] when `progress` returns false.
pub fn recognise(source: &dyn Source, progress: &mut Progress<'_>) -> Result<Recognised, Cancelled> {
    let mut sum = [0.0f32; 3];
    let mut count = 0;
    for (k, features) in stretches(source, progress)?.iter().enumerate() {
        let seen: [f32; FEATURES] = std::array::from_fn(|f| ((features[f] - MEAN[f]) / SCALE[f]).clamp(-4.0, 4.0));
        let sum_of = |weights: &[f32], values: &[f32]| weights.iter().zip(values).map(|(w, v)| w * v).sum::<f32>();
        let units: [f32; HIDDEN] = std::array::from_fn(|unit| (UNIT_BIAS[unit] + sum_of(&UNITS[unit], &seen)).max(0.0));
        let logits: [f32; 3] = std::array::from_fn(|class| BIAS[class] + sum_of(&WEIGHTS[class], &units));
        let top = logits.iter().copied().fold(f32::MIN, f32::max);
        let total: f32 = logits.iter().map(|l| (l - top).exp()).sum();
        for (s, l) in sum.iter_mut().zip(logits) {
            *s += (l - top).exp() / total;
        }
        count = k + 1;
    }
    if count == 0 {
        return Ok(Recognised { kind: Kind::Room, confidence: 1.0 / 3.0 });
    }
    let best = (0..3).max_by(|&a, &b| sum[a].total_cmp(&sum[b])).unwrap_or(0);
    Ok(Recognised { kind: [Kind::Music, Kind::Speech, Kind::Room][best], confidence: sum[best] / count as f32 })
}

/// The features of the stretches of a sound that are not silent.
///
/// # Errors
/// [`Cancelled`] when `progress` returns false.
pub fn stretches(source: &dyn Source, progress: &mut Progress<'_>) -> Result<Vec<[f32; FEATURES]>, Cancelled> {
    let len = source.len_samples() as usize / 2;
    let count = len.div_ceil(STRETCH).clamp(1, MOST_STRETCHES);
    let mut all = Vec::new();
    for k in 0..count {
        if !progress("telling music from speech", k as f32 / count as f32) {
            return Err(Cancelled);
        }
        let start = if count == 1 { 0 } else { (len.saturating_sub(STRETCH)) * k / (count - 1) };
        let part = Part { source, start: 2 * start as u64, length: 2 * STRETCH.min(len - start) as u64 };
        let mono = mono_24k(&part);
        all.extend(describe(&mono));
    }
    Ok(all)
}

/// A stretch of a source.
struct Part<'a> {
    source: &'a dyn Source,
    start: u64,
    length: u64,
}

impl Source for Part<'_> {
    fn len_samples(&self) -> u64 {
        self.length
    }

    fn channel_count(&self) -> usize {
        self.source.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        self.source.read(channel, start + self.start as i64, out);
    }
}

/// The numbers of one stretch; `None` when it is silent or too short.
fn describe(mono: &[f32]) -> Option<[f32; FEATURES]> {
    if mono.len() < LEAST {
        return None;
    }
    let rms: Vec<f32> = mono.chunks(HOP).map(|c| mean(c.iter().map(|x| x * x)).sqrt()).collect();
    let average = mean(rms.iter().copied());
    if average < 1e-5 {
        return None;
    }
    let mut sorted = rms.clone();
    sorted.sort_by(f32::total_cmp);
    let db = |x: f32| 20.0 * x.max(1e-6).log10();
    let at = |share: f32| sorted[((sorted.len() - 1) as f32 * share) as usize];
    let loud_db = db(at(0.95));
    let quiet_share = mean(rms.iter().map(|&r| f32::from(r < 0.5 * average)));
    let pause_share = mean(rms.iter().map(|&r| f32::from(db(r) < loud_db - 25.0)));
    let range_db = (loud_db - db(at(0.1))).min(60.0);

    let spectrum = Spectrum::of(mono, &rms, loud_db);
    let peaks = Peaks::of(mono);
    Some([
        quiet_share,
        pause_share,
        syllable_modulation(&rms.iter().map(|&r| (r + 1e-4).ln()).collect::<Vec<_>>()),
        pulse(&spectrum.rise),
        peaks.in_tune,
        peaks.held,
        peaks.count,
        spectrum.flatness_db,
        spectrum.centroid_spread,
        spectrum.centroid,
        range_db,
        spectrum.flux,
        syllable_modulation(&spectrum.voice_band),
        depth(&spectrum.voice_band),
    ])
}

/// Share of the envelope's movement that lies between 3 and 7 Hz, the rate of syllables.
fn syllable_modulation(level: &[f32]) -> f32 {
    let middle = mean(level.iter().copied());
    let mut power = |hz: f32| {
        let step = std::f32::consts::TAU * hz / 100.0;
        let (mut re, mut im) = (0.0, 0.0);
        for (n, l) in level.iter().enumerate() {
            let (sin, cos) = (step * n as f32).sin_cos();
            re += (l - middle) * cos;
            im += (l - middle) * sin;
        }
        re * re + im * im
    };
    let mut band = |from: f32, to: f32| (0..).map(|k| from + 0.1 * k as f32).take_while(|hz| *hz < to).map(&mut power).sum::<f32>();
    let (slow, syllables, quick) = (band(0.3, 3.0), band(3.0, 7.0), band(7.0, 20.0));
    syllables / (slow + syllables + quick + 1e-9)
}

/// How much an envelope moves beside its mean, over tenths of a second: noise under speech takes little of it.
fn depth(envelope: &[f32]) -> f32 {
    let tenths: Vec<f32> = envelope.chunks(10).map(|c| mean(c.iter().copied())).collect();
    let middle = mean(tenths.iter().copied());
    mean(tenths.iter().map(|t| (t - middle) * (t - middle))).sqrt() / middle.max(1e-9)
}

/// How regularly the sound rises: highest autocorrelation of the rises at 0.25 to 1.5 s.
fn pulse(rise: &[f32]) -> f32 {
    let middle = mean(rise.iter().copied());
    let centred: Vec<f32> = rise.iter().map(|r| r - middle).collect();
    let at =
        |lag: usize| centred.iter().zip(&centred[lag.min(centred.len())..]).map(|(a, b)| a * b).sum::<f32>() / centred.len().saturating_sub(lag).max(1) as f32;
    let whole = at(0).max(1e-12);
    (25..150.min(centred.len() / 2)).map(|lag| at(lag) / whole).fold(0.0, f32::max)
}

/// Shape of the spectrum over time, frames of ten milliseconds.
struct Spectrum {
    /// Sum of the rises of all bands, per frame.
    rise: Vec<f32>,
    /// Geometric over arithmetic mean of the power from 100 Hz to 8 kHz, in dB, mean over frames.
    flatness_db: f32,
    /// Spread of the log2 centroid over frames.
    centroid_spread: f32,
    /// Mean log2 of the centroid in kHz.
    centroid: f32,
    /// Mean change of the log bands between frames.
    flux: f32,
    /// Magnitude between 250 and 3500 Hz, where voices are, per frame.
    voice_band: Vec<f32>,
}

impl Spectrum {
    fn of(mono: &[f32], rms: &[f32], loud_db: f32) -> Self {
        const BLOCK: usize = 1024;
        const BANDS: usize = 20;
        let bin_hz = RATE as f32 / BLOCK as f32;
        let edges: Vec<usize> = (0..=BANDS).map(|k| ((100.0 * 80f32.powf(k as f32 / BANDS as f32)) / bin_hz).round() as usize).collect();
        let voice = (250.0 / bin_hz) as usize..(3500.0 / bin_hz) as usize;
        let (mut rise, mut flat, mut centroids, mut change, mut voice_band) = (Vec::new(), Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let mut before: Option<Vec<f32>> = None;
        let mut frame = 0;
        Blocks::new(BLOCK, HOP).for_each(mono, |bins| {
            let power: Vec<f32> = bins[edges[0]..=edges[BANDS]].iter().map(|p| p + 1e-7).collect();
            let bands: Vec<f32> = edges.windows(2).map(|e| (mean(bins[e[0]..e[1].max(e[0] + 1)].iter().copied()) + 1e-7).ln()).collect();
            let moved = before.as_ref().map_or((0.0, 0.0), |old| {
                let steps = bands.iter().zip(old).map(|(new, old)| new - old);
                (mean(steps.clone().map(|s| s.max(0.0))), mean(steps.map(f32::abs)))
            });
            rise.push(moved.0);
            voice_band.push(mean(bins[voice.clone()].iter().copied()).sqrt());
            // Only what is heard: the hiss of a pause is flat in every kind.
            if rms.get(frame).is_some_and(|r| 20.0 * r.max(1e-6).log10() > loud_db - 30.0) {
                let total: f32 = power.iter().sum();
                flat.push(4.343 * (mean(power.iter().map(|p| p.ln())) - (total / power.len() as f32).ln()));
                let centre = power.iter().enumerate().map(|(k, p)| p * (edges[0] + k) as f32 * bin_hz).sum::<f32>() / total;
                centroids.push((centre / 1000.0).max(0.05).log2());
                change.push(moved.1);
            }
            before = Some(bands);
            frame += 1;
        });
        let centroid = mean(centroids.iter().copied());
        Self {
            rise,
            flatness_db: mean(flat.into_iter()),
            centroid_spread: mean(centroids.iter().map(|c| (c - centroid) * (c - centroid))).sqrt(),
            centroid,
            flux: mean(change.into_iter()),
            voice_band,
        }
    }
}

/// Spectral peaks of a third of a second: whether they stay, and whether they keep to semitones.
struct Peaks {
    in_tune: f32,
    held: f32,
    count: f32,
}

impl Peaks {
    fn of(mono: &[f32]) -> Self {
        const BLOCK: usize = 8192;
        const PEAK_HOP: usize = RATE / 20;
        /// A peak stays when one is within 25 cents of it a fifth of a second later.
        const LATER: usize = 4;
        let bin_hz = RATE as f32 / BLOCK as f32;
        let (first, last) = ((150.0 / bin_hz) as usize, (2500.0 / bin_hz) as usize);
        let mut frames: Vec<Vec<(f32, f32)>> = Vec::new();
        Blocks::new(BLOCK, PEAK_HOP).for_each(mono, |power| {
            let magnitudes: Vec<f32> = power[..last + 16].iter().map(|p| p.sqrt()).collect();
            let top = magnitudes[first..last].iter().copied().fold(0.0, f32::max);
            let mut peaks = Vec::new();
            for k in first..last {
                let (a, b, c) = (magnitudes[k - 1], magnitudes[k], magnitudes[k + 1]);
                if b <= a || b < c || b < 0.03 * top || b < 1e-3 {
                    continue;
                }
                // Over what surrounds it by 12 dB at least: a peak of noise is not.
                let around = mean(magnitudes[k - 14..k - 5].iter().chain(&magnitudes[k + 6..k + 15]).copied());
                if b < 4.0 * around {
                    continue;
                }
                let (a, b, c) = (a.max(1e-9).ln(), b.ln(), c.max(1e-9).ln());
                let offset = 0.5 * (a - c) / (a - 2.0 * b + c).min(-1e-6);
                peaks.push((12.0 * ((k as f32 + offset.clamp(-0.5, 0.5)) * bin_hz / 440.0).log2(), b.exp().sqrt()));
            }
            frames.push(peaks);
        });
        let (mut re, mut im, mut weight) = (0.0, 0.0, 1e-9);
        for &(pitch, strength) in frames.iter().flatten() {
            let (sin, cos) = (std::f32::consts::TAU * pitch).sin_cos();
            re += strength * cos;
            im += strength * sin;
            weight += strength;
        }
        let (mut held, mut all) = (0.0, 1e-9);
        for pair in frames.windows(LATER + 1) {
            for &(pitch, strength) in &pair[0] {
                all += strength;
                if pair[LATER].iter().any(|(later, _)| (later - pitch).abs() < 0.25) {
                    held += strength;
                }
            }
        }
        Self { in_tune: (re * re + im * im).sqrt() / weight, held: held / all, count: mean(frames.iter().map(|f| f.len() as f32)) }
    }
}
