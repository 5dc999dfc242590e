//! What the page shows: made from what the studio knows, so that the page only draws.

mod beds;
mod clients;
mod fitting;
mod handed;
mod lanes;
mod levels;
mod parts;
mod people;
mod picture;
mod plan;
mod reading;
mod shape;
mod shelf;
mod stills;
mod versions;
mod voice;
mod wishes;

pub use beds::*;
pub use clients::*;
pub use fitting::*;
pub use handed::*;
pub use levels::*;
pub use parts::*;
pub use people::*;
pub use picture::*;
pub use plan::*;
pub use reading::*;
pub use shape::*;
pub use shelf::*;
pub use stills::*;
pub use versions::*;
pub use voice::*;
pub use wishes::*;

use crate::store::cuts::CutRow;
use crate::store::jobs::JobRow;
use crate::studio::OpenCut;
use chrono::{DateTime, Utc};
use jaunty_core::cut::Work;
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
    /// The project that it belongs to.
    pub project: Uuid,
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
    /// Address of a picture of it: the middle of its film.
    pub picture: Option<String>,
    /// Its length in seconds.
    pub length_s: f64,
    /// When it was made.
    pub created_at: DateTime<Utc>,
}

impl From<&CutRow> for CutSummary {
    fn from(cut: &CutRow) -> Self {
        Self {
            id: cut.id,
            project: cut.project,
            title: cut.setup.title.clone(),
            length_timecode: cut.setup.picture.rate.timecode(cut.setup.picture.length_frames).to_string(),
            rate: cut.setup.picture.rate.into(),
            bed: cut.setup.bed.as_ref().map(|s| s.name.clone()),
            narration: cut.setup.takes.last().map(|t| t.name.clone()),
            picture: cut.setup.film.as_ref().map(|film| format!("/api/cuts/{}/film/{}/{}.jpg", cut.id, film.hash, film.length_frames / 2)),
            length_s: jaunty_core::units::seconds_from_samples(cut.setup.picture.length_samples()),
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
        let follows = row.task.0 == Work::Plan;
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
    /// Length of its sound in seconds: the picture's, and what runs on behind it.
    pub length_s: f64,
    /// So much of that runs on behind the picture.
    pub tail_s: f64,
    /// Length of the picture as timecode.
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
    /// What was said of it by those who heard it.
    pub remarks: Vec<RemarkView>,
    /// When this was looked up, in microseconds: of two views the later one holds.
    pub as_of: i64,
}

impl From<&OpenCut> for CutView {
    fn from(open: &OpenCut) -> Self {
        let setup = &open.row.setup;
        let shown = &setup.picture;
        let bed = setup.bed.as_ref().map(|b| b.hash.as_str());
        Self {
            id: open.row.id,
            title: setup.title.clone(),
            rate: shown.rate.into(),
            length_frames: shown.length_frames,
            length_s: jaunty_core::units::seconds_from_samples(shown.length_samples()),
            tail_s: jaunty_core::units::seconds_from_samples(shown.length_samples() - shown.picture_samples()),
            length_timecode: shown.rate.timecode(shown.length_frames).to_string(),
            first_timecode: shown.timecode(0),
            first_frame: shown.first_frame,
            commercial: setup.purpose.commercial,
            paid_plan: setup.purpose.paid_plan,
            film: setup.film.as_ref().map(|film| picture::film_view(film, shown)),
            shots: shown.shots.iter().map(|s| picture::shot_view(s, shown)).collect(),
            moments: shown.moments.iter().map(|m| picture::moment_view(m, shown)).collect(),
            list: setup.list.as_ref().map(|list| picture::list_view(list, shown)),
            bed: CutBedView::of(open),
            candidates: open.candidates.iter().map(|c| CandidateView::of(c, bed)).collect(),
            lines: setup.lines.iter().map(LineView::from).collect(),
            takes: open.takes.iter().map(|take| TakeView::of(take, setup)).collect(),
            pieces: setup.pieces.iter().map(VoicePieceView::from).collect(),
            plan: PlanView::from(open),
            remarks: open.remarks.iter().map(RemarkView::from).collect(),
            jobs: open.jobs.iter().cloned().map(JobView::from).collect(),
            as_of: open.as_of,
        }
    }
}
