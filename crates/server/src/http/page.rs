//! The page: built by Vite, embedded in the binary, so that nothing is fetched from elsewhere.

use super::table::nothing_there;
use crate::studio::{Code, Problem};
use actix_web::http::Method;
use actix_web::{HttpRequest, HttpResponse, web};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Dist;

/// Mounts the page behind everything else.
pub fn configure(config: &mut web::ServiceConfig) {
    config.default_service(web::to(page));
}

/// What the page may load: only what this server gives.
const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; media-src 'self' blob:; connect-src 'self'; object-src 'none'; frame-ancestors 'none'; base-uri 'self'";

async fn page(request: HttpRequest) -> Result<HttpResponse, Problem> {
    if request.path().starts_with("/api") {
        return Ok(nothing_there(request.path(), request.method()));
    }
    if !matches!(*request.method(), Method::GET | Method::HEAD) {
        return Err(Problem::new(Code::WrongMethod, "The page takes GET."));
    }
    let path = request.path().trim_start_matches('/');
    // The page itself answers for every address that is not a file: it has routes of its own.
    let (name, file) = match Dist::get(path) {
        Some(file) if !path.is_empty() => (path, file),
        _ => ("index.html", Dist::get("index.html").ok_or_else(|| Problem::internal("the page was not built: run npm run build in web"))?),
    };
    let lasting = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    Ok(HttpResponse::Ok()
        .content_type(file.metadata.mimetype())
        .insert_header(("cache-control", lasting))
        .insert_header(("content-security-policy", POLICY))
        .body(file.data.into_owned()))
}
