//! Lists of shots, moments and lines: in and out.

use crate::App;
use crate::features::cuts::setup::{ListReport, Setup};
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::features::cuts::{AskRate, replan};
use crate::problem::Problem;
use crate::upload::{first_file, title_from};
use actix_multipart::Multipart;
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpResponse, get, post, web};
use jaunty_core::picture::Picture;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_exchange::{For, List, Unused, cmx3600, otio, tell_unused};
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

pub(super) fn configure(config: &mut web::ServiceConfig) {
    config.service(take_list).service(cut_from_list).service(shots_out);
}

fn count(number: usize, one: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {one}s") }
}

/// Puts a list into a cut and notes what became of it. The list's own length and first timecode
/// are taken when the cut has no shots yet and no film says otherwise.
fn put_in(setup: &mut Setup, file: &str, list: &List) -> Result<(), Problem> {
    let picture = &mut setup.picture;
    let fresh = picture.shots.is_empty() && setup.film.is_none();
    if let Some(length_frames) = list.length_frames.filter(|l| *l > 0 && fresh) {
        picture.set_length(CutLength::new(picture.rate, length_frames).map_err(Problem::bad_value)?);
    }
    if let Some(first_frame) = list.first_frame.filter(|_| fresh) {
        picture.first_frame = first_frame;
    }
    let mut unused = list.unused.clone();
    for (name, frame) in list.marks.outside(picture.length_frames) {
        let reason = format!("it begins at {}, behind the end of the cut", picture.timecode(frame));
        unused.push(Unused { line: None, text: name, reason });
    }
    tell_unused(&mut unused);
    let used: Vec<String> = [(list.marks.shots.len(), "shot"), (list.marks.moments.len(), "moment"), (list.lines.len(), "line")]
        .into_iter()
        .filter(|(n, _)| *n > 0)
        .map(|(n, one)| count(n, one))
        .collect();
    let changes = picture.take_list(list.marks.clone());
    if !list.lines.is_empty() {
        setup.lines = list.lines.clone();
    }
    setup.list = Some(ListReport { file: file.to_owned(), format: list.format.name().to_owned(), used: used.join(", "), changes, unused });
    Ok(())
}

/// Takes a list into a cut: OpenTimelineIO, CMX 3600, a table of moments, WebVTT or SubRip. A
/// second list replaces what the first one brought and keeps what was made by hand.
#[utoipa::path(params(("id" = Uuid, Path)), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/picture/list")]
pub async fn take_list(app: web::Data<App>, id: web::Path<Uuid>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    let picture = cuts::known(&app.pool, *id).await?.setup.picture;
    let (name, field) = first_file(&mut form).await?;
    let list = app.read_list(field, For::cut(&picture)).await?;
    let what = format!("bring in the list \"{name}\"");
    let before = cuts::known(&app.pool, *id).await?;
    let mut after = before.setup.clone();
    put_in(&mut after, &name, &list)?;
    if after.sounds_like(&before.setup) {
        cuts::note(&app.pool, *id, None, &what, None, |setup| put_in(setup, &name, &list)).await?;
    } else {
        replan(&app, *id, None, &what, |setup| put_in(setup, &name, &list)).await?;
    }
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// A frame rate for a list that carries none, as `25/1`; `;df` after it counts drop-frame.
#[derive(Debug, Deserialize, IntoParams, ToSchema)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct ListRate {
    /// Numerator.
    num: Option<u32>,
    /// Denominator.
    den: Option<u32>,
    /// Whether timecode leaves out labels.
    drop_frame: Option<bool>,
}

impl ListRate {
    pub(super) fn rate(&self) -> Result<Option<FrameRate>, Problem> {
        match (self.num, self.den) {
            (Some(num), Some(den)) => Ok(Some(AskRate { num, den, drop_frame: self.drop_frame.unwrap_or(false) }.rate()?)),
            _ => Ok(None),
        }
    }
}

/// Makes a cut from a list of shots.
#[utoipa::path(params(ListRate), request_body(content = String, content_type = "multipart/form-data"), responses((status = 200, body = CutView)))]
#[post("/api/cuts/from-list")]
pub async fn cut_from_list(app: web::Data<App>, rate: web::Query<ListRate>, mut form: Multipart) -> Result<web::Json<CutView>, Problem> {
    let wanted = For { rate: rate.rate()?, first_frame: 0 };
    let (name, field) = first_file(&mut form).await?;
    let list = app.read_list(field, wanted).await?;
    let Some(length_frames) = list.length_frames.filter(|l| *l > 0) else {
        return Err(Problem::bad_value(format!(
            "\"{name}\" is a {} and does not say how long the cut is. Make the cut first, then bring it in at Picture.",
            list.format.name()
        )));
    };
    let length = CutLength::new(list.rate, length_frames).map_err(Problem::bad_value)?;
    let mut setup = Setup::new(&title_from(&name), Picture::new(length));
    put_in(&mut setup, &name, &list)?;
    if !list.rate_known
        && let Some(report) = &mut setup.list
    {
        let text = format!("{:.3} frames a second", list.rate.as_f64());
        report
            .unused
            .insert(0, Unused { line: None, text, reason: "the list does not say its frame rate; this was inferred, change it below if it is wrong".into() });
    }
    let id = cuts::insert(&app.pool, &setup).await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// Which format the shots go out in.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum ListFormat {
    /// OpenTimelineIO.
    Otio,
    /// CMX 3600 edit list.
    Edl,
}

/// The shots and moments of a cut as a list.
#[utoipa::path(params(("id" = Uuid, Path), ("format" = ListFormat, Path)), responses((status = 200, content_type = "text/plain")))]
#[get("/api/cuts/{id}/picture/shots.{format}")]
pub async fn shots_out(app: web::Data<App>, path: web::Path<(Uuid, ListFormat)>) -> Result<HttpResponse, Problem> {
    let (id, format) = path.into_inner();
    let cut = cuts::known(&app.pool, id).await?;
    let (text, ending) = match format {
        ListFormat::Otio => (otio::write(&cut.setup.title, &cut.setup.picture), "otio"),
        ListFormat::Edl => (cmx3600::write(&cut.setup.title, &cut.setup.picture), "edl"),
    };
    let name = DispositionParam::Filename(format!("shots.{ending}"));
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![name] };
    Ok(HttpResponse::Ok().content_type("text/plain; charset=utf-8").insert_header(disposition).body(text))
}
