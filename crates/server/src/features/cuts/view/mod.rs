//! What the page shows of a cut: everything computed here, so that the page only draws.

mod beds;
mod fitting;
mod levels;
mod parts;
mod picture;
mod plan;
mod reading;
mod voice;

pub use beds::*;
pub use fitting::*;
pub use levels::*;
pub use parts::*;
pub use picture::*;
pub use plan::*;
pub use reading::*;
pub use voice::*;

use super::store::{self, CutRow};
use crate::App;
use crate::features::sounds::store as sounds;
use crate::jobs::Task;
use crate::jobs::queue::{self, JobRow};
use crate::problem::Problem;
use chrono::{DateTime, Utc};
use jaunty_core::units::FrameRate;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A frame rate.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RateView {
    /// Numerator.
    pub num: u32,
    /// Denominator.
    pub den: u32,
    /// Whether timecode leaves out labels.
    pub drop_frame: bool,
    /// As people write it.
    pub label: String,
}

impl From<FrameRate> for RateView {
    fn from(rate: FrameRate) -> Self {
        let number = format!("{:.3}", rate.as_f64()).trim_end_matches('0').trim_end_matches('.').to_owned();
        let counting = if rate.is_drop_frame() { " drop-frame" } else { "" };
        Self { num: rate.num(), den: rate.den(), drop_frame: rate.is_drop_frame(), label: format!("{number}{counting}") }
    }
}

/// A cut in the list of cuts.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutSummary {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// Its length as timecode.
    pub length_timecode: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Name of its bed.
    pub bed: Option<String>,
    /// Name of its narration.
    pub narration: Option<String>,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

impl From<&CutRow> for CutSummary {
    fn from(cut: &CutRow) -> Self {
        Self {
            id: cut.id,
            title: cut.setup.title.clone(),
            length_timecode: cut.setup.picture.rate.timecode(cut.setup.picture.length_frames).to_string(),
            rate: cut.setup.picture.rate.into(),
            bed: cut.setup.bed.as_ref().map(|s| s.name.clone()),
            narration: cut.setup.takes.last().map(|t| t.name.clone()),
            created_at: cut.created_at.and_utc(),
        }
    }
}

/// A job under way, or the last one if it failed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct JobView {
    /// Its name in addresses.
    pub id: Uuid,
    /// `queued`, `running` or `failed`.
    pub state: String,
    /// Share done, 0 to 1.
    pub progress: f32,
    /// What is being done.
    pub doing: String,
    /// Whether the plan follows a change by it: the next change belongs on top of what it makes.
    pub follows: bool,
    /// Why it failed.
    pub problem: Option<String>,
}

impl From<JobRow> for JobView {
    fn from(row: JobRow) -> Self {
        let follows = row.task.0 == Task::Plan;
        Self { id: row.id, state: row.state, progress: row.progress, doing: row.doing, follows, problem: row.problem }
    }
}

/// Everything that the page shows of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CutView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// Its frame rate.
    pub rate: RateView,
    /// Its length in frames.
    pub length_frames: u64,
    /// Its length in seconds.
    pub length_s: f64,
    /// Its length as timecode.
    pub length_timecode: String,
    /// The timecode of its first frame.
    pub first_timecode: String,
    /// The number of its first frame.
    pub first_frame: u64,
    /// Whether money is earned with it.
    pub commercial: bool,
    /// Whether there is a paid plan with the supplier.
    pub paid_plan: bool,
    /// Its film.
    pub film: Option<FilmView>,
    /// Its shots.
    pub shots: Vec<ShotView>,
    /// Its moments.
    pub moments: Vec<MomentView>,
    /// What became of the last list.
    pub list: Option<ListReportView>,
    /// Its bed.
    pub bed: Option<CutBedView>,
    /// The beds to choose from.
    pub candidates: Vec<CandidateView>,
    /// Written lines of the narration.
    pub lines: Vec<LineView>,
    /// Takes of the narration.
    pub takes: Vec<TakeView>,
    /// What is heard of them.
    pub pieces: Vec<VoicePieceView>,
    /// Its plan.
    pub plan: PlanView,
    /// Work under way.
    pub jobs: Vec<JobView>,
    /// When this was looked up, in microseconds: of two views the later one holds.
    pub as_of: i64,
}

impl CutView {
    /// The view of cut `id` as it stands. Where the cut changes while it is looked up, it is looked
    /// up again: a view of two states would show work as done whose outcome it does not show.
    ///
    /// # Errors
    /// A 404, or what the database says.
    pub async fn of(app: &App, id: Uuid) -> Result<Self, Problem> {
        /// A cut that changes without end is shown all the same.
        const MOST_LOOKS: usize = 5;
        let mut cut = store::known(&app.pool, id).await?;
        for _ in 1..MOST_LOOKS {
            let view = Self::once(app, &cut).await?;
            let now = store::known(&app.pool, id).await?;
            if now == cut {
                return Ok(view);
            }
            cut = now;
        }
        Self::once(app, &cut).await
    }

    async fn once(app: &App, cut: &CutRow) -> Result<Self, Problem> {
        let as_of = chrono::Utc::now().timestamp_micros();
        // Before the plan is looked at: a job that is over by now has left its outcome in the plan.
        let jobs = queue::of_cut(&app.pool, cut.id).await?;
        let current = store::current(&app.pool, cut).await?;
        let bed_reading = match &cut.setup.bed {
            Some(bed) => sounds::bed_document(&app.pool, &bed.hash, cut.setup.corrections(&bed.hash)).await?,
            None => None,
        };
        let plan = plan::plan_view(app, cut, current, bed_reading.as_ref()).await?;
        let setup = &cut.setup;
        let shown = &setup.picture;
        Ok(Self {
            id: cut.id,
            title: cut.setup.title.clone(),
            rate: shown.rate.into(),
            length_frames: shown.length_frames,
            length_s: picture::frame_s(shown, shown.length_frames),
            length_timecode: shown.rate.timecode(shown.length_frames).to_string(),
            first_timecode: shown.timecode(0),
            first_frame: shown.first_frame,
            commercial: setup.purpose.commercial,
            paid_plan: setup.purpose.paid_plan,
            film: setup.film.as_ref().map(|film| picture::film_view(film, shown)),
            shots: shown.shots.iter().map(|s| picture::shot_view(s, shown)).collect(),
            moments: shown.moments.iter().map(|m| picture::moment_view(m, shown)).collect(),
            list: setup.list.as_ref().map(|list| picture::list_view(list, shown)),
            bed: beds::bed_view(app, cut, bed_reading.as_ref()).await?,
            candidates: beds::candidate_views(app, cut).await?,
            lines: setup.lines.iter().map(LineView::from).collect(),
            takes: voice::take_views(app, setup).await?,
            pieces: setup.pieces.iter().map(VoicePieceView::from).collect(),
            plan,
            jobs: jobs.into_iter().map(JobView::from).collect(),
            as_of,
        })
    }
}
