//! The reading of the bed: heard from any bar, counted along, corrected.

use crate::App;
use crate::features::cuts::model::CutView;
use crate::features::cuts::replan;
use crate::features::cuts::setup::Candidate;
use crate::features::cuts::store::{self as cuts, CutRow};
use crate::features::sounds::store as sounds;
use crate::problem::{Code, Problem};
use actix_web::{HttpResponse, delete, get, post, web};
use jaunty_core::mix::count_along;
use jaunty_core::reading::{Correction, Reading};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::samples_from_seconds;
use jaunty_media::wav_bytes;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(correct).service(take_back).service(bed_sound);
}

/// What a person says about the reading; places are seconds of the bed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "camelCase")]
pub enum Said {
    /// There are twice as many beats.
    DoubleTempo,
    /// Only every second beat is one.
    HalfTempo,
    /// The pulse is near this tempo.
    Tempo {
        /// Beats a minute.
        bpm: f64,
    },
    /// So many beats make a bar.
    Metre {
        /// 1 to 12.
        beats: u32,
    },
    /// Bars begin so many beats later (earlier for negative).
    ShiftBars {
        /// Beats.
        beats: i32,
    },
    /// All beats lie so much later (earlier for negative).
    Nudge {
        /// Milliseconds.
        ms: f64,
    },
    /// Somebody tapped the beat here.
    #[serde(rename_all = "camelCase")]
    Taps {
        /// When.
        at_s: Vec<f64>,
    },
    /// A section begins elsewhere.
    #[serde(rename_all = "camelCase")]
    MoveBoundary {
        /// Where it began.
        from_s: f64,
        /// Where it begins.
        to_s: f64,
    },
    /// Another section begins here.
    #[serde(rename_all = "camelCase")]
    Split {
        /// Where.
        at_s: f64,
    },
    /// No section begins here.
    #[serde(rename_all = "camelCase")]
    Join {
        /// Where.
        at_s: f64,
    },
    /// The section here has a name.
    #[serde(rename_all = "camelCase")]
    Name {
        /// A place in it.
        at_s: f64,
        /// Its name; empty takes it away.
        name: String,
    },
    /// The section here is like others of this letter.
    #[serde(rename_all = "camelCase")]
    Letter {
        /// A place in it.
        at_s: f64,
        /// The letter.
        label: String,
    },
    /// Somebody sings here, or nobody does.
    #[serde(rename_all = "camelCase")]
    Singing {
        /// From.
        start_s: f64,
        /// To.
        end_s: f64,
        /// Whether.
        sings: bool,
    },
    /// The bed ends with its last hit here.
    #[serde(rename_all = "camelCase")]
    LastHit {
        /// Where.
        at_s: f64,
    },
}

impl From<Said> for Correction {
    fn from(said: Said) -> Self {
        let at = |s: f64| samples_from_seconds(s.clamp(0.0, 86_400.0));
        match said {
            Said::DoubleTempo => Self::DoubleTempo,
            Said::HalfTempo => Self::HalfTempo,
            Said::Tempo { bpm } => Self::Tempo { bpm },
            Said::Metre { beats } => Self::Metre { beats },
            Said::ShiftBars { beats } => Self::ShiftBars { beats: beats.clamp(-12, 12) },
            Said::Nudge { ms } => Self::Nudge { samples: (ms.clamp(-10_000.0, 10_000.0) * 48.0).round() as i64 },
            Said::Taps { at_s } => Self::Taps { at_samples: at_s.into_iter().map(at).collect() },
            Said::MoveBoundary { from_s, to_s } => Self::MoveBoundary { from_samples: at(from_s), to_samples: at(to_s) },
            Said::Split { at_s } => Self::Split { at_samples: at(at_s) },
            Said::Join { at_s } => Self::Join { at_samples: at(at_s) },
            Said::Name { at_s, name } => Self::Name { at_samples: at(at_s), name },
            Said::Letter { at_s, label } => Self::Letter { at_samples: at(at_s), label },
            Said::Singing { start_s, end_s, sings } => Self::Singing { start_samples: at(start_s), end_samples: at(end_s), sings },
            Said::LastHit { at_s } => Self::LastHit { at_samples: at(at_s) },
        }
    }
}

/// A correction to be made.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskCorrection {
    /// The revision that the client saw.
    pub revision: u32,
    /// What is said.
    pub said: Said,
}

fn bed_of(cut: &mut CutRow) -> Result<&mut Candidate, Problem> {
    let hash = cut.setup.bed.as_ref().map(|b| b.hash.clone()).ok_or_else(|| Problem::not_found("bed"))?;
    cut.setup.candidate(&hash).ok_or_else(|| Problem::not_found("bed"))
}

/// Keeps a correction on top of the reading; the bed is read and the cut planned with it.
///
/// # Errors
/// What the correction's check says, or a stale page.
pub async fn say(app: &App, id: Uuid, seen: u32, correction: Correction) -> Result<(), Problem> {
    correction.check().map_err(Problem::bad_value)?;
    let what = format!("correct the reading: {}", correction.words());
    replan(app, id, &what, |cut| {
        if cut.revision != seen {
            return Err(Problem::new(Code::Stale, format!("Your page showed revision {seen}, the plan is at {}.", cut.revision)));
        }
        bed_of(cut)?.corrections.push(correction);
        Ok(())
    })
    .await?;
    Ok(())
}

/// Says something about the reading of the bed.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = AskCorrection, responses((status = 200, body = CutView)))]
#[post("/api/cuts/{id}/bed/corrections")]
pub async fn correct(app: web::Data<App>, id: web::Path<Uuid>, body: web::Json<AskCorrection>) -> Result<web::Json<CutView>, Problem> {
    let AskCorrection { revision, said } = body.into_inner();
    say(&app, *id, revision, said.into()).await?;
    Ok(web::Json(CutView::of(&app, *id).await?))
}

/// Takes one correction back, whenever it was made.
#[utoipa::path(params(("id" = Uuid, Path), ("index" = usize, Path)), responses((status = 200, body = CutView)))]
#[delete("/api/cuts/{id}/bed/corrections/{index}")]
pub async fn take_back(app: web::Data<App>, path: web::Path<(Uuid, usize)>) -> Result<web::Json<CutView>, Problem> {
    let (id, index) = path.into_inner();
    let mut cut = cuts::known(&app.pool, id).await?;
    let words = bed_of(&mut cut)?.corrections.get(index).ok_or_else(|| Problem::not_found("correction"))?.words();
    replan(&app, id, &format!("take a correction back: {words}"), |cut| {
        let all = &mut bed_of(cut)?.corrections;
        // Another window may have been faster.
        if all.get(index).is_some_and(|c| c.words() == words) {
            all.remove(index);
        }
        Ok(())
    })
    .await?;
    Ok(web::Json(CutView::of(&app, id).await?))
}

/// A range of the bed itself.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct BedRange {
    /// First sample.
    from_samples: u64,
    /// Number of samples, at most 30 seconds.
    length_samples: u64,
    /// Whether a tick sounds on every beat.
    count: bool,
}

/// The bed as it came, from any place, with a tick on every beat where that is asked for.
#[utoipa::path(params(("id" = Uuid, Path), BedRange), responses((status = 200, content_type = "audio/wav")))]
#[get("/api/cuts/{id}/bed/sound")]
pub async fn bed_sound(app: web::Data<App>, id: web::Path<Uuid>, range: web::Query<BedRange>) -> Result<HttpResponse, Problem> {
    /// The longest range for one request: 30 s.
    const MOST_SAMPLES: u64 = 1_440_000;
    /// Peak of a tick: heard over a loud bed, no shock over a quiet one.
    const TICK: f32 = 0.35;
    if range.length_samples > MOST_SAMPLES {
        return Err(Problem::bad_value("At most 30 seconds are given at once."));
    }
    let mut cut = cuts::known(&app.pool, *id).await?;
    let bed = bed_of(&mut cut)?.clone();
    let file = app.working_file(&bed.hash).await?;
    let reading: Option<Reading> = if range.count { sounds::bed_document(&app.pool, &bed.hash, &bed.corrections).await? } else { None };
    let (from, length) = (range.from_samples, range.length_samples as usize);
    let bytes = web::block(move || {
        let mut planes = vec![vec![0.0; length]; file.channel_count()];
        for (channel, plane) in planes.iter_mut().enumerate() {
            file.read(channel, from as i64, plane);
        }
        let mut sound = Sound::new(planes);
        if let Some(reading) = reading {
            count_along(&mut sound, from, &reading, TICK);
        }
        wav_bytes(&sound).map_err(Problem::from)
    })
    .await??;
    Ok(HttpResponse::Ok().content_type("audio/wav").insert_header(("cache-control", "no-store")).body(bytes))
}
