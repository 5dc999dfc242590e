//! The beds to choose from: bringing them in, comparing, listening, choosing.

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::setup::{Licence, Opinion, Take, TakeOrigin, UsedSound};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::listening::{Ready, sound_answer};
use crate::features::plans::FromRevision;
use crate::features::sounds::{SoundHash, store as sounds};
use crate::jobs::Task;
use crate::problem::Problem;
use actix_multipart::Multipart;
use actix_web::{HttpResponse, delete, get, patch, post, put, web};
use jaunty_core::kind::Kind;
use jaunty_core::mix::Hear;
use jaunty_core::plan::Role;
use jaunty_core::units::seconds_from_samples;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

mod parts;
pub mod store;

pub use parts::*;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config
        .service(upload_bed)
        .service(use_bed)
        .service(no_bed)
        .service(beds)
        .service(add_candidate)
        .service(change_candidate)
        .service(drop_candidate)
        .service(audition)
        .service(go_on_with)
        .service(take_to_hand)
        .service(move_handover)
        .service(take_off);
}

/// Takes a file as a bed to choose from. It is recognised, read and fitted in the background;
/// the first one that is music becomes the bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/candidates")]
pub async fn upload_bed(app: web::Data<App>, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    cuts::known(&app.pool, *id).await?;
    attach_bed(&app, *id, app.take_in(&mut form).await?, None).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Adds a candidate to a cut and asks for what follows.
///
/// # Errors
/// What the database says.
pub async fn attach_bed(app: &App, id: Uuid, sound: UsedSound, licence: Option<Licence>) -> Result<(), Problem> {
    let what = if licence.is_some() { format!("take \"{}\" from the shelf", sound.name) } else { format!("bring in \"{}\"", sound.name) };
    let read = Task::Read { sound: sound.hash.clone(), role: Role::Bed, what: format!("use the bed \"{}\"", sound.name) };
    cuts::note(&app.pool, id, None, &what, Some(&read), |setup| {
        setup.add_candidate(&sound.hash, &sound.name, licence.clone());
        Ok(())
    })
    .await?;
    Ok(())
}

/// Names a sound that is already here.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NameSound {
    /// Hash of its content.
    pub sound_hash: SoundHash,
}

/// A candidate to use.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UseBed {
    /// The revision that the client saw.
    pub revision: u32,
    /// Which candidate.
    #[serde(flatten)]
    pub sound: NameSound,
}

/// Adds a bed that is already here, from another cut, to the candidates of this one.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = NameSound, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/candidates")]
pub async fn add_candidate(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<NameSound>) -> Result<web::Json<CutView>, Problem> {
    let sound = sounds::sound(&app.pool, &body.sound_hash.0).await?.ok_or_else(|| Problem::not_found("bed"))?;
    attach_bed(&app, *id, UsedSound { hash: sound.hash, name: sound.name }, None).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Uses one of the candidates as the bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = UseBed, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/bed")]
pub async fn use_bed(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<UseBed>) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let found = cut.setup.candidates.into_iter().find(|c| c.hash == body.sound.sound_hash.0).ok_or_else(|| Problem::not_found("candidate"))?;
    if !sounds::has_reading(&app.pool, &found.hash, Role::Bed).await? {
        return Err(Problem::bad_value("This bed is still being read. Choose it when its bars are known."));
    }
    replan(&app, *id, Some(body.revision), &format!("use the bed \"{}\"", found.name), |setup| {
        setup.use_bed(UsedSound { hash: found.hash, name: found.name });
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Uses no bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/bed")]
pub async fn no_bed(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    replan(&app, *id, Some(body.revision), "use no bed", |setup| {
        (setup.bed, setup.laid) = (None, Vec::new());
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// What somebody thinks of a candidate. What is left out stays.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChangeCandidate {
    /// The revision that the client saw.
    pub revision: u32,
    /// Yes, maybe, no.
    pub opinion: Option<Opinion>,
    /// A note, at most 500 characters.
    pub note: Option<String>,
    /// What it is, against what was recognised. Speech becomes a take of the narration.
    pub kind: Option<Kind>,
}

const MOST_NOTE_CHARS: usize = 500;

/// Marks a candidate, notes something about it, or says what it is.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), request_body = ChangeCandidate, responses((status = 200, body = CutView)))]
#[patch("/api/cuts/{id}/candidates/{hash}")]
pub async fn change_candidate(
    app: web::Data<App>,
    path: web::Path<(Uuid, SoundHash)>,
    body: web::Json<ChangeCandidate>,
) -> Result<web::Json<CutView>, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let cut = cuts::known(&app.pool, id).await?;
    let name = cut.setup.candidates.iter().find(|c| c.hash == hash).map(|c| c.name.clone()).ok_or_else(|| Problem::not_found("candidate"))?;
    if body.note.as_ref().is_some_and(|note| note.chars().count() > MOST_NOTE_CHARS) {
        return Err(Problem::bad_value(format!("A note has at most {MOST_NOTE_CHARS} characters. Shorten it.")));
    }
    let kind = body.kind;
    let what = match (body.opinion, &body.note, kind) {
        (Some(Opinion::Yes), ..) => format!("say yes to \"{name}\""),
        (Some(Opinion::Maybe), ..) => format!("say maybe to \"{name}\""),
        (Some(Opinion::No), ..) => format!("say no to \"{name}\""),
        (_, Some(_), _) => format!("note something about \"{name}\""),
        (_, _, Some(Kind::Music)) => format!("call \"{name}\" music"),
        (_, _, Some(Kind::Speech)) => format!("call \"{name}\" speech"),
        (_, _, Some(Kind::Room)) => format!("call \"{name}\" room sound"),
        _ => return Err(Problem::bad_value("Say what to change: the mark, the note or the kind.")),
    };
    let spoken = kind == Some(Kind::Speech);
    let read = kind.filter(|kind| *kind != Kind::Room).map(|_| {
        let role = if spoken { Role::Narration } else { Role::Bed };
        let what = if spoken { format!("use the narration \"{name}\"") } else { format!("use the bed \"{name}\"") };
        Task::Read { sound: hash.clone(), role, what }
    });
    cuts::note(&app.pool, id, Some(body.revision), &what, read.as_ref(), |setup| {
        if spoken {
            setup.forget(&hash);
            setup.takes.push(Take {
                hash: hash.clone(),
                name: name.clone(),
                at_samples: 0,
                origin: TakeOrigin::File,
                edits: Vec::new(),
                cleaned: None,
                cleaned_on: false,
            });
        }
        if let Some(candidate) = setup.candidate(&hash) {
            candidate.opinion = body.opinion.or(candidate.opinion);
            candidate.kind_by_hand = kind.or(candidate.kind_by_hand);
            if let Some(note) = &body.note {
                candidate.note.clone_from(note);
            }
        }
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Takes a candidate away; its sound stays stored, and undo brings it back.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/candidates/{hash}")]
pub async fn drop_candidate(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let cut = cuts::known(&app.pool, id).await?;
    cut.check_seen(Some(body.revision))?;
    let found = cut.setup.candidates.iter().find(|c| c.hash == hash).ok_or_else(|| Problem::not_found("candidate"))?;
    let what = format!("take \"{}\" away", found.name);
    if cut.setup.parts().iter().any(|p| cut.setup.bed_of(*p).is_some_and(|b| b.hash == hash)) {
        replan(&app, id, Some(body.revision), &what, |setup| {
            setup.forget(&hash);
            Ok(())
        })
        .await?;
    } else {
        cuts::note(&app.pool, id, Some(body.revision), &what, None, |setup| {
            setup.forget(&hash);
            Ok(())
        })
        .await?;
    }
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// The range of a candidate to hear.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct AuditionRange {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
}

/// A range of the cut with a candidate as its bed: fitted, and shaped under the narration.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path), AuditionRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/candidates/{hash}/sound")]
pub async fn audition(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, range: web::Query<AuditionRange>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let plan = store::plan(&app.pool, id, &hash).await?.ok_or_else(|| Problem::bad_value("This bed is still being fitted. Listen to it in a moment."))?;
    let ready = Ready::with(&app, plan).await?;
    sound_answer(&app, ready, range.from_samples, range.length_samples, Hear::Everything, "no-store").await
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
pub async fn beds(app: web::Data<App>) -> Result<web::Json<Vec<BedView>>, Problem> {
    let view = |s: sounds::SoundRow| BedView { length_s: seconds_from_samples(s.length_samples.unwrap_or(0)), hash: s.hash, name: s.name };
    Ok(web::Json(sounds::beds(&app.pool).await?.into_iter().map(view).collect()))
}
