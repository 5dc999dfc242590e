//! What the page shows of a cut: everything computed here, so that the page only draws.

use super::setup::{Film, Licence, ListReport, Opinion, Setup, TakeOrigin};
use super::store::{self, CutRow, RevisionRow};
use crate::App;
use crate::features::beds::{KindView, store as auditions};
use crate::features::fit::{LawView, SpliceName, WishesView};
use crate::features::picture::MomentKindView;
use crate::features::shape::{
    AmbienceView, FadeShapeView, FigureChoiceView, FormsView, PocketChoiceView, ShapeView, SlopeView, SpeechRuleView, loudness_choices, pocket_choices,
};
use crate::features::shelf;
use crate::features::sounds::store as sounds;
use crate::jobs::Task;
use crate::jobs::queue::{self, JobRow};
use crate::jobs::tasks::{fitted_under, scene};
use crate::problem::Problem;
use chrono::{DateTime, Utc};
use jaunty_core::check::{self, Weight};
use jaunty_core::fit::{Audible, Fitting, FittingEnd, FittingStart, Passage, Wishes};
use jaunty_core::kind::Kind;
use jaunty_core::picture::{Change, Moment, Origin, Picture, Shot};
use jaunty_core::plan::succession::Handover;
use jaunty_core::plan::{Layer, Plan};
use jaunty_core::reading::{EndingKind, Key, Motion, Reading};
use jaunty_core::shape::LevelObject;
use jaunty_core::speech::{SpeechReading, corrected};
use jaunty_core::terms::objection;
use jaunty_core::units::{FrameRate, seconds_from_samples};
use jaunty_core::voice::Piece;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A frame rate.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RateView {
    /// Numerator.
    pub num: u32,
    /// Denominator.
    pub den: u32,
    /// Whether timecode leaves out labels.
    pub drop_frame: bool,
    /// As people write it.
    pub label: String,
}

impl From<FrameRate> for RateView {
    fn from(rate: FrameRate) -> Self {
        let number = format!("{:.3}", rate.as_f64()).trim_end_matches('0').trim_end_matches('.').to_owned();
        let counting = if rate.is_drop_frame() { " drop-frame" } else { "" };
        Self { num: rate.num(), den: rate.den(), drop_frame: rate.is_drop_frame(), label: format!("{number}{counting}") }
    }
}

/// A shot.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShotView {
    /// What is seen.
    pub name: String,
    /// Its first frame.
    pub frame: u64,
    /// Where it begins, in seconds.
    pub at_s: f64,
    /// Where it begins, as timecode.
    pub timecode: String,
    /// How long it lasts, in seconds.
    pub length_s: f64,
    /// Whether its hold may change.
    pub still: bool,
    /// Whether it was made by hand.
    pub by_hand: bool,
}

/// A moment.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MomentView {
    /// What happens.
    pub name: String,
    /// Its frame.
    pub frame: u64,
    /// Where, in seconds.
    pub at_s: f64,
    /// Where, as timecode.
    pub timecode: String,
    /// What it is for.
    pub kind: MomentKindView,
    /// Whether it was marked by hand.
    pub by_hand: bool,
    /// Where a bed that belongs to it begins, in seconds; only titles and credits have one.
    pub bed_from_s: Option<f64>,
}

/// A cut in the list of cuts.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutSummary {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// Its length as timecode.
    pub length_timecode: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Name of its bed.
    pub bed: Option<String>,
    /// Name of its narration.
    pub narration: Option<String>,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

impl From<&CutRow> for CutSummary {
    fn from(cut: &CutRow) -> Self {
        Self {
            id: cut.id,
            title: cut.title.clone(),
            length_timecode: cut.setup.picture.rate.timecode(cut.setup.picture.length_frames).to_string(),
            rate: cut.setup.picture.rate.into(),
            bed: cut.setup.bed.as_ref().map(|s| s.name.clone()),
            narration: cut.setup.takes.last().map(|t| t.name.clone()),
            created_at: cut.created_at.and_utc(),
        }
    }
}

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

/// How sure something is.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum SureView {
    /// Trust it.
    Sure,
    /// Look at it.
    Fair,
    /// Do not trust it.
    Unsure,
}

impl From<f32> for SureView {
    fn from(confidence: f32) -> Self {
        match confidence {
            c if c >= 0.75 => Self::Sure,
            c if c >= 0.45 => Self::Fair,
            _ => Self::Unsure,
        }
    }
}

/// How a bed ends.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum EndingView {
    /// A composed last hit that rings out.
    OwnEnding,
    /// It fades.
    FadesOut,
    /// It stops while loud.
    StopsDead,
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
    pub seam: SureView,
}

/// Another way to count the bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SecondOpinionView {
    /// What it is, in words.
    pub words: String,
    /// What to say to get it, as the client sends it back.
    #[schema(value_type = crate::features::reading::Said)]
    pub said: serde_json::Value,
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
    pub motion: MotionView,
    /// By how much the level changes, in dB.
    pub change_db: f32,
}

/// A way in which a bed moves.
#[derive(Debug, Clone, Copy, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum MotionView {
    /// It grows over several bars.
    Builds,
    /// There is suddenly more of it.
    FillsOut,
    /// There is suddenly less of it.
    ThinsOut,
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
    pub ending: EndingView,
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
    pub beats_sure: SureView,
    /// How sure the bar lines are.
    pub bars_sure: SureView,
}

impl From<&Reading> for BedReadingView {
    fn from(reading: &Reading) -> Self {
        let section = |s: &jaunty_core::reading::Section| SectionView {
            label: s.label.clone(),
            name: s.name.clone(),
            start_s: seconds_from_samples(s.start_samples),
            end_s: seconds_from_samples(s.end_samples),
            start_bar: s.start_bar + 1,
            end_bar: s.end_bar,
        };
        let lines: Vec<f64> = reading.bar_lines_samples().into_iter().map(seconds_from_samples).collect();
        let passage = |s: &jaunty_core::reading::Span| PassageView {
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
            ending: match reading.ending.kind {
                EndingKind::OwnEnding => EndingView::OwnEnding,
                EndingKind::FadesOut => EndingView::FadesOut,
                EndingKind::StopsDead => EndingView::StopsDead,
            },
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

fn bar_view(bar: &jaunty_core::reading::BarCharacter) -> BarView {
    /// Weaker pitch classes than this share of the strongest are not told.
    const TOLD: f32 = 0.45;
    let mut classes: Vec<usize> = (0..12).filter(|&c| bar.classes[c] >= TOLD).collect();
    classes.sort_by(|&a, &b| bar.classes[b].total_cmp(&bar.classes[a]));
    let notes = classes.iter().take(4).map(|&c| Key::PITCHES[c]).collect::<Vec<_>>().join(" ");
    BarView { attacks_per_s: bar.attacks_per_s, brightness_hz: bar.brightness_hz, notes }
}

fn arc_view(arc: &jaunty_core::reading::Arc) -> ArcView {
    let motion = match arc.motion {
        Motion::Builds => MotionView::Builds,
        Motion::FillsOut => MotionView::FillsOut,
        Motion::ThinsOut => MotionView::ThinsOut,
    };
    ArcView { start_bar: arc.start_bar + 1, end_bar: arc.end_bar, motion, change_db: arc.change_db }
}

fn loop_view(l: &jaunty_core::reading::Loop, lines_s: &[f64]) -> LoopView {
    LoopView { start_bar: l.start_bar + 1, end_bar: l.end_bar, start_s: lines_s[l.start_bar], end_s: lines_s[l.end_bar], seam: (l.goodness - 0.3).into() }
}

fn second_opinion_view(opinion: &jaunty_core::reading::SecondOpinion) -> SecondOpinionView {
    SecondOpinionView {
        words: opinion.correction.words(),
        said: serde_json::to_value(&opinion.correction).unwrap_or_default(),
        tempo_bpm: opinion.tempo_bpm,
        metre: opinion.metre,
        percent: (100.0 * opinion.likelihood).round() as u32,
    }
}

/// The bed of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutBedView {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// Length in seconds, once decoded.
    pub length_s: Option<f64>,
    /// Sample rate of the file, once decoded.
    pub rate_hz: Option<u32>,
    /// Channels, once decoded.
    pub channel_count: Option<u32>,
    /// Whether the file broke off before its end.
    pub damaged: bool,
    /// What was read.
    pub reading: Option<BedReadingView>,
    /// What a person said about the reading, in words and in order.
    pub corrections: Vec<String>,
}

/// A take of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakeView {
    /// Hash of its content.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// Where it lies on the cut, in seconds.
    pub at_s: f64,
    /// How it came to be.
    pub origin: TakeOrigin,
    /// Length in seconds, once decoded.
    pub length_s: Option<f64>,
    /// Whether the file broke off before its end.
    pub damaged: bool,
    /// What it sounds like, when that is not speech.
    pub sounds_like: Option<KindView>,
    /// Its phrases, on the cut; none until it has been read.
    pub phrases: Option<Vec<TakePhraseView>>,
    /// Integrated loudness in LUFS.
    pub integrated_lufs: Option<f64>,
    /// Whether anything of it is heard.
    pub used: bool,
    /// Whether its steady noise is taken out.
    pub without_noise: bool,
    /// Level of the room between its phrases, in dBFS.
    pub noise_floor_dbfs: Option<f32>,
}

/// A phrase of a take.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakePhraseView {
    /// Where it begins on the cut, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Whether it is heard.
    pub used: bool,
}

/// A piece of the narration as it is heard.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VoicePieceView {
    /// The take it is from.
    pub take: String,
    /// Where it begins on the cut, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Whether a machine speaks it.
    pub scratch: bool,
}

/// A written line of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LineView {
    /// Where its first syllable falls, in seconds.
    pub at_s: f64,
    /// The words.
    pub words: String,
}

/// The film of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FilmView {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Its length as timecode.
    pub length_timecode: String,
    /// Its first timecode, when it carries one.
    pub first_timecode: Option<String>,
    /// Width over height.
    pub aspect: f64,
    /// Whether it has a sound of its own.
    pub has_sound: bool,
    /// Whether that is heard.
    pub sound_on: bool,
    /// Its gain, in dB.
    pub gain_db: f64,
    /// What it does while somebody speaks.
    pub rule: SpeechRuleView,
    /// From where on it is heard, in seconds of the cut.
    pub heard_from_s: f64,
    /// Until where.
    pub heard_until_s: f64,
    /// How it differs from the cut, when it does.
    pub differs: Option<String>,
}

/// What became of the last list.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ListReportView {
    /// Name of the file.
    pub file: String,
    /// What it was.
    pub format: String,
    /// What of it is used.
    pub used: String,
    /// What it changed, as sentences.
    pub changes: Vec<String>,
    /// What was not used.
    pub unused: Vec<UnusedView>,
}

/// A line of a list that was not used.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UnusedView {
    /// Its number, where the format has lines.
    pub line: Option<usize>,
    /// What stands there.
    pub text: String,
    /// Why it was not used.
    pub reason: String,
}

/// What was agreed with a supplier.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LicenceView {
    /// The terms, for people.
    pub terms: String,
    /// Whether somebody sings in it, as the supplier says.
    pub singing: bool,
    /// The line to credit it with.
    pub credit: String,
    /// Number of the licence.
    pub number: String,
    /// When it was taken.
    pub taken_at: DateTime<Utc>,
    /// The warning that was passed over when it was taken.
    pub warned: Option<String>,
    /// Why it may not be used for this cut as it stands.
    pub objection: Option<String>,
}

/// A bed that may be chosen.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CandidateView {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// What it is, once that is known.
    pub kind: Option<KindView>,
    /// How sure that is; a person is always sure.
    pub kind_sure: Option<SureView>,
    /// Whether somebody said what it is.
    pub kind_by_hand: bool,
    /// What somebody thinks of it.
    pub opinion: Option<Opinion>,
    /// A note.
    pub note: String,
    /// What was agreed, for pieces of a supplier.
    pub licence: Option<LicenceView>,
    /// Length in seconds, once decoded.
    pub length_s: Option<f64>,
    /// Whether the file broke off before its end.
    pub damaged: bool,
    /// Whether it is the bed.
    pub chosen: bool,
    /// What was read of it, in short.
    pub reading: Option<CandidateReadingView>,
    /// How well it could fit this cut as it stands; none while that is computed.
    pub fit: Option<CandidateFitView>,
}

/// What the comparison shows of a reading.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CandidateReadingView {
    /// Beats a minute; 0 without beats.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Its key.
    pub key: Option<String>,
    /// Letters of its sections, in order.
    pub form: String,
    /// Level of each bar relative to the loudest, in dB.
    pub bar_levels_db: Vec<f32>,
    /// Integrated loudness in LUFS.
    pub integrated_lufs: Option<f64>,
    /// How it ends.
    pub ending: EndingView,
}

/// How well a candidate could fit.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CandidateFitView {
    /// 0 to 100: the chance that nobody hears the best fitting's worst splice, lowered when its own ending is lost.
    pub figure: u32,
    /// Splices of the best fitting.
    pub splice_count: u32,
    /// How it ends.
    pub end: FittingEndView,
}

/// A run of the bed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PieceView {
    /// Start in seconds of the bed.
    pub source_start_s: f64,
    /// End in seconds of the bed.
    pub source_end_s: f64,
    /// Start in seconds of the cut.
    pub cut_start_s: f64,
    /// End in seconds of the cut.
    pub cut_end_s: f64,
    /// Its first bar, from 1.
    pub start_bar: usize,
    /// Its last bar.
    pub end_bar: usize,
}

/// How much a splice is likely to be noticed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum AudibleView {
    /// Nobody should notice.
    Silent,
    /// Worth a listen.
    Listen,
    /// It may be heard.
    Maybe,
}

/// A splice.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SpliceView {
    /// Where, in seconds of the cut.
    pub at_s: f64,
    /// The last bar heard before it.
    pub leave_bar: usize,
    /// The bar that comes after it.
    pub enter_bar: usize,
    /// How audible it is likely to be.
    pub audible: AudibleView,
    /// How hard it is to hear, 0 to 100.
    pub hard_to_hear: u8,
    /// Share of the bed's own bar lines that surprise less, in percent.
    pub surprise_percent: u8,
    /// How likely both sides could follow each other, 0 to 1.
    pub goodness: f32,
    /// Length of the crossfade in ms.
    pub crossfade_ms: f64,
    /// How it crosses.
    pub law: LawView,
    /// How far the entering side was moved later, in ms.
    pub moved_ms: f64,
    /// How much later than the bar line both sides meet, in ms.
    pub later_ms: f64,
    /// Correlation of both sides, -1 to 1.
    pub correlation: f32,
    /// What it costs, the most first.
    pub terms: Vec<TermView>,
    /// Why it was chosen.
    pub why: String,
    /// Whether somebody asked for it or changed it.
    pub by_hand: bool,
    /// Both bar lines, by which it is named.
    pub name: SpliceName,
}

/// One term of what a splice costs.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TermView {
    /// What it is about.
    pub name: String,
    /// What it costs.
    pub cost: f32,
}

impl From<&jaunty_core::fit::Splice> for SpliceView {
    fn from(splice: &jaunty_core::fit::Splice) -> Self {
        Self {
            at_s: seconds_from_samples(splice.at_samples),
            leave_bar: splice.leave_bar,
            enter_bar: splice.enter_bar + 1,
            audible: match splice.audible {
                Audible::Silent => AudibleView::Silent,
                Audible::Listen => AudibleView::Listen,
                Audible::Maybe => AudibleView::Maybe,
            },
            hard_to_hear: splice.hard_to_hear(),
            surprise_percent: (100.0 * splice.surprise_rank).round() as u8,
            goodness: splice.goodness,
            crossfade_ms: seconds_from_samples(splice.join.fade_samples) * 1000.0,
            law: splice.join.law.into(),
            moved_ms: splice.join.moved_samples as f64 / 48.0,
            later_ms: splice.join.later_samples as f64 / 48.0,
            correlation: splice.join.correlation,
            terms: splice.terms.iter().map(|t| TermView { name: t.name.clone(), cost: t.cost }).collect(),
            why: splice.why.clone(),
            by_hand: splice.by_hand,
            name: splice.at.into(),
        }
    }
}

/// How a fitting ends.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum FittingEndView {
    /// With the bed's own ending.
    OwnEnding,
    /// On a downbeat, with a ring-out.
    Stop,
    /// With a fade.
    Fade,
    /// Before the cut does.
    Silence,
}

/// How a fitting begins.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum FittingStartView {
    /// From the top.
    Top,
    /// At full level on a downbeat.
    Cold,
    /// Faded in.
    FadeIn,
}

/// A fitting to choose from.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FittingView {
    /// What makes it different, in a few words.
    pub name: String,
    /// How hard its worst splice is to hear, 0 to 100; none without splices.
    pub worst: Option<u8>,
    /// What the planner pays for it; lower is better.
    pub cost: f32,
    /// How it begins.
    pub start: FittingStartView,
    /// Length of a ring-out that we make, in seconds.
    pub ring_out_s: Option<f64>,
    /// Seconds of the bed that are never heard.
    pub left_out_s: f64,
    /// Seconds of the cut in which something is heard again.
    pub repeated_s: f64,
    /// Its runs.
    pub pieces: Vec<PieceView>,
    /// Its splices.
    pub splices: Vec<SpliceView>,
    /// How it ends.
    pub end: FittingEndView,
    /// The last hit in seconds of the cut.
    pub last_hit_s: Option<f64>,
    /// How much faster than the bed it runs, in percent.
    pub speed_change_percent: f64,
    /// What the editor should know.
    pub notes: Vec<String>,
}

impl FittingView {
    /// The view of a fitting of a bed with so many samples of music.
    pub fn of(fitting: &Fitting, music_samples: u64) -> Self {
        let piece = |p: &jaunty_core::fit::Piece| PieceView {
            source_start_s: seconds_from_samples(p.source_start_samples.max(0) as u64),
            source_end_s: p.source_position(p.cut_end_samples) / f64::from(jaunty_core::SAMPLE_RATE_HZ),
            cut_start_s: seconds_from_samples(p.cut_start_samples),
            cut_end_s: seconds_from_samples(p.cut_end_samples),
            start_bar: p.start_bar + 1,
            end_bar: p.end_bar,
        };
        let (heard, repeated) = fitting.heard_and_repeated_samples();
        Self {
            name: fitting.name.clone(),
            worst: fitting.worst_splice(),
            cost: fitting.cost,
            start: match fitting.start {
                FittingStart::Top => FittingStartView::Top,
                FittingStart::Cold => FittingStartView::Cold,
                FittingStart::FadeIn => FittingStartView::FadeIn,
            },
            ring_out_s: fitting.ring_out.map(|r| seconds_from_samples(r.length_samples.saturating_sub(r.fed_samples))),
            left_out_s: seconds_from_samples(music_samples.saturating_sub(heard)),
            repeated_s: seconds_from_samples(repeated),
            pieces: fitting.pieces.iter().map(piece).collect(),
            splices: fitting.splices.iter().map(SpliceView::from).collect(),
            end: match fitting.end {
                FittingEnd::OwnEnding => FittingEndView::OwnEnding,
                FittingEnd::Stop => FittingEndView::Stop,
                FittingEnd::Fade => FittingEndView::Fade,
                FittingEnd::Silence => FittingEndView::Silence,
            },
            last_hit_s: fitting.last_hit_samples.map(seconds_from_samples),
            speed_change_percent: (fitting.speed - 1.0) * 100.0,
            notes: fitting.notes.clone(),
        }
    }
}

/// A bar line of the bed as fitted.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BarLineView {
    /// Where, in seconds of the cut.
    pub at_s: f64,
    /// Number of the bar in the bed, from 1.
    pub bar: usize,
    /// Letter of a section that begins here or is entered here.
    pub letter: Option<String>,
}

/// What a level object is.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum LevelKindView {
    /// Held under speech.
    Dip,
    /// Raised in a gap.
    Swell,
    /// Held further under one phrase.
    Emphasis,
    /// Raised or lowered in one passage.
    Sweep,
    /// The opening, from silence.
    FadeIn,
    /// The close, into silence.
    FadeOut,
}

/// A swell or a dip.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LevelView {
    /// Its number among the bed's level objects.
    pub index: usize,
    /// What it is.
    pub kind: LevelKindView,
    /// Where it begins, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Length of the rise; 0 for a dip.
    pub rise_s: f64,
    /// Length of the fall; 0 for a dip.
    pub fall_s: f64,
    /// How far it lies under the loudness of the speech, in dB.
    pub under_speech_db: f64,
    /// Gain over the sound as it came in, in dB.
    pub gain_db: f64,
    /// How a swell rises.
    pub rise_slope: SlopeView,
    /// How a swell falls.
    pub fall_slope: SlopeView,
    /// The shape of a fade.
    pub fade_shape: Option<FadeShapeView>,
    /// The bar on whose downbeat a swell's top falls.
    pub top_on_bar: Option<usize>,
    /// Whether a person set it.
    pub by_hand: bool,
}

/// A phrase of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PhraseView {
    /// Where it begins, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Its words, where known.
    pub words: Option<String>,
}

/// Something that the check found.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FindingView {
    /// Whether it needs a look, or is just good to know.
    pub needs_look: bool,
    /// Where, in seconds.
    pub at_s: f64,
    /// What was found.
    pub text: String,
    /// What to do about it.
    pub mend: String,
}

/// One of the beds of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PartView {
    /// Name of the bed.
    pub name: String,
    /// Hash of its sound.
    pub hash: String,
    /// Whether reading and fit are about it.
    pub at_hand: bool,
    /// Where it begins, in seconds of the cut.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Where the bed before it gives over to it, in the middle of the handover.
    pub handover_at_s: f64,
    /// How long both are heard.
    pub handover_s: f64,
    /// How it is fitted, once it is.
    pub fitting: Option<FittingView>,
}

/// The plan of a cut as it stands.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlanView {
    /// Its number.
    pub revision: u32,
    /// What was done last.
    pub what: String,
    /// The revision that it was made from.
    pub parent: Option<u32>,
    /// What undo would take back.
    pub undo: Option<String>,
    /// What redo would do again.
    pub redo: Option<String>,
    /// When it was saved.
    pub saved_at: DateTime<Utc>,
    /// Its length in samples; for asking for sound.
    pub length_samples: u64,
    /// The fittings to choose from, best first.
    pub fittings: Vec<FittingView>,
    /// Which of them is played.
    pub chosen: u32,
    /// Whether narration or picture have changed since the bed was fitted.
    pub fitted_before: bool,
    /// What is wanted of the fit.
    pub wishes: WishesView,
    /// The beds of the cut, in the order in which they are heard.
    pub parts: Vec<PartView>,
    /// Bar lines of the beds as fitted.
    pub bar_lines: Vec<BarLineView>,
    /// Swells and dips.
    pub levels: Vec<LevelView>,
    /// Figures that all level objects follow.
    pub shape: ShapeView,
    /// How spoken shows open and close, for those who ask for it.
    pub forms: FormsView,
    /// Pockets to choose from.
    pub pocket_choices: Vec<PocketChoiceView>,
    /// Loudness of the whole to choose from, in LUFS.
    pub loudness_choices: Vec<FigureChoiceView>,
    /// Ambiences.
    pub ambiences: Vec<AmbienceView>,
    /// Gain of the whole in dB, where a loudness was asked for.
    pub master_gain_db: Option<f64>,
    /// How much of that the guard against true peaks held back, in dB.
    pub held_back_db: Option<f64>,
    /// The middle of the pocket as it is, in Hz.
    pub pocket_hz: Option<f64>,
    /// Phrases of the narration.
    pub phrases: Vec<PhraseView>,
    /// What the check found.
    pub findings: Vec<FindingView>,
    /// What the check looked at, as sentences that hold when it finds nothing.
    pub looked_at: Vec<String>,
}

/// A job under way, or the last one if it failed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct JobView {
    /// Its name in addresses.
    pub id: Uuid,
    /// `queued`, `running` or `failed`.
    pub state: String,
    /// Share done, 0 to 1.
    pub progress: f32,
    /// What is being done.
    pub doing: String,
    /// Whether the plan follows a change by it: the next change belongs on top of what it makes.
    pub follows: bool,
    /// Why it failed.
    pub problem: Option<String>,
}

impl From<JobRow> for JobView {
    fn from(row: JobRow) -> Self {
        let follows = matches!(row.task.0, Task::Plan { .. });
        Self { id: row.id, state: row.state, progress: row.progress, doing: row.doing, follows, problem: row.problem }
    }
}

/// Everything that the page shows of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Its length in frames.
    pub length_frames: u64,
    /// Its length in seconds.
    pub length_s: f64,
    /// Its length as timecode.
    pub length_timecode: String,
    /// The timecode of its first frame.
    pub first_timecode: String,
    /// The number of its first frame.
    pub first_frame: u64,
    /// Whether money is earned with it.
    pub commercial: bool,
    /// Whether there is a paid plan with the supplier.
    pub paid_plan: bool,
    /// Its film.
    pub film: Option<FilmView>,
    /// Its shots.
    pub shots: Vec<ShotView>,
    /// Its moments.
    pub moments: Vec<MomentView>,
    /// What became of the last list.
    pub list: Option<ListReportView>,
    /// Its bed.
    pub bed: Option<CutBedView>,
    /// The beds to choose from.
    pub candidates: Vec<CandidateView>,
    /// Written lines of the narration.
    pub lines: Vec<LineView>,
    /// Takes of the narration.
    pub takes: Vec<TakeView>,
    /// What is heard of them.
    pub pieces: Vec<VoicePieceView>,
    /// Its plan.
    pub plan: PlanView,
    /// Work under way.
    pub jobs: Vec<JobView>,
    /// When this was looked up, in microseconds: of two views the later one holds.
    pub as_of: i64,
}

impl CutView {
    /// The view of cut `id` as it stands. Where the cut changes while it is looked up, it is looked
    /// up again: a view of two states would show work as done whose outcome it does not show.
    ///
    /// # Errors
    /// A 404, or what the database says.
    pub async fn of(app: &App, id: Uuid) -> Result<Self, Problem> {
        /// A cut that changes without end is shown all the same.
        const MOST_LOOKS: usize = 5;
        let mut cut = store::known(&app.pool, id).await?;
        for _ in 1..MOST_LOOKS {
            let view = Self::once(app, &cut).await?;
            let now = store::known(&app.pool, id).await?;
            if now == cut {
                return Ok(view);
            }
            cut = now;
        }
        Self::once(app, &cut).await
    }

    async fn once(app: &App, cut: &CutRow) -> Result<Self, Problem> {
        let as_of = chrono::Utc::now().timestamp_micros();
        // Before the plan is looked at: a job that is over by now has left its outcome in the plan.
        let jobs = queue::of_cut(&app.pool, cut.id).await?;
        let current = store::current(&app.pool, cut).await?;
        let bed_reading = match &cut.setup.bed {
            Some(bed) => sounds::bed_document(&app.pool, &bed.hash, cut.setup.corrections(&bed.hash)).await?,
            None => None,
        };
        let plan = plan_view(app, cut, current, bed_reading.as_ref()).await?;
        let setup = &cut.setup;
        let picture = &setup.picture;
        let seconds = |frame: u64| seconds_from_samples(picture.rate.samples_from_frames(frame));
        let shot = |s: &Shot| ShotView {
            name: s.name.clone(),
            frame: s.start_frame,
            at_s: seconds(s.start_frame),
            timecode: picture.timecode(s.start_frame),
            length_s: seconds(s.end_frame) - seconds(s.start_frame),
            still: s.still,
            by_hand: s.origin == Origin::Hand,
        };
        let moment = |m: &Moment| MomentView {
            name: m.name.clone(),
            frame: m.frame,
            at_s: seconds(m.frame),
            timecode: picture.timecode(m.frame),
            kind: m.kind.into(),
            by_hand: m.origin == Origin::Hand,
            bed_from_s: m.bed_from_samples(picture.rate).map(seconds_from_samples),
        };
        let piece = |p: &Piece| VoicePieceView {
            take: p.sound.clone(),
            start_s: seconds_from_samples(p.on_cut().start),
            end_s: seconds_from_samples(p.on_cut().end),
            scratch: p.scratch.is_some(),
        };
        Ok(Self {
            id: cut.id,
            title: cut.title.clone(),
            rate: picture.rate.into(),
            length_frames: picture.length_frames,
            length_s: seconds(picture.length_frames),
            length_timecode: picture.rate.timecode(picture.length_frames).to_string(),
            first_timecode: picture.timecode(0),
            first_frame: picture.first_frame,
            commercial: setup.purpose.commercial,
            paid_plan: setup.purpose.paid_plan,
            film: setup.film.as_ref().map(|film| film_view(film, picture)),
            shots: picture.shots.iter().map(shot).collect(),
            moments: picture.moments.iter().map(moment).collect(),
            list: setup.list.as_ref().map(|list| list_view(list, picture)),
            bed: bed_view(app, cut, bed_reading.as_ref()).await?,
            candidates: candidate_views(app, cut).await?,
            lines: setup.lines.iter().map(|l| LineView { at_s: seconds_from_samples(l.start_samples), words: l.words.clone() }).collect(),
            takes: take_views(app, setup).await?,
            pieces: setup.pieces.iter().map(piece).collect(),
            plan,
            jobs: jobs.into_iter().map(JobView::from).collect(),
            as_of,
        })
    }
}

fn film_view(film: &Film, picture: &Picture) -> FilmView {
    let same_rate = (film.rate.num(), film.rate.den()) == (picture.rate.num(), picture.rate.den());
    let length = film.rate.timecode(film.length_frames);
    let differs = match (same_rate, film.length_frames == picture.length_frames) {
        (true, true) => None,
        (true, false) => Some(format!("The film is {length} long, the cut {}.", picture.rate.timecode(picture.length_frames))),
        (false, _) => Some(format!("The film runs at {} frames a second, the cut at {}.", RateView::from(film.rate).label, RateView::from(picture.rate).label)),
    };
    let heard = film.wish.heard(picture.length_samples());
    FilmView {
        hash: film.hash.clone(),
        name: film.name.clone(),
        rate: film.rate.into(),
        length_timecode: length.to_string(),
        first_timecode: film.first_frame.map(|f| film.rate.timecode(f).to_string()),
        aspect: f64::from(film.width_px.max(1)) / f64::from(film.height_px.max(1)),
        has_sound: film.sound.is_some(),
        sound_on: film.sound_on,
        gain_db: film.wish.gain_db,
        rule: film.wish.rule.into(),
        heard_from_s: seconds_from_samples(heard.start_samples),
        heard_until_s: seconds_from_samples(heard.end_samples),
        differs,
    }
}

fn list_view(list: &ListReport, picture: &Picture) -> ListReportView {
    let frames = |n: i64| if n.abs() == 1 { "1 frame".to_owned() } else { format!("{} frames", n.abs()) };
    let change = |change: &Change| match change {
        Change::Added { name, to_frame } => format!("{name} is new, at {}", picture.timecode(*to_frame)),
        Change::Gone { name, from_frame } => format!("{name} is gone; it was at {}", picture.timecode(*from_frame)),
        Change::Moved { name, from_frame, to_frame, longer_frames } => {
            let moved = *to_frame as i64 - *from_frame as i64;
            let place = match moved {
                0 => "stays where it was".to_owned(),
                n => format!("begins {} {}", frames(n), if n > 0 { "later" } else { "earlier" }),
            };
            let length = match longer_frames {
                0 => String::new(),
                n => format!(", {} {}", frames(*n), if *n > 0 { "longer" } else { "shorter" }),
            };
            format!("{name} {place}{length}")
        }
    };
    ListReportView {
        file: list.file.clone(),
        format: list.format.clone(),
        used: list.used.clone(),
        changes: list.changes.iter().take(200).map(change).collect(),
        unused: list.unused.iter().map(|u| UnusedView { line: u.line, text: u.text.clone(), reason: u.reason.clone() }).collect(),
    }
}

async fn bed_view(app: &App, cut: &CutRow, reading: Option<&Reading>) -> Result<Option<CutBedView>, Problem> {
    let Some(used) = &cut.setup.bed else { return Ok(None) };
    let Some(sound) = sounds::sound(&app.pool, &used.hash).await? else { return Ok(None) };
    Ok(Some(CutBedView {
        hash: used.hash.clone(),
        name: used.name.clone(),
        length_s: sound.length_samples.map(seconds_from_samples),
        rate_hz: sound.rate_hz,
        channel_count: sound.channel_count,
        damaged: sound.damaged,
        reading: reading.map(BedReadingView::from),
        corrections: cut.setup.corrections(&used.hash).iter().map(jaunty_core::reading::Correction::words).collect(),
    }))
}

async fn candidate_views(app: &App, cut: &CutRow) -> Result<Vec<CandidateView>, Problem> {
    let fits = auditions::all(&app.pool, cut.id).await?;
    let mut views = Vec::new();
    for candidate in &cut.setup.candidates {
        let Some(sound) = sounds::sound(&app.pool, &candidate.hash).await? else { continue };
        let reading = sounds::bed_document(&app.pool, &candidate.hash, &candidate.corrections).await?;
        let recognised = sound.recognised();
        let fit = fits.iter().find(|a| a.sound_hash == candidate.hash && a.made_for == cut.setup.fitted_as(&candidate.hash));
        views.push(CandidateView {
            hash: candidate.hash.clone(),
            name: candidate.name.clone(),
            kind: candidate.kind_by_hand.or(recognised.map(|r| r.kind)).map(KindView::from),
            kind_sure: recognised.map(|r| SureView::from(if candidate.kind_by_hand.is_some() { 1.0 } else { r.confidence - 0.05 })),
            kind_by_hand: candidate.kind_by_hand.is_some(),
            opinion: candidate.opinion,
            note: candidate.note.clone(),
            licence: match &candidate.licence {
                Some(licence) => Some(licence_view(app, cut, licence).await?),
                None => None,
            },
            length_s: sound.length_samples.map(seconds_from_samples),
            damaged: sound.damaged,
            chosen: cut.setup.bed.as_ref().is_some_and(|b| b.hash == candidate.hash),
            reading: reading.map(|r| candidate_reading(&r)),
            fit: fit.map(|a| CandidateFitView {
                figure: a.figure,
                splice_count: a.splice_count,
                end: match a.ending.as_str() {
                    "ownEnding" => FittingEndView::OwnEnding,
                    "fade" => FittingEndView::Fade,
                    "stop" => FittingEndView::Stop,
                    _ => FittingEndView::Silence,
                },
            }),
        });
    }
    Ok(views)
}

fn candidate_reading(reading: &Reading) -> CandidateReadingView {
    let full = BedReadingView::from(reading);
    CandidateReadingView {
        tempo_bpm: full.tempo_bpm,
        metre: full.metre,
        key: full.key,
        form: reading.sections.iter().map(|s| s.label.as_str()).collect::<Vec<_>>().join(" "),
        bar_levels_db: full.bar_levels_db,
        integrated_lufs: full.integrated_lufs,
        ending: full.ending,
    }
}

async fn licence_view(app: &App, cut: &CutRow, licence: &Licence) -> Result<LicenceView, Problem> {
    let elsewhere = shelf::taken_elsewhere(app, cut.id, &licence.piece, licence.terms).await?;
    Ok(LicenceView {
        terms: licence.terms.name().to_owned(),
        singing: licence.singing,
        credit: licence.credit.clone(),
        number: licence.number.clone(),
        taken_at: licence.taken_at,
        warned: licence.warned.clone(),
        objection: objection(licence.terms, cut.setup.purpose, elsewhere).map(str::to_owned),
    })
}

async fn take_views(app: &App, setup: &Setup) -> Result<Vec<TakeView>, Problem> {
    let mut views = Vec::new();
    for take in &setup.takes {
        let Some(sound) = sounds::sound(&app.pool, &take.hash).await? else { continue };
        let reading: Option<SpeechReading> = sounds::speech_reading(&app.pool, &take.hash).await?;
        let heard = |start: u64, end: u64| {
            let middle = take.at_samples + (start + end) / 2;
            setup.pieces.iter().any(|p| p.sound == take.hash && p.on_cut().contains(&middle))
        };
        let phrase = |p: &jaunty_core::speech::Phrase| TakePhraseView {
            start_s: seconds_from_samples(take.at_samples + p.start_samples),
            end_s: seconds_from_samples(take.at_samples + p.end_samples),
            used: heard(p.start_samples, p.end_samples),
        };
        let unlike = sound.recognised().filter(|r| r.kind != Kind::Speech && r.confidence >= 0.8 && take.origin == TakeOrigin::File);
        views.push(TakeView {
            hash: take.hash.clone(),
            name: take.name.clone(),
            at_s: seconds_from_samples(take.at_samples),
            origin: take.origin,
            length_s: sound.length_samples.map(seconds_from_samples),
            damaged: sound.damaged,
            sounds_like: unlike.map(|r| r.kind.into()),
            phrases: reading.as_ref().map(|r| corrected(&r.phrases, &take.edits).iter().map(phrase).collect()),
            integrated_lufs: reading.as_ref().and_then(|r| r.loudness.integrated_lufs),
            used: setup.pieces.iter().any(|p| p.sound == take.hash),
            without_noise: take.heard() != take.hash,
            noise_floor_dbfs: reading.as_ref().map(|r| r.noise_floor_dbfs),
        });
    }
    Ok(views)
}

async fn plan_view(app: &App, cut: &CutRow, row: RevisionRow, reading: Option<&Reading>) -> Result<PlanView, Problem> {
    let mut objections = Vec::new();
    let used = |hash: &str| row.setup.parts().iter().any(|p| row.setup.bed_of(*p).is_some_and(|b| b.hash == hash));
    for licence in row.setup.candidates.iter().filter(|c| used(&c.hash)).filter_map(|c| c.licence.as_ref()) {
        objections.extend(licence_view(app, cut, licence).await?.objection);
    }
    let redo = store::child(&app.pool, cut.id, row.revision).await?.map(|(_, what)| what);
    let fitted_under = fitted_under(&scene(app, &row.setup).await?);
    let music_samples = reading.map_or(0, |r| r.ending.music_end_samples.saturating_sub(r.music_start_samples));
    let bed = row.plan.bed();
    let (parts, bar_lines) = part_views(app, &row).await?;
    let levels = level_views(&row.plan, &bar_lines);
    let finding =
        |f: check::Finding| FindingView { needs_look: f.weight == Weight::Look, at_s: seconds_from_samples(f.at_samples), text: f.text, mend: f.mend };
    let phrase = |p: &jaunty_core::speech::Phrase| PhraseView {
        start_s: seconds_from_samples(p.start_samples),
        end_s: seconds_from_samples(p.end_samples),
        words: p.words.clone(),
    };
    Ok(PlanView {
        revision: row.revision,
        parent: row.parent,
        undo: row.parent.map(|_| row.what.clone()),
        what: row.what,
        redo,
        saved_at: row.created_at.and_utc(),
        length_samples: row.plan.length_samples,
        fittings: row.fittings.iter().map(|f| FittingView::of(f, music_samples)).collect(),
        chosen: row.chosen,
        fitted_before: !row.plan.fitted_under.is_empty() && row.plan.fitted_under != fitted_under,
        wishes: bed.and_then(|b| row.setup.wishes(&b.sound)).map_or_else(|| WishesView::from(&Wishes::default()), WishesView::from),
        parts,
        bar_lines,
        levels,
        shape: ShapeView::from(&row.setup.shape),
        forms: FormsView::default(),
        pocket_choices: pocket_choices(),
        loudness_choices: loudness_choices(),
        ambiences: row.setup.ambiences.iter().map(AmbienceView::from).collect(),
        master_gain_db: row.plan.master.map(|m| m.gain_db),
        held_back_db: row.plan.master.map(|m| m.held_back_db).filter(|db| *db > 0.05),
        pocket_hz: bed.and_then(|b| b.pocket.as_ref()).map(|p| p.centre_hz),
        phrases: row.plan.phrases.iter().map(phrase).collect(),
        findings: check::findings(&row.plan, reading, &objections).into_iter().map(finding).collect(),
        looked_at: check::LOOKED_AT.map(str::to_owned).to_vec(),
    })
}

/// The beds of the cut and the bar lines of all of them, rising.
///
/// # Errors
/// What the database says.
pub async fn part_views(app: &App, row: &RevisionRow) -> Result<(Vec<PartView>, Vec<BarLineView>), Problem> {
    let (setup, plan) = (&row.setup, &row.plan);
    let (mut views, mut lines): (Vec<PartView>, Vec<BarLineView>) = (Vec::new(), Vec::new());
    let mut before: Option<Passage> = None;
    for part in setup.parts() {
        let Some(bed) = setup.bed_of(part) else { continue };
        let end_samples = part.place.end_samples.min(plan.length_samples);
        let place = Passage { end_samples, ..part.place };
        let reading = sounds::bed_document(&app.pool, &bed.hash, setup.corrections(&bed.hash)).await?;
        let layer = plan.beds().find(|l| l.sound == bed.hash && l.fitting.as_ref().is_some_and(|f| f.start_samples == place.start_samples));
        let fitting = layer.and_then(|l| l.fitting.as_ref());
        if let Some((fitting, reading)) = fitting.zip(reading.as_ref()) {
            lines.extend(bar_line_views(fitting, reading));
        }
        let handover = Handover::between(before.unwrap_or(Passage { start_samples: 0, end_samples: place.start_samples }), place);
        let music = |r: &Reading| r.ending.music_end_samples.saturating_sub(r.music_start_samples);
        views.push(PartView {
            name: bed.name.clone(),
            hash: bed.hash.clone(),
            at_hand: part.laid.is_none(),
            start_s: seconds_from_samples(place.start_samples),
            end_s: seconds_from_samples(place.end_samples),
            handover_at_s: seconds_from_samples(handover.at_samples),
            handover_s: seconds_from_samples(handover.length_samples),
            fitting: fitting.map(|f| FittingView::of(f, reading.as_ref().map_or(0, music))),
        });
        before = Some(place);
    }
    lines.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    Ok((views, lines))
}

/// The level objects of all beds, counted through; where twins lie in two beds, that of the bed
/// which is heard longest with it.
fn level_views(plan: &Plan, bar_lines: &[BarLineView]) -> Vec<LevelView> {
    let heard = |layer: &Layer, (from, to): (u64, u64)| {
        let place = layer.fitting.as_ref().map_or((0, plan.length_samples), |f| (f.start_samples, f.end_samples()));
        to.min(place.1).saturating_sub(from.max(place.0))
    };
    let all: Vec<(&Layer, &LevelObject)> = plan.beds().flat_map(|layer| layer.levels.iter().map(move |object| (layer, object))).collect();
    let shown = |&(_, &(layer, object)): &(usize, &(&Layer, &LevelObject))| {
        let Some(span) = object.span() else { return false };
        let own = heard(layer, span);
        let twins = all.iter().filter(|(_, other)| object.is_twin_of(other)).map(|(l, _)| heard(l, span));
        span.0 == span.1 || own > 0 && twins.max() == Some(own)
    };
    all.iter().enumerate().filter(shown).filter_map(|(index, &(_, object))| level_view((index, object), bar_lines)).collect()
}

fn bar_line_views(fitting: &Fitting, reading: &Reading) -> Vec<BarLineView> {
    let section_at = |bar: usize| reading.sections.iter().position(|s| (s.start_bar..s.end_bar).contains(&bar));
    let mut last = None;
    fitting
        .bar_lines(&reading.bar_lines_samples())
        .into_iter()
        .map(|(at, bar)| {
            let section = section_at(bar);
            // A letter where a section begins, and where a splice enters the middle of another.
            let begins = section.is_some_and(|k| reading.sections[k].start_bar == bar) || section != last;
            last = section;
            let letter = section.filter(|_| begins).map(|k| reading.sections[k].label.clone());
            BarLineView { at_s: seconds_from_samples(at), bar: bar + 1, letter }
        })
        .collect()
}

fn level_view((index, object): (usize, &LevelObject), bar_lines: &[BarLineView]) -> Option<LevelView> {
    let seconds = seconds_from_samples;
    let (start, end) = object.span()?;
    let view = LevelView {
        index,
        kind: LevelKindView::Dip,
        start_s: seconds(start),
        end_s: seconds(end),
        rise_s: 0.0,
        fall_s: 0.0,
        under_speech_db: 0.0,
        gain_db: 0.0,
        rise_slope: SlopeView::One,
        fall_slope: SlopeView::One,
        fade_shape: None,
        top_on_bar: None,
        by_hand: object.by_hand(),
    };
    match *object {
        LevelObject::Dip { gain_db, under_speech_db, .. } => Some(LevelView { gain_db, under_speech_db, ..view }),
        LevelObject::Swell { start_samples, rise_samples, fall_samples, gain_db, under_speech_db, rise_slope, fall_slope, .. } => {
            let top_s = seconds(start_samples + rise_samples);
            let on = bar_lines.iter().find(|b| rise_samples > 0 && (b.at_s - top_s).abs() < 0.005);
            Some(LevelView {
                kind: LevelKindView::Swell,
                rise_s: seconds(rise_samples),
                fall_s: seconds(fall_samples),
                gain_db,
                under_speech_db,
                rise_slope: rise_slope.into(),
                fall_slope: fall_slope.into(),
                top_on_bar: on.map(|b| b.bar),
                ..view
            })
        }
        LevelObject::Emphasis { deeper_db, .. } => Some(LevelView { kind: LevelKindView::Emphasis, under_speech_db: deeper_db, ..view }),
        LevelObject::Sweep { gain_db, .. } => Some(LevelView { kind: LevelKindView::Sweep, gain_db, ..view }),
        LevelObject::FadeIn { length_samples, shape, .. } => {
            Some(LevelView { kind: LevelKindView::FadeIn, rise_s: seconds(length_samples), fade_shape: Some(shape.into()), ..view })
        }
        LevelObject::FadeOut { length_samples, shape, .. } => {
            Some(LevelView { kind: LevelKindView::FadeOut, fall_s: seconds(length_samples), fade_shape: Some(shape.into()), ..view })
        }
        LevelObject::Base { .. } | LevelObject::Trim { .. } => None,
    }
}
