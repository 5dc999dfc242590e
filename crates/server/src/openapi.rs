//! The OpenAPI document, from which the page's types are generated.

use crate::features::{cuts, health, listening, plans, sounds};
use crate::problem::ProblemBody;
use actix_web::{HttpResponse, get, web};
use utoipa::OpenApi;

#[derive(OpenApi)]
#[openapi(
    info(title = "Jaunty Bar", description = "Makes a music bed as long as the cut, and lets it breathe with the narration."),
    paths(
        health::health,
        cuts::all_cuts,
        cuts::make_cut,
        cuts::one_cut,
        cuts::change_cut,
        cuts::cancel_job,
        cuts::events,
        sounds::upload_bed,
        sounds::upload_narration,
        sounds::use_bed,
        sounds::beds,
        sounds::waveform,
        plans::choose_fitting,
        plans::set_level,
        plans::undo,
        plans::redo,
        listening::sound,
        listening::mix,
        listening::shaped
    ),
    components(schemas(ProblemBody, listening::HearView))
)]
struct Document;

/// The document as JSON.
pub fn document() -> String {
    Document::openapi().to_pretty_json().unwrap_or_default()
}

/// Mounts the document.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(serve_document);
}

/// The document.
#[get("/api/openapi.json")]
async fn serve_document() -> HttpResponse {
    HttpResponse::Ok().content_type("application/json").body(document())
}
