//! The shelf: music of a supplier, found, heard and taken with its terms.

pub mod supplier;

use crate::App;
use crate::features::beds::attach_bed;
use crate::features::cuts::setup::{Licence, UsedSound};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::problem::{Code, Problem};
use actix_files::NamedFile;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use chrono::Utc;
use jaunty_core::shape::BED_ALONE_LUFS;
use jaunty_core::sound::loudness;
use jaunty_core::terms::{Purpose, Terms, objection};
use jaunty_core::units::gain_from_db;
use jaunty_media::{decode_to_sound, write_wav};
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use supplier::{Piece, Query};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the feature.
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

/// A piece on the shelf.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShelfPieceView {
    /// The supplier's name of it.
    pub id: String,
    /// Its title.
    pub title: String,
    /// Who made it.
    pub maker: String,
    /// Its style in a few words.
    pub style: String,
    /// Words for its mood.
    pub moods: Vec<String>,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Its length in seconds.
    pub length_s: f64,
    /// Whether somebody sings.
    pub singing: bool,
    /// The terms of use, for people.
    pub terms: String,
    /// Why it may not be used for this cut.
    pub objection: Option<String>,
    /// Whether this cut has taken it.
    pub taken: bool,
}

/// What the shelf holds.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShelfView {
    /// The supplier.
    pub supplier: String,
    /// Every mood there is.
    pub moods: Vec<String>,
    /// The pieces that were found.
    pub pieces: Vec<ShelfPieceView>,
}

/// The cuts that have taken a piece.
async fn takers(app: &App, piece: &str) -> Result<Vec<Uuid>, Problem> {
    let rows: Vec<(Uuid,)> = sqlx::query_as("SELECT cut_id FROM licences WHERE piece = ?").bind(piece).fetch_all(&app.pool).await?;
    Ok(rows.into_iter().map(|r| r.0).collect())
}

/// Whether another cut has taken a piece that may be used in one project only.
///
/// # Errors
/// What the database says.
pub async fn taken_elsewhere(app: &App, cut: Uuid, piece: &str, terms: Terms) -> Result<bool, Problem> {
    Ok(terms == Terms::OneProject && takers(app, piece).await?.iter().any(|taker| *taker != cut))
}

/// Why a piece may not be used for a cut.
async fn objection_to(app: &App, cut: Uuid, purpose: Purpose, piece: &Piece) -> Result<Option<&'static str>, Problem> {
    Ok(objection(piece.terms, purpose, taken_elsewhere(app, cut, &piece.id, piece.terms).await?))
}

/// Looks for pieces, and says which of them may not be used for this cut.
#[utoipa::path(params(("id" = Uuid, Path), ShelfQuery), responses((status = 200, body = ShelfView)))]
#[get("/api/cuts/{id}/shelf")]
pub async fn search(app: web::Data<App>, id: web::Path<Uuid>, query: web::Query<ShelfQuery>) -> Result<web::Json<ShelfView>, Problem> {
    let setup = cuts::known(&app.pool, *id).await?.setup;
    let wanted = Query {
        words: query.words.clone().unwrap_or_default(),
        mood: query.mood.clone().filter(|m| !m.is_empty()),
        tempo_bpm: (query.tempo_from_bpm, query.tempo_to_bpm),
        length_s: (query.length_from_s, query.length_to_s),
        singing: query.singing,
    };
    let mut moods: Vec<String> = app.shelf.search(Query::default()).await?.into_iter().flat_map(|p| p.moods).collect();
    moods.sort();
    moods.dedup();
    let mut pieces = Vec::new();
    for piece in app.shelf.search(wanted).await? {
        let objection = objection_to(&app, *id, setup.purpose, &piece).await?.map(str::to_owned);
        let taken = setup.candidates.iter().any(|c| c.licence.as_ref().is_some_and(|l| l.piece == piece.id));
        pieces.push(ShelfPieceView {
            id: piece.id,
            title: piece.title,
            maker: piece.maker,
            style: piece.style,
            moods: piece.moods,
            tempo_bpm: piece.tempo_bpm,
            metre: piece.metre,
            length_s: piece.length_s,
            singing: piece.singing,
            terms: piece.terms.name().to_owned(),
            objection,
            taken,
        });
    }
    Ok(web::Json(ShelfView { supplier: app.shelf.name().to_owned(), moods, pieces }))
}

/// A piece to listen to before it is taken, brought down to the loudness of a bed alone.
#[utoipa::path(params(("piece" = String, Path)), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/shelf/{piece}/sound")]
pub async fn preview(app: web::Data<App>, piece: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let path = app.shelf.sound(piece.into_inner()).await?;
    let quiet = app.sounds.cache_path(&format!("{}.quiet.wav", path.file_stem().and_then(|s| s.to_str()).unwrap_or("piece")));
    let work = move || -> Result<std::path::PathBuf, Problem> {
        if !quiet.exists() {
            let mut sound = decode_to_sound(&path).map_err(Problem::bad_value)?;
            let lufs = loudness::measure(&sound).integrated_lufs.unwrap_or(BED_ALONE_LUFS);
            let gain = gain_from_db(BED_ALONE_LUFS - lufs) as f32;
            sound.channels_mut().iter_mut().flatten().for_each(|s| *s *= gain);
            let made = tempfile::NamedTempFile::new_in(quiet.parent().unwrap_or(std::path::Path::new(".")))?;
            write_wav(made.path(), &sound)?;
            made.persist(&quiet).map_err(|e| Problem::from(e.error))?;
        }
        Ok(quiet)
    };
    Ok(NamedFile::open(app.compute(work).await??)?.into_response(&request))
}

/// How a piece is taken.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakePiece {
    /// Take it although it may not be used for this cut's purpose; the warning stays in the record.
    pub despite_objection: bool,
}

/// Takes a piece into a cut as a candidate: terms, credit line, licence number and date are
/// recorded. A piece that may not be used for the cut's purpose is refused unless the objection
/// is passed over knowingly.
#[utoipa::path(params(("id" = Uuid, Path), ("piece" = String, Path)), request_body = TakePiece, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/shelf/{piece}")]
pub async fn take(app: web::Data<App>, path: web::Path<(Uuid, String)>, body: web::Json<TakePiece>) -> Result<web::Json<CutView>, Problem> {
    let (id, piece) = path.into_inner();
    let setup = cuts::known(&app.pool, id).await?.setup;
    let piece = app.shelf.piece(piece).await?;
    let warned = objection_to(&app, id, setup.purpose, &piece).await?;
    if let Some(objection) = warned
        && !body.despite_objection
    {
        return Err(Problem::new(Code::MayNotUse, objection));
    }
    let file = app.shelf.sound(piece.id.clone()).await?;
    let name = file.file_name().and_then(|n| n.to_str()).unwrap_or("piece.wav").to_owned();
    let hash = app.take_in_file(&file, &name, "wav").await?;
    let grant = app.shelf.licence(piece.id.clone()).await?;
    let licence = Licence {
        supplier: app.shelf.name().to_owned(),
        piece: piece.id.clone(),
        maker: piece.maker.clone(),
        terms: piece.terms,
        singing: piece.singing,
        credit: grant.credit,
        number: grant.number,
        taken_at: Utc::now(),
        warned: warned.map(str::to_owned),
    };
    sqlx::query("INSERT INTO licences (number, cut_id, piece, document) VALUES (?, ?, ?, ?)")
        .bind(&licence.number)
        .bind(id)
        .bind(&piece.id)
        .bind(Json(&licence))
        .execute(&app.pool)
        .await?;
    attach_bed(&app, id, UsedSound { hash, name }, Some(licence)).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}
