//! Several lengths of one cut.

use super::cuts::Shown;
use super::rights::AskedStudio;
use super::views::FamilyCutView;
use crate::studio::Problem;
use actix_web::{get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(family).service(make_versions).service(follow);
}

/// Lengths that are wanted.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct WantedLengths {
    /// Each as it is typed: seconds, minutes and seconds, or a timecode.
    pub lengths: Vec<String>,
}

/// Versions that were made.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MadeVersions {
    /// Their names in addresses, in the order of the lengths.
    pub ids: Vec<Uuid>,
}

/// A cut, or the one that it is a version of, and then all versions of that, the longest first.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Vec<FamilyCutView>)))]
#[get("/api/cuts/{id}/versions")]
pub async fn family(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<Vec<FamilyCutView>>, Problem> {
    Ok(web::Json(studio.family(*id).await?.iter().map(FamilyCutView::from).collect()))
}

/// Makes a version for each length, all or none.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = WantedLengths, responses((status = 200, body = MadeVersions)))]
#[post("/api/cuts/{id}/versions")]
pub async fn make_versions(studio: AskedStudio, id: web::Path<Uuid>, wanted: web::Json<WantedLengths>) -> Result<web::Json<MadeVersions>, Problem> {
    Ok(web::Json(MadeVersions { ids: studio.make_versions(*id, &wanted.lengths).await? }))
}

/// A version takes over what changed in the cut that it is a version of. It can be undone.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/follow")]
pub async fn follow(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<Shown>, Problem> {
    Ok(web::Json(Shown { revision: studio.follow(*id).await? }))
}
