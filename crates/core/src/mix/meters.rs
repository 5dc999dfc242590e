//! What is measured of a finished plan, as curves over the cut.

use super::{Hear, MissingSound, render};
use crate::plan::{Master, Plan};
use crate::sound::loudness::{BLOCK_SAMPLES, Loudness, SILENCE_ENERGY, block_energies, lufs_from_energy, measure, true_peak_dbtp};
use crate::sound::{Sound, Source, copy_range};
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
    let Some(lufs) = measure(&heard).integrated_lufs else { return Ok(None) };
    let wanted = target_lufs - lufs;
    let room = true_peak_dbtp(&heard).map_or(f64::INFINITY, |peak| MOST_DBTP - peak);
    let gain_db = wanted.min(room);
    Ok(Some(Master { target_lufs, gain_db, held_back_db: wanted - gain_db }))
}

/// The loudness of the whole mix, with the true peak of all of it.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn loudness<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>) -> Result<Loudness, MissingSound> {
    let heard = Heard::new(plan, sounds, Hear::Everything)?;
    Ok(Loudness { true_peak_dbtp: true_peak_dbtp(&heard), ..measure(&heard) })
}

/// Measures a plan.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn meters<'p>(plan: &'p Plan, sounds: &'p Sounds<'p, '_>) -> Result<Meters, MissingSound> {
    let energies = |hear| -> Result<Vec<f64>, MissingSound> { Ok(block_energies(&Heard::new(plan, sounds, hear)?)) };
    let mix = energies(Hear::Everything)?;
    let (voice, bed) = (energies(Hear::Voice)?, energies(Hear::Bed)?);
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
    Ok(Meters {
        voice_over_bed_db: (0..mix.len()).map(over).collect(),
        momentary_lufs: lufs(4),
        short_term_lufs: lufs(30),
        true_peak_dbtp: true_peak_dbtp(&Heard::new(plan, sounds, Hear::Everything)?),
    })
}
