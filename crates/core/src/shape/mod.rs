//! Shaping the level: objects that say what the level does and why, and the gain curve they make.
//!
//! A *dip* holds the bed under a group of phrases; a *swell* raises it in a gap; fades open and
//! close it. Objects are tied to phrases and gaps, so they can be made anew when the narration
//! moves, while those set by hand stay ([`propose_bed`]). The curve is computed from the objects
//! whenever it is needed and never stored as samples.

use crate::SAMPLE_RATE_HZ;
use crate::sound::loudness::{BLOCK_SAMPLES, SILENCE_ENERGY, energy_from_lufs, lufs_from_energy};
use crate::speech::{Gap, Phrase, gaps};
use crate::units::{gain_from_db, samples_from_seconds};
use serde::{Deserialize, Serialize};

/// How far the bed lies under the speech by default, in dB: WCAG 2 success criterion 1.4.7.
pub const UNDER_SPEECH_DB: f64 = 20.0;
/// The least that a dip keeps in every moment, in dB: the lower end of the trade's 18 to 25.
pub const LEAST_UNDER_SPEECH_DB: f64 = 18.0;
/// How far a swell's top lies under the loudness of the speech, in dB: common practice.
pub const SWELL_UNDER_SPEECH_DB: f64 = 7.0;
/// Loudness of a bed that has no narration over it: EBU R 128 programme loudness.
pub const BED_ALONE_LUFS: f64 = -23.0;

/// Time of a rise or fall: 1.2 s, common practice.
const EASE_S: f64 = 1.2;
/// The level stays up at least this long between rise and fall.
const LEAST_HOLD_S: f64 = 0.5;
/// The bed leaves the dip this long after the last syllable,
const AFTER_SPEECH_S: f64 = 0.10;
/// and is back this long before the next.
const BEFORE_SPEECH_S: f64 = 0.15;
/// Swells lower than this are left out: they sound like a mistake.
const LEAST_RISE_DB: f64 = 4.0;
/// A gap shorter than this never gets a swell.
const LEAST_GAP_S: f64 = 2.4;
/// Fade in and out: about 1 s and 2 s, the out longer, common practice.
const FADE_IN_S: f64 = 1.0;
const FADE_OUT_S: f64 = 2.0;
/// A sparse passage is raised over what the whole bed's loudness asks for by at most this much.
/// A loud one is lowered without limit: the voice is never buried.
const MOST_CORRECTION_DB: f64 = 6.0;

/// One thing that the level does. Positions are samples of the cut; gains are dB over the sound
/// as it came in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum LevelObject {
    /// The level where nothing else says anything.
    Base {
        /// Gain in dB.
        gain_db: f64,
    },
    /// The bed held under a group of phrases.
    Dip {
        /// First sample of the first phrase.
        start_samples: u64,
        /// The sample after the last phrase.
        end_samples: u64,
        /// Gain in dB.
        gain_db: f64,
        /// How far that lies under the speech, as loudness in dB.
        under_speech_db: f64,
        /// Whether a person set it.
        by_hand: bool,
    },
    /// The bed raised in a gap.
    Swell {
        /// Where the rise begins.
        start_samples: u64,
        /// Where the fall is complete.
        end_samples: u64,
        /// Length of the rise; 0 at the very start.
        rise_samples: u64,
        /// Length of the fall; 0 at the very end.
        fall_samples: u64,
        /// Gain of the top in dB.
        gain_db: f64,
        /// How far the top lies under the loudness of the speech, in dB.
        under_speech_db: f64,
        /// Whether a person set it.
        by_hand: bool,
    },
    /// The opening, from silence.
    FadeIn {
        /// Where it begins: silence before.
        start_samples: u64,
        /// Its length.
        length_samples: u64,
    },
    /// The close, into silence.
    FadeOut {
        /// Where it is complete.
        end_samples: u64,
        /// Its length.
        length_samples: u64,
    },
}

/// What is measured of bed and speech before levels are set: mean K-weighted energies of tenths
/// of seconds of the cut, the bed as fitted and at unity gain.
#[derive(Debug, Clone, Copy)]
pub struct Measured<'a> {
    /// The bed's.
    pub bed: &'a [f64],
    /// The narration's.
    pub speech: &'a [f64],
}

fn blocks(start_samples: u64, end_samples: u64, len: usize) -> std::ops::Range<usize> {
    let from = ((start_samples / BLOCK_SAMPLES) as usize).min(len);
    let to = (end_samples.div_ceil(BLOCK_SAMPLES) as usize).clamp(from, len);
    from..to
}

fn mean(energies: &[f64]) -> f64 {
    energies.iter().sum::<f64>() / energies.len().max(1) as f64
}

/// Energetic mean of what is over the absolute gate, in LUFS.
fn gated_lufs(energies: &[f64]) -> Option<f64> {
    let heard: Vec<f64> = energies.iter().copied().filter(|&e| e > SILENCE_ENERGY).collect();
    (!heard.is_empty()).then(|| lufs_from_energy(mean(&heard)))
}

/// Loudness of the speech while it is present, in LUFS; `None` without any.
pub fn speech_lufs(phrases: &[Phrase], speech: &[f64]) -> Option<f64> {
    let spoken: Vec<f64> = phrases.iter().flat_map(|p| speech[blocks(p.start_samples, p.end_samples, speech.len())].iter().copied()).collect();
    gated_lufs(&spoken)
}

/// The level objects of a bed under a narration.
///
/// `phrases` are in samples of the cut. `before` are the objects so far: dips and swells that
/// were set by hand stay where they still touch a phrase or a gap of their own.
/// `ring_out_samples` is the length after the bed's own last hit, which a fade out must not
/// reach into the hit.
pub fn propose_bed(measured: Measured<'_>, phrases: &[Phrase], length_samples: u64, ring_out_samples: Option<u64>, before: &[LevelObject]) -> Vec<LevelObject> {
    let mut objects = Vec::new();
    let bed_lufs = gated_lufs(measured.bed).unwrap_or(BED_ALONE_LUFS);
    match speech_lufs(phrases, measured.speech) {
        None => objects.push(LevelObject::Base { gain_db: BED_ALONE_LUFS - bed_lufs }),
        Some(speech) => {
            let levels = Levels { measured, speech, bed: bed_lufs };
            let (dips, swells) = levels.dips_and_swells(phrases, length_samples);
            objects.extend(dips.into_iter().map(|dip| kept_by_hand(&dip, before).unwrap_or(dip)));
            objects.extend(swells.into_iter().map(|swell| kept_by_hand(&swell, before).unwrap_or(swell)));
        }
    }
    let fade_in = samples_from_seconds(FADE_IN_S).min(length_samples / 4);
    let fade_out = samples_from_seconds(FADE_OUT_S).min(length_samples / 4).min(ring_out_samples.unwrap_or(u64::MAX));
    objects.push(LevelObject::FadeIn { start_samples: 0, length_samples: fade_in });
    objects.push(LevelObject::FadeOut { end_samples: length_samples, length_samples: fade_out });
    objects
}

/// A hand-set object of the same kind that overlaps `object` by more than half, with its level
/// but the new object's place.
fn kept_by_hand(object: &LevelObject, before: &[LevelObject]) -> Option<LevelObject> {
    let span = |o: &LevelObject| match *o {
        LevelObject::Dip { start_samples, end_samples, .. } | LevelObject::Swell { start_samples, end_samples, .. } => Some((start_samples, end_samples)),
        _ => None,
    };
    let (start, end) = span(object)?;
    before
        .iter()
        .find(|old| {
            let overlap = |(a, b): (u64, u64)| b.min(end).saturating_sub(a.max(start));
            let alike = std::mem::discriminant(*old) == std::mem::discriminant(object);
            alike && span(old).is_some_and(|s| 2 * overlap(s) > (s.1 - s.0).min(end - start))
        })
        .and_then(|old| match (object.clone(), old) {
            (LevelObject::Dip { start_samples, end_samples, .. }, &LevelObject::Dip { gain_db, under_speech_db, by_hand: true, .. }) => {
                Some(LevelObject::Dip { start_samples, end_samples, gain_db, under_speech_db, by_hand: true })
            }
            (
                LevelObject::Swell { start_samples, end_samples, rise_samples, fall_samples, .. },
                &LevelObject::Swell { gain_db, under_speech_db, by_hand: true, .. },
            ) => Some(LevelObject::Swell { start_samples, end_samples, rise_samples, fall_samples, gain_db, under_speech_db, by_hand: true }),
            _ => None,
        })
}

struct Levels<'a> {
    measured: Measured<'a>,
    speech: f64,
    bed: f64,
}

impl Levels<'_> {
    fn dips_and_swells(&self, phrases: &[Phrase], length_samples: u64) -> (Vec<LevelObject>, Vec<LevelObject>) {
        let mut swells = Vec::new();
        let mut dips = Vec::new();
        let mut group: Option<(u64, u64)> = None;
        let mut spoken: Vec<(u64, u64)> = Vec::new();
        let spaces = gaps(phrases, length_samples);
        for phrase in phrases.iter().filter(|p| p.start_samples < length_samples) {
            let end = phrase.end_samples.min(length_samples);
            let gap_before = spaces.iter().find(|g| g.end_samples == phrase.start_samples);
            if let Some(swell) = gap_before.and_then(|&gap| self.swell(gap, length_samples)) {
                swells.push(swell);
                dips.extend(group.take().map(|g| self.dip(g, &std::mem::take(&mut spoken))));
            }
            group = Some((group.map_or(phrase.start_samples, |g| g.0), end));
            spoken.push((phrase.start_samples, end));
        }
        dips.extend(group.map(|g| self.dip(g, &spoken)));
        let closing = spaces.last().filter(|g| g.end_samples == length_samples && g.start_samples > 0);
        swells.extend(closing.and_then(|&gap| self.swell(gap, length_samples)));
        (dips, swells)
    }

    /// The swell that a gap has time for: a short gap gets a lower one at the same slope.
    fn swell(&self, gap: Gap, length_samples: u64) -> Option<LevelObject> {
        let (first, last) = (gap.start_samples == 0, gap.end_samples == length_samples);
        let start_samples = if first { 0 } else { gap.start_samples + samples_from_seconds(AFTER_SPEECH_S) };
        let end_samples = if last { length_samples } else { gap.end_samples.saturating_sub(samples_from_seconds(BEFORE_SPEECH_S)) };
        let room_s = end_samples.saturating_sub(start_samples) as f64 / f64::from(SAMPLE_RATE_HZ);
        let slopes = f64::from(u8::from(!first) + u8::from(!last)).max(1.0);
        let ease_s = ((room_s - LEAST_HOLD_S) / slopes).min(EASE_S);
        let full = UNDER_SPEECH_DB - SWELL_UNDER_SPEECH_DB;
        let rise_db = full * ease_s / EASE_S;
        if gap.length_samples() < samples_from_seconds(LEAST_GAP_S) || rise_db < LEAST_RISE_DB {
            return None;
        }
        let under_speech_db = UNDER_SPEECH_DB - rise_db;
        let ease = samples_from_seconds(ease_s);
        Some(LevelObject::Swell {
            start_samples,
            end_samples,
            rise_samples: if first { 0 } else { ease },
            fall_samples: if last { 0 } else { ease },
            gain_db: self.speech - under_speech_db - self.bed,
            under_speech_db,
            by_hand: false,
        })
    }

    /// The dip under one group of phrases: 20 dB under the speech on average, in no three seconds
    /// with speech closer than 18.
    fn dip(&self, (start_samples, end_samples): (u64, u64), spoken: &[(u64, u64)]) -> LevelObject {
        let Measured { bed, speech } = self.measured;
        let count = bed.len().min(speech.len());
        let while_spoken: Vec<f64> = spoken.iter().flat_map(|&(a, b)| bed[blocks(a, b, bed.len())].iter().copied()).collect();
        let whole = self.speech - UNDER_SPEECH_DB - self.bed;
        let own = gated_lufs(&while_spoken).map_or(whole, |bed| self.speech - UNDER_SPEECH_DB - bed);
        let mut gain_db = own.min(whole + MOST_CORRECTION_DB);
        /// Three seconds, the short-term window of EBU Tech 3341.
        const WINDOW: usize = 30;
        // Speech is present in a tenth that is no more than 13 dB under its mean.
        let least = 0.05 * energy_from_lufs(self.speech);
        for from in blocks(start_samples, end_samples, count) {
            let window = from..(from + WINDOW).min(count);
            let talking: Vec<usize> = window.filter(|&b| speech[b] > least).collect();
            let over = |energies: &[f64]| talking.iter().map(|&b| energies[b]).sum::<f64>() / talking.len() as f64;
            if 2 * talking.len() < WINDOW || over(bed) <= SILENCE_ENERGY {
                continue;
            }
            let apart = lufs_from_energy(over(speech)) - lufs_from_energy(over(bed));
            gain_db = gain_db.min(apart - LEAST_UNDER_SPEECH_DB);
        }
        LevelObject::Dip { start_samples, end_samples, gain_db, under_speech_db: UNDER_SPEECH_DB, by_hand: false }
    }
}

/// Gain over time, made from level objects.
#[derive(Debug, Clone, PartialEq)]
pub struct GainCurve {
    base_db: f64,
    dips: Vec<(u64, u64, f64)>,
    swells: Vec<(u64, u64, u64, u64, f64)>,
    fade_in: Option<(u64, u64)>,
    fade_out: Option<(u64, u64)>,
}

/// Distance of the points at which a curve is computed; between them it is linear: 1.33 ms.
pub const CURVE_STEP_SAMPLES: u64 = 64;

impl GainCurve {
    /// The curve of `objects`. Without a base the level outside of all objects is 0 dB.
    pub fn of(objects: &[LevelObject]) -> Self {
        let mut curve = Self { base_db: 0.0, dips: Vec::new(), swells: Vec::new(), fade_in: None, fade_out: None };
        for object in objects {
            match *object {
                LevelObject::Base { gain_db } => curve.base_db = gain_db,
                LevelObject::Dip { start_samples, end_samples, gain_db, .. } => curve.dips.push((start_samples, end_samples, gain_db)),
                LevelObject::Swell { start_samples, end_samples, rise_samples, fall_samples, gain_db, .. } => {
                    curve.swells.push((start_samples, end_samples, rise_samples, fall_samples, gain_db));
                }
                LevelObject::FadeIn { start_samples, length_samples } => curve.fade_in = Some((start_samples, length_samples)),
                LevelObject::FadeOut { end_samples, length_samples } => curve.fade_out = Some((end_samples, length_samples)),
            }
        }
        curve.dips.sort_by_key(|d| d.0);
        curve.swells.sort_by_key(|s| s.0);
        curve
    }

    /// Level in dB at a sample of the cut, without the fades.
    pub fn level_db(&self, at: u64) -> f64 {
        let under = self.under_db(at);
        // A closing swell stays up for good: the last point of a curve must not let the level fall back.
        let swell = self.swells.iter().find(|s| s.0 <= at && (at < s.1 || s.3 == 0));
        swell.map_or(under, |&(start, end, rise, fall, top)| {
            let up = if rise == 0 { 1.0 } else { eased((at - start) as f64 / rise as f64) };
            let down = if fall == 0 { 1.0 } else { eased(end.saturating_sub(at) as f64 / fall as f64) };
            under + (top - under) * up.min(down)
        })
    }

    /// The level of the dips, eased from one to the next across the gap between them.
    fn under_db(&self, at: u64) -> f64 {
        let next = self.dips.partition_point(|d| d.0 <= at);
        match (next.checked_sub(1).map(|k| self.dips[k]), self.dips.get(next)) {
            (None, None) => self.base_db,
            (None, Some(first)) => first.2,
            (Some(last), None) => last.2,
            (Some(a), Some(b)) => {
                let x = at.saturating_sub(a.1) as f64 / b.0.saturating_sub(a.1).max(1) as f64;
                a.2 + (b.2 - a.2) * eased(x)
            }
        }
    }

    /// Amplitude gain at a sample of the cut.
    pub fn gain(&self, at: u64) -> f64 {
        let quarter = std::f64::consts::FRAC_PI_2;
        let opened = self.fade_in.map_or(1.0, |(start, length)| match at.checked_sub(start) {
            None => 0.0,
            Some(since) if since < length => (quarter * since as f64 / length as f64).sin(),
            Some(_) => 1.0,
        });
        let closed = self.fade_out.map_or(1.0, |(end, length)| match end.checked_sub(at) {
            None | Some(0) => 0.0,
            Some(left) if left < length => (quarter * left as f64 / length as f64).sin(),
            Some(_) => 1.0,
        });
        gain_from_db(self.level_db(at)) * opened * closed
    }

    /// Multiplies samples that begin at `start` of the cut with the curve.
    pub fn apply(&self, start: u64, channels: &mut [Vec<f32>]) {
        let len = channels.first().map_or(0, Vec::len) as u64;
        let mut at = start;
        // The grid is anchored to the cut, so every range hears the same curve.
        let mut cell = u64::MAX;
        let (mut left, mut right) = (0.0, 0.0);
        while at < start + len {
            if at / CURVE_STEP_SAMPLES != cell {
                let next = at / CURVE_STEP_SAMPLES;
                left = if cell != u64::MAX && next == cell + 1 { right } else { self.gain(next * CURVE_STEP_SAMPLES) };
                cell = next;
                right = self.gain((cell + 1) * CURVE_STEP_SAMPLES);
            }
            let stop = ((cell + 1) * CURVE_STEP_SAMPLES).min(start + len);
            let first = (at - start) as usize..(stop - start) as usize;
            let slope = (right - left) / CURVE_STEP_SAMPLES as f64;
            let offset = (at - cell * CURVE_STEP_SAMPLES) as f64;
            for channel in channels.iter_mut() {
                for (k, sample) in channel[first.clone()].iter_mut().enumerate() {
                    *sample *= (left + slope * (offset + k as f64)) as f32;
                }
            }
            at = stop;
        }
    }
}

/// Smooth step from 0 to 1: no corner at either end is heard as a jump.
fn eased(x: f64) -> f64 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}
