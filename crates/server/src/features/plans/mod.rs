//! Changing a plan: another fitting, a level by hand, undo and redo.

use crate::App;
use crate::features::cuts::store::{self as cuts, CutRow, Next, RevisionRow};
use crate::features::cuts::view::CutView;
use crate::jobs::tasks::Material;
use crate::jobs::{Task, queue};
use crate::problem::{Code, Problem};
use actix_web::{post, put, web};
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
    let current = cuts::current(&app.pool, &cut).await?;
    if current.revision != revision {
        return Err(Problem::new(Code::Stale, format!("Your page showed revision {revision}, the plan is at {}.", current.revision)));
    }
    Ok((cut, current))
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
    let (cut, current) = seen(&app, *id, body.revision).await?;
    let fitting = current.fittings.get(body.index as usize).cloned().ok_or_else(|| Problem::not_found("fitting"))?;
    let material = Material::of(&app, &current.setup, &current).await.map_err(Problem::internal)?;
    let fitted_under = current.plan.fitted_under.clone();
    let plan = web::block(move || jaunty_core::plan::Plan { fitted_under, ..material.propose(Some(&fitting)) }).await?;
    let what = format!("take fitting {}", body.index + 1);
    cuts::append(&app.pool, &cut, &Next { what: &what, setup: &current.setup, plan: &plan, fittings: &current.fittings, chosen: body.index }).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Goes back to the revision that the shown one was made from.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/undo")]
pub async fn undo(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (cut, current) = seen(&app, *id, body.revision).await?;
    let parent = current.parent.ok_or_else(|| Problem::new(Code::NothingToUndo, "There is nothing to undo."))?;
    go(&app, &cut, parent).await
}

/// Goes on to the newest revision that was made from the shown one.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/plan/redo")]
pub async fn redo(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (cut, current) = seen(&app, *id, body.revision).await?;
    let child = cuts::child(&app.pool, cut.id, current.revision).await?;
    let (target, _) = child.ok_or_else(|| Problem::new(Code::NothingToUndo, "There is nothing to redo."))?;
    go(&app, &cut, target).await
}

async fn go(app: &App, cut: &CutRow, revision: u32) -> Result<web::Json<CutView>, Problem> {
    let target = cuts::revision(&app.pool, cut.id, revision).await?.ok_or_else(|| Problem::not_found("revision"))?;
    cuts::show(&app.pool, cut, &target).await?;
    queue::add_once(&app.pool, cut.id, &Task::Compare).await?;
    Ok(web::Json(CutView::of(app, cut.id).await?))
}
