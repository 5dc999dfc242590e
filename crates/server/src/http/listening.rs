//! Hearing: ranges of a revision, what is measured, and waveforms.

use super::hash::SoundHash;
use super::rights::AskedStudio;
use super::views::{MetersView, WaveformView};
use crate::studio::{Heard, MOST_RANGE_SAMPLES, Problem, Studio};
use actix_files::NamedFile;
use actix_web::http::header::{Charset, ContentDisposition, ContentEncoding, DispositionParam, DispositionType, ExtendedValue};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use jaunty_core::cut::LevelsChange;
use jaunty_core::mix::Hear;
use jaunty_core::shape::Corners;
use jaunty_core::sound::Source;
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use jaunty_media::{overview, wav_bytes};
use serde::{Deserialize, Serialize};
use std::fs::File;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(sound).service(candidate_sound).service(curves).service(shaped).service(meters).service(waveform);
}

/// A revision never changes, so what was heard once need not be rendered again.
const OF_A_REVISION: &str = "private, max-age=86400, immutable";

/// A range of a revision.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct HeardRange {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
    /// What to hear.
    hear: Hear,
    /// One layer of the plan alone, before its levels, by its place in it ([`super::views::LayerView`]).
    unshaped: Option<usize>,
    /// Layers that are muted, with commas between them: `bed`, `voice`, `film`, or the hash of an ambience.
    without: Option<String>,
}

/// A range of a revision, rendered from its plan.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path), HeardRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/revisions/{revision}/sound")]
pub async fn sound(studio: AskedStudio, path: web::Path<(Uuid, u32)>, range: web::Query<HeardRange>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let HeardRange { from_samples, length_samples, hear, unshaped, without } = range.into_inner();
    let heard = Heard { hear, unshaped, without: without.unwrap_or_default() };
    heard_answer(&studio, (id, revision), &heard, from_samples, length_samples, OF_A_REVISION).await
}

/// A change of levels that a hand is making, and the range in which it is to be heard.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskedCurves {
    /// The revision that the page shows.
    pub revision: u32,
    /// What the hand would change.
    pub change: LevelsChange,
    /// First sample.
    pub from_samples: u64,
    /// Number of samples, at most 30 seconds.
    pub length_samples: u64,
}

/// What a layer would gain: added to the mix, it sounds as if the change were made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CurveView {
    /// The layer's place in the plan.
    pub layer: usize,
    /// Samples of the cut at which its gain would have a corner.
    pub at_samples: Vec<u64>,
    /// What is added to its gain there, negative where it would be softer; between them it is linear.
    pub gains: Vec<f32>,
}

/// What layers would gain by a change of levels that a hand is making. Nothing is changed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = AskedCurves, responses((status = 200, body = Vec<CurveView>)))]
#[post("/api/cuts/{id}/curves")]
pub async fn curves(studio: AskedStudio, id: web::Path<Uuid>, body: web::Json<AskedCurves>) -> Result<web::Json<Vec<CurveView>>, Problem> {
    let AskedCurves { revision, change, from_samples, length_samples } = body.into_inner();
    check_range(length_samples)?;
    let tried = studio.try_levels(*id, revision, change).await?;
    let curves = tried.gained(from_samples..from_samples.saturating_add(length_samples));
    let curves = curves.ok_or_else(|| Problem::bad_value("More than levels would change."))?.into_iter();
    let view = |(layer, corners): (usize, Corners)| {
        let (at_samples, gains) = corners.into_iter().unzip();
        CurveView { layer, at_samples, gains }
    };
    Ok(web::Json(curves.map(view).collect()))
}

/// The range of a candidate to hear.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct CandidateRange {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
}

/// A range of the cut with a candidate as its bed: fitted, and shaped under the narration.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path), CandidateRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/candidates/{hash}/sound")]
pub async fn candidate_sound(studio: AskedStudio, path: web::Path<(Uuid, SoundHash)>, range: web::Query<CandidateRange>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    check_range(range.length_samples)?;
    let ready = studio.ready_with(id, &hash).await?;
    let asked = range.from_samples..range.from_samples.saturating_add(range.length_samples);
    Ok(wav_answer(studio.compute(move || wav_bytes(&ready.render(asked, Hear::Everything)?).map_err(Problem::from)).await??, "no-store"))
}

/// Refuses a range that is too long for one request.
pub(super) fn check_range(length_samples: u64) -> Result<(), Problem> {
    if length_samples <= MOST_RANGE_SAMPLES { Ok(()) } else { Err(Problem::bad_value("At most 30 seconds are given at once.")) }
}

pub(super) async fn heard_answer(
    studio: &Studio,
    (id, revision): (Uuid, u32),
    heard: &Heard,
    from: u64,
    length: u64,
    caching: &'static str,
) -> Result<HttpResponse, Problem> {
    check_range(length)?;
    let range = studio.heard_range(id, revision, heard, from..from.saturating_add(length)).await?;
    Ok(wav_answer(studio.compute(move || wav_bytes(&range)).await??, caching))
}

/// Sound as an answer; compressing it would only take time.
pub(super) fn wav_answer(bytes: Vec<u8>, caching: &'static str) -> HttpResponse {
    HttpResponse::Ok().content_type("audio/wav").insert_header(ContentEncoding::Identity).insert_header(("cache-control", caching)).body(bytes)
}

/// A file that is kept under a name, which may hold any letters.
pub(super) fn attached(file: File, plain_name: &str, name: String, request: &HttpRequest) -> Result<HttpResponse, Problem> {
    let name = ExtendedValue { charset: Charset::Ext("UTF-8".into()), language_tag: None, value: name.into_bytes() };
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![DispositionParam::FilenameExt(name)] };
    let answer = NamedFile::from_file(file, plain_name)?.set_content_disposition(disposition).set_content_encoding(ContentEncoding::Identity);
    Ok(answer.into_response(request))
}

/// The waveform of a revision as it is heard.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path)), responses((status = 200, body = WaveformView)))]
#[get("/api/cuts/{id}/revisions/{revision}/waveform")]
pub async fn shaped(studio: AskedStudio, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let ready = studio.ready(id, revision).await?;
    let span_samples = samples_from_seconds(0.01);
    let peaks = studio.measure(move || ready.outline(span_samples)).await??;
    Ok(HttpResponse::Ok().insert_header(ContentEncoding::Identity).insert_header(("cache-control", OF_A_REVISION)).json(WaveformView::of(&peaks, span_samples)))
}

/// What is measured of a revision.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path)), responses((status = 200, body = MetersView)))]
#[get("/api/cuts/{id}/revisions/{revision}/meters")]
pub async fn meters(studio: AskedStudio, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let ready = studio.ready(id, revision).await?;
    let measured = studio.measure(move || ready.meters()).await??;
    Ok(HttpResponse::Ok().insert_header(("cache-control", OF_A_REVISION)).json(MetersView::from(measured)))
}

/// The waveform of a sound that came into the project of a cut, about 1500 peaks, of a fifth of a second at most.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), responses((status = 200, body = WaveformView)))]
#[get("/api/cuts/{id}/sounds/{hash}/waveform")]
pub async fn waveform(studio: AskedStudio, path: web::Path<(Uuid, SoundHash)>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    studio.may_hear_on(id, &hash).await?;
    let file = studio.working_file(&hash).await?;
    let span_samples = (file.len_samples() / 1500).clamp(48, 9600);
    let drawn = studio.compute(move || overview(&file, span_samples)).await?;
    let view = WaveformView { step_s: seconds_from_samples(drawn.span_samples), peaks: drawn.peaks };
    // The hash names the content, so this never changes.
    Ok(HttpResponse::Ok().insert_header(("cache-control", "private, max-age=31536000, immutable")).json(view))
}
