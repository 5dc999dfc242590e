//! Routes of cuts.

use super::setup::Setup;
use super::store::{self, CutRow};
use super::view::{CutSummary, CutView};
use crate::App;
use crate::jobs::{Task, queue, tasks};
use crate::problem::Problem;
use actix_web::{HttpResponse, delete, get, patch, post, web};
use futures_util::stream;
use jaunty_core::picture::Picture;
use jaunty_core::terms::Purpose;
use jaunty_core::units::{CutLength, FrameRate};
use serde::Deserialize;
use std::time::Duration;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(all_cuts).service(make_cut).service(one_cut).service(change_cut).service(cancel_job).service(try_job_again).service(events);
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
    /// The rate.
    ///
    /// # Errors
    /// A rate that pictures do not run at.
    pub fn rate(&self) -> Result<FrameRate, Problem> {
        FrameRate::new(self.num, self.den, self.drop_frame).map_err(Problem::bad_value)
    }
}

/// A cut to make.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskCut {
    /// Its title, 1 to 200 characters.
    pub title: String,
    /// Its length: timecode, minutes and seconds, or seconds.
    pub length: String,
    /// Its frame rate.
    pub rate: AskRate,
    /// The timecode of its first frame; zero without it.
    pub first_timecode: Option<String>,
    /// Whether money is earned with it.
    #[serde(default)]
    pub commercial: bool,
    /// Whether there is a paid plan with the supplier of music.
    #[serde(default)]
    pub paid_plan: bool,
}

impl AskCut {
    fn purpose(&self) -> Purpose {
        Purpose { commercial: self.commercial, paid_plan: self.paid_plan }
    }

    fn checked(&self) -> Result<(String, CutLength, u64), Problem> {
        let title = self.title.trim();
        if title.is_empty() || title.chars().count() > 200 {
            return Err(Problem::bad_value("A title has 1 to 200 characters."));
        }
        let rate = self.rate.rate()?;
        let length = CutLength::parse(rate, &self.length).map_err(Problem::bad_value)?;
        let first = self.first_timecode.as_deref().map(str::trim).filter(|t| !t.is_empty());
        let first_frame = first.map_or(Ok(0), |text| rate.frame_from_timecode(text)).map_err(Problem::bad_value)?;
        Ok((title.to_owned(), length, first_frame))
    }
}

/// What a cut should become.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChangeCut {
    /// The revision that the client saw.
    pub revision: u32,
    /// The whole of it.
    #[serde(flatten)]
    pub cut: AskCut,
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
    let (title, length, first_frame) = body.checked()?;
    let picture = Picture { first_frame, ..Picture::new(length) };
    let setup = Setup { purpose: body.purpose(), ..Setup::new(&title, picture) };
    let id = store::insert(&app.pool, &setup).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// One cut with everything that the page shows.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = CutView)))]
#[get("/api/cuts/{id}")]
pub async fn one_cut(app: web::Data<App>, id: web::Path<Uuid>) -> Result<web::Json<CutView>, Problem> {
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Changes what is wanted of a cut and has its plan made anew. `seen` is the revision that the user
/// saw, none for what adds to whatever is there.
///
/// # Errors
/// What `edit` says, or what the database says.
pub async fn replan(app: &App, id: Uuid, seen: Option<u32>, what: &str, edit: impl FnOnce(&mut Setup) -> Result<(), Problem>) -> Result<CutRow, Problem> {
    store::want(&app.pool, id, seen, what, edit).await
}

/// Changes title, length, rate, first timecode or purpose; where it sounds otherwise then, its
/// plan is made anew. Shots and moments behind a new end stay noted and come back with it.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = ChangeCut, responses((status = 200, body = CutView)))]
#[patch("/api/cuts/{id}")]
pub async fn change_cut(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<ChangeCut>) -> Result<web::Json<CutView>, Problem> {
    let ChangeCut { revision, cut: body } = body.into_inner();
    let (title, length, first_frame) = body.checked()?;
    let first_frame = if body.first_timecode.is_some() { Some(first_frame) } else { None };
    let cut = store::known(&app.pool, *id).await?;
    cut.check_seen(Some(revision))?;
    let before = cut.setup;
    let change = |setup: &mut Setup| {
        setup.title = title.clone();
        setup.picture.set_length(length);
        setup.picture.first_frame = first_frame.unwrap_or(setup.picture.first_frame);
        setup.purpose = body.purpose();
    };
    let mut after = before.clone();
    change(&mut after);
    if !after.sounds_like(&before) {
        replan(&app, *id, Some(revision), &format!("make the cut {} long", length.rate().timecode(length.frames())), |setup| {
            change(setup);
            Ok(())
        })
        .await?;
    } else if after != before {
        let renamed = Setup { title: after.title.clone(), ..before.clone() };
        let what = match () {
            () if after == renamed => format!("call the cut \"{title}\""),
            () if after.purpose != before.purpose => "change what the cut is for".into(),
            () => "change rate or first timecode".into(),
        };
        store::note(&app.pool, *id, Some(revision), &what, None, |setup| {
            change(setup);
            Ok(())
        })
        .await?;
    }
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Stops a job.
#[utoipa::path(params(("id" = Uuid, Path), ("job" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/cuts/{id}/jobs/{job}")]
pub async fn cancel_job(app: web::Data<App>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (id, job) = path.into_inner();
    let Some(task) = queue::cancel(&app.pool, id, job).await? else { return Err(Problem::not_found("job under way")) };
    if let Task::Read { sound, .. } = task {
        tasks::forget(&app, id, &sound).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

/// Has a job that failed tried again, as when there is room on the disk by now.
#[utoipa::path(params(("id" = Uuid, Path), ("job" = Uuid, Path)), responses((status = 204)))]
#[post("/api/cuts/{id}/jobs/{job}/again")]
pub async fn try_job_again(app: web::Data<App>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (id, job) = path.into_inner();
    if queue::again(&app.pool, id, job).await? { Ok(HttpResponse::NoContent().finish()) } else { Err(Problem::not_found("job that failed")) }
}

/// How often the events look for something new.
const LOOK: Duration = Duration::from_millis(300);

/// Server-sent events: the whole view of the cut whenever it changes.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, content_type = "text/event-stream", body = CutView)))]
#[get("/api/cuts/{id}/events")]
pub async fn events(app: web::Data<App>, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    let id = *id;
    store::known(&app.pool, id).await?;
    let changes = stream::unfold((app, String::new()), move |(app, last)| async move {
        for quiet in 0.. {
            if !last.is_empty() {
                tokio::time::sleep(LOOK).await;
            }
            let state = store::state(&app.pool, id).await.ok()?;
            if state != last {
                let view = CutView::of(&app, id).await.ok()?;
                let event = format!("data: {}\n\n", serde_json::to_string(&view).ok()?);
                return Some((Ok::<_, actix_web::Error>(web::Bytes::from(event)), (app, state)));
            }
            // A comment now and then, so that a dead connection is noticed.
            if quiet >= 50 {
                break;
            }
        }
        Some((Ok(web::Bytes::from_static(b": still here\n\n")), (app, last)))
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        .insert_header(("content-encoding", "identity"))
        .streaming(Box::pin(changes)))
}
