//! Figures that a house keeps for all its cuts.

use super::rights::AskedStudio;
use crate::studio::Problem;
use actix_web::{HttpResponse, delete, get, put, web};
use jaunty_core::cut::HouseFigures;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(houses).service(keep_house).service(drop_house);
}

/// All of them, by name.
#[utoipa::path(responses((status = 200, body = Vec<HouseFigures>)))]
#[get("/api/house")]
pub async fn houses(studio: AskedStudio) -> Result<web::Json<Vec<HouseFigures>>, Problem> {
    Ok(web::Json(studio.houses().await?))
}

/// What is kept under a name.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct KeptHouse {
    /// The cut whose figures they are.
    pub cut: Uuid,
    /// How files are named; as the cut's are without it.
    pub file_names: Option<String>,
}

/// Keeps the figures of a cut under a name, in place of those that had it.
#[utoipa::path(params(("name" = String, Path)), request_body = KeptHouse, responses((status = 200, body = HouseFigures)))]
#[put("/api/house/{name}")]
pub async fn keep_house(studio: AskedStudio, name: web::Path<String>, body: web::Json<KeptHouse>) -> Result<web::Json<HouseFigures>, Problem> {
    let KeptHouse { cut, file_names } = body.into_inner();
    Ok(web::Json(studio.keep_house(&name, cut, file_names).await?))
}

/// Figures go; cuts that took them keep what they took.
#[utoipa::path(params(("name" = String, Path)), responses((status = 204)))]
#[delete("/api/house/{name}")]
pub async fn drop_house(studio: AskedStudio, name: web::Path<String>) -> Result<HttpResponse, Problem> {
    studio.drop_house(&name).await?;
    Ok(HttpResponse::NoContent().finish())
}
