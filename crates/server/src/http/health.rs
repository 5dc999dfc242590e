//! Whether the server and its database answer.

use crate::store::answers;
use crate::studio::{Problem, Studio};
use actix_web::{HttpResponse, get, web};

/// Mounts the address.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(health);
}

/// Whether the server and its database answer.
#[utoipa::path(responses((status = 204, description = "All is well")))]
#[get("/api/health")]
pub async fn health(studio: web::Data<Studio>) -> Result<HttpResponse, Problem> {
    answers(&studio.pool).await?;
    Ok(HttpResponse::NoContent().finish())
}
