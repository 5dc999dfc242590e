//! The proxy film: playing it, and single pictures of it.

use super::hash::SoundHash;
use super::rights::AskedStudio;
use crate::studio::{Problem, Studio, extension};
use actix_web::body::SizedStream;
use actix_web::http::header::{
    ACCEPT_RANGES, CACHE_CONTROL, CONTENT_ENCODING, ContentDisposition, ContentRange, ContentRangeSpec, DispositionType, ETag, EntityTag, Header, Range,
};
use actix_web::{HttpRequest, HttpResponse, get, web};
use jaunty_core::cut::Film;
use mime::Mime;
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
    let film = studio.film_of(id, &hash).await?;
    played(&studio, &film, &request).await
}

/// A film as an answer: whole, or the range that is asked for (RFC 9110, 14), from wherever it lies.
pub(super) async fn played(studio: &Studio, film: &Film, request: &HttpRequest) -> Result<HttpResponse, Problem> {
    let size = studio.files.size_bytes(&film.hash).await?;
    let asked = match Range::parse(request) {
        // Players ask for one; several are answered by the whole, as servers may.
        Ok(Range::Bytes(specs)) if specs.len() == 1 => Some(specs[0].to_satisfiable_range(size)),
        _ => None,
    };
    let (mut answer, (first, last)) = match asked {
        None => (HttpResponse::Ok(), (0, size.saturating_sub(1))),
        Some(Some(range)) => (HttpResponse::PartialContent(), range),
        Some(None) => {
            let unsatisfied = ContentRange(ContentRangeSpec::Bytes { range: None, instance_length: Some(size) });
            return Ok(HttpResponse::RangeNotSatisfiable().insert_header(unsatisfied).finish());
        }
    };
    if asked.is_some() {
        answer.insert_header(ContentRange(ContentRangeSpec::Bytes { range: Some((first, last)), instance_length: Some(size) }));
    }
    let bytes = studio.files.range(&film.hash, first..(last + 1).min(size)).await?;
    answer
        // What the file is called says nothing about what a browser may take it for.
        .content_type(played_as(&film.name))
        .insert_header(ContentDisposition { disposition: DispositionType::Inline, parameters: Vec::new() })
        .insert_header(ETag(EntityTag::new_strong(film.hash.clone())))
        .insert_header((ACCEPT_RANGES, "bytes"))
        // Compressed ranges could not be sought in.
        .insert_header((CONTENT_ENCODING, "identity"))
        .insert_header((CACHE_CONTROL, "private, max-age=86400"));
    Ok(answer.body(SizedStream::new((last + 1).min(size) - first, bytes)))
}

/// A small picture of one frame of the film.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path), ("frame" = u64, Path)), responses((status = 200, content_type = "image/jpeg")))]
#[get("/api/cuts/{id}/film/{hash}/{frame}.jpg")]
pub async fn film_picture(studio: AskedStudio, path: web::Path<(Uuid, SoundHash, u64)>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash), frame) = path.into_inner();
    let bytes = studio.film_picture(id, &hash, frame).await?;
    Ok(HttpResponse::Ok().content_type("image/jpeg").insert_header(("cache-control", "private, max-age=31536000, immutable")).body(bytes))
}
