//! How a bed begins and ends.

use super::spectra::{ONSET_FRAMES_PER_S, OnsetSpectra, RATE_HZ, percentile};
use serde::{Deserialize, Serialize};

/// The ways a bed ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum EndingKind {
    /// A composed last hit that rings out.
    OwnEnding,
    /// The level goes down while the music goes on.
    FadesOut,
    /// The sound stops while it is loud.
    #[default]
    StopsDead,
}

/// How a bed ends. Positions are samples from the start of the sound.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Ending {
    /// Which way.
    pub kind: EndingKind,
    /// The last hit; for a fade, where it begins to be heard.
    pub last_hit_samples: u64,
    /// Where the sound falls back into silence.
    pub music_end_samples: u64,
}

/// Levels of a bed every hundredth of a second, and where music is.
pub struct Edges {
    powers: Vec<f32>,
    levels_db: Vec<f32>,
    first: usize,
    last: usize,
    attack: Vec<f32>,
    length_samples: u64,
}

const FRAME_24K: usize = (RATE_HZ as f64 / ONSET_FRAMES_PER_S) as usize;

fn samples_from_frames(frame: usize) -> u64 {
    (frame as f64 / ONSET_FRAMES_PER_S * f64::from(crate::SAMPLE_RATE_HZ)) as u64
}

impl Edges {
    /// Measures `mono` at 24 kHz, of a sound of so many samples.
    pub fn find(mono: &[f32], onsets: &OnsetSpectra, length_samples: u64) -> Self {
        let powers: Vec<f32> = mono.chunks(FRAME_24K).map(|c| c.iter().map(|x| x * x).sum::<f32>() / c.len() as f32).collect();
        let levels_db: Vec<f32> = powers.iter().map(|p| 10.0 * (p + 1e-12).log10()).collect();
        let loud = percentile(&levels_db, 0.95);
        // 55 dB under the loud parts is below what is heard of a ring-out under anything else.
        let heard = |level: &f32| *level > (loud - 55.0).max(-80.0);
        let first = levels_db.iter().position(heard).unwrap_or(0);
        let last = levels_db.iter().rposition(heard).map_or(0, |f| f + 1);
        let attack = onsets.flux.iter().map(|f| f[0] + f[1] + 0.5 * f[2]).collect();
        Self { powers, levels_db, first, last, attack, length_samples }
    }

    /// Power of every hundredth of a second.
    pub fn powers(&self) -> &[f32] {
        &self.powers
    }

    /// First frame with music and the one after the last.
    pub fn music_span_frames(&self) -> (usize, usize) {
        (self.first, self.last.min(self.attack.len()))
    }

    /// Where the sound first leaves silence, a hundredth early.
    pub fn music_start_samples(&self) -> u64 {
        samples_from_frames(self.first.saturating_sub(1))
    }

    /// How the bed ends, given its beats.
    pub fn ending(&self, beats_s: &[f64]) -> Ending {
        let (first, last) = self.music_span_frames();
        let music_end_samples = samples_from_frames(self.last).min(self.length_samples);
        let none = Ending { kind: EndingKind::StopsDead, last_hit_samples: music_end_samples, music_end_samples };
        if last.saturating_sub(first) < 50 {
            return none;
        }
        let strong = 0.35 * percentile(&self.attack[first..last], 0.97);
        let Some(hit) = (first..last).rev().find(|&k| self.attack[k] >= strong.max(1e-3)) else { return none };
        // The flux stays high for some frames: the hit is where it is highest.
        let hit = (hit.saturating_sub(8)..=hit).max_by(|&a, &b| self.attack[a].total_cmp(&self.attack[b])).unwrap_or(hit);
        let mean = |from: usize, to: usize| {
            let span = &self.levels_db[from.min(self.levels_db.len() - 1)..to.min(self.levels_db.len())];
            let power: f32 = span.iter().map(|l| 10f32.powf(l / 10.0)).sum::<f32>() / span.len().max(1) as f32;
            10.0 * (power + 1e-12).log10()
        };
        let body = percentile(&self.levels_db[first..last], 0.6);
        let at_hit = mean(hit, hit + 30);
        let ring_s = (last - hit) as f64 / ONSET_FRAMES_PER_S;
        let beat_s = match beats_s {
            [.., a, b] => b - a,
            _ => 0.5,
        };
        let kind = if at_hit < body - 10.0 {
            EndingKind::FadesOut
        } else if ring_s > 0.75 * beat_s && mean(last.saturating_sub(10), last) < at_hit - 15.0 {
            EndingKind::OwnEnding
        } else {
            EndingKind::StopsDead
        };
        let last_hit_samples = match kind {
            EndingKind::FadesOut => {
                let audible = (first..last).rev().find(|&k| mean(k.saturating_sub(50), k + 50) > body - 3.0).unwrap_or(last);
                samples_from_frames(audible)
            }
            EndingKind::OwnEnding => samples_from_frames(hit),
            EndingKind::StopsDead => music_end_samples,
        };
        Ending { kind, last_hit_samples: last_hit_samples.min(music_end_samples), music_end_samples }
    }
}
