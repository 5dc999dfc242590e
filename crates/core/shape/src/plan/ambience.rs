//! Ambiences: the sound of a place, under the whole cut or between two moments, with a rule for
//! speech.
//!
//! A recording of any length goes on and on: it is crossfaded with itself at equal power, each turn
//! from another place.

use super::kept::Kept;
use super::{Layer, Role, lane};
use crate::shape::{FadeShape, LevelObject, Slope};
use jaunty_sound::sound::{Source, loudness};
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::digest::digest;
use jaunty_units::units::Bounds;
use serde::{Deserialize, Serialize};

/// What an ambience does while somebody speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum SpeechRule {
    /// It is out.
    Out,
    /// It is low.
    #[default]
    Low,
    /// It is there only then.
    OnlyUnder,
    /// Nothing.
    Untouched,
}

/// What somebody wants of an ambience.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct AmbienceWish {
    /// Hash of its sound.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// How far its loudness lies under that of the speech, in dB; under -23 LUFS without speech.
    pub under_speech_db: f64,
    /// What it does while somebody speaks.
    #[serde(default)]
    pub rule: SpeechRule,
    /// By how much it sinks then, in dB, when it is to be low.
    #[serde(default = "usual_lower_db")]
    pub lower_db: f64,
    /// Where it begins on the cut, in samples.
    #[serde(default)]
    pub start_samples: u64,
    /// Where it is over; with the cut without one.
    #[serde(default)]
    pub end_samples: Option<u64>,
    /// Passages and fades that were set by hand.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub by_hand: Vec<LevelObject>,
}

impl AmbienceWish {
    /// Where it is heard on a cut of a length.
    pub fn heard(&self, length_samples: u64) -> (u64, u64) {
        let start = self.start_samples.min(length_samples);
        (start, self.end_samples.unwrap_or(length_samples).clamp(start, length_samples))
    }

    /// Low under speech, all over the cut.
    pub fn new(hash: &str, name: &str, under_speech_db: f64) -> Self {
        let (hash, name) = (hash.to_owned(), name.to_owned());
        Self { hash, name, under_speech_db, rule: SpeechRule::Low, lower_db: LOWER_DB, start_samples: 0, end_samples: None, by_hand: Vec::new() }
    }
}

/// An ambience with its samples.
#[derive(Clone, Copy)]
pub struct AmbienceInput<'a> {
    /// What is wanted.
    pub wish: &'a AmbienceWish,
    /// Its samples.
    pub source: &'a dyn Source,
}

/// How an ambience lies on the cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Ambience {
    /// Where it begins.
    pub start_samples: u64,
    /// Where it is over.
    pub end_samples: u64,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
}

/// Turns cross over this time: 1.5 s.
const CROSS: u64 = 72_000;
/// What is low under speech sinks by this much unless something else is said, in dB: common practice, no source.
const LOWER_DB: f64 = 9.0;
/// By how much something sinks under speech, in dB.
pub const LOWERED_DB: Bounds = Bounds::new(0.0, 60.0);

pub(super) fn usual_lower_db() -> f64 {
    LOWER_DB
}

/// What is out is this far down: silence.
const OUT_DB: f64 = -100.0;
/// Into and out of speech: 1.2 s, common practice.
const EASE: u64 = 57_600;

/// Loudness of a sound as it came in, in LUFS; `None` for silence.
pub(super) fn own_lufs(hash: &str, source: &dyn Source, kept: &dyn Kept) -> Option<f64> {
    kept.numbers(digest(&("lufs", hash)), &|| loudness::measure(source).integrated_lufs.into_iter().collect()).first().copied()
}

/// The layer of an ambience.
pub fn layer(input: &AmbienceInput<'_>, spoken: &[(u64, u64)], speech_lufs: Option<f64>, length_samples: u64, kept: &dyn Kept) -> Layer {
    let AmbienceWish { hash, under_speech_db, rule, lower_db, by_hand, .. } = input.wish;
    let (start, end) = input.wish.heard(length_samples);
    let own = own_lufs(hash, input.source, kept).unwrap_or(crate::shape::BED_ALONE_LUFS);
    let level_db = speech_lufs.unwrap_or(crate::shape::BED_ALONE_LUFS) - under_speech_db - own;
    let mut levels = rule_levels(level_db, (*rule, *lower_db), *under_speech_db, spoken, length_samples);
    let fade = (SAMPLE_RATE_HZ as u64).min((end - start) / 4);
    levels.push(LevelObject::FadeIn { start_samples: start, length_samples: fade, shape: FadeShape::EqualPower, by_hand: false });
    levels.push(LevelObject::FadeOut { end_samples: end, length_samples: fade, shape: FadeShape::EqualPower, by_hand: false });
    lane::put_in(&mut levels, by_hand, (start, end));
    Layer {
        role: Role::Ambience,
        sound: hash.clone(),
        fitting: None,
        piece: None,
        levels,
        pocket: None,
        ambience: Some(Ambience { start_samples: start, end_samples: end, rule: *rule }),
    }
}

/// What a level does by a rule for speech, and by how many dB it sinks where that is to be low.
pub(super) fn rule_levels(
    level_db: f64,
    (rule, lower_db): (SpeechRule, f64),
    under_speech_db: f64,
    spoken: &[(u64, u64)],
    length_samples: u64,
) -> Vec<LevelObject> {
    let mut levels = Vec::new();
    let (between, under) = match rule {
        SpeechRule::Out => (level_db, level_db + OUT_DB),
        SpeechRule::Low => (level_db, level_db - lower_db),
        SpeechRule::OnlyUnder => (level_db + OUT_DB, level_db),
        SpeechRule::Untouched => (level_db, level_db),
    };
    levels.push(LevelObject::Base { gain_db: between });
    if rule != SpeechRule::Untouched {
        levels.extend(groups(spoken).into_iter().map(|(from, to)| {
            // A swell that goes down is a dip with slopes of its own: complete before the first syllable.
            let (first, last) = (from.saturating_sub(EASE), (to + EASE).min(length_samples.max(to)));
            LevelObject::Swell {
                start_samples: first,
                end_samples: last,
                rise_samples: from - first,
                fall_samples: last - to,
                gain_db: under,
                under_speech_db,
                rise_slope: Slope::One,
                fall_slope: Slope::One,
                by_hand: false,
            }
        }));
    }
    levels
}

/// Phrases with less than two eases between them are one: an ambience does not pump.
fn groups(spoken: &[(u64, u64)]) -> Vec<(u64, u64)> {
    let mut all: Vec<(u64, u64)> = Vec::new();
    for &(from, to) in spoken {
        match all.last_mut() {
            Some(last) if from < last.1 + 2 * EASE + SAMPLE_RATE_HZ as u64 / 2 => last.1 = last.1.max(to),
            _ => all.push((from, to)),
        }
    }
    all
}

impl Ambience {
    /// Reads an ambience that goes on and on, from sample `start` of the cut.
    pub fn read(&self, source: &dyn Source, channel: usize, start: i64, out: &mut [f32]) {
        out.fill(0.0);
        let channel = channel.min(source.channel_count() - 1);
        let length = source.len_samples();
        let end = (start + out.len() as i64).min(self.end_samples as i64);
        let first = start.max(self.start_samples as i64);
        if first >= end || length == 0 {
            return;
        }
        // Of a long recording each turn plays two thirds, from another place.
        let part = if length > 3 * CROSS { length * 2 / 3 } else { length };
        let cross = CROSS.min(part / 3);
        let turn = (part - cross).max(1);
        let since = |at: i64| (at - self.start_samples as i64) as u64;
        let mut block = Vec::new();
        for index in (since(first) / turn).saturating_sub(1)..=since(end - 1) / turn {
            let begins = self.start_samples as i64 + (index * turn) as i64;
            let (from, to) = (begins.max(first), (begins + part as i64).min(end));
            if from >= to {
                continue;
            }
            block.resize((to - from) as usize, 0.0);
            source.read(channel, (offset(index, length - part) as i64) + (from - begins), &mut block);
            let first_at = (from - begins) as u64;
            let cell = |at: u64| (at - first_at) as usize;
            let end_at = first_at + block.len() as u64;
            // Risen and not yet falling: as it is.
            let risen = if index > 0 { cross } else { 0 }.clamp(first_at, end_at);
            let falls = (part - cross + 1).clamp(risen, end_at);
            for at in (first_at..risen).chain(falls..end_at) {
                let rise = if index > 0 { (at as f32 + 0.5) / cross as f32 } else { 1.0 };
                let x = rise.min((part - at) as f32 / cross as f32);
                block[cell(at)] *= if x < 1.0 { (std::f32::consts::FRAC_PI_2 * x).sin() } else { 1.0 };
            }
            out[(from - start) as usize..].iter_mut().zip(&block).for_each(|(o, b)| *o += b);
        }
    }
}

/// Where in `room` a turn begins: steps of the golden ratio do not come back soon.
fn offset(index: u64, room: u64) -> u64 {
    ((index as f64 * 0.618_033_988_75).fract() * room as f64) as u64
}
