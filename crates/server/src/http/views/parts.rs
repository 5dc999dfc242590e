//! The beds of a cut, one after another, and their bar lines.

use super::FittingView;
use crate::studio::OpenCut;
use jaunty_core::fit::{BarLine, Passage};
use jaunty_core::plan::succession::Handover;
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

/// The beds of a cut, and their bar lines in order: for levels, and for the page.
pub(super) fn part_views(open: &OpenCut) -> (Vec<PartView>, Vec<BarLine>, Vec<BarLineView>) {
    let (setup, plan) = (&open.current.cut.setup, &open.current.cut.plan);
    let mut parts: Vec<PartView> = Vec::new();
    let mut lines: Vec<(BarLine, BarLineView)> = Vec::new();
    let mut before: Option<Passage> = None;
    for part in setup.parts() {
        let Some(bed) = setup.bed_of(part) else { continue };
        let end_samples = part.place.end_samples.min(plan.length_samples);
        let place = Passage { end_samples, ..part.place };
        let reading = open.readings.beds.get(&bed.hash);
        let layer = plan.beds().find(|l| l.sound == bed.hash && l.fitting.as_ref().is_some_and(|f| f.start_samples == place.start_samples));
        let fitting = layer.and_then(|l| l.fitting.as_ref());
        if let Some((fitting, reading)) = fitting.zip(reading) {
            let view = |line: BarLine| {
                let letter = line.section.map(|k| reading.sections[k].label.clone());
                (line, BarLineView { at_s: seconds_from_samples(line.at_samples), bar: line.bar + 1, letter })
            };
            lines.extend(fitting.counted_bar_lines(reading).into_iter().map(view));
        }
        let handover = Handover::between(before.unwrap_or(Passage { start_samples: 0, end_samples: place.start_samples }), place);
        parts.push(PartView {
            name: bed.name.clone(),
            hash: bed.hash.clone(),
            at_hand: part.laid.is_none(),
            start_s: seconds_from_samples(place.start_samples),
            end_s: seconds_from_samples(place.end_samples),
            handover_at_s: seconds_from_samples(handover.at_samples),
            handover_s: seconds_from_samples(handover.length_samples),
            fitting: fitting.map(|f| FittingView::of(f, reading.map_or(0, |r| r.music_samples()))),
        });
        before = Some(place);
    }
    lines.sort_by_key(|(line, _)| line.at_samples);
    let (lines, views) = lines.into_iter().unzip();
    (parts, lines, views)
}
