//! A cut that is given to somebody to hear: the links, the listening page, remarks.

use super::listening::heard_answer;
use super::people::LinkView;
use super::rights::{AskedStudio, Hearing, House};
use super::views::{GivenView, HeardView, RemarkView, WaveformView};
use crate::store::keys;
use crate::studio::{Code, Heard, NewRemark, Problem};
use actix_web::{HttpRequest, HttpResponse, delete, get, post, put, web};
use jaunty_core::units::samples_from_seconds;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(links).service(give).service(take_back).service(set_done);
    config.service(hear).service(hear_sound).service(hear_waveform).service(hear_film).service(remark);
}

/// To whom a cut is given.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Vec<GivenView>)))]
#[get("/api/cuts/{id}/links")]
pub async fn links(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<Vec<GivenView>>, Problem> {
    Ok(web::Json(studio.given_to_hear(*id).await?.iter().filter_map(GivenView::of).collect()))
}

/// How a cut is given to somebody.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct Giving {
    /// Whom it is for.
    to: String,
    /// The revision that is heard; the newest without it.
    revision: Option<u32>,
    /// A word that is asked for as well.
    word: Option<String>,
    /// So many days.
    days: u32,
}

/// Gives a cut to somebody to hear: a link, told this once.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = Giving, responses((status = 200, body = LinkView)))]
#[post("/api/cuts/{id}/links")]
pub async fn give(studio: AskedStudio, house: web::Data<House>, id: web::Path<Uuid>, body: web::Json<Giving>) -> Result<web::Json<LinkView>, Problem> {
    let Giving { to, revision, word, days } = body.into_inner();
    let (_, key) = studio.give_to_hear(*id, &to, revision, word.as_deref().unwrap_or_default(), days).await?;
    Ok(web::Json(LinkView { link: house.link(&key) }))
}

/// Takes a link back: it opens nothing from now on.
#[utoipa::path(params(("id" = Uuid, Path), ("key" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/cuts/{id}/links/{key}")]
pub async fn take_back(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (cut, key) = path.into_inner();
    if keys::take_back(&studio.pool, key, cut).await? { Ok(HttpResponse::NoContent().finish()) } else { Err(Problem::not_found("link")) }
}

/// Whether a remark is done.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemarkDone {
    /// It is.
    done: bool,
}

/// A remark is done, or not yet.
#[utoipa::path(params(("id" = Uuid, Path), ("remark" = Uuid, Path)), request_body = RemarkDone, responses((status = 204)))]
#[put("/api/cuts/{id}/remarks/{remark}")]
pub async fn set_done(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>, body: web::Json<RemarkDone>) -> Result<HttpResponse, Problem> {
    let (cut, id) = path.into_inner();
    studio.set_remark_done(cut, id, body.done).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A cut as somebody hears it who was given it.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = HeardView)))]
#[get("/api/listening/{id}")]
pub async fn hear(studio: AskedStudio, hearing: Hearing, id: web::Path<Uuid>) -> Result<web::Json<HeardView>, Problem> {
    Ok(web::Json(HeardView::of(&studio.heard(*id, hearing.revision).await?, &hearing.name, hearing.edits)))
}

/// A range of what is heard.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct ListenedRange {
    /// The revision that the page shows: all ranges that are heard one after the other belong to one.
    revision: u32,
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
}

/// The revision of a listener, if it is the one that their page shows.
async fn shown(studio: &AskedStudio, hearing: &Hearing, id: Uuid, revision: u32) -> Result<u32, Problem> {
    let heard = match hearing.revision {
        Some(revision) => revision,
        None => {
            let row = crate::store::cuts::cut(&studio.pool, id).await?;
            if row.is_seen(revision) { revision } else { row.revision }
        }
    };
    if heard == revision { Ok(revision) } else { Err(Problem::new(Code::Stale, "There is a newer version of this cut.")) }
}

/// A range of the mix.
#[utoipa::path(params(("id" = Uuid, Path), ListenedRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/listening/{id}/sound")]
pub async fn hear_sound(studio: AskedStudio, hearing: Hearing, id: web::Path<Uuid>, range: web::Query<ListenedRange>) -> Result<HttpResponse, Problem> {
    let revision = shown(&studio, &hearing, *id, range.revision).await?;
    heard_answer(&studio, (*id, revision), &Heard::default(), range.from_samples, range.length_samples, "no-store").await
}

/// Which revision.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct ListenedRevision {
    /// The revision that the page shows.
    revision: u32,
}

/// The waveform of the mix.
#[utoipa::path(params(("id" = Uuid, Path), ListenedRevision), responses((status = 200, body = WaveformView)))]
#[get("/api/listening/{id}/waveform")]
pub async fn hear_waveform(
    studio: AskedStudio,
    hearing: Hearing,
    id: web::Path<Uuid>,
    asked: web::Query<ListenedRevision>,
) -> Result<web::Json<WaveformView>, Problem> {
    let revision = shown(&studio, &hearing, *id, asked.revision).await?;
    let ready = studio.ready(*id, revision).await?;
    let span_samples = samples_from_seconds(0.05);
    let peaks = studio.measure(move || ready.outline(span_samples)).await??;
    Ok(web::Json(WaveformView::of(&peaks, span_samples)))
}

/// The film, in ranges.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, content_type = "video/webm")))]
#[get("/api/listening/{id}/film")]
pub async fn hear_film(studio: AskedStudio, hearing: Hearing, id: web::Path<Uuid>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let heard = studio.heard(*id, hearing.revision).await?;
    let film = heard.revision.cut.setup.film.ok_or_else(|| Problem::not_found("film"))?;
    super::film::played(&studio, &film, &request).await
}

/// What somebody says of a cut.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct Saying {
    /// The sample it is about; without it all of it.
    at_samples: Option<u64>,
    /// What they say.
    words: String,
    /// Whether all is well with that.
    #[serde(default)]
    approves: bool,
    /// What they are called, where nobody knows.
    name: Option<String>,
}

/// Somebody says something of a cut.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = Saying, responses((status = 200, body = RemarkView)))]
#[post("/api/listening/{id}/remarks")]
pub async fn remark(studio: AskedStudio, hearing: Hearing, id: web::Path<Uuid>, body: web::Json<Saying>) -> Result<web::Json<RemarkView>, Problem> {
    let Saying { at_samples, words, approves, name } = body.into_inner();
    let said_by = if hearing.name.is_empty() { name.unwrap_or_default() } else { hearing.name.clone() };
    let heard = studio.heard(*id, hearing.revision).await?;
    let row = studio.remark(&heard, &NewRemark { at_samples, words, approves, said_by }, hearing.speaker).await?;
    Ok(web::Json(RemarkView::from(&row)))
}
