//! What is wanted of the levels, what can be chosen, and what is measured.

use super::FindingView;
use jaunty_core::check;
use jaunty_core::handover::level;
use jaunty_core::mix::{Meters, PhraseMeter};
use jaunty_core::plan::{AmbienceWish, SpeechRule};
use jaunty_core::shape::pocket::{CHOICES, PocketWish};
use jaunty_core::shape::{Closing, ENTERS, LOUDNESS_CHOICES, Opening};
use jaunty_core::sound::loudness::BLOCK_SAMPLES;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A pocket to choose.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PocketChoiceView {
    /// In words.
    pub words: String,
    /// Its figures; none for no pocket.
    pub pocket: Option<PocketWish>,
}

/// The pockets to choose from.
pub fn pocket_choices() -> Vec<PocketChoiceView> {
    CHOICES.iter().map(|(words, pocket)| PocketChoiceView { words: (*words).to_owned(), pocket: *pocket }).collect()
}

/// A figure to choose.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FigureChoiceView {
    /// In words.
    pub words: String,
    /// The figure; none to leave it open.
    pub value: Option<f64>,
}

fn choices<T: Into<Option<f64>> + Copy>(all: &[(&str, T)]) -> Vec<FigureChoiceView> {
    all.iter().map(|(words, value)| FigureChoiceView { words: (*words).to_owned(), value: (*value).into() }).collect()
}

/// Loudness of the whole to choose from, in LUFS.
pub fn loudness_choices() -> Vec<FigureChoiceView> {
    choices(&LOUDNESS_CHOICES)
}

/// How spoken shows open and close, for those who ask for it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FormsView {
    /// The opening.
    pub opening: Opening,
    /// The closing.
    pub closing: Closing,
    /// Where the voice may enter, as shares of the fall.
    pub enters: Vec<FigureChoiceView>,
}

impl Default for FormsView {
    fn default() -> Self {
        Self { opening: Opening::default(), closing: Closing::default(), enters: choices(&ENTERS) }
    }
}

/// An ambience of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AmbienceView {
    /// Hash of its sound.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// How far its loudness lies under that of the speech, in dB.
    pub under_speech_db: f64,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
    /// By how much it sinks then, in dB, when it is to be low.
    pub lower_db: f64,
    /// Where it begins, in seconds of the cut.
    pub start_s: f64,
    /// Where it is over; with the cut without one.
    pub end_s: Option<f64>,
}

impl From<&AmbienceWish> for AmbienceView {
    fn from(w: &AmbienceWish) -> Self {
        Self {
            hash: w.hash.clone(),
            name: w.name.clone(),
            under_speech_db: w.under_speech_db,
            rule: w.rule,
            lower_db: w.lower_db,
            start_s: seconds_from_samples(w.start_samples),
            end_s: w.end_samples.map(seconds_from_samples),
        }
    }
}

/// What is measured of a plan, in tenths of a second.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MetersView {
    /// How far the voice lies over the bed, in dB; none where nobody speaks.
    pub voice_over_bed_db: Vec<Option<f32>>,
    /// Momentary loudness of the mix in LUFS.
    pub momentary_lufs: Vec<Option<f32>>,
    /// Short-term loudness of the mix in LUFS.
    pub short_term_lufs: Vec<Option<f32>>,
    /// Highest true peak in dBTP.
    pub true_peak_dbtp: Option<f64>,
    /// What happens to the level on the way out, so that nothing clips; nothing where it stays.
    pub on_its_way_out: Option<String>,
    /// Loudness of the whole mix in LUFS.
    pub integrated_lufs: Option<f64>,
    /// Its loudness range in LU.
    pub range_lu: Option<f64>,
    /// The phrases, with how the bed lies under each.
    pub phrases: Vec<PhraseMeterView>,
    /// What was found by measuring.
    pub findings: Vec<FindingView>,
    /// What was looked at by measuring, as sentences that hold when nothing is found.
    pub looked_at: Vec<&'static str>,
    /// Seconds between two values.
    pub step_s: f64,
}

/// How the bed lies under a phrase.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PhraseMeterView {
    /// Where the phrase begins, in seconds.
    pub start_s: f64,
    /// Where it ends.
    pub end_s: f64,
    /// How far under it the bed is to lie, in dB.
    pub asked_db: Option<f64>,
    /// How far it does.
    pub bed_under_db: Option<f64>,
}

impl From<Meters> for MetersView {
    fn from(measured: Meters) -> Self {
        let length_samples = measured.momentary_lufs.len() as u64 * BLOCK_SAMPLES;
        let phrase = |p: &PhraseMeter| PhraseMeterView {
            start_s: seconds_from_samples(p.start_samples),
            end_s: seconds_from_samples(p.end_samples),
            asked_db: p.asked_db,
            bed_under_db: p.bed_under_db,
        };
        Self {
            integrated_lufs: measured.integrated_lufs,
            range_lu: measured.range_lu,
            phrases: measured.phrases.iter().map(phrase).collect(),
            findings: check::measured_findings(&measured, length_samples).into_iter().map(FindingView::from).collect(),
            looked_at: check::MEASURED.to_vec(),
            voice_over_bed_db: measured.voice_over_bed_db,
            momentary_lufs: measured.momentary_lufs,
            short_term_lufs: measured.short_term_lufs,
            true_peak_dbtp: measured.true_peak_dbtp,
            on_its_way_out: level(None, measured.true_peak_dbtp, None, false).words(),
            step_s: 0.1,
        }
    }
}

/// A waveform to draw.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaveformView {
    /// Seconds from one peak to the next.
    pub step_s: f64,
    /// Highest absolute sample of each step, 0 to 65535 for 0 to full scale.
    pub peaks: Vec<u16>,
}

impl WaveformView {
    /// The view of the highest absolute samples, 1 for full scale, of spans of `span_samples`.
    pub fn of(peaks: &[f32], span_samples: u64) -> Self {
        let told = |peak: &f32| (peak.min(1.0) * 65_535.0).round() as u16;
        Self { step_s: seconds_from_samples(span_samples), peaks: peaks.iter().map(told).collect() }
    }
}
