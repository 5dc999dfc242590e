//! The voice: takes from files and from the page's recorder, the pieces used of them, and a
//! spoken placeholder.

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::setup::{Take, TakeOrigin, UsedSound};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::listening::wav_answer;
use crate::features::plans::FromRevision;
use crate::features::sounds::{SoundHash, store as sounds};
use crate::jobs::{Task, queue};
use crate::problem::Problem;
use actix_multipart::Multipart;
use actix_web::{HttpResponse, delete, get, post, put, web};
use jaunty_core::plan::Role;
use jaunty_core::speech::{Phrase, corrected};
use jaunty_core::voice::{Piece, lay};
use jaunty_demo::{LINES, Line, narration};
use jaunty_media::wav_bytes;
use serde::Deserialize;
use std::sync::OnceLock;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(upload_take).service(use_take).service(drop_take).service(clean_take).service(drop_piece).service(speak_lines).service(stand_in_microphone);
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
#[utoipa::path(params(("id" = Uuid, Path), TakePlace), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/takes")]
pub async fn upload_take(app: web::Data<App>, id: web::Path<Uuid>, place: web::Query<TakePlace>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let at_samples = place.at_samples.unwrap_or(0);
    if at_samples >= cut.setup.picture.length_samples() {
        return Err(Problem::bad_value("This take would begin behind the end of the cut."));
    }
    let UsedSound { hash, name } = app.take_in(&mut form).await?;
    let origin = if place.recorded.unwrap_or(false) { TakeOrigin::Recorded } else { TakeOrigin::File };
    attach_take(&app, *id, Take { hash, name, at_samples, origin, edits: Vec::new(), cleaned: None, cleaned_on: false }).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Adds a take to a cut and asks for it to be read and laid.
///
/// # Errors
/// What the database says.
pub async fn attach_take(app: &App, id: Uuid, take: Take) -> Result<(), Problem> {
    let verb = if take.origin == TakeOrigin::Recorded { "record" } else { "bring in" };
    let read = Task::Read { sound: take.hash.clone(), role: Role::Narration, what: format!("use the narration \"{}\"", take.name) };
    cuts::note(&app.pool, id, None, &format!("{verb} \"{}\"", take.name), Some(&read), |setup| {
        setup.takes.retain(|t| t.hash != take.hash);
        setup.takes.push(take.clone());
        Ok(())
    })
    .await?;
    Ok(())
}

/// Lays a take, or one phrase of it, on the narration of a cut. A phrase is laid with a little of
/// the room around it.
///
/// # Errors
/// A 404 for an unknown phrase.
pub fn lay_take(pieces: &mut Vec<Piece>, take: &Take, length_samples: u64, phrases: &[Phrase], phrase: Option<usize>) -> Result<(), Problem> {
    /// A tenth of a second of room on either side of a phrase.
    const ROOM_SAMPLES: u64 = 4800;
    let (start, end) = match phrase {
        None => (0, length_samples),
        Some(index) => {
            let one = phrases.get(index).ok_or_else(|| Problem::not_found("phrase"))?;
            (one.start_samples.saturating_sub(ROOM_SAMPLES), (one.end_samples + ROOM_SAMPLES).min(length_samples))
        }
    };
    let piece =
        Piece { sound: take.hash.clone(), source_start_samples: start, source_end_samples: end, cut_start_samples: take.at_samples + start, scratch: None };
    lay(pieces, piece, phrases);
    Ok(())
}

/// Which part of a take to use.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UseTake {
    /// The revision that the client saw.
    pub revision: u32,
    /// Number of a phrase of it; the whole take without one.
    pub phrase: Option<usize>,
}

/// Uses a take, or one phrase of it, in place of what lies there.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), request_body = UseTake, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/takes/{hash}/use")]
pub async fn use_take(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, body: web::Json<UseTake>) -> Result<web::Json<CutView>, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let reading = sounds::speech_reading(&app.pool, &hash).await?;
    let reading = reading.ok_or_else(|| Problem::bad_value("This take is still being read. Use it when its phrases are known."))?;
    let cut = cuts::known(&app.pool, id).await?;
    let take = cut.setup.takes.into_iter().find(|t| t.hash == hash).ok_or_else(|| Problem::not_found("take"))?;
    let phrases = corrected(&reading.phrases, &take.edits);
    let what = match body.phrase {
        None => format!("use the take \"{}\"", take.name),
        Some(index) => format!("use phrase {} of \"{}\"", index + 1, take.name),
    };
    replan(&app, id, Some(body.revision), &what, |setup| lay_take(&mut setup.pieces, &take, reading.length_samples, &phrases, body.phrase)).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Whether the steady noise of a take is taken out.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CleanTake {
    /// The revision that the client saw.
    pub revision: u32,
    /// Taken out, or heard as it came.
    pub on: bool,
}

/// Takes the steady noise out of a take, or hears it as it came. It is made once, in the background.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), request_body = CleanTake, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/takes/{hash}/clean")]
pub async fn clean_take(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, body: web::Json<CleanTake>) -> Result<web::Json<CutView>, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let cut = cuts::known(&app.pool, id).await?;
    let take = cut.setup.takes.into_iter().find(|t| t.hash == hash).ok_or_else(|| Problem::not_found("take"))?;
    if sounds::speech_reading(&app.pool, &hash).await?.is_none() {
        return Err(Problem::bad_value("This take is still being read. Take its noise out when its phrases are known."));
    }
    if body.on && take.cleaned.is_none() {
        queue::add_once(&app.pool, id, &Task::Clean { take: hash }).await?;
    } else {
        let what = if body.on { format!("take the steady noise out of \"{}\"", take.name) } else { format!("hear \"{}\" as it came", take.name) };
        replan(&app, id, Some(body.revision), &what, |setup| {
            setup.takes.iter_mut().filter(|t| t.hash == hash).for_each(|t| t.cleaned_on = body.on);
            Ok(())
        })
        .await?;
    }
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Takes a take away, with what is used of it; its sound stays stored, and undo brings it back.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/takes/{hash}")]
pub async fn drop_take(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let cut = cuts::known(&app.pool, id).await?;
    let name = cut.setup.takes.into_iter().find(|t| t.hash == hash).map(|t| t.name).ok_or_else(|| Problem::not_found("take"))?;
    replan(&app, id, Some(body.revision), &format!("take the take \"{name}\" away"), |setup| {
        setup.forget(&hash);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Takes one piece off the narration; its take stays.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/pieces/{index}")]
pub async fn drop_piece(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    replan(&app, id, Some(body.revision), &format!("leave piece {} of the narration out", index + 1), |setup| {
        if index >= setup.pieces.len() {
            return Err(Problem::not_found("piece"));
        }
        setup.pieces.remove(index);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Has the written lines spoken by a machine, where nobody speaks yet.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/scratch")]
pub async fn speak_lines(app: web::Data<App>, id: web::Path<Uuid>) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    if cut.setup.lines.is_empty() {
        return Err(Problem::bad_value("There are no lines to speak. Write them, or bring in captions."));
    }
    queue::add(&app.pool, *id, &Task::Scratch).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// The sound of the stand-in microphone: a made-up narrator who reads the demo's lines without
/// end, for trying the recorder where there is no microphone.
#[utoipa::path(responses((status = 200, content_type = "audio/wav")))]
#[get("/api/stand-in-microphone.wav")]
pub async fn stand_in_microphone(app: web::Data<App>) -> Result<HttpResponse, Problem> {
    static SPOKEN: OnceLock<Vec<u8>> = OnceLock::new();
    let bytes = app
        .compute(|| -> Result<Vec<u8>, Problem> {
            if let Some(spoken) = SPOKEN.get() {
                return Ok(spoken.clone());
            }
            // The first line comes after a second: nobody likes to wait for a stand-in.
            let early = |l: &Line| Line { start_s: l.start_s - LINES[0].start_s + 1.0, ..*l };
            let lines: Vec<Line> = LINES[..4].iter().map(early).collect();
            let voice = narration(&lines, 26.0).map_err(Problem::bad_value)?;
            Ok(SPOKEN.get_or_init(|| wav_bytes(&voice).unwrap_or_default()).clone())
        })
        .await??;
    Ok(wav_answer(bytes, "no-store"))
}
