//! Routes of cuts.

use super::model::{CutSummary, CutView};
use super::store::{self, Setup};
use crate::App;
use crate::jobs::{Task, queue, tasks};
use crate::problem::Problem;
use actix_web::{HttpResponse, delete, get, patch, post, web};
use futures_util::stream;
use jaunty_core::units::{FrameRate, LengthText};
use serde::Deserialize;
use std::time::Duration;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(all_cuts).service(make_cut).service(one_cut).service(change_cut).service(cancel_job).service(events);
}

/// A frame rate as the client asks for it.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskRate {
    /// Numerator.
    pub num: u32,
    /// Denominator.
    pub den: u32,
    /// Whether timecode leaves out labels.
    pub drop_frame: bool,
}

impl AskRate {
    fn rate(&self) -> Result<FrameRate, Problem> {
        FrameRate::new(self.num, self.den, self.drop_frame).map_err(Problem::bad_value)
    }
}

/// A cut to make, or what it should become.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskCut {
    /// Its title, 1 to 200 characters.
    pub title: String,
    /// Its length: timecode, minutes and seconds, or seconds.
    pub length: String,
    /// Its frame rate.
    pub rate: AskRate,
}

impl AskCut {
    fn checked(&self) -> Result<(String, FrameRate, u64), Problem> {
        let title = self.title.trim();
        if title.is_empty() || title.chars().count() > 200 {
            return Err(Problem::bad_value("A title has 1 to 200 characters."));
        }
        let rate = self.rate.rate()?;
        let frames = LengthText::frames(&self.length, rate).map_err(Problem::bad_value)?;
        Ok((title.to_owned(), rate, frames))
    }
}

/// All cuts, newest first.
#[utoipa::path(responses((status = 200, body = Vec<CutSummary>)))]
#[get("/api/cuts")]
pub async fn all_cuts(app: web::Data<App>) -> Result<web::Json<Vec<CutSummary>>, Problem> {
    Ok(web::Json(store::all(&app.pool).await?.iter().map(CutSummary::from).collect()))
}

/// Makes a cut.
#[utoipa::path(request_body = AskCut, responses((status = 200, body = CutView)))]
#[post("/api/cuts")]
pub async fn make_cut(app: web::Data<App>, body: web::Json<AskCut>) -> Result<web::Json<CutView>, Problem> {
    let (title, rate, length_frames) = body.checked()?;
    let setup = Setup { rate, length_frames, bed: None, narration: None };
    let id = store::insert(&app.pool, &title, &setup, &[], &[], &[]).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// One cut with everything that the page shows.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = CutView)))]
#[get("/api/cuts/{id}")]
pub async fn one_cut(app: web::Data<App>, id: web::Path<Uuid>) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Changes title, length or rate; a plan is then made anew.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = AskCut, responses((status = 200, body = CutView)))]
#[patch("/api/cuts/{id}")]
pub async fn change_cut(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<AskCut>) -> Result<web::Json<CutView>, Problem> {
    let (title, rate, length_frames) = body.checked()?;
    let mut before = None;
    let cut = store::change(&app.pool, *id, |cut| {
        before = Some(cut.setup.clone());
        cut.title = title;
        cut.setup.rate = rate;
        cut.setup.length_frames = length_frames;
    })
    .await?;
    let has_sound = cut.setup.bed.is_some() || cut.setup.narration.is_some();
    if has_sound && before.as_ref() != Some(&cut.setup) {
        let what = format!("make the cut {} long", rate.timecode(length_frames));
        queue::add(&app.pool, *id, &Task::Plan { what }).await?;
    }
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Stops a job.
#[utoipa::path(params(("id" = Uuid, Path), ("job" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/cuts/{id}/jobs/{job}")]
pub async fn cancel_job(app: web::Data<App>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (id, job) = path.into_inner();
    let Some(task) = queue::cancel(&app.pool, id, job).await? else { return Err(Problem::not_found("job under way")) };
    if let Task::Read { sound, role, .. } = task {
        tasks::give_back(&app, id, &sound, role).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

/// How often the events look for something new.
const LOOK: Duration = Duration::from_millis(300);

/// Server-sent events: the whole view of the cut whenever it changes.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, content_type = "text/event-stream", body = CutView)))]
#[get("/api/cuts/{id}/events")]
pub async fn events(app: web::Data<App>, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    let id = *id;
    store::known(&app.pool, id).await?;
    let changes = stream::unfold((app, String::new(), 0u32), move |(app, last, quiet)| async move {
        let mut quiet = quiet;
        loop {
            if !last.is_empty() {
                tokio::time::sleep(LOOK).await;
            }
            let view = CutView::of(&app, id).await.ok()?;
            let text = serde_json::to_string(&view).ok()?;
            if text != last {
                let event = format!("data: {text}\n\n");
                return Some((Ok::<_, actix_web::Error>(web::Bytes::from(event)), (app, text, 0)));
            }
            quiet += 1;
            // A comment now and then, so that a dead connection is noticed.
            if quiet >= 50 {
                return Some((Ok(web::Bytes::from_static(b": still here\n\n")), (app, last, 0)));
            }
        }
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        .insert_header(("content-encoding", "identity"))
        .streaming(Box::pin(changes)))
}
