//! Changing a plan: another fitting, a level by hand, undo and redo.

use crate::App;
use crate::features::cuts::store::{self as cuts, CutRow, Next, RevisionRow, Step};
use crate::features::cuts::view::CutView;
use crate::jobs::tasks::Material;
use crate::problem::{Code, Problem};
use actix_web::{post, put, web};
use jaunty_core::plan::Plan;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(choose_fitting).service(undo).service(redo);
}

/// The revision that the client saw when it asked for a change.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FromRevision {
    /// Its number.
    pub revision: u32,
}

/// The cut and its shown revision, if that is the one that the client saw.
///
/// # Errors
/// [`Code::Stale`] if it is not.
pub async fn seen(app: &App, id: Uuid, revision: u32) -> Result<(CutRow, RevisionRow), Problem> {
    let cut = cuts::known(&app.pool, id).await?;
    cut.check_seen(Some(revision))?;
    let current = cuts::current(&app.pool, &cut).await?;
    Ok((cut, current))
}

/// How often a change is computed again because the machine's own plan came in between.
const MOST_TRIES: usize = 4;

/// Makes a change that takes time: computes it on what the client saw and appends it, and does both
/// again where the plan that this was waiting for has come in between.
///
/// # Errors
/// [`Code::Stale`] where something else came in between, or what `make` says.
pub async fn change<M: AsyncFn(&CutRow, RevisionRow) -> Result<(), Problem>>(app: &App, id: Uuid, revision: u32, make: M) -> Result<CutView, Problem> {
    for last in (0..MOST_TRIES).map(|k| k + 1 == MOST_TRIES) {
        let (cut, current) = seen(app, id, revision).await?;
        match make(&cut, current).await {
            Err(problem) if problem.code() == Code::Stale && !last => {}
            other => return other.and(CutView::of(app, id).await),
        }
    }
    unreachable!("the last try returns")
}

/// Which fitting to play.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChooseFitting {
    /// The revision that the client saw.
    pub revision: u32,
    /// Number in the list of fittings, from 0.
    pub index: u32,
}

/// Plays another of the proposed fittings; levels set by hand stay.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = ChooseFitting, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/plan/fitting")]
pub async fn choose_fitting(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<ChooseFitting>) -> Result<web::Json<CutView>, Problem> {
    let view = change(&app, *id, body.revision, async |cut, current| {
        let fitting = current.fittings.get(body.index as usize).cloned().ok_or_else(|| Problem::not_found("fitting"))?;
        let material = Material::of(&app, &current.setup, &current).await?;
        let fitted_under = current.plan.fitted_under.clone();
        let plan = app.compute(move || Plan { fitted_under, ..material.propose(Some(&fitting)) }).await?;
        let what = format!("take fitting {}", body.index + 1);
        let next = Next { what: &what, plan: &plan, fittings: &current.fittings, chosen: body.index };
        cuts::append(&app.pool, cut, &next, &|_| Ok(())).await.map(|_| ())
    });
    Ok(web::Json(view.await?))
}

/// Goes back to the revision that the shown one was made from.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/undo")]
pub async fn undo(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    go(&app, *id, body.revision, Step::Undo).await
}

/// Goes on to the newest revision that was made from the shown one.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/redo")]
pub async fn redo(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    go(&app, *id, body.revision, Step::Redo).await
}

async fn go(app: &App, id: Uuid, revision: u32, step: Step) -> Result<web::Json<CutView>, Problem> {
    cuts::step(&app.pool, id, revision, step).await?;
    Ok(web::Json(CutView::of(app, id).await?))
}
