//! The beds of a cut, one after another, and their bar lines.

use super::FittingView;
use crate::App;
use crate::features::cuts::store::RevisionRow;
use crate::features::sounds::store as sounds;
use crate::problem::Problem;
use jaunty_core::fit::{Fitting, Passage};
use jaunty_core::plan::succession::Handover;
use jaunty_core::reading::Reading;
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A bar line of the bed as fitted.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BarLineView {
    /// Where, in seconds of the cut.
    pub at_s: f64,
    /// Number of the bar in the bed, from 1.
    pub bar: usize,
    /// Letter of a section that begins here or is entered here.
    pub letter: Option<String>,
}

/// One of the beds of a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PartView {
    /// Name of the bed.
    pub name: String,
    /// Hash of its sound.
    pub hash: String,
    /// Whether reading and fit are about it.
    pub at_hand: bool,
    /// Where it begins, in seconds of the cut.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Where the bed before it gives over to it, in the middle of the handover.
    pub handover_at_s: f64,
    /// How long both are heard.
    pub handover_s: f64,
    /// How it is fitted, once it is.
    pub fitting: Option<FittingView>,
}

/// The beds of the cut and the bar lines of all of them, rising.
///
/// # Errors
/// What the database says.
pub async fn part_views(app: &App, row: &RevisionRow) -> Result<(Vec<PartView>, Vec<BarLineView>), Problem> {
    let (setup, plan) = (&row.setup, &row.plan);
    let (mut views, mut lines): (Vec<PartView>, Vec<BarLineView>) = (Vec::new(), Vec::new());
    let mut before: Option<Passage> = None;
    for part in setup.parts() {
        let Some(bed) = setup.bed_of(part) else { continue };
        let end_samples = part.place.end_samples.min(plan.length_samples);
        let place = Passage { end_samples, ..part.place };
        let reading = sounds::bed_document(&app.pool, &bed.hash, setup.corrections(&bed.hash)).await?;
        let layer = plan.beds().find(|l| l.sound == bed.hash && l.fitting.as_ref().is_some_and(|f| f.start_samples == place.start_samples));
        let fitting = layer.and_then(|l| l.fitting.as_ref());
        if let Some((fitting, reading)) = fitting.zip(reading.as_ref()) {
            lines.extend(bar_line_views(fitting, reading));
        }
        let handover = Handover::between(before.unwrap_or(Passage { start_samples: 0, end_samples: place.start_samples }), place);
        let music = |r: &Reading| r.ending.music_end_samples.saturating_sub(r.music_start_samples);
        views.push(PartView {
            name: bed.name.clone(),
            hash: bed.hash.clone(),
            at_hand: part.laid.is_none(),
            start_s: seconds_from_samples(place.start_samples),
            end_s: seconds_from_samples(place.end_samples),
            handover_at_s: seconds_from_samples(handover.at_samples),
            handover_s: seconds_from_samples(handover.length_samples),
            fitting: fitting.map(|f| FittingView::of(f, reading.as_ref().map_or(0, music))),
        });
        before = Some(place);
    }
    lines.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    Ok((views, lines))
}

fn bar_line_views(fitting: &Fitting, reading: &Reading) -> Vec<BarLineView> {
    let section_at = |bar: usize| reading.sections.iter().position(|s| (s.start_bar..s.end_bar).contains(&bar));
    let mut last = None;
    fitting
        .bar_lines(&reading.bar_lines_samples())
        .into_iter()
        .map(|(at, bar)| {
            let section = section_at(bar);
            // A letter where a section begins, and where a splice enters the middle of another.
            let begins = section.is_some_and(|k| reading.sections[k].start_bar == bar) || section != last;
            last = section;
            let letter = section.filter(|_| begins).map(|k| reading.sections[k].label.clone());
            BarLineView { at_s: seconds_from_samples(at), bar: bar + 1, letter }
        })
        .collect()
}
