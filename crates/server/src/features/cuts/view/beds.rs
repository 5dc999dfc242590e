//! The bed at hand and those to choose from.

use super::{BedReadingView, SureView};
use crate::App;
use crate::features::beds::store as auditions;
use crate::features::cuts::setup::{Licence, Opinion};
use crate::features::cuts::store::CutRow;
use crate::features::shelf;
use crate::features::sounds::store as sounds;
use crate::problem::Problem;
use chrono::{DateTime, Utc};
use jaunty_core::fit::FittingEnd;
use jaunty_core::kind::Kind;
use jaunty_core::reading::{Correction, EndingKind, Reading};
use jaunty_core::terms::objection;
use jaunty_core::units::seconds_from_samples;
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
    /// What a person said about the reading, in words and in order.
    pub corrections: Vec<String>,
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
    pub kind: Option<Kind>,
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

pub(super) async fn bed_view(app: &App, cut: &CutRow, reading: Option<&Reading>) -> Result<Option<CutBedView>, Problem> {
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
        corrections: cut.setup.corrections(&used.hash).iter().map(Correction::words).collect(),
    }))
}

pub(super) async fn candidate_views(app: &App, cut: &CutRow) -> Result<Vec<CandidateView>, Problem> {
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
            kind: candidate.kind_by_hand.or(recognised.map(|r| r.kind)),
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
                    "ownEnding" => FittingEnd::OwnEnding,
                    "fade" => FittingEnd::Fade,
                    "stop" => FittingEnd::Stop,
                    _ => FittingEnd::Silence,
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

pub(super) async fn licence_view(app: &App, cut: &CutRow, licence: &Licence) -> Result<LicenceView, Problem> {
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
