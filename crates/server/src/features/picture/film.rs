//! The proxy film: bringing it in, playing it, single pictures of it.

use crate::App;
use crate::features::beds::HandoverBody;
use crate::features::cuts::replan;
use crate::features::cuts::setup::{Film, Setup, UsedSound};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::plans::FromRevision;
use crate::features::sounds::SoundHash;
use crate::jobs::Task;
use crate::problem::Problem;
use crate::upload::{extension, title_from};
use actix_files::NamedFile;
use actix_multipart::Multipart;
use actix_web::http::header::{ContentDisposition, DispositionType};
use actix_web::{HttpRequest, HttpResponse, delete, get, post, put, web};
use jaunty_core::fit::Passage;
use jaunty_core::picture::Picture;
use jaunty_core::plan::{FilmWish, SpeechRule};
use jaunty_core::units::{CutLength, samples_from_seconds};
use jaunty_media::film;
use mime::Mime;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

pub(super) fn configure(config: &mut web::ServiceConfig) {
    config
        .service(take_film)
        .service(cut_from_film)
        .service(drop_film)
        .service(film_sound)
        .service(film_handover)
        .service(film_length)
        .service(play_film)
        .service(film_picture);
}

/// Stores a film and says what it is.
async fn bring_in(app: &App, form: &mut Multipart) -> Result<(Film, bool), Problem> {
    let UsedSound { hash, name } = app.take_in(form).await?;
    describe(app, &hash, &name).await
}

fn length_of(film: &Film) -> Result<CutLength, Problem> {
    CutLength::new(film.rate, film.length_frames).map_err(Problem::bad_value)
}

/// A stored film as a cut uses it, and whether it has a sound of its own.
pub async fn describe(app: &App, hash: &str, name: &str) -> Result<(Film, bool), Problem> {
    let path = app.sounds.original(hash, &extension(name)).await?;
    let facts = web::block(move || film::probe(&path)).await??;
    let film = Film {
        hash: hash.to_owned(),
        name: name.to_owned(),
        rate: facts.rate,
        length_frames: facts.length_frames,
        first_frame: facts.first_frame,
        sound: None,
        sound_on: true,
        wish: FilmWish::default(),
        width_px: facts.width_px,
        height_px: facts.height_px,
    };
    Ok((film, facts.has_sound))
}

/// Puts a film into a cut and asks for its own sound.
pub async fn attach_film(app: &App, id: Uuid, film: Film, has_sound: bool) -> Result<(), Problem> {
    let what = format!("bring in the film \"{}\"", film.name);
    let take_sound = has_sound.then(|| Task::FilmSound { film: film.hash.clone() });
    cuts::note(&app.pool, id, None, &what, take_sound.as_ref(), |setup| {
        setup.film = Some(film);
        Ok(())
    })
    .await?;
    Ok(())
}

/// Takes a proxy film into a cut. Where its length or rate differ from the cut's, the page says so.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/film")]
pub async fn take_film(app: web::Data<App>, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    cuts::known(&app.pool, *id).await?;
    let (film, has_sound) = bring_in(&app, &mut form).await?;
    attach_film(&app, *id, film, has_sound).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Makes a cut as long as a film.
#[utoipa::path(request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/from-film")]
pub async fn cut_from_film(app: web::Data<App>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    let (film, has_sound) = bring_in(&app, &mut form).await?;
    let mut picture = Picture::new(length_of(&film)?);
    picture.first_frame = film.first_frame.unwrap_or(0);
    let id = cuts::insert(&app.pool, &Setup::new(&title_from(&film.name), picture)).await?;
    attach_film(&app, id, film, has_sound).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Makes the cut as long as its film, at the film's rate and first timecode.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/film/length")]
pub async fn film_length(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let film = cut.setup.film.ok_or_else(|| Problem::not_found("film"))?;
    let length = length_of(&film)?;
    let what = format!("make the cut as long as the film, {}", film.rate.timecode(film.length_frames));
    replan(&app, *id, Some(body.revision), &what, |setup| {
        let picture = &mut setup.picture;
        picture.set_length(length);
        picture.first_frame = film.first_frame.unwrap_or(picture.first_frame);
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// What the film's own sound is to do; what is not named stays.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FilmSound {
    /// The revision that the client saw.
    pub revision: u32,
    /// Heard or not.
    pub on: Option<bool>,
    /// Gain over the sound as it came in, in dB, -60 to 20.
    pub gain_db: Option<f64>,
    /// What it does while somebody speaks.
    pub rule: Option<SpeechRule>,
    /// From where on it is heard, in seconds of the cut.
    pub from_s: Option<f64>,
    /// Until where.
    pub until_s: Option<f64>,
}

impl FilmSound {
    fn apply(&self, film: &mut Film, length_samples: u64) -> Result<(), Problem> {
        if self.gain_db.is_some_and(|db| !(-60.0..=20.0).contains(&db)) {
            return Err(Problem::bad_value("The film's own sound is raised by at most 20 dB and lowered by at most 60 dB."));
        }
        let heard = film.wish.heard(length_samples);
        let time = |s: Option<f64>, else_samples: u64| match s {
            None => Ok(else_samples),
            Some(s) if (0.0..=86_400.0).contains(&s) => Ok(samples_from_seconds(s)),
            Some(_) => Err(Problem::bad_value("A time is 0 to 86400 seconds.")),
        };
        let (start_samples, end_samples) = (time(self.from_s, heard.start_samples)?, time(self.until_s, heard.end_samples)?);
        if end_samples <= start_samples {
            return Err(Problem::bad_value("The film's own sound ends after it begins, within the cut."));
        }
        if self.from_s.is_some() || self.until_s.is_some() {
            let all = start_samples == 0 && end_samples >= length_samples;
            let end_samples = if end_samples >= length_samples { Passage::OPEN_END } else { end_samples };
            film.wish.place = (!all).then_some(Passage { start_samples, end_samples });
        }
        film.sound_on = self.on.unwrap_or(film.sound_on);
        film.wish.gain_db = self.gain_db.unwrap_or(film.wish.gain_db);
        film.wish.rule = self.rule.map_or(film.wish.rule, SpeechRule::from);
        Ok(())
    }
}

/// Turns the film's own sound on or off, sets its level, its rule for speech and its place.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FilmSound, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/film/sound")]
pub async fn film_sound(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FilmSound>) -> Result<web::Json<CutView>, Problem> {
    let what = match body.on {
        Some(true) => "hear the film's own sound",
        Some(false) => "leave the film's own sound out",
        None => "change the film's own sound",
    };
    replan(&app, *id, Some(body.revision), what, |setup| {
        let length_samples = setup.picture.length_samples();
        body.apply(setup.film.as_mut().ok_or_else(|| Problem::not_found("film"))?, length_samples)
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// The film's own sound gives over to the bed, or the bed to it, at a moment.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FilmHandover {
    /// The revision that the client saw.
    pub revision: u32,
    /// Whether the bed takes over; otherwise the film's own sound does.
    pub to_bed: bool,
    /// The moment.
    #[serde(flatten)]
    pub handover: HandoverBody,
}

/// Hands over between the film's own sound and the bed; the bed is fitted to the time that is left to it.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FilmHandover, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/film/handover")]
pub async fn film_handover(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FilmHandover>) -> Result<web::Json<CutView>, Problem> {
    let handover = body.handover.checked()?;
    let what = if body.to_bed { "hand over from the film's own sound to the bed" } else { "hand over from the bed to the film's own sound" };
    replan(&app, *id, Some(body.revision), what, |setup| Ok(setup.film_hands_over(handover, body.to_bed)?)).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Takes the film out of the cut.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/film")]
pub async fn drop_film(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    replan(&app, *id, Some(body.revision), "take the film away", |setup| {
        setup.film = None;
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// The types that films are given out as, by the ends of their names; another one is only downloaded.
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

async fn film_of(app: &App, id: Uuid, hash: &str) -> Result<Film, Problem> {
    let film = cuts::known(&app.pool, id).await?.setup.film;
    film.filter(|f| f.hash == hash).ok_or_else(|| Problem::not_found("film"))
}

/// The film, for the page to play; ranges are answered.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path)), responses((status = 200, content_type = "video/webm")))]
#[get("/api/cuts/{id}/film/{hash}")]
pub async fn play_film(app: web::Data<App>, path: web::Path<(Uuid, SoundHash)>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash)) = path.into_inner();
    let film = film_of(&app, id, &hash).await?;
    let file = app.sounds.original(&hash, &extension(&film.name)).await?;
    let inline = ContentDisposition { disposition: DispositionType::Inline, parameters: Vec::new() };
    // What the file is called says nothing about what a browser may take it for.
    let mut answer = NamedFile::open(file)?.set_content_type(played_as(&film.name)).set_content_disposition(inline).into_response(&request);
    // Compressed ranges could not be sought in.
    answer.headers_mut().insert(actix_web::http::header::CONTENT_ENCODING, actix_web::http::header::HeaderValue::from_static("identity"));
    answer.headers_mut().insert(actix_web::http::header::CACHE_CONTROL, actix_web::http::header::HeaderValue::from_static("private, max-age=86400"));
    Ok(answer)
}

/// Width of the small pictures on the sheet.
const SMALL_PX: u32 = 160;

/// One picture of the film, as JPEG.
#[utoipa::path(params(("id" = Uuid, Path), ("hash" = String, Path), ("frame" = u64, Path)), responses((status = 200, content_type = "image/jpeg")))]
#[get("/api/cuts/{id}/film/{hash}/{frame}.jpg")]
pub async fn film_picture(app: web::Data<App>, path: web::Path<(Uuid, SoundHash, u64)>) -> Result<HttpResponse, Problem> {
    let (id, SoundHash(hash), frame) = path.into_inner();
    let film = film_of(&app, id, &hash).await?;
    if frame >= film.length_frames {
        return Err(Problem::not_found("picture"));
    }
    let picture = app.pictures.of(&hash, frame, async || {
        let file = app.sounds.original(&hash, &extension(&film.name)).await?;
        // The first picture from half a frame before on is this one, however its time was rounded.
        let at_s = (frame as f64 - 0.5).max(0.0) / film.rate.as_f64();
        let made = app.sounds.unfinished()?;
        web::block(move || -> Result<Vec<u8>, Problem> {
            film::still(&file, at_s, SMALL_PX, made.path())?;
            Ok(std::fs::read(made.path())?)
        })
        .await?
    });
    let bytes = picture.await?;
    Ok(HttpResponse::Ok().content_type("image/jpeg").insert_header(("cache-control", "private, max-age=31536000, immutable")).body(bytes))
}
