//! The bed at hand and those to choose from.

use super::BedReadingView;
use crate::studio::{OpenBedReading, OpenCandidate, OpenCut};
use chrono::{DateTime, Utc};
use jaunty_core::cut::{Licence, Opinion, OwnTerms};
use jaunty_core::fit::FittingEnd;
use jaunty_core::kind::Kind;
use jaunty_core::message::Message;
use jaunty_core::reading::{Correction, EndingKind, Reading};
use jaunty_core::units::{Sure, seconds_from_samples};
use serde::Serialize;
use utoipa::ToSchema;

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
    /// What a person said about the reading, in order.
    pub corrections: Vec<CorrectionView>,
}

/// Something that a person said about the reading.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CorrectionView {
    /// The name by which it is taken back.
    pub name: String,
    /// What was said.
    pub words: Message,
}

impl From<&Correction> for CorrectionView {
    fn from(correction: &Correction) -> Self {
        Self { name: correction.name(), words: correction.message() }
    }
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
    pub kind: Option<Kind>,
    /// How sure that is; a person is always sure.
    pub kind_sure: Option<Sure>,
    /// Whether somebody said what it is.
    pub kind_by_hand: bool,
    /// What somebody thinks of it.
    pub opinion: Option<Opinion>,
    /// A note.
    pub note: String,
    /// What was agreed, for pieces of a supplier.
    pub licence: Option<LicenceView>,
    /// What somebody says about its terms, for files of their own.
    pub own_terms: Option<OwnTerms>,
    /// By how much it is faster than the file as it came, in percent.
    pub faster_percent: f64,
    /// Why its terms forbid to use it for this cut as it stands.
    pub objection: Option<String>,
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
    /// For how many seconds somebody sings in it.
    pub sung_s: f64,
    /// How it ends.
    pub ending: EndingKind,
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
    pub end: FittingEnd,
}

impl CutBedView {
    /// The bed at hand of a cut.
    pub(super) fn of(open: &OpenCut) -> Option<Self> {
        let (used, OpenBedReading { sound, reading }) = (open.row.setup.bed.as_ref()?, open.bed.as_ref()?);
        Some(Self {
            hash: used.hash.clone(),
            name: used.name.clone(),
            length_s: sound.length_samples.map(seconds_from_samples),
            rate_hz: sound.rate_hz,
            channel_count: sound.channel_count,
            damaged: sound.damaged,
            reading: reading.as_ref().map(BedReadingView::from),
            corrections: open.row.setup.corrections(&used.hash).iter().map(CorrectionView::from).collect(),
        })
    }
}

impl CandidateView {
    /// A candidate of a cut whose bed at hand is `bed`.
    pub(super) fn of(open: &OpenCandidate, bed: Option<&str>) -> Self {
        let OpenCandidate { candidate, sound, reading, objection, fit } = open;
        let recognised = sound.recognised();
        Self {
            hash: candidate.hash.clone(),
            name: candidate.name.clone(),
            kind: candidate.kind_by_hand.or(recognised.map(|r| r.kind)),
            kind_sure: recognised.map(|r| if candidate.kind_by_hand.is_some() { Sure::Sure } else { r.sure() }),
            kind_by_hand: candidate.kind_by_hand.is_some(),
            opinion: candidate.opinion,
            note: candidate.note.clone(),
            licence: candidate.licence.as_ref().map(LicenceView::of),
            own_terms: candidate.own_terms.clone(),
            faster_percent: ((candidate.tempo() - 1.0) * 10_000.0).round() / 100.0,
            objection: objection.map(str::to_owned),
            length_s: sound.length_samples.map(seconds_from_samples),
            damaged: sound.damaged,
            chosen: bed == Some(&candidate.hash),
            reading: reading.as_ref().map(CandidateReadingView::from),
            fit: fit.as_ref().map(|c| CandidateFitView { figure: c.figure, splice_count: c.splice_count, end: c.ending }),
        }
    }
}

impl From<&Reading> for CandidateReadingView {
    fn from(reading: &Reading) -> Self {
        let full = BedReadingView::from(reading);
        Self {
            tempo_bpm: full.tempo_bpm,
            metre: full.metre,
            key: full.key,
            form: reading.sections.iter().map(|s| s.label.as_str()).collect::<Vec<_>>().join(" "),
            bar_levels_db: full.bar_levels_db,
            integrated_lufs: full.integrated_lufs,
            sung_s: reading.singing.iter().map(|s| seconds_from_samples(s.end_samples - s.start_samples)).sum(),
            ending: full.ending,
        }
    }
}

impl LicenceView {
    fn of(licence: &Licence) -> Self {
        Self {
            terms: licence.terms.name().to_owned(),
            singing: licence.singing,
            credit: licence.credit.clone(),
            number: licence.number.clone(),
            taken_at: licence.taken_at,
            warned: licence.warned.clone(),
        }
    }
}
