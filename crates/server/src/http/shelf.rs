//! The shelf: music of a supplier, found, heard and taken with its terms.

use super::cuts::Shown;
use super::rights::AskedStudio;
use super::views::ShelfView;
use crate::studio::{Problem, Query};
use actix_files::NamedFile;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(search).service(preview).service(take);
}

/// What to look for on the shelf; what is left out means anything.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct ShelfQuery {
    /// Words of the title, the style, the maker or the mood.
    words: Option<String>,
    /// A mood.
    mood: Option<String>,
    /// Lowest tempo in beats a minute.
    tempo_from_bpm: Option<f64>,
    /// Highest tempo.
    tempo_to_bpm: Option<f64>,
    /// Shortest length in seconds.
    length_from_s: Option<f64>,
    /// Longest length.
    length_to_s: Option<f64>,
    /// With or without singing.
    singing: Option<bool>,
}

/// Finds pieces on the shelf, each with whether it may be used for this cut.
#[utoipa::path(params(("id" = Uuid, Path), ShelfQuery), responses((status = 200, body = ShelfView)))]
#[get("/api/cuts/{id}/shelf")]
pub async fn search(studio: AskedStudio, id: web::Path<Uuid>, query: web::Query<ShelfQuery>) -> Result<web::Json<ShelfView>, Problem> {
    let query = query.into_inner();
    let wanted = Query {
        words: query.words.unwrap_or_default(),
        mood: query.mood.filter(|m| !m.is_empty()),
        tempo_bpm: (query.tempo_from_bpm, query.tempo_to_bpm),
        length_s: (query.length_from_s, query.length_to_s),
        singing: query.singing,
    };
    Ok(web::Json(studio.search_shelf(*id, wanted).await?.into()))
}

/// The sound of a piece, for listening, as loud as a bed alone.
#[utoipa::path(params(("piece" = String, Path)), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/shelf/{piece}/sound")]
pub async fn preview(studio: AskedStudio, piece: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    Ok(NamedFile::open(studio.preview(piece.into_inner()).await?)?.into_response(&request))
}

/// How a piece is taken.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakePiece {
    /// Take it although it may not be used for this cut's purpose; the warning stays in the record.
    pub despite_objection: bool,
}

/// Takes a piece as a candidate, with its licence.
#[utoipa::path(params(("id" = Uuid, Path), ("piece" = String, Path)), request_body = TakePiece, responses((status = 200, body = Shown)))]
#[post("/api/cuts/{id}/shelf/{piece}")]
pub async fn take(studio: AskedStudio, path: web::Path<(Uuid, String)>, body: web::Json<TakePiece>) -> Result<web::Json<Shown>, Problem> {
    let (id, piece) = path.into_inner();
    Ok(web::Json(Shown { revision: studio.take_piece(id, piece, body.despite_objection).await? }))
}
