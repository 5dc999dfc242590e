//! Files that come in as forms, and lists that go out.

use super::cuts::{Made, Shown};
use super::hash::SoundHash;
use super::rights::AskedStudio;
use crate::store::cuts;
use crate::store::sounds::{self, SoundRow};
use crate::studio::{Code, Problem, Studio, tidy_name, title_from};
use actix_multipart::{Field, Multipart};
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpResponse, get, post, put, web};
use futures_util::StreamExt;
use jaunty_core::cut::{Arrival, AskedRate, Take, TakeOrigin, UsedSound};
use jaunty_core::units::seconds_from_samples;
use jaunty_exchange::{For, cmx3600, otio};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(upload_bed).service(add_bed).service(beds).service(upload_take).service(upload_ambience).service(upload_film);
    config.service(upload_list).service(upload_grid).service(cut_from_list).service(cut_from_film).service(cut_from_cut).service(shots_out);
}

/// The first file of a form, with its tidied name.
async fn first_file(form: &mut Multipart) -> Result<(String, Field), Problem> {
    while let Some(field) = form.next().await {
        let field = field.map_err(|_| Problem::new(Code::UploadBroken, "The file did not arrive whole."))?;
        let name = field.content_disposition().and_then(|d| d.get_filename().map(tidy_name));
        if let Some(name) = name {
            return Ok((name, field));
        }
    }
    Err(Problem::new(Code::BadRequest, "The request holds no file."))
}

/// Takes the sound or film of a form in, for a cut that is there.
async fn take_in(studio: &Studio, id: Uuid, form: &mut Multipart) -> Result<UsedSound, Problem> {
    cuts::cut(&studio.pool, id).await?;
    let (name, field) = first_file(form).await?;
    studio.take_in(&name, field).await
}

/// Takes a file as a bed to choose from. It is recognised, read and fitted in the background;
/// the first one that is music becomes the bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/candidates")]
pub async fn upload_bed(studio: AskedStudio, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    let sound = take_in(&studio, *id, &mut form).await?;
    Ok(web::Json(Shown { revision: studio.arrive(*id, Arrival::Bed { sound, licence: None }).await? }))
}

/// Names a sound that is already here.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NamedSound {
    /// Hash of its content.
    pub sound_hash: SoundHash,
}

/// Adds a bed that is already here, from another cut, to the candidates of this one.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = NamedSound, responses((status = 200, body = Shown)))]
#[put("/api/cuts/{id}/candidates")]
pub async fn add_bed(studio: AskedStudio, id: web::Path<Uuid>, body: web::Json<NamedSound>) -> Result<web::Json<Shown>, Problem> {
    studio.may_take(&body.sound_hash.0).await?;
    let SoundRow { hash, name, .. } = sounds::sound(&studio.pool, &body.sound_hash.0).await?.ok_or_else(|| Problem::not_found("bed"))?;
    Ok(web::Json(Shown { revision: studio.arrive(*id, Arrival::Bed { sound: UsedSound { hash, name }, licence: None }).await? }))
}

/// A bed that is already here.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BedView {
    /// Hash of its content.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// Its length in seconds.
    pub length_s: f64,
}

/// The beds that other cuts brought in, newest first.
#[utoipa::path(responses((status = 200, body = Vec<BedView>)))]
#[get("/api/beds")]
pub async fn beds(studio: AskedStudio) -> Result<web::Json<Vec<BedView>>, Problem> {
    let view = |s: SoundRow| BedView { length_s: seconds_from_samples(s.length_samples.unwrap_or(0)), hash: s.hash, name: s.name };
    Ok(web::Json(studio.beds().await?.into_iter().map(view).collect()))
}

/// Where a take lies and how it came to be.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct TakePlace {
    /// Where its first sample lies on the cut; the start without it.
    at_samples: Option<u64>,
    /// Whether it was recorded in the page.
    recorded: Option<bool>,
}

/// Takes a recording or a file of speech; it is read and laid on the cut in the background.
#[utoipa::path(params(("id" = Uuid, Path), TakePlace), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/takes")]
pub async fn upload_take(studio: AskedStudio, id: web::Path<Uuid>, place: web::Query<TakePlace>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    let UsedSound { hash, name } = take_in(&studio, *id, &mut form).await?;
    let origin = if place.recorded.unwrap_or(false) { TakeOrigin::Recorded } else { TakeOrigin::File };
    let take = Take { at_samples: place.at_samples.unwrap_or(0), origin, ..Take::new(&hash, &name) };
    Ok(web::Json(Shown { revision: studio.arrive(*id, Arrival::Take(take)).await? }))
}

/// Brings the sound of a place in; it lies under the whole cut, low while somebody speaks.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/ambiences")]
pub async fn upload_ambience(studio: AskedStudio, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    let sound = take_in(&studio, *id, &mut form).await?;
    Ok(web::Json(Shown { revision: studio.arrive(*id, Arrival::Ambience(sound)).await? }))
}

/// Brings a film into a cut. Its own sound is taken out in the background.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/film")]
pub async fn upload_film(studio: AskedStudio, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    let file = take_in(&studio, *id, &mut form).await?;
    Ok(web::Json(Shown { revision: studio.bring_film_in(*id, file).await? }))
}

/// Makes a cut from a film: its rate, length and first timecode.
#[utoipa::path(request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Made)))]
#[post("/api/cuts/from-film")]
pub async fn cut_from_film(studio: AskedStudio, mut form: Multipart) -> Result<web::Json<Made>, Problem> {
    let (name, field) = first_file(&mut form).await?;
    let file = studio.take_in(&name, field).await?;
    Ok(web::Json(Made { id: studio.cut_from_film(file).await? }))
}

/// Opens a cut that was handed over as one file: with its history, its sounds and what was read of them.
#[utoipa::path(request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Made)))]
#[post("/api/cuts/from-cut")]
pub async fn cut_from_cut(studio: AskedStudio, mut form: Multipart) -> Result<web::Json<Made>, Problem> {
    let (_, field) = first_file(&mut form).await?;
    Ok(web::Json(Made { id: studio.take_cut_in(field).await? }))
}

/// Takes a list into a cut: OpenTimelineIO, CMX 3600, a table of moments, WebVTT or SubRip. A
/// second list replaces what the first one brought and keeps what was made by hand.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/picture/list")]
pub async fn upload_list(studio: AskedStudio, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    cuts::cut(&studio.pool, *id).await?;
    let (name, field) = first_file(&mut form).await?;
    Ok(web::Json(Shown { revision: studio.take_list(*id, &name, field).await? }))
}

/// Takes a grid that was made elsewhere: a Standard MIDI File, JAMS, or a WAV file with cue points.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/bed/grid")]
pub async fn upload_grid(studio: AskedStudio, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<Shown>, Problem> {
    cuts::cut(&studio.pool, *id).await?;
    let (_, field) = first_file(&mut form).await?;
    Ok(web::Json(Shown { revision: studio.take_grid(*id, field).await? }))
}

/// A frame rate for a list that carries none, as `25/1`; `;df` after it counts drop-frame.
#[derive(Debug, Deserialize, IntoParams, ToSchema)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct ListRate {
    /// Numerator.
    num: Option<u32>,
    /// Denominator.
    den: Option<u32>,
    /// Whether timecode leaves out labels.
    drop_frame: Option<bool>,
}

/// Makes a cut from a list of shots.
#[utoipa::path(params(ListRate), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = Made)))]
#[post("/api/cuts/from-list")]
pub async fn cut_from_list(studio: AskedStudio, rate: web::Query<ListRate>, mut form: Multipart) -> Result<web::Json<Made>, Problem> {
    let rate = match (rate.num, rate.den) {
        (Some(num), Some(den)) => Some(AskedRate { num, den, drop_frame: rate.drop_frame.unwrap_or(false) }.rate()?),
        _ => None,
    };
    let (name, field) = first_file(&mut form).await?;
    let id = studio.cut_from_list(&title_from(&name), &name, field, For { rate, first_frame: 0 }).await?;
    Ok(web::Json(Made { id }))
}

/// Which format the shots go out in.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum ListFormat {
    /// OpenTimelineIO.
    Otio,
    /// CMX 3600 edit list.
    Edl,
}

/// The shots and moments of a cut as a list.
#[utoipa::path(params(("id" = Uuid, Path), ("format" = ListFormat, Path)), responses((status = 200, content_type = "text/plain")))]
#[get("/api/cuts/{id}/picture/shots.{format}")]
pub async fn shots_out(studio: AskedStudio, path: web::Path<(Uuid, ListFormat)>) -> Result<HttpResponse, Problem> {
    let (id, format) = path.into_inner();
    let setup = cuts::cut(&studio.pool, id).await?.setup;
    let (text, ending) = match format {
        ListFormat::Otio => (otio::write(&setup.title, &setup.picture), "otio"),
        ListFormat::Edl => (cmx3600::write(&setup.title, &setup.picture), "edl"),
    };
    let name = DispositionParam::Filename(format!("shots.{ending}"));
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![name] };
    Ok(HttpResponse::Ok().content_type("text/plain; charset=utf-8").insert_header(disposition).body(text))
}
