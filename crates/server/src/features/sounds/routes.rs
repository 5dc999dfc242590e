//! Routes of sounds.

use super::store;
use crate::App;
use crate::features::cuts::model::CutView;
use crate::features::cuts::store::{self as cuts, UsedSound};
use crate::jobs::{Task, queue};
use crate::problem::{Code, Problem};
use actix_multipart::Multipart;
use actix_web::{HttpResponse, get, post, put, web};
use futures_util::StreamExt;
use jaunty_core::plan::Role;
use jaunty_core::sound::Source;
use jaunty_core::units::seconds_from_samples;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(upload_bed).service(upload_narration).service(use_bed).service(beds).service(waveform);
}

/// The names of a file that are kept: without folders, not empty, at most 255 characters.
fn tidy_name(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    let kept: String = last.chars().filter(|c| !c.is_control()).take(255).collect();
    if kept.trim().is_empty() { "unnamed".to_owned() } else { kept.trim().to_owned() }
}

fn extension(name: &str) -> String {
    let end = name.rsplit_once('.').map_or("", |(_, end)| end);
    end.chars().filter(char::is_ascii_alphanumeric).take(8).collect::<String>().to_ascii_lowercase()
}

async fn upload(app: &App, cut: Uuid, role: Role, mut form: Multipart) -> Result<CutView, Problem> {
    cuts::known(&app.pool, cut).await?;
    while let Some(field) = form.next().await {
        let field = field.map_err(|_| Problem::new(Code::UploadBroken, "The file did not arrive whole."))?;
        let Some(name) = field.content_disposition().and_then(|d| d.get_filename().map(tidy_name)) else { continue };
        let stored = app.sounds.store(field).await?;
        if stored.size_bytes == 0 {
            return Err(Problem::bad_value(format!("\"{name}\" is empty: it has no bytes. Export it again.")));
        }
        store::insert(&app.pool, &stored.hash, &name, &extension(&name), stored.size_bytes).await?;
        return attach(app, cut, role, UsedSound { hash: stored.hash, name }).await;
    }
    Err(Problem::new(Code::BadRequest, "The request holds no file."))
}

/// Gives a cut its bed or narration and asks for what follows.
pub async fn attach(app: &App, id: Uuid, role: Role, sound: UsedSound) -> Result<CutView, Problem> {
    let what = match role {
        Role::Bed => format!("use the bed \"{}\"", sound.name),
        Role::Narration => format!("use the narration \"{}\"", sound.name),
    };
    let hash = sound.hash.clone();
    cuts::change(&app.pool, id, |cut| *cut.setup.used(role) = Some(sound)).await?;
    queue::add(&app.pool, id, &Task::Read { sound: hash, role, what }).await?;
    CutView::of(app, id).await
}

/// Takes a file as the bed of a cut; it is read and fitted in the background.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/bed")]
pub async fn upload_bed(app: web::Data<App>, id: web::Path<Uuid>, form: Multipart) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(upload(&app, *id, Role::Bed, form).await?))
}

/// Takes a file as the narration of a cut.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/narration")]
pub async fn upload_narration(app: web::Data<App>, id: web::Path<Uuid>, form: Multipart) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(upload(&app, *id, Role::Narration, form).await?))
}

/// Names a bed that is already here.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UseBed {
    /// Hash of its content.
    pub sound_hash: String,
}

/// Uses a bed that is already here.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = UseBed, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/bed")]
pub async fn use_bed(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<UseBed>) -> Result<web::Json<CutView>, Problem> {
    let sound = store::sound(&app.pool, &body.sound_hash).await?.ok_or_else(|| Problem::not_found("bed"))?;
    Ok(web::Json(attach(&app, *id, Role::Bed, UsedSound { hash: sound.hash, name: sound.name }).await?))
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
    /// Its tempo in beats a minute; 0 when it has none.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Integrated loudness in LUFS.
    pub integrated_lufs: Option<f64>,
}

/// The beds that are already here, newest first.
#[utoipa::path(responses((status = 200, body = Vec<BedView>)))]
#[get("/api/beds")]
pub async fn beds(app: web::Data<App>) -> Result<web::Json<Vec<BedView>>, Problem> {
    let mut all = Vec::new();
    for sound in store::beds(&app.pool).await? {
        let Some(reading) = store::bed_document(&app.pool, &sound.hash).await? else { continue };
        all.push(BedView {
            length_s: seconds_from_samples(sound.length_samples.unwrap_or(0)),
            hash: sound.hash,
            name: sound.name,
            tempo_bpm: reading.tempo_bpm,
            metre: reading.metre,
            integrated_lufs: reading.loudness.integrated_lufs,
        });
    }
    Ok(web::Json(all))
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

/// The waveform of a sound, about 1500 peaks whatever its length.
#[utoipa::path(params(("hash" = String, Path)), responses((status = 200, body = WaveformView)))]
#[get("/api/sounds/{hash}/waveform")]
pub async fn waveform(app: web::Data<App>, hash: web::Path<String>) -> Result<HttpResponse, Problem> {
    let file = app.working_file(&hash).await?;
    let span_samples = (file.len_samples() / 1500).max(48);
    let drawn = web::block(move || jaunty_media::overview(&file, span_samples)).await?;
    let view = WaveformView { step_s: seconds_from_samples(drawn.span_samples), peaks: drawn.peaks };
    // The hash names the content, so this never changes.
    Ok(HttpResponse::Ok().insert_header(("cache-control", "private, max-age=31536000, immutable")).json(view))
}
