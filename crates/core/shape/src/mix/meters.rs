//! What is measured of a finished plan, as curves over the cut.

use super::{Hear, MissingSound, render};
use crate::plan::{Master, Plan};
use crate::shape::LevelObject;
use jaunty_sound::sound::loudness::{
    BLOCK_SAMPLES, BlockEnergies, Loudness, SILENCE_ENERGY, TruePeak, energy_from_lufs, integrated_and_range, lufs_from_energy, measure_all,
};
use jaunty_sound::sound::{Sound, Source, copy_range};
use serde::{Deserialize, Serialize};
use std::cell::RefCell;

/// Curves in tenths of a second; `None` where there is nothing to measure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Meters {
    /// How far the voice lies over the bed, over three seconds and while somebody speaks, in dB.
    pub voice_over_bed_db: Vec<Option<f32>>,
    /// Momentary loudness (0.4 s) of the mix in LUFS.
    pub momentary_lufs: Vec<Option<f32>>,
    /// Short-term loudness (3 s) of the mix in LUFS.
    pub short_term_lufs: Vec<Option<f32>>,
    /// Highest true peak of the mix in dBTP.
    pub true_peak_dbtp: Option<f64>,
    /// Where its highest sample is.
    pub peak_at_samples: u64,
    /// Loudness of the whole mix in LUFS.
    pub integrated_lufs: Option<f64>,
    /// Its loudness range in LU.
    pub range_lu: Option<f64>,
    /// The phrases, with how the bed lies under each.
    pub phrases: Vec<PhraseMeter>,
    /// Sounds of the film that the bed covers.
    pub masked: Vec<Masked>,
    /// What the sum of both channels loses against them, in dB.
    pub mono_loss_db: Option<f64>,
    /// Loudness of the last tenth of a second in LUFS.
    pub end_lufs: Option<f64>,
    /// Mean of the samples of the channel where it is farther from zero: its direct current, 1 is full scale.
    pub direct_current: f64,
}

/// A short sound of the film, a door or a step, that the bed covers.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Masked {
    /// First sample.
    pub start_samples: u64,
    /// The sample after its last.
    pub end_samples: u64,
    /// How far the bed lies under it, in dB; negative where it lies over it.
    pub bed_under_db: f64,
}

/// How the bed lies under a phrase.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct PhraseMeter {
    /// First sample of the phrase.
    pub start_samples: u64,
    /// The sample after its last.
    pub end_samples: u64,
    /// How far under it the bed is to lie, in dB.
    pub asked_db: Option<f64>,
    /// How far it does.
    pub bed_under_db: Option<f64>,
}

/// Looks up a sound by its name.
pub type Sounds<'p, 'a> = dyn Fn(&str) -> Option<&'a dyn Source> + 'p;

/// A plan, or a part of it, as a sound that is rendered as it is read.
pub struct Heard<'p, 'a> {
    plan: &'p Plan,
    sounds: &'p Sounds<'p, 'a>,
    hear: Hear,
    /// The last range, for the other channel.
    last: RefCell<(i64, Sound)>,
}

impl<'p, 'a> Heard<'p, 'a> {
    /// The plan as `hear` hears it.
    ///
    /// # Errors
    /// [`MissingSound`] when `sounds` does not know one that the plan names.
    pub fn new(plan: &'p Plan, sounds: &'p Sounds<'p, 'a>, hear: Hear) -> Result<Self, MissingSound> {
        render(plan, sounds, 0..1, hear)?;
        Ok(Self { plan, sounds, hear, last: RefCell::new((i64::MIN, Sound::silence(2, 0))) })
    }
}

impl Source for Heard<'_, '_> {
    fn len_samples(&self) -> u64 {
        self.plan.length_samples
    }

    fn channel_count(&self) -> usize {
        2
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        let mut last = self.last.borrow_mut();
        if last.0 != start || last.1.len_samples() != out.len() as u64 {
            let from = start.max(0) as u64;
            let to = (start + out.len() as i64).max(0) as u64;
            // Every sound was there when this was made.
            let sound = render(self.plan, self.sounds, from..to, self.hear).unwrap_or_else(|_| Sound::silence(2, 0));
            let planes = (0..2).map(|c| {
                let mut plane = vec![0.0; out.len()];
                copy_range(&sound.channels()[c], start.min(0), &mut plane);
                plane
            });
            *last = (start, Sound::new(planes.collect()));
        }
        out.copy_from_slice(&last.1.channels()[channel.min(1)]);
    }
}

/// The gain that brings a plan without a master to a loudness (EBU R 128), as far as its true peak
/// stays at -1 dBTP; `None` for silence.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn master<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>, target_lufs: f64) -> Result<Option<Master>, MissingSound> {
    /// EBU R 128: the highest true peak of a programme.
    const MOST_DBTP: f64 = -1.0;
    let heard = Heard::new(plan, sounds, Hear::Everything)?;
    let Loudness { integrated_lufs: Some(lufs), true_peak_dbtp, .. } = measure_all(&heard) else { return Ok(None) };
    let wanted = target_lufs - lufs;
    let room = true_peak_dbtp.map_or(f64::INFINITY, |peak| MOST_DBTP - peak);
    let gain_db = wanted.min(room);
    Ok(Some(Master { target_lufs, gain_db, held_back_db: wanted - gain_db }))
}

/// The loudness of the whole mix, with the true peak of all of it.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn loudness<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>) -> Result<Loudness, MissingSound> {
    Ok(measure_all(&Heard::new(plan, sounds, Hear::Everything)?))
}

/// Measures a plan.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn meters<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>) -> Result<Meters, MissingSound> {
    let Measured { mix, mut voice, bed, film, true_peak_dbtp, samples } = Measured::of(plan, sounds)?;
    // There the film is the voice.
    for &(from, to) in &plan.talk {
        let blocks = (from / BLOCK_SAMPLES) as usize..(to.div_ceil(BLOCK_SAMPLES) as usize).min(voice.len());
        voice[blocks.clone()].copy_from_slice(&film[blocks]);
    }
    let spoken: Vec<bool> = {
        let mut spoken = vec![false; mix.len()];
        for p in &plan.phrases {
            let range = (p.start_samples / BLOCK_SAMPLES) as usize..(p.end_samples.div_ceil(BLOCK_SAMPLES) as usize).min(spoken.len());
            if range.start < range.end {
                spoken[range].fill(true);
            }
        }
        spoken
    };
    let window = |of: &[f64], end: usize, length: usize, only: Option<&[bool]>| -> Option<f64> {
        let all: Vec<f64> = ((end + 1).saturating_sub(length)..=end).filter(|k| only.is_none_or(|o| o[*k])).map(|k| of[k]).collect();
        let mean = all.iter().sum::<f64>() / all.len().max(1) as f64;
        (!all.is_empty() && mean > SILENCE_ENERGY).then_some(mean)
    };
    let lufs = |length: usize| (0..mix.len()).map(|k| window(&mix, k, length, None).map(|e| lufs_from_energy(e) as f32)).collect();
    let over = |k: usize| {
        // While less than a third of the window is speech there is nothing to compare.
        let enough = (k.saturating_sub(29)..=k).filter(|j| spoken[*j]).count() >= 10;
        let (v, b) = (window(&voice, k, 30, Some(&spoken))?, window(&bed, k, 30, Some(&spoken))?);
        enough.then(|| (10.0 * (v / b).log10()) as f32)
    };
    let phrases = plan.phrases.iter().map(|p| {
        let blocks = (p.start_samples / BLOCK_SAMPLES) as usize..(p.end_samples.div_ceil(BLOCK_SAMPLES) as usize).min(mix.len());
        let mean = |of: &[f64]| Some(of[blocks.clone()].iter().sum::<f64>() / blocks.len() as f64).filter(|e| *e > SILENCE_ENERGY);
        let asked_db = plan.dip_under(p).and_then(|dip| match dip {
            LevelObject::Dip { under_speech_db, .. } => Some(*under_speech_db),
            _ => None,
        });
        let under = if blocks.is_empty() { None } else { mean(&voice).zip(mean(&bed)).map(|(v, b)| 10.0 * (v / b).log10()) };
        PhraseMeter { start_samples: p.start_samples, end_samples: p.end_samples, asked_db, bed_under_db: under }
    });
    let (integrated_lufs, range_lu) = integrated_and_range(&mix);
    Ok(Meters {
        voice_over_bed_db: (0..mix.len()).map(over).collect(),
        momentary_lufs: lufs(4),
        short_term_lufs: lufs(30),
        true_peak_dbtp,
        peak_at_samples: samples.peak_at_samples,
        integrated_lufs,
        range_lu,
        phrases: phrases.collect(),
        masked: masked(&film, &bed, &spoken),
        mono_loss_db: samples.mono_loss_db(),
        end_lufs: mix.last().filter(|e| **e > SILENCE_ENERGY).map(|e| lufs_from_energy(*e)),
        direct_current: samples.direct_current(plan.length_samples),
    })
}

/// Where the film's own sound stands out of itself and the bed does not lie under that; what is spoken has its dips. All by
/// tenths of a second.
fn masked(film: &[f64], bed: &[f64], spoken: &[bool]) -> Vec<Masked> {
    /// A sound that stands so far out of what the film sounds like otherwise is meant to be heard, in dB (common practice, no source).
    const STANDS_OUT_DB: f64 = 10.0;
    /// Softer than this, in LUFS, it is not.
    const LEAST_LUFS: f64 = -45.0;
    /// The bed covers what it lies less than this under, in dB (common practice, no source).
    const COVERS_DB: f64 = 3.0;
    /// What is longer is no single sound, in tenths of a second.
    const LONGEST: usize = 30;
    let mut heard: Vec<f64> = film.iter().copied().filter(|e| *e > SILENCE_ENERGY).collect();
    if heard.is_empty() {
        return Vec::new();
    }
    heard.sort_by(f64::total_cmp);
    let usual = heard[heard.len() / 2].max(SILENCE_ENERGY) * 10f64.powf(STANDS_OUT_DB / 10.0);
    let least = usual.max(energy_from_lufs(LEAST_LUFS));
    let stands_out: Vec<usize> = (0..film.len()).filter(|&k| film[k] >= least && !spoken[k]).collect();
    let runs = stands_out.chunk_by(|a, b| b - a <= 2).filter(|run| run.len() <= LONGEST);
    let of = |run: &[usize]| {
        let mean = |of: &[f64]| run.iter().map(|&k| of[k]).sum::<f64>() / run.len() as f64;
        let bed_under_db = 10.0 * (mean(film) / mean(bed).max(SILENCE_ENERGY)).log10();
        let (first, last) = (run[0] as u64, run[run.len() - 1] as u64);
        (bed_under_db < COVERS_DB).then_some(Masked { start_samples: first * BLOCK_SAMPLES, end_samples: (last + 1) * BLOCK_SAMPLES, bed_under_db })
    };
    runs.filter_map(of).collect()
}

/// Samples that are rendered at once while measuring: ten seconds, of whole blocks.
const RANGE: u64 = 100 * BLOCK_SAMPLES;

/// What is measured while the plan is rendered once: energies of tenths of a second, and what is seen of the mix's samples.
struct Measured {
    mix: Vec<f64>,
    voice: Vec<f64>,
    bed: Vec<f64>,
    film: Vec<f64>,
    true_peak_dbtp: Option<f64>,
    samples: Samples,
}

impl Measured {
    fn of<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>) -> Result<Self, MissingSound> {
        let mut parts = [Hear::Voice, Hear::Bed, Hear::Film].map(|hear| (hear, BlockEnergies::new(2)));
        let (mut mix, mut peak, mut samples) = (BlockEnergies::new(2), TruePeak::new(2), Samples::default());
        for start in (0..plan.length_samples).step_by(RANGE as usize) {
            let range = start..(start + RANGE).min(plan.length_samples);
            // The mix is the sum of what is measured apart and of the rest.
            let mut sum = render(plan, sounds, range.clone(), Hear::Ambiences)?;
            for (hear, energies) in &mut parts {
                let part = render(plan, sounds, range.clone(), *hear)?;
                energies.add(&planes(&part));
                for (total, plane) in sum.channels_mut().iter_mut().zip(part.channels()) {
                    total.iter_mut().zip(plane).for_each(|(t, p)| *t += p);
                }
            }
            mix.add(&planes(&sum));
            peak.add(&planes(&sum));
            samples.add(&sum, start);
        }
        let [voice, bed, film] = parts.map(|(_, energies)| energies.end());
        Ok(Self { mix: mix.end(), voice, bed, film, true_peak_dbtp: peak.dbtp(), samples })
    }
}

fn planes(sound: &Sound) -> [&[f32]; 2] {
    [&sound.channels()[0], &sound.channels()[1]]
}

/// What is seen of the samples themselves.
#[derive(Default)]
struct Samples {
    highest: f32,
    /// Where the highest one is.
    peak_at_samples: u64,
    /// Energy of both channels, and of their mean.
    both: f64,
    mono: f64,
    sums: [f64; 2],
}

impl Samples {
    fn add(&mut self, sound: &Sound, start: u64) {
        let [left, right] = planes(sound);
        for (sum, plane) in self.sums.iter_mut().zip([left, right]) {
            *sum += plane.iter().map(|&s| f64::from(s)).sum::<f64>();
        }
        for (k, (&l, &r)) in left.iter().zip(right).enumerate() {
            self.both += f64::from(l * l + r * r) / 2.0;
            self.mono += f64::from((l + r) / 2.0).powi(2);
            if l.abs().max(r.abs()) > self.highest {
                (self.highest, self.peak_at_samples) = (l.abs().max(r.abs()), start + k as u64);
            }
        }
    }

    /// How many dB the mean of both channels has less energy than they have.
    fn mono_loss_db(&self) -> Option<f64> {
        (self.both > 0.0).then(|| 10.0 * (self.both / self.mono.max(self.both * 1e-6)).log10())
    }

    /// See [`Meters::direct_current`].
    fn direct_current(&self, length_samples: u64) -> f64 {
        let mean = self.sums.map(|sum| sum / length_samples.max(1) as f64);
        if mean[1].abs() > mean[0].abs() { mean[1] } else { mean[0] }
    }
}
