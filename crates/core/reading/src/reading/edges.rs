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
    /// The level of the loud parts.
    loud_db: f32,
    first: usize,
    last: usize,
    attack: Vec<f32>,
    length_samples: u64,
}

/// An attack: when, and how loud the fifth of a second after it is.
struct Attack {
    frame: usize,
    level_db: f32,
}

const FRAME_24K: usize = (RATE_HZ as f64 / ONSET_FRAMES_PER_S) as usize;

const fn frames(seconds: f64) -> usize {
    (seconds * ONSET_FRAMES_PER_S) as usize
}

fn samples_from_frames(frame: usize) -> u64 {
    (frame as f64 / ONSET_FRAMES_PER_S * f64::from(jaunty_units::SAMPLE_RATE_HZ)) as u64
}

impl Edges {
    /// Measures `mono` at 24 kHz, of a sound of so many samples.
    pub fn find(mono: &[f32], onsets: &OnsetSpectra, length_samples: u64) -> Self {
        let powers: Vec<f32> = mono.chunks(FRAME_24K).map(|c| c.iter().map(|x| x * x).sum::<f32>() / c.len() as f32).collect();
        let levels_db: Vec<f32> = powers.iter().map(|p| 10.0 * (p + 1e-12).log10()).collect();
        let loud_db = percentile(&levels_db, 0.95);
        // 55 dB under the loud parts is below what is heard of a ring-out under anything else.
        let silence_db = (loud_db - 55.0).max(-80.0);
        let second = levels_db.len().min(ONSET_FRAMES_PER_S as usize);
        let (head_db, tail_db) = (noise_db(&levels_db[..second], loud_db), noise_db(&levels_db[levels_db.len() - second..], loud_db));
        let over = |noise_db: Option<f32>| move |level: &f32| *level > noise_db.map_or(silence_db, |n| silence_db.max(n + 3.0));
        let first = levels_db.iter().position(over(head_db)).unwrap_or(0);
        let last = levels_db.iter().rposition(over(tail_db)).map_or(0, |f| f + 1);
        let attack = onsets.flux.iter().map(|f| f[0] + f[1] + 0.5 * f[2]).collect();
        Self { powers, levels_db, loud_db, first, last, attack, length_samples }
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
    ///
    /// The last hit is the last attack that is heard. A bed fades where the attacks before it became quieter and
    /// quieter; where it is about as loud as those before, or the only soft one, it is composed as the last, however
    /// long it rings.
    pub fn ending(&self, beats_s: &[f64]) -> Ending {
        /// How far back the attacks go with which the last one is compared.
        const BEFORE: usize = frames(8.0);
        /// So much quieter are the last attacks of a fade; and so much those that count as fading.
        const FADED_DB: f32 = 8.0;
        const FADING_DB: f32 = 4.0;
        /// A fade that takes longer than that is told by how quiet the last attack is: no coda is as soft.
        const SOFT_DB: f32 = 25.0;
        let (first, last) = self.music_span_frames();
        let music_end_samples = samples_from_frames(self.last).min(self.length_samples);
        let dead = Ending { kind: EndingKind::StopsDead, last_hit_samples: music_end_samples, music_end_samples };
        if last.saturating_sub(first) < frames(0.5) {
            return dead;
        }
        let attacks = self.attacks(first, last);
        let Some(hit) = attacks.iter().rev().find(|a| a.level_db > self.loud_db - 35.0) else { return dead };
        let before = |a: &&Attack| (hit.frame.saturating_sub(BEFORE)..hit.frame.saturating_sub(frames(0.3))).contains(&a.frame);
        let usual: Vec<f32> = attacks.iter().filter(before).map(|a| a.level_db).collect();
        let lately_db = if usual.is_empty() { hit.level_db } else { percentile(&usual, 0.5) };
        let usual_db = if lately_db < self.loud_db - SOFT_DB { self.loud_db } else { lately_db };
        let fading = |a: &&Attack| a.frame + BEFORE > hit.frame && a.level_db < usual_db - FADING_DB && a.level_db > self.loud_db - 50.0;
        let end_db = self.mean_db(last.saturating_sub(10), last);
        // What sounds to the very end of the file may have been cut there, as loops are: it must have rung further.
        let (least_beats, rung_out_db) = if last + 10 < self.levels_db.len() { (0.75, 15.0) } else { (1.25, 25.0) };
        let ring_s = (last - hit.frame) as f64 / ONSET_FRAMES_PER_S;
        let beat_s = match beats_s {
            [.., a, b] => b - a,
            _ => 0.5,
        };
        if hit.level_db < usual_db - FADED_DB && end_db < usual_db - 15.0 && attacks.iter().filter(fading).count() >= 2 {
            let last_hit_samples = samples_from_frames(self.fade_start_frame(hit.frame)).min(music_end_samples);
            Ending { kind: EndingKind::FadesOut, last_hit_samples, music_end_samples }
        } else if ring_s > least_beats * beat_s && end_db < self.mean_db(hit.frame, hit.frame + frames(0.3)) - rung_out_db {
            Ending { kind: EndingKind::OwnEnding, last_hit_samples: samples_from_frames(hit.frame).min(music_end_samples), music_end_samples }
        } else {
            dead
        }
    }

    /// The attacks of the last minute between two frames: where the spectrum grows, and the level with it. What
    /// flutters in a ring-out grows in the spectrum alone.
    fn attacks(&self, first: usize, last: usize) -> Vec<Attack> {
        /// As far as an attack's flux stays high, both ways.
        const AROUND: usize = 6;
        let strong = (0.35 * percentile(&self.attack[first..last], 0.97)).max(1e-3);
        // The end of the sound is a change of its own.
        let end = last.saturating_sub(frames(0.15)).max(first);
        let from = end.saturating_sub(frames(60.0)).max(first);
        let is_peak = |&k: &usize| {
            let here = self.attack[k];
            here >= strong && self.attack[k.saturating_sub(AROUND).max(first)..(k + AROUND + 1).min(last)].iter().all(|other| *other <= here)
        };
        let attack = |frame: usize| {
            let level_db = self.mean_db(frame, frame + frames(0.2));
            let rise_db = level_db - self.mean_db(frame.saturating_sub(10), frame.saturating_sub(2));
            let heard = rise_db >= 2.0 || (self.attack[frame] >= 4.0 * strong && rise_db >= -3.0);
            heard.then_some(Attack { frame, level_db })
        };
        (from..end).filter(is_peak).filter_map(attack).collect()
    }

    /// Where the fade begins to be heard of which `hit` is the last attack: the level is 3 dB under what it was.
    fn fade_start_frame(&self, hit: usize) -> usize {
        let music = &self.levels_db[self.first..hit.max(self.first + 1)];
        let lately = &music[music.len().saturating_sub(frames(60.0))..];
        let body_db = percentile(music, 0.6).min(percentile(lately, 0.6));
        (self.first..hit).rev().find(|&k| self.mean_db(k.saturating_sub(50), k + 50) > body_db - 3.0).unwrap_or(hit)
    }

    /// Level of the mean power from one frame to another.
    fn mean_db(&self, from: usize, to: usize) -> f32 {
        let span = &self.powers[from.min(self.powers.len())..to.min(self.powers.len())];
        10.0 * (span.iter().sum::<f32>() / span.len().max(1) as f32 + 1e-12).log10()
    }
}

/// The level of the noise that a second at an end of a sound holds and nothing else, if that is what it holds.
fn noise_db(second: &[f32], loud_db: f32) -> Option<f32> {
    let mean = second.iter().sum::<f32>() / second.len().max(1) as f32;
    let even = second.iter().all(|level| (level - mean).abs() < 3.0);
    (even && mean < loud_db - 30.0).then_some(mean)
}
