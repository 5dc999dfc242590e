//! The film's own sound: its level, what it does while somebody speaks, and where it is heard.

use super::ambience::{own_lufs, rule_levels, usual_lower_db};
use super::kept::Kept;
use super::{Layer, Role, SpeechRule, lane};
use crate::shape::{FadeShape, LevelObject};
use jaunty_fit::fit::Passage;
use jaunty_sound::sound::Source;
use jaunty_sound::sound::loudness::{BLOCK_SAMPLES, block_energies};
use jaunty_speech::speech::Phrase;
use jaunty_units::digest::digest;
use jaunty_units::units::Bounds;
use jaunty_units::units::gain_from_db;
use serde::{Deserialize, Serialize};

/// Gain of a film's own sound, in dB.
pub const FILM_GAIN_DB: Bounds = Bounds::new(-60.0, 20.0);

/// What somebody wants of the film's own sound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct FilmWish {
    /// Gain over the sound as it came in, in dB.
    pub gain_db: f64,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
    /// By how much it sinks then, in dB, when it is to be low.
    pub lower_db: f64,
    /// Where it is heard; all over the cut without one.
    pub place: Option<Passage>,
    /// Passages and fades that were set by hand.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub by_hand: Vec<LevelObject>,
}

impl Default for FilmWish {
    fn default() -> Self {
        Self { gain_db: 0.0, rule: SpeechRule::Untouched, lower_db: usual_lower_db(), place: None, by_hand: Vec::new() }
    }
}

/// The film's own sound with what is wanted of it.
#[derive(Clone, Copy)]
pub struct FilmInput<'a> {
    /// Name of the sound.
    pub sound: &'a str,
    /// What is wanted.
    pub wish: &'a FilmWish,
    /// Its samples.
    pub source: &'a dyn Source,
    /// Its phrases, where its talk is speech like a narration's.
    pub talk: Option<&'a [Phrase]>,
    /// Where the picture is over, and its sound with it.
    pub until_samples: u64,
}

impl FilmInput<'_> {
    /// Where it is heard.
    pub fn heard(&self) -> Passage {
        self.wish.heard(self.until_samples)
    }
}

impl FilmWish {
    /// Where it is heard on a cut of a length.
    pub fn heard(&self, length_samples: u64) -> Passage {
        let place = self.place.unwrap_or(Passage { start_samples: 0, end_samples: Passage::OPEN_END });
        let start_samples = place.start_samples.min(length_samples);
        Passage { start_samples, end_samples: place.end_samples.clamp(start_samples, length_samples) }
    }
}

/// The phrases of its talk that are heard of it.
pub fn phrases(wish: &FilmWish, talk: &[Phrase], length_samples: u64) -> Vec<Phrase> {
    let heard = wish.heard(length_samples);
    let cut = |p: &Phrase| Phrase { start_samples: p.start_samples.max(heard.start_samples), end_samples: p.end_samples.min(heard.end_samples), ..p.clone() };
    talk.iter().map(cut).filter(|p| p.start_samples < p.end_samples).collect()
}

/// The narration's phrases with those of the film that it does not speak over, in order.
pub fn beside(narrator: &[Phrase], talk: &[Phrase]) -> Vec<Phrase> {
    let over = |t: &Phrase| narrator.iter().any(|n| n.start_samples < t.end_samples && t.start_samples < n.end_samples);
    let mut all: Vec<Phrase> = narrator.iter().chain(talk.iter().filter(|t| !over(t))).cloned().collect();
    all.sort_by_key(|p| p.start_samples);
    all
}

/// Energies of the speech in tenths of a second, with those of the film where it talks.
pub fn with_talk(input: &FilmInput<'_>, narrated: &[f64], all: &[Phrase], narrator: &[Phrase], length_samples: u64, kept: &dyn Kept) -> Vec<f64> {
    let own = kept.numbers(digest(&("energies", input.sound)), &|| block_energies(input.source));
    let gain = gain_from_db(input.wish.gain_db).powi(2);
    let mut energies = vec![0.0; length_samples.div_ceil(BLOCK_SAMPLES) as usize];
    energies.iter_mut().zip(narrated).for_each(|(to, from)| *to = *from);
    for phrase in all.iter().filter(|p| !narrator.contains(p)) {
        for block in phrase.start_samples / BLOCK_SAMPLES..phrase.end_samples.div_ceil(BLOCK_SAMPLES) {
            if let (Some(to), Some(from)) = (energies.get_mut(block as usize), own.get(block as usize)) {
                *to = from * gain;
            }
        }
    }
    energies
}

/// Loudness of the film's own sound all over the cut, in LUFS; `None` where nobody hears it, or in a part only.
pub fn lufs(input: &FilmInput<'_>, kept: &dyn Kept) -> Option<f64> {
    /// What is softer is not listened to.
    const HEARD_LUFS: f64 = -50.0;
    let whole = input.wish.place.is_none();
    whole.then(|| own_lufs(input.sound, input.source, kept)).flatten().map(|own| own + input.wish.gain_db).filter(|lufs| *lufs > HEARD_LUFS)
}

/// The layer of the film's own sound. `handed` is over how many samples a bed gives over to it,
/// and it to a bed.
pub fn layer(input: &FilmInput<'_>, handed: (Option<u64>, Option<u64>), spoken: &[(u64, u64)], length_samples: u64) -> Layer {
    /// Where it begins or ends by itself: twelve pictures of 25 a second (common practice for a hard change).
    const HARD: u64 = 23_040;
    let FilmWish { gain_db, rule, lower_db, ref by_hand, .. } = *input.wish;
    let place = input.heard();
    let long = place.end_samples - place.start_samples;
    let mut levels = rule_levels(gain_db, (rule, lower_db), 0.0, spoken, length_samples);
    let fade = |handed: Option<u64>, inner: bool| handed.unwrap_or(if inner { HARD } else { 0 }).min(long / 2);
    let (fade_in, fade_out) = (fade(handed.0, place.start_samples > 0), fade(handed.1, place.end_samples < length_samples));
    if fade_in > 0 {
        levels.push(LevelObject::FadeIn { start_samples: place.start_samples, length_samples: fade_in, shape: FadeShape::EqualPower, by_hand: false });
    }
    if fade_out > 0 {
        levels.push(LevelObject::FadeOut { end_samples: place.end_samples, length_samples: fade_out, shape: FadeShape::EqualPower, by_hand: false });
    }
    lane::put_in(&mut levels, by_hand, (place.start_samples, place.end_samples));
    Layer { role: Role::Film, sound: input.sound.to_owned(), fitting: None, piece: None, levels, pocket: None, ambience: None }
}
