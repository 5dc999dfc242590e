//! Reading a bed: where its beats, bars and sections are, how it begins and ends, and which of
//! its bars are alike.
//!
//! | part | finds |
//! |---|---|
//! | `spectra` | one pass over the sound: band flux, mel bands, pitch classes |
//! | `beats` | tempo and beats, by dynamic programming over an onset strength |
//! | `level` | which way to count people would choose: half, same, double, on or off the beat |
//! | `metre` | beats in a bar and where bars begin |
//! | `features` | what a beat sounds like |
//! | `bars` | what a bar is like, phrases, builds |
//! | `likeness` | how well one bar could follow another |
//! | `sections` | stretches of one character, grouped by likeness |
//! | `key` | the key of the whole |
//! | `singing` | where somebody sings or speaks |
//! | `edges` | first sound, last hit, ring-out, fade |
//!
//! ```
//! use jaunty_reading::reading::{keep_going, read_bed};
//! use jaunty_sound::sound::Sound;
//! let silence = Sound::silence(1, 48_000);
//! let read = read_bed(&silence, &mut keep_going()).unwrap();
//! assert!(read.reading.beats_samples.is_empty());
//! ```

mod activations;
mod bars;
mod beats;
mod correct;
mod correction;
mod counter;
mod edges;
mod features;
mod grid;
mod key;
mod level;
mod likeness;
mod metre;
mod network;
mod sections;
mod singing;
mod spectra;

pub use bars::{Arc, BarCharacter, Motion};
pub use correction::{Correction, CorrectionError, TEMPO_BPM};
pub use counter::SecondOpinion;
pub use edges::{Ending, EndingKind};
pub use jaunty_sound::progress::{Cancelled, Progress, keep_going};
pub use key::Key;
pub use likeness::{BarLikeness, Loop};
pub use sections::Section;

use counter::Counter;
use jaunty_sound::sound::{self, Source, loudness};
use serde::{Deserialize, Serialize};

/// Rises whenever a bed would be read otherwise than before.
pub const VERSION: u32 = 15;

/// The longest bed that is read: 90 minutes. What is heard of it is held at once, and an hour takes 650 MB.
pub const MOST_SAMPLES: u64 = 90 * 60 * jaunty_units::SAMPLE_RATE_HZ as u64;

/// How sure the reading is of itself, each 0 (a guess) to 1.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Confidence {
    /// That the beats are on the music's pulse.
    pub beats: f32,
    /// That bars begin where they are said to.
    pub downbeats: f32,
    /// That sections begin where they are said to.
    pub sections: f32,
}

/// A passage with how likely it is what it is said to be.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Span {
    /// First sample.
    pub start_samples: u64,
    /// The sample after the last.
    pub end_samples: u64,
    /// 0 to 1.
    pub likelihood: f32,
}

/// What a bed is, as music. Positions are samples from the start of the sound.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Reading {
    /// Length of the sound.
    pub length_samples: u64,
    /// Beats a minute (median), 0 when no beat was found.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Every beat, rising.
    pub beats_samples: Vec<u64>,
    /// Which beats begin a bar: indices into `beats_samples`, rising.
    pub downbeats: Vec<usize>,
    /// Stretches of one character, in order, on downbeats.
    pub sections: Vec<Section>,
    /// Where the sound first leaves silence.
    pub music_start_samples: u64,
    /// How the bed ends.
    pub ending: Ending,
    /// Loudness of the whole bed.
    pub loudness: loudness::Loudness,
    /// RMS level of each bar in dB, relative to the loudest bar.
    pub bar_levels_db: Vec<f32>,
    /// Level of the first beat of each bar, in dB against the loudest of them; none in readings of before.
    #[serde(default)]
    pub line_levels_db: Vec<f32>,
    /// What each bar is like.
    #[serde(default)]
    pub bars: Vec<BarCharacter>,
    /// Bars at which phrases begin.
    #[serde(default)]
    pub phrases: Vec<usize>,
    /// Where it builds, fills out and thins out.
    #[serde(default)]
    pub arcs: Vec<Arc>,
    /// How much the spectrum changes at the bar lines, rising ([`jaunty_sound::splice::surprise`]).
    #[serde(default)]
    pub line_surprises: Vec<f32>,
    /// For each bar the earliest that sounds (nearly) the same, itself where none came before.
    #[serde(default)]
    pub repeats: Vec<usize>,
    /// Passages that can be played over and over, best first.
    #[serde(default)]
    pub loops: Vec<Loop>,
    /// The key, where anything is tonal.
    #[serde(default)]
    pub key: Option<Key>,
    /// Passages in which somebody sings or speaks.
    #[serde(default)]
    pub singing: Vec<Span>,
    /// Other ways to count it, likeliest first.
    #[serde(default)]
    pub second_opinions: Vec<SecondOpinion>,
    /// How sure all this is.
    pub confidence: Confidence,
}

impl Reading {
    /// Samples at which bars begin; bar `b` lasts from `[b]` to `[b + 1]`, so there is one more
    /// than there are bars.
    pub fn bar_lines_samples(&self) -> Vec<u64> {
        self.downbeats.iter().map(|&beat| self.beats_samples[beat]).collect()
    }

    /// Tempo of each bar in beats a minute.
    pub fn bar_tempi_bpm(&self) -> Vec<f64> {
        let tempo = |bar: &[usize]| {
            let seconds = jaunty_units::units::seconds_from_samples(self.beats_samples[bar[1]] - self.beats_samples[bar[0]]);
            60.0 * (bar[1] - bar[0]) as f64 / seconds
        };
        self.downbeats.windows(2).map(tempo).collect()
    }

    /// Whether the bed was cut as a loop: its end goes on at its beginning.
    pub fn is_loop(&self) -> bool {
        self.ending.kind != EndingKind::OwnEnding && cut_as_loop(&self.bar_lines_samples(), self.length_samples)
    }

    /// Samples of music in it.
    pub fn music_samples(&self) -> u64 {
        self.ending.music_end_samples.saturating_sub(self.music_start_samples)
    }

    /// Number of whole bars.
    pub fn bar_count(&self) -> usize {
        self.downbeats.len().saturating_sub(1)
    }
}

/// Whether a sound was cut as a loop: it begins on a downbeat and ends with a whole bar, of which there
/// is an even number (common practice).
fn cut_as_loop(bar_lines_samples: &[u64], length_samples: u64) -> bool {
    /// An attack is heard this late at most: 30 ms.
    const LATE_SAMPLES: u64 = 1440;
    let (Some(first), Some(last)) = (bar_lines_samples.first(), bar_lines_samples.last()) else { return false };
    *first < LATE_SAMPLES && *last == length_samples && bar_lines_samples.len() % 2 == 1
}

/// A reading with the likeness of its bars, which the fit needs and people do not read.
#[derive(Debug, Clone, PartialEq)]
pub struct BedRead {
    /// What the bed is.
    pub reading: Reading,
    /// How well each bar could follow each other.
    pub likeness: BarLikeness,
}

/// What the network of the reading hears of a sound: so many numbers a frame, and the frames one
/// after another. `tools/reading` learns from it.
pub fn network_inputs(source: &dyn Source) -> (usize, Vec<f32>) {
    let mono = sound::mono_24k(source);
    (activations::INPUTS, activations::inputs(&spectra::OnsetSpectra::of(&mono), &spectra::HarmonySpectra::of(&mono)))
}

/// What is told of each bar line but the first and the last, for `tools/reading/sections.py`;
/// `inputs` as [`network_inputs`] gives them.
pub fn bar_line_features(inputs: &[f32], bar_lines_s: &[f64]) -> Vec<[f32; sections::features::FEATURES]> {
    sections::features::of_bar_lines(inputs, bar_lines_s)
}

/// The ways in which a bed could be counted, as beats in seconds and what tells them apart, for
/// `tools/reading/level.py`; `inputs` as [`network_inputs`] gives them.
pub fn level_candidates(inputs: &[f32]) -> Vec<(Vec<f64>, [f32; level::FEATURES])> {
    let span = (0, 2 * inputs.len() / activations::INPUTS);
    level::candidates(&activations::Activations::of(inputs), inputs, span).into_iter().map(|c| (c.beats_s, c.features)).collect()
}

/// The ways in which beats could be counted in bars: beats in a bar, the first beat that begins one, and what tells them
/// apart, for `tools/reading/metre.py`; `inputs` as [`network_inputs`] gives them.
pub fn bar_candidates(inputs: &[f32], beats_s: &[f64]) -> Vec<(usize, usize, [f32; metre::choice::FEATURES])> {
    metre::choice::counts(beats_s, &activations::Activations::of(inputs), inputs).into_iter().map(|c| (c.metre, c.first, c.features)).collect()
}

/// How long each pitch class sounds, of everything and in the bass, for `tools/reading/key.py`; `inputs` as
/// [`network_inputs`] gives them, `None` where little is tonal.
pub fn key_classes(inputs: &[f32]) -> Option<[[f32; 12]; 2]> {
    key::classes(inputs)
}

/// What tells how naturally a bed goes from phrase to phrase, for `tools/reading/sequel.py`: for every two lines at which
/// phrases begin the line that is left, the one that is entered, how likely it is a repeat, and the features.
pub fn sequel_features(source: &dyn Source) -> Vec<(usize, usize, f32, [f32; likeness::sequel::FEATURES])> {
    let (read, sides) = read_with_sides(source, &[], &mut keep_going()).expect("nobody stops it");
    let phrases = bars::half_phrases(&read.reading.sections, &read.reading.bar_lines_samples());
    let phrases: Vec<usize> = phrases.into_iter().filter(|p| *p > 0 && *p < read.reading.bar_count()).collect();
    let pairs = phrases.iter().flat_map(|&leave| phrases.iter().map(move |&enter| (leave, enter)));
    pairs.map(|(l, e)| (l, e, read.likeness.could_follow(l, e), sides.features(&read.likeness, l, e))).collect()
}

/// Reads a bed.
///
/// Any sound is read; silence and less than two seconds of sound get no beats, no sections and
/// confidence 0. A sound without a pulse may get beats all the same: a steady tone does.
///
/// # Errors
/// [`Cancelled`] when `progress` returns false.
pub fn read_bed(source: &dyn Source, progress: &mut Progress<'_>) -> Result<BedRead, Cancelled> {
    read_corrected(source, &[], progress)
}

/// Reads a bed as [`read_bed`] does, with what a person says about it on top.
///
/// # Errors
/// [`Cancelled`] when `progress` returns false.
pub fn read_corrected(source: &dyn Source, corrections: &[Correction], progress: &mut Progress<'_>) -> Result<BedRead, Cancelled> {
    read_with_sides(source, corrections, progress).map(|(read, _)| read)
}

fn read_with_sides(source: &dyn Source, corrections: &[Correction], progress: &mut Progress<'_>) -> Result<(BedRead, likeness::sequel::Sides), Cancelled> {
    let mut step = |what, done| if progress(what, done) { Ok(()) } else { Err(Cancelled) };
    step("measuring loudness", 0.0)?;
    let loudness = loudness::measure(source);
    step("listening for onsets", 0.2)?;
    let mono = sound::mono_24k(source);
    let onsets = spectra::OnsetSpectra::of(&mono);
    step("listening for harmony", 0.5)?;
    let harmony = spectra::HarmonySpectra::of(&mono);
    step("finding the beat", 0.7)?;
    let edges = edges::Edges::find(&mono, &onsets, source.len_samples());
    // Of an hour it is a third of a gigabyte, and no longer needed.
    drop(mono);
    let inputs = activations::inputs(&onsets, &harmony);
    let heard = activations::Activations::of(&inputs);
    let features_of = |beats_s: &[f64]| features::of_beats(beats_s, &onsets, &harmony, edges.powers());
    let counter = Counter { inputs: &inputs, heard: &heard, span: edges.music_span_frames(), features: &features_of };
    let (grid, second_opinions) = counter.grids();
    let grid = correct::correct_grid(grid, corrections, &counter).within(source.len_samples());
    let ending = correct::correct_ending(edges.ending(&grid.beats_s), corrections);
    let grid = grid.closed_at(source.len_samples(), ending.music_end_samples);
    step("finding bars", 0.8)?;
    let beat_features = features_of(&grid.beats_s);
    step("comparing bars", 0.85)?;
    let beats_samples = correct::beat_samples(&grid.beats_s);
    let bar_lines: Vec<u64> = grid.downbeats.iter().map(|&beat| beats_samples[beat]).collect();
    let lines = jaunty_sound::splice::surprise::LineSpectra::of(source, &bar_lines);
    let likeness = BarLikeness::between(&beat_features, &grid.downbeats, grid.metre as usize, lines);
    step("finding sections", 0.95)?;
    let bar_levels_db = features::bar_levels_db(&beat_features, &grid.downbeats);
    let line_levels_db = features::line_levels_db(&beat_features, &grid.downbeats);
    let key = Key::of(&inputs);
    let likeness = if ending.kind != EndingKind::OwnEnding && cut_as_loop(&bar_lines, source.len_samples()) { likeness.of_a_loop() } else { likeness };
    let (sections, section_confidence) = sections::find(&inputs, &likeness, &bar_levels_db, &bar_lines);
    let sections = correct::correct_sections(sections, &bar_lines, corrections);
    let characters = bars::characters(&grid.beats_s, &beat_features, &grid.downbeats, &onsets);
    let singing = correct::correct_singing(singing::passages(&inputs), corrections);
    step("done", 1.0)?;
    let sides = likeness::sequel::Sides::of(&beat_features, &grid.downbeats);
    let phrases = bars::phrases(&sections, characters.len());
    let likeness = likeness.with_sequels(&sides, &bars::half_phrases(&sections, &bar_lines));
    let read = BedRead {
        reading: Reading {
            length_samples: source.len_samples(),
            tempo_bpm: grid.tempo_bpm,
            metre: grid.metre,
            beats_samples,
            downbeats: grid.downbeats,
            line_surprises: jaunty_sound::splice::surprise::of_bar_lines(source, &bar_lines),
            phrases,
            arcs: bars::arcs(&bar_levels_db, &characters),
            bars: characters,
            sections,
            music_start_samples: edges.music_start_samples(),
            ending,
            loudness,
            bar_levels_db,
            line_levels_db,
            repeats: likeness.repeats(),
            loops: likeness.loops(),
            key,
            singing,
            second_opinions,
            confidence: Confidence { beats: grid.beat_confidence, downbeats: grid.bar_confidence, sections: section_confidence },
        },
        likeness,
    };
    Ok((read, sides))
}
