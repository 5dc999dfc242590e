//! The figures that all level objects follow.

use super::reshape;
use crate::App;
use crate::features::cuts::view::CutView;
use crate::problem::Problem;
use actix_web::{put, web};
use jaunty_core::shape::pocket::{CHOICES, PocketWish};
use jaunty_core::shape::{Closing, ENTERS, FadeShape, LOUDNESS_CHOICES, Opening, ShapeWishes};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A pocket to choose.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PocketChoiceView {
    /// In words.
    pub words: String,
    /// Its figures; none for no pocket.
    pub pocket: Option<PocketWish>,
}

/// The pockets to choose from.
pub fn pocket_choices() -> Vec<PocketChoiceView> {
    CHOICES.iter().map(|(words, pocket)| PocketChoiceView { words: (*words).to_owned(), pocket: *pocket }).collect()
}

/// A figure to choose.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FigureChoiceView {
    /// In words.
    pub words: String,
    /// The figure; none to leave it open.
    pub value: Option<f64>,
}

fn choices<T: Into<Option<f64>> + Copy>(all: &[(&str, T)]) -> Vec<FigureChoiceView> {
    all.iter().map(|(words, value)| FigureChoiceView { words: (*words).to_owned(), value: (*value).into() }).collect()
}

/// Loudness of the whole to choose from, in LUFS.
pub fn loudness_choices() -> Vec<FigureChoiceView> {
    choices(&LOUDNESS_CHOICES)
}

/// How spoken shows open and close, for those who ask for it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FormsView {
    /// The opening.
    pub opening: Opening,
    /// The closing.
    pub closing: Closing,
    /// Where the voice may enter, as shares of the fall.
    pub enters: Vec<FigureChoiceView>,
}

impl Default for FormsView {
    fn default() -> Self {
        Self { opening: Opening::default(), closing: Closing::default(), enters: choices(&ENTERS) }
    }
}

/// Figures that all level objects follow.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShapeView {
    /// How far the bed lies under the speech, in dB.
    pub under_speech_db: f64,
    /// How far the bed alone lies under the loudness of the speech, in dB.
    pub alone_db: f64,
    /// Time of a rise or fall, in seconds.
    pub ease_s: f64,
    /// Gaps shorter than this stay under the speech, in seconds.
    pub least_gap_s: f64,
    /// Length of the fade in; by the way the bed begins without one.
    pub fade_in_s: Option<f64>,
    /// Length of the fade out.
    pub fade_out_s: Option<f64>,
    /// Shape of both.
    pub fade_shape: FadeShape,
    /// How the bed gives way to the first words; by the rule for gaps without one.
    pub opening: Option<Opening>,
    /// How it rises behind the last words.
    pub closing: Option<Closing>,
    /// Whether phrases are made alike in loudness.
    pub even_voice: bool,
    /// The voice's place in the bed's spectrum.
    pub pocket: Option<PocketWish>,
    /// Loudness of the whole, in LUFS.
    pub target_lufs: Option<f64>,
}

impl From<&ShapeWishes> for ShapeView {
    fn from(w: &ShapeWishes) -> Self {
        Self {
            under_speech_db: w.under_speech_db,
            alone_db: w.alone_db,
            ease_s: w.ease_s,
            least_gap_s: w.least_gap_s,
            fade_in_s: w.fade_in_s,
            fade_out_s: w.fade_out_s,
            fade_shape: w.fade_shape,
            opening: w.opening,
            closing: w.closing,
            even_voice: w.even_voice,
            pocket: w.pocket,
            target_lufs: w.target_lufs,
        }
    }
}

impl From<&ShapeView> for ShapeWishes {
    fn from(v: &ShapeView) -> Self {
        Self {
            under_speech_db: v.under_speech_db,
            alone_db: v.alone_db,
            ease_s: v.ease_s,
            least_gap_s: v.least_gap_s,
            fade_in_s: v.fade_in_s,
            fade_out_s: v.fade_out_s,
            fade_shape: v.fade_shape,
            opening: v.opening,
            closing: v.closing,
            even_voice: v.even_voice,
            pocket: v.pocket,
            target_lufs: v.target_lufs,
        }
    }
}

/// The figures with the revision that the client saw.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SetShape {
    /// The revision.
    pub revision: u32,
    /// The figures.
    pub shape: ShapeView,
}

/// What changed, for undo.
fn what(before: &ShapeWishes, after: &ShapeWishes) -> String {
    let number = |v: f64| format!("{}", (v * 100.0).round() / 100.0);
    if before.under_speech_db != after.under_speech_db {
        format!("lay the bed {} dB under the voice", number(after.under_speech_db))
    } else if before.alone_db != after.alone_db {
        format!("lay the bed alone {} dB under the voice", number(after.alone_db))
    } else if before.ease_s != after.ease_s {
        format!("ease in {} s", number(after.ease_s))
    } else if before.opening != after.opening {
        (if after.opening.is_some() { "open with the bed alone" } else { "open by the rule for gaps" }).into()
    } else if before.closing != after.closing {
        (if after.closing.is_some() { "rise behind the last words" } else { "close by the rule for gaps" }).into()
    } else if before.even_voice != after.even_voice {
        (if after.even_voice { "even the voice" } else { "leave the voice as it came" }).into()
    } else if before.pocket != after.pocket {
        match &after.pocket {
            None => "close the pocket for the voice".into(),
            Some(p) => format!("make a pocket of {} dB for the voice", number(p.depth_db)),
        }
    } else if before.target_lufs != after.target_lufs {
        after.target_lufs.map_or("leave the loudness as it is".into(), |t| format!("bring the whole to {} LUFS", number(t)))
    } else {
        "change the fades or gaps".into()
    }
}

/// Sets the figures that all level objects follow; what was set by hand stays.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = SetShape, responses((status = 200, body = CutView)))]
#[put("/api/cuts/{id}/shape")]
pub async fn set_shape(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<SetShape>) -> Result<web::Json<CutView>, Problem> {
    let wishes = ShapeWishes::from(&body.shape);
    wishes.check().map_err(|cause| Problem::bad_value(format!("Not possible: {cause}.")))?;
    let before = crate::features::cuts::store::known(&app.pool, *id).await?.setup.shape;
    let what = what(&before, &wishes);
    let edit = move |setup: &mut crate::features::cuts::setup::Setup| {
        setup.shape = wishes.clone();
        Ok(())
    };
    Ok(web::Json(reshape(&app, *id, body.revision, &what, &edit, |_| Ok(())).await?))
}
