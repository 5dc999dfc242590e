//! One splice close up: both sides over each other, their beats, and the level through the joint.

use crate::App;
use crate::features::cuts::store as cuts;
use crate::features::sounds::store as sounds;
use crate::problem::Problem;
use actix_web::{get, web};
use jaunty_core::fit::FittedBed;
use jaunty_core::sound::Source;
use jaunty_core::splice::LEAD_SAMPLES;
use jaunty_core::units::seconds_from_samples;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// How much to show.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct Reach {
    /// On either side of the bar line, in seconds.
    reach_s: f64,
}

/// A splice close up. Times are seconds from the bar line that is entered, as heard in the cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CloseUpView {
    /// Seconds between two peaks.
    pub step_s: f64,
    /// Where the first peak is.
    pub start_s: f64,
    /// Highest samples of the leaving side, as it would go on, 0 to 1.
    pub leaving: Vec<f32>,
    /// Highest samples of the entering side, as it came, 0 to 1.
    pub entering: Vec<f32>,
    /// Highest samples of what is heard.
    pub heard: Vec<f32>,
    /// Beats of the leaving side.
    pub leaving_beats_s: Vec<f64>,
    /// Beats of the entering side.
    pub entering_beats_s: Vec<f64>,
    /// Where the crossfade begins.
    pub fade_start_s: f64,
    /// Where it is complete.
    pub fade_end_s: f64,
    /// Gains of both sides over the crossfade, in equal steps.
    pub gains: Vec<(f32, f32)>,
    /// Level of what is heard in dBFS, over hundredths of a second.
    pub levels_db: Vec<f32>,
    /// Seconds between two levels.
    pub level_step_s: f64,
    /// How far the level inside the crossfade is from that of both sides, in dB.
    pub joint_db: f32,
}

/// A splice of a revision's fitting, close up.
#[utoipa::path(params(("id" = Uuid, Path), ("revision" = u32, Path), ("index" = usize, Path), Reach), responses((status = 200, body = CloseUpView)))]
#[get("/api/cuts/{id}/revisions/{revision}/splices/{index}")]
pub async fn splice_close_up(app: web::Data<App>, path: web::Path<(Uuid, u32, usize)>, reach: web::Query<Reach>) -> Result<web::Json<CloseUpView>, Problem> {
    let (id, revision, index) = path.into_inner();
    if !(0.01..=10.0).contains(&reach.reach_s) {
        return Err(Problem::bad_value("A close-up shows 0.01 to 10 seconds on either side."));
    }
    let row = cuts::revision(&app.pool, id, revision).await?.ok_or_else(|| Problem::not_found("revision"))?;
    let bed = row.plan.bed().ok_or_else(|| Problem::not_found("bed"))?;
    let fitting = bed.fitting.clone().ok_or_else(|| Problem::not_found("fitting"))?;
    let splice = fitting.splices.get(index).cloned().ok_or_else(|| Problem::not_found("splice"))?;
    let reading = sounds::bed_document(&app.pool, &bed.sound, row.setup.corrections(&bed.sound)).await?.ok_or_else(|| Problem::not_found("reading"))?;
    let file = app.working_file(&bed.sound).await?;
    let reach = (reach.reach_s * 48_000.0) as i64;
    let view = app
        .compute(move || {
            /// Peaks over the whole width.
            const PEAKS: i64 = 900;
            const LEVEL: i64 = 480;
            let step = (2 * reach / PEAKS).max(1);
            let heard = FittedBed::new(&file, &fitting);
            let read = |source: &dyn Source, middle: i64, from: i64, count: i64| {
                let mut samples = vec![0.0f32; count.max(0) as usize];
                source.read_mono(middle + from, &mut samples);
                samples
            };
            let peaks = |source: &dyn Source, middle: u64| -> Vec<f32> {
                let samples = read(source, middle as i64, -reach, 2 * reach);
                samples.chunks(step as usize).map(|c| c.iter().fold(0.0f32, |top, s| top.max(s.abs()))).collect()
            };
            let power = |samples: &[f32]| samples.iter().map(|s| s * s).sum::<f32>() / samples.len().max(1) as f32;
            let db = |power: f32| 10.0 * (power + 1e-10).log10();
            let beats = |line: u64| -> Vec<f64> {
                let near = |b: &&u64| (**b as i64 - line as i64).abs() <= reach;
                reading.beats_samples.iter().filter(near).map(|b| (*b as f64 - line as f64) / 48_000.0).collect()
            };
            let join = splice.join;
            let fade = join.fade_samples as i64;
            let end = join.later_samples - LEAD_SAMPLES as i64;
            let through = read(&heard, splice.at_samples as i64, end - fade, fade);
            let sides =
                0.5 * (power(&read(&file, splice.leave_samples as i64, end - fade, fade)) + power(&read(&file, splice.enter_samples as i64, end - fade, fade)));
            CloseUpView {
                step_s: seconds_from_samples(step as u64),
                start_s: -(reach as f64) / 48_000.0,
                leaving: peaks(&file, splice.leave_samples),
                entering: peaks(&file, splice.enter_samples),
                heard: peaks(&heard, splice.at_samples),
                leaving_beats_s: beats(splice.leave_samples),
                entering_beats_s: beats(splice.enter_samples),
                fade_start_s: (end - fade) as f64 / 48_000.0,
                fade_end_s: end as f64 / 48_000.0,
                gains: (0..=40).map(|k| join.gains(k as f32 / 40.0)).collect(),
                levels_db: read(&heard, splice.at_samples as i64, -reach, 2 * reach).chunks(LEVEL as usize).map(|c| db(power(c))).collect(),
                level_step_s: seconds_from_samples(LEVEL as u64),
                joint_db: db(power(&through)) - db(sides),
            }
        })
        .await?;
    Ok(web::Json(view))
}
