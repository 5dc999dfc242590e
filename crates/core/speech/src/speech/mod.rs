//! Reading a narration: its phrases, the gaps between them, and how loud it is.
//!
//! Speech is told from the room by level: ten-millisecond levels are compared with the noise
//! floor and with the level that the speech itself has. A click is too short to be a phrase and a
//! breath too far below the speech. The edges are then followed outwards to where the sound
//! leaves the floor, because the swells that fill a gap are timed from its edges.
//!
//! Where music plays under the voice the floor is no floor: it rises and falls as speech does. Then speech is what lies in the
//! louder of two heaps of levels, taken over a seventh of a second so that neither syllables nor single notes split them
//! (Otsu, "A Threshold Selection Method from Gray-Level Histograms", IEEE Trans. SMC 9(1), 1979).

mod align;
mod clean;
mod correct;

pub use align::attach_words;
pub use clean::{take_noise_out, without_noise};
pub use correct::{PhraseEdit, corrected};

use jaunty_sound::progress::{Cancelled, Progress};
use jaunty_sound::sound::{Source, loudness, mono_24k_in_blocks};
use serde::{Deserialize, Serialize};

/// One stretch of speech. Positions are samples from the start of the narration.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Phrase {
    /// First sample of the first syllable.
    pub start_samples: u64,
    /// The sample after the last syllable.
    pub end_samples: u64,
    /// What is said, where known.
    pub words: Option<String>,
}

/// What a narration is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct SpeechReading {
    /// Length of the sound.
    pub length_samples: u64,
    /// The phrases in order.
    pub phrases: Vec<Phrase>,
    /// Loudness of the whole, gated.
    pub loudness: loudness::Loudness,
    /// Level of the room between the phrases in dBFS.
    pub noise_floor_dbfs: f32,
    /// How far the speech stands out of the room, as 0 to 1.
    pub confidence: f32,
}

/// Levels per second.
const FRAMES_PER_S: usize = 100;
const FRAME_24K: usize = 24_000 / FRAMES_PER_S;
const FRAME_48K: u64 = FRAME_24K as u64 * 2;

/// Pauses shorter than this are part of a phrase, in frames: 0.3 s, about a comma.
const LEAST_PAUSE: usize = 30;
/// Sounds shorter than this are clicks, in frames.
const LEAST_PHRASE: usize = 9;

/// Reads a narration.
///
/// # Errors
/// [`Cancelled`] when `progress` returns false.
pub fn read_speech(source: &dyn Source, progress: &mut Progress<'_>) -> Result<SpeechReading, Cancelled> {
    let mut step = |what, done| if progress(what, done) { Ok(()) } else { Err(Cancelled) };
    step("measuring loudness", 0.0)?;
    let loudness = loudness::measure(source);
    step("finding phrases", 0.5)?;
    let levels = Levels::of(source);
    let phrases = levels
        .phrases()
        .into_iter()
        .map(|(from, to)| Phrase {
            start_samples: (from as u64 * FRAME_48K).min(source.len_samples()),
            end_samples: (to as u64 * FRAME_48K).min(source.len_samples()),
            words: None,
        })
        .collect();
    step("done", 1.0)?;
    Ok(SpeechReading {
        length_samples: source.len_samples(),
        phrases,
        loudness,
        noise_floor_dbfs: levels.floor_db,
        confidence: ((levels.speech_db - levels.floor_db - 6.0) / 30.0).clamp(0.0, 1.0),
    })
}

/// Levels of a narration in dB, ten milliseconds each.
struct Levels {
    frames_db: Vec<f32>,
    floor_db: f32,
    speech_db: f32,
}

impl Levels {
    fn of(source: &dyn Source) -> Self {
        let mut pass = HighPass::new();
        let (mut raw, mut energy, mut count) = (Vec::new(), 0.0f32, 0);
        let level = |energy: f32, count: usize| 10.0 * (energy / count as f32 + 1e-10).log10();
        mono_24k_in_blocks(source, |block| {
            for sample in block {
                energy += pass.next(*sample).powi(2);
                count += 1;
                if count == FRAME_24K {
                    raw.push(level(energy, count));
                    (energy, count) = (0.0, 0);
                }
            }
        });
        if count > 0 {
            raw.push(level(energy, count));
        }
        // A frame counts as loud as the quieter of its neighbours' maxima: clicks of one frame vanish.
        let frames_db: Vec<f32> = (0..raw.len())
            .map(|k| {
                let before = raw[k.saturating_sub(1)].max(raw[k]);
                let after = raw[(k + 1).min(raw.len() - 1)].max(raw[k]);
                before.min(after).min(raw[k] + 3.0)
            })
            .collect();
        let mut sorted = frames_db.clone();
        sorted.sort_by(f32::total_cmp);
        let at = |share: f64| sorted.get(((sorted.len().max(1) - 1) as f64 * share) as usize).copied().unwrap_or(-100.0);
        let loud = at(0.99);
        // Digital silence between pieces says nothing about the room's noise while somebody speaks.
        let heard: Vec<f32> = sorted.iter().copied().filter(|&l| l > -95.0).collect();
        let floor_db = heard.get(heard.len() / 12).copied().unwrap_or(-100.0).max(loud - 65.0);
        let speaking: Vec<f32> = sorted.iter().copied().filter(|&l| l > loud - 25.0).collect();
        let speech_db = speaking.get(speaking.len() / 2).copied().unwrap_or(-100.0);
        Self { frames_db, floor_db, speech_db }
    }

    /// Phrases as frames from and to.
    fn phrases(&self) -> Vec<(usize, usize)> {
        if self.speech_db < -70.0 || self.speech_db - self.floor_db < 6.0 {
            return Vec::new();
        }
        let range = self.speech_db - self.floor_db;
        let sure = self.floor_db + (0.40 * range).clamp(4.5, 18.0);
        if let Some(heaps) = Heaps::of(&self.frames_db, self.floor_db).filter(|heaps| heaps.restless_db > sure + 1.0) {
            return heaps.phrases(&self.frames_db);
        }
        let mut runs = self.without_breaths(runs(&self.frames_db, sure));
        for run in &mut runs {
            *run = self.follow_out(*run, range);
        }
        let mut joined: Vec<(usize, usize)> = Vec::new();
        for (from, to) in runs {
            match joined.last_mut() {
                Some(last) if from < last.1 + LEAST_PAUSE => last.1 = last.1.max(to),
                _ => joined.push((from, to)),
            }
        }
        joined.retain(|&(from, to)| self.is_speech(from, to));
        joined
    }

    /// Drops what is short, quiet and stands alone after a pause: the breath before a phrase.
    fn without_breaths(&self, runs: Vec<(usize, usize)>) -> Vec<(usize, usize)> {
        const LONGEST: usize = 40;
        let quiet = |&(from, to): &(usize, usize)| to - from <= LONGEST && self.loudest(from, to) < self.speech_db - 12.0;
        let pause_before = |k: usize| k == 0 || runs[k].0 - runs[k - 1].1 >= 20;
        (0..runs.len()).filter(|&k| !(quiet(&runs[k]) && pause_before(k))).map(|k| runs[k]).collect()
    }

    /// Moves both edges outwards to where the sound leaves the floor: at most 0.12 s before, where
    /// speech starts abruptly, and 0.5 s after, where it dies away.
    fn follow_out(&self, (from, to): (usize, usize), range: f32) -> (usize, usize) {
        let start_edge = self.floor_db + (0.20 * range).clamp(3.0, 9.0);
        let end_edge = self.floor_db + (0.10 * range).clamp(2.0, 5.0);
        let before = self.frames_db[from.saturating_sub(12)..from].iter().rev().take_while(|&&l| l > start_edge).count();
        // Over seven frames: single frames of a dying sound dip into the floor.
        let smooth = |k: usize| {
            let near = &self.frames_db[k.saturating_sub(3)..(k + 4).min(self.frames_db.len())];
            near.iter().sum::<f32>() / near.len() as f32
        };
        let after = (to..(to + 50).min(self.frames_db.len())).take_while(|&k| smooth(k) > end_edge).count();
        (from - before, to + after)
    }

    fn loudest(&self, from: usize, to: usize) -> f32 {
        self.frames_db[from..to].iter().copied().fold(f32::MIN, f32::max)
    }

    fn is_speech(&self, from: usize, to: usize) -> bool {
        let strong = self.frames_db[from..to].iter().filter(|&&l| l > self.speech_db - 16.0).count();
        to - from >= LEAST_PHRASE && self.loudest(from, to) > self.speech_db - 12.0 && strong >= 4
    }
}

/// Levels that make two heaps: those of a voice, and those of what plays under it.
struct Heaps {
    /// Levels in dB, without what is shorter than a seventh of a second, up or down.
    envelope: Vec<f32>,
    between_db: f32,
    /// Nine tenths of what plays under the voice are quieter.
    restless_db: f32,
    /// Half of the voice is quieter.
    speech_db: f32,
}

impl Heaps {
    /// `None` where there are no two heaps 8 dB apart.
    fn of(frames_db: &[f32], floor_db: f32) -> Option<Self> {
        /// Frames to both sides of one.
        const REACH: usize = 7;
        const APART_DB: f32 = 8.0;
        let extreme = |values: &[f32], of: fn(f32, f32) -> f32| -> Vec<f32> {
            let around = |k: usize| values[k.saturating_sub(REACH)..(k + REACH + 1).min(values.len())].iter().copied().reduce(of).unwrap_or(floor_db);
            (0..values.len()).map(around).collect()
        };
        let envelope = extreme(&extreme(frames_db, f32::max), f32::min);
        let between_db = threshold(&envelope.iter().map(|l| l.max(floor_db)).collect::<Vec<f32>>())?;
        let of_heap = |high: bool| {
            let mut heap: Vec<f32> = frames_db.iter().zip(&envelope).filter(|(_, e)| (**e > between_db) == high).map(|(l, _)| *l).collect();
            heap.sort_by(f32::total_cmp);
            heap
        };
        let (low, high) = (of_heap(false), of_heap(true));
        let at = |heap: &[f32], share: f64| heap.get(((heap.len().max(1) - 1) as f64 * share) as usize).copied();
        let (restless_db, usual_db, speech_db) = (at(&low, 0.9)?, at(&low, 0.5)?, at(&high, 0.5)?);
        (speech_db - usual_db > APART_DB).then_some(Self { envelope, between_db, restless_db, speech_db })
    }

    fn phrases(&self, frames_db: &[f32]) -> Vec<(usize, usize)> {
        let edge_db = (self.restless_db + 2.0).min(self.between_db);
        let mut joined: Vec<(usize, usize)> = Vec::new();
        for (from, to) in runs(&self.envelope, self.between_db) {
            let Some(first) = frames_db[from..to].iter().position(|l| *l > edge_db) else { continue };
            let last = frames_db[from..to].iter().rposition(|l| *l > edge_db).map_or(to, |k| from + k + 1);
            let first = from + first - frames_db[..from + first].iter().rev().take_while(|l| **l > edge_db).count();
            match joined.last_mut() {
                Some(before) if first < before.1 + LEAST_PAUSE => before.1 = last,
                _ => joined.push((first, last)),
            }
        }
        let strong = |from: usize, to: usize, below_db: f32| frames_db[from..to].iter().filter(|l| **l > self.speech_db - below_db).count();
        joined.retain(|&(from, to)| to - from >= LEAST_PHRASE && strong(from, to, 8.0) >= 1 && strong(from, to, 10.0) >= 4);
        joined
    }
}

/// The value that parts values into the two heaps whose means lie furthest apart for their sizes, by Otsu.
fn threshold(values: &[f32]) -> Option<f32> {
    const BINS: usize = 60;
    let (low, high) = values.iter().fold((f32::MAX, f32::MIN), |(low, high), v| (low.min(*v), high.max(*v)));
    let width = (high - low) / BINS as f32;
    if values.is_empty() || width <= 0.0 {
        return None;
    }
    let mut counts = [0.0f64; BINS];
    values.iter().for_each(|v| counts[(((v - low) / width) as usize).min(BINS - 1)] += 1.0);
    let middle = |k: usize| f64::from(low) + (k as f64 + 0.5) * f64::from(width);
    let total: f64 = counts.iter().sum();
    let moment: f64 = counts.iter().enumerate().map(|(k, n)| n * middle(k)).sum();
    let (mut below, mut below_moment, mut best) = (0.0, 0.0, (f64::MIN, 0));
    for (k, count) in counts.iter().enumerate().take(BINS - 1) {
        (below, below_moment) = (below + count, below_moment + count * middle(k));
        let apart = (moment * below - total * below_moment).powi(2) / (below * (total - below)).max(1e-9);
        if apart > best.0 {
            best = (apart, k);
        }
    }
    Some(low + (best.1 + 1) as f32 * width)
}

fn runs(levels: &[f32], over: f32) -> Vec<(usize, usize)> {
    let mut all = Vec::new();
    let mut start = None;
    for (k, &level) in levels.iter().chain([&f32::MIN]).enumerate() {
        match (start, level > over) {
            (None, true) => start = Some(k),
            (Some(from), false) => {
                all.push((from, k));
                start = None;
            }
            _ => {}
        }
    }
    all
}

/// Takes rumble and hum out: two first-order high-passes at 120 Hz, at 24 kHz.
struct HighPass {
    r: f32,
    /// Last input and output of each.
    states: [(f32, f32); 2],
}

impl HighPass {
    fn new() -> Self {
        Self { r: (-std::f32::consts::TAU * 120.0 / 24_000.0).exp(), states: [(0.0, 0.0); 2] }
    }

    fn next(&mut self, sample: f32) -> f32 {
        let r = self.r;
        self.states.iter_mut().fold(sample, |x, (x1, y1)| {
            let y = x - *x1 + r * *y1;
            (*x1, *y1) = (x, y);
            y
        })
    }
}

/// A stretch of the cut without speech.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Gap {
    /// First sample.
    pub start_samples: u64,
    /// The sample after the last.
    pub end_samples: u64,
}

impl Gap {
    /// Length in samples.
    pub fn length_samples(self) -> u64 {
        self.end_samples - self.start_samples
    }
}

/// The gaps that `phrases` leave in a cut of `length_samples`, with those before the first and after the last.
pub fn gaps(phrases: &[Phrase], length_samples: u64) -> Vec<Gap> {
    let mut all = Vec::new();
    let mut at = 0;
    for phrase in phrases {
        let start = phrase.start_samples.min(length_samples);
        if start > at {
            all.push(Gap { start_samples: at, end_samples: start });
        }
        at = at.max(phrase.end_samples.min(length_samples));
    }
    if at < length_samples {
        all.push(Gap { start_samples: at, end_samples: length_samples });
    }
    all
}
