//! Cuts: listing, making, showing and changing them, their history, jobs and events.

use super::json;
use super::rights::AskedStudio;
use super::views::{CutSummary, CutView};
use crate::store::cuts::Step;
use crate::store::jobs;
use crate::studio::Problem;
use actix_web::{HttpResponse, delete, get, post, web};
use futures_util::stream;
use jaunty_core::cut::{AskedRate, Change, Description};
use jaunty_core::picture::MOST_MARKS;
use jaunty_core::units::CutLength;
use serde::{Deserialize, Serialize};
use std::time::Duration;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// As many lines as there may be, each as long as it may be, in letters of four bytes, with their times: the largest change.
const MOST_CHANGE_BYTES: usize = MOST_MARKS * (600 * 4 + 64);

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    // Thousands of lines in any script are a long transcript, not an attack.
    let changes = web::resource("/api/cuts/{id}/changes").app_data(json(MOST_CHANGE_BYTES)).route(web::post().to(change_cut));
    config.service(all_cuts).service(make_cut).service(one_cut).service(changes).service(undo).service(redo);
    config.service(cancel_job).service(try_job_again).service(events).service(length_as_typed);
    config.service(take_away).service(bring_back).service(copy_cut);
}

/// A length as somebody types it, and the frame rate it is for.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct TypedLength {
    /// Timecode, minutes and seconds, or seconds.
    text: String,
    /// Numerator of the rate.
    num: u32,
    /// Its denominator.
    den: u32,
    /// Whether timecode leaves out labels.
    drop_frame: bool,
}

/// What a typed length means.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LengthView {
    /// In frames.
    pub frames: u64,
    /// As timecode.
    pub timecode: String,
    /// In seconds.
    pub length_s: f64,
    /// By how many seconds it is longer than was typed, when that is no whole number of frames.
    pub rounded_by_s: Option<f64>,
}

/// What a typed length would be; nothing is changed.
#[utoipa::path(params(TypedLength), responses((status = 200, body = LengthView)))]
#[get("/api/lengths")]
pub async fn length_as_typed(typed: web::Query<TypedLength>) -> Result<web::Json<LengthView>, Problem> {
    let rate = AskedRate { num: typed.num, den: typed.den, drop_frame: typed.drop_frame }.rate()?;
    let length = CutLength::parse(rate, &typed.text).map_err(Problem::bad_value)?;
    Ok(web::Json(LengthView {
        frames: length.frames(),
        timecode: rate.timecode(length.frames()).to_string(),
        length_s: length.frames() as f64 / rate.as_f64(),
        rounded_by_s: length.rounded_by_s(&typed.text),
    }))
}

/// A cut that was made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Made {
    /// Its name in addresses.
    pub id: Uuid,
}

/// What is shown of a cut after a change. What that looks like is told by the events, and by asking for the cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Shown {
    /// The revision.
    pub revision: u32,
}

/// A change with the revision that the client saw.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskedChange {
    /// The revision.
    pub revision: u32,
    /// The change.
    pub change: Change,
}

/// The revision that the client saw.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FromRevision {
    /// Its number.
    pub revision: u32,
}

/// The revision that the client saw, to go back from.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UndoneFrom {
    /// Its number.
    pub revision: u32,
    /// Whoever made it.
    #[serde(default)]
    pub whoever: bool,
}

/// All cuts, newest first.
#[utoipa::path(responses((status = 200, body = Vec<CutSummary>)))]
#[get("/api/cuts")]
pub async fn all_cuts(studio: AskedStudio) -> Result<web::Json<Vec<CutSummary>>, Problem> {
    Ok(web::Json(studio.cuts().await?.iter().map(CutSummary::from).collect()))
}

/// Where something new belongs.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct MadeIn {
    /// The project; one in which whoever asks makes cuts, without it. Who may make something there is asked before.
    #[allow(dead_code, reason = "read where rights are decided")]
    project: Option<Uuid>,
}

/// Makes a cut.
#[utoipa::path(params(MadeIn), request_body = Description, responses((status = 200, body = Made)))]
#[post("/api/cuts")]
pub async fn make_cut(studio: AskedStudio, body: web::Json<Description>) -> Result<web::Json<Made>, Problem> {
    Ok(web::Json(Made { id: studio.new_cut(&body.new_cut()?).await? }))
}

/// A cut is listed no more. Nothing of it is lost: it can be brought back.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/cuts/{id}")]
pub async fn take_away(studio: AskedStudio, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    studio.take_away(*id, true).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A cut that was taken away is listed again.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 204)))]
#[post("/api/cuts/{id}/back")]
pub async fn bring_back(studio: AskedStudio, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    studio.take_away(*id, false).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A copy of a cut as it is now, with a history of its own.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Made)))]
#[post("/api/cuts/{id}/copy")]
pub async fn copy_cut(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<Made>, Problem> {
    Ok(web::Json(Made { id: studio.copy_cut(*id).await? }))
}

/// One cut with everything that the page shows.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = CutView)))]
#[get("/api/cuts/{id}")]
pub async fn one_cut(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(CutView::from(&studio.open_cut(*id).await?)))
}

/// Changes a cut.
#[utoipa::path(post, path = "/api/cuts/{id}/changes", params(("id" = Uuid, Path)), request_body = AskedChange, responses((status = 200, body = Shown)))]
pub async fn change_cut(studio: AskedStudio, id: web::Path<Uuid>, body: web::Json<AskedChange>) -> Result<web::Json<Shown>, Problem> {
    let AskedChange { revision, change } = body.into_inner();
    Ok(web::Json(Shown { revision: studio.change(*id, revision, change).await? }))
}

/// Goes back to the revision that the shown one was made from. What somebody else did is undone only by who says so.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = UndoneFrom, responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/undo")]
pub async fn undo(studio: AskedStudio, id: web::Path<Uuid>, body: web::Json<UndoneFrom>) -> Result<web::Json<Shown>, Problem> {
    Ok(web::Json(Shown { revision: studio.step(*id, body.revision, Step::Undo, body.whoever).await? }))
}

/// Goes on to the newest revision that was made from the shown one.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/redo")]
pub async fn redo(studio: AskedStudio, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<Shown>, Problem> {
    Ok(web::Json(Shown { revision: studio.step(*id, body.revision, Step::Redo, true).await? }))
}

/// Stops a job; one that failed is not told any more.
#[utoipa::path(params(("id" = Uuid, Path), ("job" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/cuts/{id}/jobs/{job}")]
pub async fn cancel_job(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (id, job) = path.into_inner();
    let Some(work) = jobs::cancel(&studio.pool, id, job).await? else { return Err(Problem::not_found("job under way")) };
    studio.forget_sound_of(id, &work).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Has a job that failed tried again, as when there is room on the disk by now.
#[utoipa::path(params(("id" = Uuid, Path), ("job" = Uuid, Path)), responses((status = 204)))]
#[post("/api/cuts/{id}/jobs/{job}/again")]
pub async fn try_job_again(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (id, job) = path.into_inner();
    if jobs::again(&studio.pool, id, job).await? { Ok(HttpResponse::NoContent().finish()) } else { Err(Problem::not_found("job that failed")) }
}

/// How often the events look for something new.
const LOOK: Duration = Duration::from_millis(300);

/// Server-sent events: the whole view of the cut whenever it changes.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, content_type = "text/event-stream", body = CutView)))]
#[get("/api/cuts/{id}/events")]
pub async fn events(studio: AskedStudio, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    let id = *id;
    studio.state(id).await?;
    let changes = stream::unfold((studio, String::new()), move |(studio, last)| async move {
        for quiet in 0.. {
            if !last.is_empty() {
                tokio::time::sleep(LOOK).await;
            }
            let state = studio.state(id).await.ok()?;
            if state != last {
                // Who was taken out of the project meanwhile hears nothing more of it.
                if !studio.still_edits(id).await.ok()? {
                    return None;
                }
                let view = CutView::from(&studio.open_cut(id).await.ok()?);
                let event = format!("data: {}\n\n", serde_json::to_string(&view).ok()?);
                return Some((Ok::<_, actix_web::Error>(web::Bytes::from(event)), (studio, state)));
            }
            // A comment now and then, so that a dead connection is noticed.
            if quiet >= 50 {
                break;
            }
        }
        Some((Ok(web::Bytes::from_static(b": still here\n\n")), (studio, last)))
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        .insert_header(("content-encoding", "identity"))
        .streaming(Box::pin(changes)))
}
