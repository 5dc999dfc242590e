//! Several lengths of one cut, under each other.

use super::{FittingView, HandedView};
use crate::studio::FamilyCut;
use jaunty_core::check;
use jaunty_core::message::Message;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Where a section of a bed begins.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SectionStartView {
    /// Where, in seconds of the bed.
    pub start_s: f64,
    /// Its letter.
    pub label: String,
}

/// One of the lengths.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FamilyCutView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// Its length in seconds.
    pub length_s: f64,
    /// The same as timecode.
    pub length_timecode: String,
    /// The revision that is shown.
    pub revision: u32,
    /// Whether it is a version of the first one.
    pub is_version: bool,
    /// Whether something is computed for it.
    pub works: bool,
    /// Why that failed, if it did.
    pub problem: Option<String>,
    /// Whether the first one has changed since what this took over of it.
    pub is_behind: bool,
    /// What was not taken over, in words.
    pub left_out: Vec<Message>,
    /// The name of the bed at hand.
    pub bed: Option<String>,
    /// Its length in seconds.
    pub bed_s: f64,
    /// Its sections.
    pub sections: Vec<SectionStartView>,
    /// The fitting that is played.
    pub fitting: Option<FittingView>,
    /// How many things Check asks to look at in its plan, and nobody accepted.
    pub looks: usize,
    /// What was handed over of it last.
    pub handed: Option<HandedView>,
}

impl From<&FamilyCut> for FamilyCutView {
    fn from(cut: &FamilyCut) -> Self {
        let (setup, made) = (&cut.row.setup, &cut.current.cut);
        let reading = cut.reading.as_ref();
        let lines = reading.map_or(Vec::new(), |r| r.bar_lines_samples());
        let section = |label: &str, bar: usize| Some(SectionStartView { start_s: seconds_from_samples(*lines.get(bar)?), label: label.to_owned() });
        let failed = cut.jobs.iter().find(|j| j.state == "failed");
        Self {
            id: cut.row.id,
            title: setup.title.clone(),
            length_s: seconds_from_samples(setup.picture.picture_samples()),
            length_timecode: setup.picture.rate.timecode(setup.picture.length_frames).to_string(),
            revision: cut.current.number,
            is_version: setup.version.is_some(),
            works: cut.jobs.iter().any(|j| j.state != "failed"),
            problem: failed.and_then(|j| j.problem.clone()),
            is_behind: cut.is_behind,
            left_out: setup.version.as_ref().map_or(Vec::new(), |v| v.left_out.clone()),
            bed: setup.bed.as_ref().map(|b| b.name.clone()),
            bed_s: reading.map_or(0.0, |r| seconds_from_samples(r.length_samples)),
            sections: reading.map_or(Vec::new(), |r| r.sections.iter().filter_map(|s| section(&s.label, s.start_bar)).collect()),
            fitting: made.fitting().map(|f| FittingView::of(f, reading.map_or(0, |r| r.music_samples()))),
            looks: check::picture_findings(setup).iter().chain(&check::findings(&made.plan, reading, &[])).filter(|f| f.is_open(&setup.accepted)).count(),
            handed: cut.handed.clone().map(HandedView::from),
        }
    }
}
