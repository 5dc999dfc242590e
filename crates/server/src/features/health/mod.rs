//! Whether the server and its database answer.

use crate::App;
use crate::problem::Problem;
use actix_web::{HttpResponse, get, web};

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(health);
}

/// Answers when the database does.
#[utoipa::path(responses((status = 204, description = "All is well")))]
#[get("/api/health")]
pub async fn health(app: web::Data<App>) -> Result<HttpResponse, Problem> {
    sqlx::query("SELECT 1").execute(&app.pool).await?;
    Ok(HttpResponse::NoContent().finish())
}
