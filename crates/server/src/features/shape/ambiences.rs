//! Ambiences: bringing one in, its rule, its level and its place.

use super::reshape;
use crate::App;
use crate::features::cuts::setup::{Setup, UsedSound};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::plans::FromRevision;
use crate::jobs::Task;
use crate::problem::Problem;
use actix_multipart::Multipart;
use actix_web::{delete, post, put, web};
use jaunty_core::plan::{AmbienceWish, Role, SpeechRule};
use jaunty_core::units::{samples_from_seconds, seconds_from_samples};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// An ambience of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AmbienceView {
    /// Hash of its sound.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// How far its loudness lies under that of the speech, in dB.
    pub under_speech_db: f64,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
    /// Where it begins, in seconds of the cut.
    pub start_s: f64,
    /// Where it is over; with the cut without one.
    pub end_s: Option<f64>,
}

impl From<&AmbienceWish> for AmbienceView {
    fn from(w: &AmbienceWish) -> Self {
        Self {
            hash: w.hash.clone(),
            name: w.name.clone(),
            under_speech_db: w.under_speech_db,
            rule: w.rule,
            start_s: seconds_from_samples(w.start_samples),
            end_s: w.end_samples.map(seconds_from_samples),
        }
    }
}

/// Brings the sound of a place in; it lies under the whole cut, low while somebody speaks.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/ambiences")]
pub async fn upload_ambience(app: web::Data<App>, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    /// Ambiences lie at about -16 dB of full level (common practice), which is some 14 dB under a voice.
    const UNDER_SPEECH_DB: f64 = 14.0;
    cuts::known(&app.pool, *id).await?;
    let UsedSound { hash, name } = app.take_in(&mut form).await?;
    let wish =
        AmbienceWish { hash: hash.clone(), name: name.clone(), under_speech_db: UNDER_SPEECH_DB, rule: SpeechRule::Low, start_samples: 0, end_samples: None };
    let read = Task::Read { sound: hash, role: Role::Ambience, what: format!("hear \"{name}\"") };
    cuts::note(&app.pool, *id, None, &format!("bring in \"{name}\""), Some(&read), |setup| {
        setup.ambiences.retain(|a| a.hash != wish.hash);
        setup.ambiences.push(wish.clone());
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// What an ambience is to do; what is not named stays.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChangeAmbience {
    /// The revision that the client saw.
    pub revision: u32,
    /// How far its loudness lies under that of the speech, in dB, 0 to 60.
    pub under_speech_db: Option<f64>,
    /// What it does while somebody speaks.
    pub rule: Option<SpeechRule>,
    /// Where it begins, in seconds of the cut.
    pub start_s: Option<f64>,
    /// Where it is over.
    pub end_s: Option<f64>,
}

fn ambience(setup: &mut Setup, index: usize) -> Result<&mut AmbienceWish, Problem> {
    setup.ambiences.get_mut(index).ok_or_else(|| Problem::not_found("ambience"))
}

/// Changes an ambience.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = ChangeAmbience, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/ambiences/{index}")]
pub async fn change_ambience(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<ChangeAmbience>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    if body.under_speech_db.is_some_and(|db| !(0.0..=60.0).contains(&db)) {
        return Err(Problem::bad_value("An ambience lies 0 to 60 dB under the voice."));
    }
    let place = |s: Option<f64>| s.is_some_and(|s| !(0.0..=86_400.0).contains(&s));
    if place(body.start_s) || place(body.end_s) || body.end_s.is_some_and(|end| end <= body.start_s.unwrap_or(0.0)) {
        return Err(Problem::bad_value("An ambience ends after it begins, within the cut."));
    }
    let edit = |setup: &mut Setup| {
        let one = ambience(setup, index)?;
        one.under_speech_db = body.under_speech_db.unwrap_or(one.under_speech_db);
        one.rule = body.rule.map_or(one.rule, SpeechRule::from);
        one.start_samples = body.start_s.map_or(one.start_samples, samples_from_seconds);
        one.end_samples = body.end_s.map(samples_from_seconds).or(one.end_samples);
        Ok(())
    };
    Ok(web::Json(reshape(&app, id, body.revision, "change an ambience", &edit, |_| Ok(())).await?))
}

/// Takes an ambience away.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/ambiences/{index}")]
pub async fn drop_ambience(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let edit = |setup: &mut Setup| {
        ambience(setup, index)?;
        setup.ambiences.remove(index);
        Ok(())
    };
    Ok(web::Json(reshape(&app, id, body.revision, "take an ambience away", &edit, |_| Ok(())).await?))
}
