//! Several beds on one cut, one after another.

use super::NameSound;
use crate::App;
use crate::features::cuts::setup::{Setup, UsedSound};
use crate::features::cuts::view::CutView;
use crate::features::cuts::{PartError, replan};
use crate::features::plans::{FromRevision, seen};
use crate::features::sounds::store as sounds;
use crate::problem::Problem;
use actix_web::{delete, post, put, web};
use jaunty_core::plan::Role;
use jaunty_core::plan::succession::Handover;
use jaunty_core::units::samples_from_seconds;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Where one bed gives over to the next.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandoverBody {
    /// Its middle, in seconds of the cut.
    pub at_s: f64,
    /// How long both are heard, in seconds; as long as usual where nothing is said.
    pub length_s: Option<f64>,
}

impl HandoverBody {
    /// The handover, if it is sensible.
    ///
    /// # Errors
    /// What is allowed.
    pub fn checked(self) -> Result<Handover, Problem> {
        if !(0.0..=86_400.0).contains(&self.at_s) || !(0.0..=60.0).contains(&self.length_s.unwrap_or(0.0)) {
            return Err(Problem::bad_value("A handover lies on the cut and lasts 0 to 60 s."));
        }
        Ok(Handover { at_samples: samples_from_seconds(self.at_s), length_samples: self.length_s.map_or(Handover::USUAL_SAMPLES, samples_from_seconds) })
    }
}

/// Another bed to go on with.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GoOn {
    /// The revision that the client saw.
    pub revision: u32,
    /// Which candidate.
    #[serde(flatten)]
    pub sound: NameSound,
    /// From where on.
    #[serde(flatten)]
    pub handover: HandoverBody,
}

/// A handover that moves.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoveHandover {
    /// The revision that the client saw.
    pub revision: u32,
    /// Where it lies then.
    #[serde(flatten)]
    pub handover: HandoverBody,
}

impl From<PartError> for Problem {
    fn from(cause: PartError) -> Self {
        match cause {
            PartError::NoPart => Self::not_found("bed"),
            PartError::NoBed | PartError::NoFilm | PartError::Succession(_) => Self::bad_value(format!("Not possible: {cause}.")),
        }
    }
}

async fn change(app: &App, id: Uuid, revision: u32, what: &str, edit: impl Fn(&mut Setup) -> Result<(), PartError>) -> Result<web::Json<CutView>, Problem> {
    replan(app, id, Some(revision), what, |setup| Ok(edit(setup)?)).await?;
    Ok(web::Json(CutView::of(app, id).await?))
}

/// Goes on with another bed from a moment of the cut on; it is at hand then.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = GoOn, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/parts")]
pub async fn go_on_with(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<GoOn>) -> Result<web::Json<CutView>, Problem> {
    let (cut, _) = seen(&app, *id, body.revision).await?;
    let handover = body.handover.checked()?;
    if handover.at_samples >= cut.setup.picture.length_samples() {
        return Err(Problem::bad_value("That is behind the end of the cut. Put the playhead where the next bed is to begin."));
    }
    let found = cut.setup.candidates.iter().find(|c| c.hash == body.sound.sound_hash.0).ok_or_else(|| Problem::not_found("candidate"))?;
    if !sounds::has_reading(&app.pool, &found.hash, Role::Bed).await? {
        return Err(Problem::bad_value("This bed is still being read. Choose it when its bars are known."));
    }
    let bed = UsedSound { hash: found.hash.clone(), name: found.name.clone() };
    change(&app, *id, body.revision, &format!("go on with \"{}\"", bed.name), |setup| setup.go_on_with(bed.clone(), handover)).await
}

/// Takes a bed to hand: reading, fit and wishes are about it then.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/parts/{index}/hand")]
pub async fn take_to_hand(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    change(&app, id, body.revision, "work on another bed", |setup| setup.take_to_hand(index)).await
}

/// Moves the handover into a bed, or makes it longer or shorter.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = MoveHandover, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/parts/{index}/start")]
pub async fn move_handover(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<MoveHandover>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let handover = body.handover.checked()?;
    let (cut, _) = seen(&app, id, body.revision).await?;
    if handover.at_samples >= cut.setup.picture.length_samples() {
        return Err(Problem::bad_value("That is behind the end of the cut. A handover lies before it."));
    }
    let what = format!("hand over at {:.1} s", body.handover.at_s);
    change(&app, id, body.revision, &what, |setup| setup.hand_over_at(index, handover)).await
}

/// Takes a bed off the cut; its time goes to its neighbour.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), request_body = FromRevision, responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/parts/{index}")]
pub async fn take_off(app: web::Data<App>, path: web::Path<(Uuid, usize)>, body: web::Json<FromRevision>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    change(&app, id, body.revision, "take a bed off the cut", |setup| setup.take_off(index)).await
}
