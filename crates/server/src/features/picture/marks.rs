//! Shots, moments and lines by hand.

use crate::App;
use crate::features::cuts::replan;
use crate::features::cuts::setup::Setup;
use crate::features::cuts::store as cuts;
use crate::features::cuts::view::CutView;
use crate::json;
use crate::problem::Problem;
use actix_web::{post, web};
use jaunty_core::picture::{Line, MOST_MARKS, MomentKind, tidy_name};
use jaunty_core::units::samples_from_seconds;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

pub(super) fn configure(config: &mut web::ServiceConfig) {
    // Thousands of lines in any script are a long transcript, not an attack.
    let lines = web::resource("/api/cuts/{id}/lines").app_data(json(MOST_LINES_BYTES)).route(web::put().to(set_lines));
    config.service(edit_marks).service(lines);
}

/// One change of the shots and moments. Frames count from the start of the cut.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum MarkEdit {
    /// Begin a new shot.
    BeginShot {
        /// Its first frame.
        frame: u64,
        /// What is seen; empty takes a number.
        name: String,
    },
    /// Change a shot.
    ChangeShot {
        /// Its number, from 0.
        index: usize,
        /// Its first frame.
        frame: u64,
        /// What is seen.
        name: String,
        /// Whether its hold may change.
        still: bool,
    },
    /// Take a shot away; the one before runs on.
    RemoveShot {
        /// Its number.
        index: usize,
    },
    /// Mark a moment.
    MarkMoment {
        /// When.
        frame: u64,
        /// What for.
        kind: MomentKind,
        /// What happens; empty takes the name of its kind.
        name: String,
    },
    /// Change a moment.
    ChangeMoment {
        /// Its number.
        index: usize,
        /// When.
        frame: u64,
        /// What for.
        kind: MomentKind,
        /// What happens.
        name: String,
    },
    /// Take a moment away.
    RemoveMoment {
        /// Its number.
        index: usize,
    },
}

impl MarkEdit {
    fn what(&self, setup: &Setup) -> String {
        let picture = &setup.picture;
        let shot = |index: usize| picture.shots.get(index).map_or("?", |s| s.name.as_str());
        let moment = |index: usize| picture.moments.get(index).map_or("?", |m| m.name.as_str());
        match self {
            Self::BeginShot { frame, .. } => format!("begin a shot at {}", picture.timecode(*frame)),
            Self::ChangeShot { index, .. } => format!("change the shot \"{}\"", shot(*index)),
            Self::RemoveShot { index } => format!("take the shot \"{}\" away", shot(*index)),
            Self::MarkMoment { frame, .. } => format!("mark a moment at {}", picture.timecode(*frame)),
            Self::ChangeMoment { index, .. } => format!("change the moment \"{}\"", moment(*index)),
            Self::RemoveMoment { index } => format!("take the moment \"{}\" away", moment(*index)),
        }
    }

    fn apply(&self, setup: &mut Setup) -> Result<(), Problem> {
        let picture = &mut setup.picture;
        match self {
            Self::BeginShot { frame, name } => picture.begin_shot(*frame, name).map_err(Problem::bad_value)?,
            Self::ChangeShot { index, frame, name, still } => {
                let shot = picture.shots.get_mut(*index).ok_or_else(|| Problem::not_found("shot"))?;
                (shot.name, shot.still) = (tidy_name(name, &shot.name), *still);
                if shot.start_frame != *frame {
                    picture.move_shot(*index, *frame).map_err(Problem::bad_value)?;
                }
            }
            Self::RemoveShot { index } => picture.remove_shot(*index).map(|_| ()).map_err(Problem::bad_value)?,
            Self::MarkMoment { frame, kind, name } => picture.mark_moment(*frame, *kind, name).map_err(Problem::bad_value)?,
            Self::ChangeMoment { index, frame, kind, name } => {
                if *index >= picture.moments.len() {
                    return Err(Problem::not_found("moment"));
                }
                let old = picture.moments.remove(*index);
                picture.mark_moment(*frame, *kind, if name.trim().is_empty() { &old.name } else { name }).map_err(Problem::bad_value)?;
            }
            Self::RemoveMoment { index } => {
                if *index >= picture.moments.len() {
                    return Err(Problem::not_found("moment"));
                }
                picture.moments.remove(*index);
            }
        }
        Ok(())
    }
}

/// A change of the shots and moments.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EditMarks {
    /// The revision that the client saw.
    pub revision: u32,
    /// What to change.
    pub edit: MarkEdit,
}

/// Changes shots and moments by hand.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = EditMarks, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/picture/marks")]
pub async fn edit_marks(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<EditMarks>) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let what = body.edit.what(&cut.setup);
    cuts::note(&app.pool, *id, Some(body.revision), &what, None, |setup| body.edit.apply(setup)).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// A written line of the narration.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskLine {
    /// Where its first syllable falls, in seconds of the cut.
    pub at_s: f64,
    /// The words.
    pub words: String,
}

/// A line that takes a minute to speak.
const MOST_LINE_CHARS: usize = 600;
/// As many lines as there may be, each as long as it may be, in letters of four bytes, with their times.
const MOST_LINES_BYTES: usize = MOST_MARKS * (MOST_LINE_CHARS * 4 + 64);

/// The written lines of the narration.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SetLines {
    /// The revision that the client saw.
    pub revision: u32,
    /// All of them.
    pub lines: Vec<AskLine>,
}

/// Sets the written lines of the narration.
#[utoipa::path(put, path = "/api/cuts/{id}/lines", params(("id" = Uuid, Path)), request_body = SetLines, responses((status = 200, body = CutView)))]
pub async fn set_lines(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<SetLines>) -> Result<web::Json<CutView>, Problem> {
    let cut = cuts::known(&app.pool, *id).await?;
    let length_s = cut.setup.picture.length_frames as f64 / cut.setup.picture.rate.as_f64();
    if body.lines.len() > MOST_MARKS {
        return Err(Problem::bad_value(format!("A narration has at most {MOST_MARKS} lines.")));
    }
    let mut lines = Vec::new();
    for line in &body.lines {
        let words = line.words.split_whitespace().collect::<Vec<_>>().join(" ");
        if words.is_empty() {
            continue;
        }
        if words.chars().count() > MOST_LINE_CHARS {
            let begins: String = words.chars().take(40).collect();
            return Err(Problem::bad_value(format!("The line \"{begins}…\" is longer than {MOST_LINE_CHARS} characters. Divide it.")));
        }
        if !(0.0..length_s).contains(&line.at_s) {
            return Err(Problem::bad_value(format!("\"{words}\" lies at {:.1} s, outside the cut.", line.at_s)));
        }
        lines.push(Line { start_samples: samples_from_seconds(line.at_s), words });
    }
    lines.sort_by_key(|l| l.start_samples);
    let what = "write the lines of the narration";
    if cut.setup.pieces.is_empty() {
        cuts::note(&app.pool, *id, Some(body.revision), what, None, |setup| {
            setup.lines = lines.clone();
            Ok(())
        })
        .await?;
    } else {
        // The words stand on the sheet, so the plan that holds them follows.
        replan(&app, *id, Some(body.revision), what, |setup| {
            setup.lines = lines;
            Ok(())
        })
        .await?;
    }
    Ok(web::Json(CutView::of(&app, *id).await?))
}
