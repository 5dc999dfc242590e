//! What was read of a bed.

use jaunty_core::message::Message;
use jaunty_core::reading::{self, Correction, EndingKind, Key, Motion, Reading};
use jaunty_core::units::{Sure, seconds_from_samples};
use serde::Serialize;
use utoipa::ToSchema;

/// A stretch of the bed of one character.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SectionView {
    /// Its letter.
    pub label: String,
    /// What somebody calls it.
    pub name: Option<String>,
    /// Start in seconds of the bed.
    pub start_s: f64,
    /// End in seconds of the bed.
    pub end_s: f64,
    /// First bar, from 1.
    pub start_bar: usize,
    /// Last bar.
    pub end_bar: usize,
}

/// A passage of the bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PassageView {
    /// Start in seconds of the bed.
    pub start_s: f64,
    /// End in seconds of the bed.
    pub end_s: f64,
    /// How likely or how good, 0 to 1.
    pub likelihood: f32,
}

/// A passage that can be played over and over.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LoopView {
    /// First bar, from 1.
    pub start_bar: usize,
    /// Last bar.
    pub end_bar: usize,
    /// Start in seconds of the bed.
    pub start_s: f64,
    /// End in seconds of the bed.
    pub end_s: f64,
    /// How well its start follows its end.
    pub seam: Sure,
}

/// Another way to count the bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SecondOpinionView {
    /// What it is, in words.
    pub words: Message,
    /// What to say to get it.
    pub correction: Correction,
    /// Its tempo.
    pub tempo_bpm: f64,
    /// Its beats in a bar.
    pub metre: u32,
    /// How likely it is, in per cent.
    pub percent: u32,
}

/// What a bar is like.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BarView {
    /// Attacks a second.
    pub attacks_per_s: f32,
    /// Spectral centroid.
    pub brightness_hz: f32,
    /// The pitch classes that sound most, strongest first.
    pub notes: String,
}

/// Where the bed moves.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ArcView {
    /// First bar, from 1.
    pub start_bar: usize,
    /// Last bar.
    pub end_bar: usize,
    /// How it moves.
    pub motion: Motion,
    /// By how much the level changes, in dB.
    pub change_db: f32,
}

/// What has been read of a bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BedReadingView {
    /// Beats a minute; 0 without beats.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Bar lines in seconds of the bed, one more than bars.
    pub bar_lines_s: Vec<f64>,
    /// Level of each bar relative to the loudest, in dB.
    pub bar_levels_db: Vec<f32>,
    /// What each bar is like.
    pub bars: Vec<BarView>,
    /// Bars at which phrases begin, from 1.
    pub phrases: Vec<usize>,
    /// Where it builds, fills out and thins out.
    pub arcs: Vec<ArcView>,
    /// Tempo of each bar.
    pub bar_tempi_bpm: Vec<f64>,
    /// For each bar the earliest that sounds the same, from 1.
    pub repeats: Vec<usize>,
    /// Passages that can be played over and over.
    pub loops: Vec<LoopView>,
    /// Where somebody sings.
    pub singing: Vec<PassageView>,
    /// Other ways to count it.
    pub second_opinions: Vec<SecondOpinionView>,
    /// Its key, where it has one.
    pub key: Option<String>,
    /// Its sections.
    pub sections: Vec<SectionView>,
    /// Where the music begins.
    pub music_start_s: f64,
    /// How it ends.
    pub ending: EndingKind,
    /// The last hit, or where the fade begins.
    pub last_hit_s: f64,
    /// Where the sound is over.
    pub music_end_s: f64,
    /// Integrated loudness in LUFS.
    pub integrated_lufs: Option<f64>,
    /// Loudness range in LU.
    pub range_lu: Option<f64>,
    /// Highest true peak in dBTP.
    pub true_peak_dbtp: Option<f64>,
    /// Places at which the source is clipped.
    pub clipped_count: u64,
    /// How sure the beats are.
    pub beats_sure: Sure,
    /// How sure the bar lines are.
    pub bars_sure: Sure,
}

impl From<&Reading> for BedReadingView {
    fn from(reading: &Reading) -> Self {
        let section = |s: &reading::Section| SectionView {
            label: s.label.clone(),
            name: s.name.clone(),
            start_s: seconds_from_samples(s.start_samples),
            end_s: seconds_from_samples(s.end_samples),
            start_bar: s.start_bar + 1,
            end_bar: s.end_bar,
        };
        let lines: Vec<f64> = reading.bar_lines_samples().into_iter().map(seconds_from_samples).collect();
        let passage = |s: &reading::Span| PassageView {
            start_s: seconds_from_samples(s.start_samples),
            end_s: seconds_from_samples(s.end_samples),
            likelihood: s.likelihood,
        };
        Self {
            tempo_bpm: reading.tempo_bpm,
            metre: reading.metre,
            bar_lines_s: lines.clone(),
            bar_levels_db: reading.bar_levels_db.clone(),
            bars: reading.bars.iter().map(bar_view).collect(),
            phrases: reading.phrases.iter().map(|bar| bar + 1).collect(),
            arcs: reading.arcs.iter().map(arc_view).collect(),
            bar_tempi_bpm: reading.bar_tempi_bpm(),
            repeats: reading.repeats.iter().map(|bar| bar + 1).collect(),
            loops: reading.loops.iter().map(|l| loop_view(l, &lines)).collect(),
            singing: reading.singing.iter().map(passage).collect(),
            second_opinions: reading.second_opinions.iter().map(second_opinion_view).collect(),
            key: reading.key.map(Key::name),
            sections: reading.sections.iter().map(section).collect(),
            music_start_s: seconds_from_samples(reading.music_start_samples),
            ending: reading.ending.kind,
            last_hit_s: seconds_from_samples(reading.ending.last_hit_samples),
            music_end_s: seconds_from_samples(reading.ending.music_end_samples),
            integrated_lufs: reading.loudness.integrated_lufs,
            range_lu: reading.loudness.range_lu,
            true_peak_dbtp: reading.loudness.true_peak_dbtp,
            clipped_count: reading.loudness.clipped_count,
            beats_sure: reading.confidence.beats.into(),
            bars_sure: reading.confidence.downbeats.into(),
        }
    }
}

fn bar_view(bar: &reading::BarCharacter) -> BarView {
    /// Weaker pitch classes than this share of the strongest are not told.
    const TOLD: f32 = 0.45;
    let mut classes: Vec<usize> = (0..12).filter(|&c| bar.classes[c] >= TOLD).collect();
    classes.sort_by(|&a, &b| bar.classes[b].total_cmp(&bar.classes[a]));
    let notes = classes.iter().take(4).map(|&c| Key::PITCHES[c]).collect::<Vec<_>>().join(" ");
    BarView { attacks_per_s: bar.attacks_per_s, brightness_hz: bar.brightness_hz, notes }
}

fn arc_view(arc: &reading::Arc) -> ArcView {
    ArcView { start_bar: arc.start_bar + 1, end_bar: arc.end_bar, motion: arc.motion, change_db: arc.change_db }
}

fn loop_view(l: &reading::Loop, lines_s: &[f64]) -> LoopView {
    LoopView { start_bar: l.start_bar + 1, end_bar: l.end_bar, start_s: lines_s[l.start_bar], end_s: lines_s[l.end_bar], seam: l.seam() }
}

fn second_opinion_view(opinion: &reading::SecondOpinion) -> SecondOpinionView {
    SecondOpinionView {
        words: opinion.correction.message(),
        correction: opinion.correction.clone(),
        tempo_bpm: opinion.tempo_bpm,
        metre: opinion.metre,
        percent: (100.0 * opinion.likelihood).round() as u32,
    }
}
