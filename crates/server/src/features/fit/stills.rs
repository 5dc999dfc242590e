//! The picture gives way: stills are held longer or shorter, so that the bed fits as it is.

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::plans::seen;
use crate::jobs::tasks::Material;
use crate::problem::Problem;
use actix_web::{get, post, web};
use jaunty_core::picture::stills::hold;
use jaunty_core::units::CutLength;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A way to hold the stills.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StillsView {
    /// Length of the cut then, in frames.
    pub length_frames: u64,
    /// The same in seconds.
    pub length_s: f64,
    /// By how much each still is held longer; below 1 shorter.
    pub factor: f64,
    /// How long a still stands then, on average.
    pub mean_hold_s: f64,
    /// Whether that is sensible.
    pub advised: bool,
}

/// How the stills could be held for the bed to end by itself at its own speed, nearest first.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Vec<StillsView>)))]
#[get("/api/cuts/{id}/fit/stills")]
pub async fn ways_to_hold(app: web::Data<App>, id: web::Path<Uuid>) -> Result<web::Json<Vec<StillsView>>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let picture = cut.setup.picture.clone();
    let current = cuts::current(&app.pool, &cut).await?;
    let material = Material::of(&app, &cut.setup, &current).await?;
    let lengths = app.compute(move || material.natural_lengths()).await?;
    let rate = picture.rate;
    let view = |samples: u64| {
        // The picture ends with the first frame that begins after the sound is over.
        let frames = (1..).map(|k| (rate.as_f64() * samples as f64 / 48_000.0) as u64 + k).find(|f| rate.samples_from_frames(*f) >= samples)?;
        let held = hold(&picture, frames)?;
        Some(StillsView {
            length_frames: frames,
            length_s: frames as f64 / rate.as_f64(),
            factor: held.factor,
            mean_hold_s: held.mean_hold_frames / rate.as_f64(),
            advised: held.advised,
        })
    };
    Ok(web::Json(lengths.into_iter().filter_map(view).collect()))
}

/// Which way to take.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakeStills {
    /// The revision that the client saw.
    pub revision: u32,
    /// Length of the cut then, in frames.
    pub length_frames: u64,
}

/// Holds the stills so that the cut has this length; what follows them moves along.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = TakeStills, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/fit/stills")]
pub async fn take_stills(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<TakeStills>) -> Result<web::Json<CutView>, Problem> {
    let (cut, _) = seen(&app, *id, body.revision).await?;
    let wanted = CutLength::new(cut.setup.picture.rate, body.length_frames).map_err(Problem::bad_value)?;
    let held = hold(&cut.setup.picture, wanted.frames()).ok_or_else(|| Problem::bad_value("The stills of this cut cannot take that length up."))?;
    let length = cut.setup.picture.rate.timecode(held.length_frames);
    replan(&app, *id, Some(body.revision), &format!("hold the stills until {length}"), |setup| {
        setup.picture.take_holding(&held);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}
