//! The fit: what somebody wants of it, one wish at a time; what a length would give while it is
//! dragged; one splice close up; and how long stills would have to be held instead.

mod close_up;
mod stills;
mod wishes;

pub use close_up::*;
pub use stills::*;
pub use wishes::*;

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::{CutView, FittingView};
use crate::features::plans::seen;
use crate::jobs::tasks::Material;
use crate::problem::Problem;
use actix_web::{get, put, web};
use jaunty_core::units::CutLength;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config
        .service(say_wish)
        .service(take_wish_back)
        .service(fit_again)
        .service(fit_at)
        .service(set_length)
        .service(splice_close_up)
        .service(ways_to_hold)
        .service(take_stills);
}

/// A length that is being tried.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct TriedLength {
    /// In frames of the cut.
    length_frames: u64,
}

/// The best fitting at another length of the cut, for while it is dragged; nothing is changed.
#[utoipa::path(params(("id" = Uuid, Path), TriedLength), responses((status = 200, body = FittingView)))]
#[get("/api/cuts/{id}/fit/at")]
pub async fn fit_at(app: web::Data<App>, id: web::Path<Uuid>, tried: web::Query<TriedLength>) -> Result<web::Json<FittingView>, Problem> {
    let mut cut = cuts::known(&app.pool, *id).await?;
    let length = CutLength::new(cut.setup.picture.rate, tried.length_frames).map_err(Problem::bad_value)?;
    cut.setup.picture.set_length(length);
    let current = cuts::current(&app.pool, &cut).await?;
    let material = Material::of(&app, &cut.setup, &current).await?;
    let music_samples = material.music_samples();
    let fitting = app.compute(move || material.quick_fitting()).await?;
    let fitting = fitting.ok_or_else(|| Problem::bad_value("There is no bed yet that could be fitted."))?;
    Ok(web::Json(FittingView::of(&fitting, music_samples)))
}

/// A length that is taken.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SetLength {
    /// The revision that the client saw.
    pub revision: u32,
    /// In frames of the cut.
    pub length_frames: u64,
}

/// Makes the cut so long and fits anew.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = SetLength, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/fit/length")]
pub async fn set_length(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<SetLength>) -> Result<web::Json<CutView>, Problem> {
    let (cut, _) = seen(&app, *id, body.revision).await?;
    let length = CutLength::new(cut.setup.picture.rate, body.length_frames).map_err(Problem::bad_value)?;
    let timecode = length.rate().timecode(length.frames());
    replan(&app, *id, Some(body.revision), &format!("make the cut {timecode} long"), |setup| {
        setup.picture.set_length(length);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}
