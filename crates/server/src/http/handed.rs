//! Files to hand over: asked for, listed, fetched.

use super::listening::attached;
use super::rights::AskedStudio;
use super::views::HandedView;
use crate::store::handed;
use crate::studio::{Asked, Problem};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use jaunty_core::handover::Form;
use serde::Deserialize;
use std::fs::File;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(all).service(hand_over).service(handed_file);
}

/// What was handed over, the newest first.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Vec<HandedView>)))]
#[get("/api/cuts/{id}/handed")]
pub async fn all(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<Vec<HandedView>>, Problem> {
    let rows = handed::of_cut(&studio.pool, *id).await?;
    Ok(web::Json(rows.into_iter().map(HandedView::from).collect()))
}

/// A file that is wanted.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct Wanted {
    /// Of which revision.
    pub revision: u32,
    /// What.
    pub form: Form,
}

/// Asks for a file of a revision. Where the same was made before it is there at once; else a job makes it.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = Wanted,
    responses((status = 200, body = HandedView, description = "It is there."), (status = 202, description = "A job makes it.")))]
#[post("/api/cuts/{id}/handed")]
pub async fn hand_over(studio: AskedStudio, id: web::Path<Uuid>, wanted: web::Json<Wanted>) -> Result<HttpResponse, Problem> {
    match studio.ask_to_hand_over(*id, wanted.revision, wanted.form).await? {
        Asked::There(row) => Ok(HttpResponse::Ok().json(HandedView::from(row))),
        Asked::Waits => Ok(HttpResponse::Accepted().finish()),
    }
}

/// A file that was handed over.
#[utoipa::path(params(("id" = Uuid, Path), ("handed" = Uuid, Path)), responses((status = 200, content_type = "application/octet-stream")))]
#[get("/api/cuts/{id}/handed/{handed}/file")]
pub async fn handed_file(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (id, handed) = path.into_inner();
    let (file, name) = studio.handed_file(id, handed).await?;
    let plain = format!("file.{}", name.rsplit('.').next().unwrap_or("bin"));
    attached(File::open(file)?, &plain, name, &request)
}
