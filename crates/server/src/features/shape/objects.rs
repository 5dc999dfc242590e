//! Single level objects by hand.

use super::reshape;
use crate::App;
use crate::features::cuts::store::{self as cuts, Next};
use crate::features::cuts::view::CutView;
use crate::features::plans::{FromRevision, change, seen};
use crate::problem::Problem;
use actix_web::{delete, post, put, web};
use jaunty_core::shape::{Change, EMPHASIS_DB, FadeShape, LevelObject, Slope, sweep};
use jaunty_core::units::samples_from_seconds;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A change of level objects; what is not named stays.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SetLevel {
    /// The revision that the client saw.
    pub revision: u32,
    /// How far the bed lies under the loudness of the speech, in dB, 0 to 60.
    pub under_speech_db: Option<f64>,
    /// Gain of a sweep in dB, -40 to 20.
    pub gain_db: Option<f64>,
    /// Length of a rise or a fade in, in seconds.
    pub rise_s: Option<f64>,
    /// Length of a fall or a fade out, in seconds.
    pub fall_s: Option<f64>,
    /// How a swell rises.
    pub rise_slope: Option<Slope>,
    /// How a swell falls.
    pub fall_slope: Option<Slope>,
    /// The shape of a fade.
    pub fade_shape: Option<FadeShape>,
    /// Further objects that are changed alike.
    #[serde(default)]
    pub also: Vec<usize>,
}

/// Changes one swell, dip or fade by hand, or several alike; nothing else changes.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = SetLevel, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/plan/levels/{index}")]
pub async fn change_level(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<SetLevel>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let wanted = Change {
        under_speech_db: body.under_speech_db,
        gain_db: body.gain_db,
        rise_s: body.rise_s,
        fall_s: body.fall_s,
        rise_slope: body.rise_slope,
        fall_slope: body.fall_slope,
        fade_shape: body.fade_shape,
    };
    let what = match (body.under_speech_db, body.also.len()) {
        (Some(db), 0) => format!("set a level to {} dB under the speech", (db * 10.0).round() / 10.0),
        (Some(db), more) => format!("set {} levels to {} dB under the speech", more + 1, (db * 10.0).round() / 10.0),
        (None, _) => "change a swell or fade by hand".into(),
    };
    let view = change(&app, id, body.revision, async |cut, current| {
        let mut plan = current.plan;
        for index in std::iter::once(index).chain(body.also.iter().copied()) {
            plan.change_level(index, &wanted).map_err(|cause| Problem::bad_value(format!("Not possible: {cause}.")))?;
        }
        let next = Next { what: &what, plan: &plan, fittings: &current.fittings, chosen: current.chosen };
        cuts::append(&app.pool, cut, &next, &|_| Ok(())).await.map(|_| ())
    });
    Ok(web::Json(view.await?))
}

/// Gives an object that was set by hand back to the rule; takes an emphasis away.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/plan/levels/{index}")]
pub async fn give_back(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let hand = |beds: &mut [&mut Vec<LevelObject>]| {
        let given = beds.iter().flat_map(|b| b.iter()).nth(index).cloned().ok_or_else(|| Problem::not_found("swell, dip or fade"))?;
        beds.iter_mut().for_each(|objects| objects.retain(|o| !o.is_twin_of(&given)));
        Ok(())
    };
    Ok(web::Json(reshape(&app, id, body.revision, "give a level back to the rule", &|_| Ok(()), hand).await?))
}

/// A phrase that is to stand out.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Emphasise {
    /// The revision that the client saw.
    pub revision: u32,
    /// Number of the phrase, from 0.
    pub phrase: usize,
    /// How much further the bed goes down under it, in dB; 4 dB without a figure.
    pub deeper_db: Option<f64>,
}

/// Dips the bed further under one phrase.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = Emphasise, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/emphasis")]
pub async fn emphasise(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<Emphasise>) -> Result<web::Json<CutView>, Problem> {
    let deeper_db = body.deeper_db.unwrap_or(EMPHASIS_DB);
    if !(0.0..=30.0).contains(&deeper_db) {
        return Err(Problem::bad_value("An emphasis is 0 to 30 dB deeper."));
    }
    let (_, current) = seen(&app, *id, body.revision).await?;
    let phrase = current.plan.phrases.get(body.phrase).cloned().ok_or_else(|| Problem::not_found("phrase"))?;
    let hand = |beds: &mut [&mut Vec<LevelObject>]| {
        let deeper = LevelObject::Emphasis { start_samples: phrase.start_samples, end_samples: phrase.end_samples, deeper_db };
        for objects in beds {
            objects.retain(|o| !o.is_twin_of(&deeper));
            objects.push(deeper.clone());
        }
        Ok(())
    };
    let what = format!("emphasise phrase {}", body.phrase + 1);
    Ok(web::Json(reshape(&app, *id, body.revision, &what, &|_| Ok(()), hand).await?))
}

/// A passage that is raised or lowered.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SweepPassage {
    /// The revision that the client saw.
    pub revision: u32,
    /// From, in seconds of the cut.
    pub start_s: f64,
    /// To.
    pub end_s: f64,
    /// By how much, in dB; negative lowers.
    pub by_db: f64,
}

/// Raises or lowers the bed in one passage; nothing outside of it changes.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = SweepPassage, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/sweeps")]
pub async fn sweep_passage(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<SweepPassage>) -> Result<web::Json<CutView>, Problem> {
    let SweepPassage { revision, start_s, end_s, by_db } = body.into_inner();
    if ![start_s, end_s].iter().all(|s| (0.0..=86_400.0).contains(s)) {
        return Err(Problem::bad_value("A passage lies within the cut."));
    }
    let (from, to) = (samples_from_seconds(start_s), samples_from_seconds(end_s));
    let hand = |beds: &mut [&mut Vec<LevelObject>]| {
        beds.iter_mut().try_for_each(|objects| sweep(objects, from, to, by_db)).map_err(|cause| Problem::bad_value(format!("Not possible: {cause}.")))
    };
    let what =
        format!("{} the bed from {start_s:.1} to {end_s:.1} s by {} dB", if by_db > 0.0 { "raise" } else { "lower" }, (by_db.abs() * 10.0).round() / 10.0);
    Ok(web::Json(reshape(&app, *id, revision, &what, &|_| Ok(()), hand).await?))
}
