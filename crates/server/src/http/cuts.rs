//! Cuts: listing, making, showing and changing them, their history, jobs and events.

use super::json;
use super::rights::AskedStudio;
use super::sessions::Asker;
use super::views::{CutSummary, CutView, HereView, JobView, RateView};
use crate::store::cuts::{Sort, Step};
use crate::store::jobs;
use crate::store::watched::{self, HereRow};
use crate::studio::{News, Problem};
use actix_web::{HttpResponse, delete, get, post, web};
use futures_util::stream;
use jaunty_core::cut::{AskedRate, Change, Description, LIMITS, Limits};
use jaunty_core::picture::MOST_MARKS;
use jaunty_core::units::{CutLength, FrameRate};
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
    config.service(cancel_job).service(try_job_again).service(events).service(be_here).service(length_as_typed).service(rates).service(limits);
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

/// The frame rates that a cut may have.
#[utoipa::path(responses((status = 200, body = [RateView])))]
#[get("/api/rates")]
pub async fn rates() -> web::Json<Vec<RateView>> {
    web::Json(FrameRate::all().map(RateView::from).collect())
}

/// What the figures of a cut may be.
#[utoipa::path(responses((status = 200, body = Limits, example = json!(LIMITS))))]
#[get("/api/limits")]
pub async fn limits() -> web::Json<Limits> {
    web::Json(LIMITS)
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

/// Which cuts are listed.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ListedCuts {
    /// Of this project; of all that whoever asks sees, without it.
    project: Option<Uuid>,
    /// Words that all stand in title, bed or narration.
    words: Option<String>,
    /// Their order; the newest first without it.
    sort: Option<Sort>,
    /// So many come before.
    skip: Option<u32>,
    /// So many at most, up to 200; 60 without it.
    count: Option<u32>,
}

/// A page of cuts.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutListView {
    /// The cuts.
    pub cuts: Vec<CutSummary>,
    /// How many there are on all pages.
    pub total: u64,
}

/// Cuts, a page at a time.
#[utoipa::path(params(ListedCuts), responses((status = 200, body = CutListView)))]
#[get("/api/cuts")]
pub async fn all_cuts(studio: AskedStudio, listed: web::Query<ListedCuts>) -> Result<web::Json<CutListView>, Problem> {
    let ListedCuts { project, words, sort, skip, count } = listed.into_inner();
    let (skip, count) = (skip.unwrap_or(0), count.unwrap_or(60));
    // As the description of the interface has it: 32 bits with a sign.
    if i32::try_from(skip.max(count)).is_err() {
        return Err(Problem::bad_value("There are fewer cuts than that."));
    }
    let (rows, total) = studio.cuts(project, &words.unwrap_or_default(), sort.unwrap_or_default(), skip, count.min(200)).await?;
    Ok(web::Json(CutListView { cuts: rows.iter().map(CutSummary::from).collect(), total }))
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

/// Takes back what whoever asks did last, also from under what others did since. What somebody else did, or built on it, is undone only by who says so.
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

/// A comment now and then, so that a dead connection is noticed.
const STILL_HERE: Duration = Duration::from_secs(15);

/// The window that listens.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Listener {
    /// As it names itself: it is not told of itself.
    window: Option<Uuid>,
}

/// Jobs as they are now.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct JobsView {
    /// Those under way, and the last one if it failed.
    pub jobs: Vec<JobView>,
    /// When this was looked up, in microseconds.
    pub as_of: i64,
}

/// Server-sent events: `message` is the whole view of the cut whenever it changes, `jobs` how far jobs are ([`JobsView`]), `here` who
/// else looks at it ([`HereView`]).
#[utoipa::path(params(("id" = Uuid, Path), Listener), responses((status = 200, content_type = "text/event-stream", body = CutView)))]
#[get("/api/cuts/{id}/events")]
pub async fn events(studio: AskedStudio, id: web::Path<Uuid>, listener: web::Query<Listener>) -> HttpResponse {
    let (id, window) = (*id, listener.window.unwrap_or_default());
    let news = studio.news(id);
    let changes = stream::unfold((studio, news, News::default()), move |(studio, mut news, told)| async move {
        let now = loop {
            let now = *news.borrow_and_update();
            if now != told {
                break now;
            }
            match tokio::time::timeout(STILL_HERE, news.changed()).await {
                Ok(there) => there.ok()?,
                Err(_) => return Some((Ok(web::Bytes::from_static(b": still here\n\n")), (studio, news, told))),
            }
        };
        // Who was taken out of the project meanwhile hears nothing more of it.
        if !studio.still_edits(id).await.ok()? {
            return None;
        }
        let mut text = String::new();
        if now.whole != told.whole {
            let view = CutView::from(&studio.open_cut(id).await.ok()?);
            text += &format!("data: {}\n\n", serde_json::to_string(&view).ok()?);
        } else if now.jobs != told.jobs {
            let as_of = chrono::Utc::now().timestamp_micros();
            let jobs = jobs::of_cut(&studio.pool, id).await.ok()?.into_iter().map(JobView::from).collect();
            text += &format!("event: jobs\ndata: {}\n\n", serde_json::to_string(&JobsView { jobs, as_of }).ok()?);
        }
        if now.here != told.here {
            let here: Vec<HereView> = studio.here(id, window).await.ok()?.iter().map(HereView::from).collect();
            text += &format!("event: here\ndata: {}\n\n", serde_json::to_string(&here).ok()?);
        }
        Some((Ok::<_, actix_web::Error>(web::Bytes::from(text)), (studio, news, now)))
    });
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("cache-control", "no-store"))
        .insert_header(("content-encoding", "identity"))
        .streaming(Box::pin(changes))
}

/// Where somebody is on a cut.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct BeingHere {
    /// Their window, as it names itself.
    pub window: Uuid,
    /// The step that they look at; none says that the window is closed.
    pub step: Option<String>,
    /// Where their playhead is.
    pub at_samples: u64,
    /// What they have marked: from where.
    pub from_samples: Option<u64>,
    /// And to where.
    pub to_samples: Option<u64>,
}

/// Says where somebody is on a cut, for the others who look at it. Where nobody signs in there are no others.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = BeingHere, responses((status = 204)))]
#[post("/api/cuts/{id}/here")]
pub async fn be_here(studio: AskedStudio, asker: Asker, id: web::Path<Uuid>, body: web::Json<BeingHere>) -> Result<HttpResponse, Problem> {
    let BeingHere { window, step, at_samples, from_samples, to_samples } = body.into_inner();
    if let Some(person_id) = asker.person {
        match step {
            None => watched::be_gone(&studio.pool, *id, window, person_id).await?,
            Some(step) => {
                let step = step.chars().filter(|c| c.is_ascii_lowercase() || *c == '-').take(16).collect();
                let row = HereRow { window_id: window, person_id, name: String::new(), step, at_samples, from_samples, to_samples };
                watched::be_here(&studio.pool, *id, &row).await?;
            }
        }
    }
    Ok(HttpResponse::NoContent().finish())
}
