//! The shape: figures of the whole, single objects by hand, ambiences, and what is measured.

mod ambiences;
mod figures;
mod objects;
mod speech;

pub use ambiences::*;
pub use figures::*;
pub use objects::*;
pub use speech::*;

use crate::App;
use crate::features::cuts::store::{self as cuts, Edit, Next};
use crate::features::cuts::view::CutView;
use crate::features::listening::Ready;
use crate::features::plans::change;
use crate::jobs::tasks::Material;
use crate::problem::Problem;
use actix_web::{HttpResponse, get, web};
use jaunty_core::plan::Plan;
use jaunty_core::shape::LevelObject;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(set_shape).service(change_level).service(give_back).service(emphasise).service(sweep_passage);
    config.service(upload_ambience).service(change_ambience).service(drop_ambience).service(edit_voice).service(meters);
}

/// Shapes anew after `edit` of the setup and `hand` of the beds' objects, with the fittings as they are.
async fn reshape(
    app: &App,
    id: Uuid,
    revision: u32,
    what: &str,
    edit: Edit<'_>,
    hand: impl Fn(&mut [&mut Vec<LevelObject>]) -> Result<(), Problem>,
) -> Result<CutView, Problem> {
    change(app, id, revision, async |cut, current| {
        let mut setup = current.setup.clone();
        edit(&mut setup)?;
        let mut material = Material::of(app, &setup, &current).await?;
        material.set_by_hand(&hand)?;
        let fitting = current.fittings.get(current.chosen as usize).cloned();
        let fitted_under = current.plan.fitted_under.clone();
        let plan = app.compute(move || Plan { fitted_under, ..material.propose(fitting.as_ref()) }).await?;
        let next = Next { what, plan: &plan, fittings: &current.fittings, chosen: current.chosen };
        cuts::append(&app.pool, cut, &next, edit).await.map(|_| ())
    })
    .await
}

/// What is measured of a plan, in tenths of a second.
#[derive(Debug, serde::Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MetersView {
    /// How far the voice lies over the bed, in dB; none where nobody speaks.
    pub voice_over_bed_db: Vec<Option<f32>>,
    /// Momentary loudness of the mix in LUFS.
    pub momentary_lufs: Vec<Option<f32>>,
    /// Short-term loudness of the mix in LUFS.
    pub short_term_lufs: Vec<Option<f32>>,
    /// Highest true peak in dBTP.
    pub true_peak_dbtp: Option<f64>,
    /// Seconds between two values.
    pub step_s: f64,
}

/// What is measured of a revision.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path)), responses((status = 200, body = MetersView)))]
#[get("/api/cuts/{id}/revisions/{revision}/meters")]
pub async fn meters(app: web::Data<App>, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, Problem> {
    let (id, revision) = path.into_inner();
    let (_, ready) = Ready::of(&app, id, revision).await?;
    let measured = app.compute(move || ready.meters()).await??;
    let view = MetersView {
        voice_over_bed_db: measured.voice_over_bed_db,
        momentary_lufs: measured.momentary_lufs,
        short_term_lufs: measured.short_term_lufs,
        true_peak_dbtp: measured.true_peak_dbtp,
        step_s: 0.1,
    };
    Ok(HttpResponse::Ok().insert_header(("cache-control", "private, max-age=86400, immutable")).json(view))
}
