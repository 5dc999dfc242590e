//! What is wanted of the levels, what can be chosen, and what is measured.

use jaunty_core::handover::level;
use jaunty_core::mix::Meters;
use jaunty_core::plan::{AmbienceWish, SpeechRule};
use jaunty_core::shape::pocket::{CHOICES, PocketWish};
use jaunty_core::shape::{Closing, ENTERS, LOUDNESS_CHOICES, Opening};
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
    /// Seconds between two values.
    pub step_s: f64,
}

impl From<Meters> for MetersView {
    fn from(measured: Meters) -> Self {
        Self {
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
