//! The proxy film: playing it, and single pictures of it.

use super::hash::SoundHash;
use super::rights::AskedStudio;
use crate::studio::{Problem, extension};
use actix_files::NamedFile;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_ENCODING, ContentDisposition, DispositionType, HeaderValue};
use actix_web::{HttpRequest, HttpResponse, get, web};
use mime::Mime;
use std::path::PathBuf;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(play_film).service(film_picture);
}

/// What a browser may take a film for, by the ending of its name; anything else is bytes.
const PLAYED_AS: [(&str, &str); 7] = [
    ("mp4", "video/mp4"),
    ("m4v", "video/mp4"),
    ("mov", "video/mp4"),
    ("webm", "video/webm"),
    ("mkv", "video/webm"),
    ("ogv", "video/ogg"),
    ("ogg", "video/ogg"),
];

fn played_as(name: &str) -> Mime {
    let end = extension(name);
    let found = PLAYED_AS.iter().find(|(ending, _)| *ending == end).and_then(|(_, kind)| kind.parse().ok());
    found.unwrap_or(mime::APPLICATION_OCTET_STREAM)
}

/// The film itself, in ranges.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), responses((status = 200, content_type = "video/webm")))]
#[get("/api/cuts/{id}/film/{hash}")]
pub async fn play_film(studio: AskedStudio, path: web::Path<(Uuid, SoundHash)>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let (film, file) = studio.film_file(id, &hash).await?;
    played(&film.name, file, &request)
}

/// A film as an answer, in ranges.
pub(super) fn played(name: &str, file: PathBuf, request: &HttpRequest) -> Result<HttpResponse, Problem> {
    let inline = ContentDisposition { disposition: DispositionType::Inline, parameters: Vec::new() };
    // What the file is called says nothing about what a browser may take it for.
    let mut answer = NamedFile::open(file)?.set_content_type(played_as(name)).set_content_disposition(inline).into_response(request);
    // Compressed ranges could not be sought in.
    answer.headers_mut().insert(CONTENT_ENCODING, HeaderValue::from_static("identity"));
    answer.headers_mut().insert(CACHE_CONTROL, HeaderValue::from_static("private, max-age=86400"));
    Ok(answer)
}

/// A small picture of one frame of the film.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path), ("frame" = u64, Path)), responses((status = 200, content_type = "image/jpeg")))]
#[get("/api/cuts/{id}/film/{hash}/{frame}.jpg")]
pub async fn film_picture(studio: AskedStudio, path: web::Path<(Uuid, SoundHash, u64)>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash), frame) = path.into_inner();
    let bytes = studio.film_picture(id, &hash, frame).await?;
    Ok(HttpResponse::Ok().content_type("image/jpeg").insert_header(("cache-control", "private, max-age=31536000, immutable")).body(bytes))
}
