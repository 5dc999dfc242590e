//! The fit: what a length would give while it is dragged, how long stills would have to be held instead, and one
//! splice close up.

use super::rights::AskedStudio;
use super::views::{FittingView, NaturalWaysView};
use crate::studio::Problem;
use actix_web::{get, web};
use jaunty_core::fit::CloseUp;
use serde::Deserialize;
use utoipa::IntoParams;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(fit_at).service(natural_ways).service(splice_close_up);
}

/// A length to try.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct TriedLength {
    /// In frames.
    length_frames: u64,
}

/// What another length would give; nothing is changed.
#[utoipa::path(params(("id" = Uuid, Path), TriedLength), responses((status = 200, body = FittingView)))]
#[get("/api/cuts/{id}/fit/at")]
pub async fn fit_at(studio: AskedStudio, id: web::Path<Uuid>, tried: web::Query<TriedLength>) -> Result<web::Json<FittingView>, Problem> {
    let found = studio.fitting_at(*id, tried.length_frames).await?;
    Ok(web::Json(FittingView::of(&found.fitting, found.music_samples)))
}

/// Lengths near the cut's at which the bed ends by itself at its own speed, and how the stills could be held for them.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = NaturalWaysView)))]
#[get("/api/cuts/{id}/fit/lengths")]
pub async fn natural_ways(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<NaturalWaysView>, Problem> {
    Ok(web::Json(NaturalWaysView::from(&studio.natural_ways(*id).await?)))
}

/// How much to show.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct Reach {
    /// On either side of the bar line, in seconds.
    reach_s: f64,
}

/// A splice of a revision's fitting, close up.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path), ("index" = usize, Path), Reach), responses((status = 200, body = CloseUp)))]
#[get("/api/cuts/{id}/revisions/{revision}/splices/{index}")]
pub async fn splice_close_up(studio: AskedStudio, path: web::Path<(Uuid, u32, usize)>, reach: web::Query<Reach>) -> Result<web::Json<CloseUp>, Problem> {
    let (id, revision, index) = path.into_inner();
    if !(0.01..=10.0).contains(&reach.reach_s) {
        return Err(Problem::bad_value("A close-up shows 0.01 to 10 seconds on either side."));
    }
    Ok(web::Json(studio.close_up(id, revision, index, reach.reach_s).await?))
}
