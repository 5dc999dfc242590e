//! What the level does.

use jaunty_core::fit::BarLine;
use jaunty_core::plan::{Layer, Plan};
use jaunty_core::shape::{FadeShape, LevelKind, LevelName, LevelObject, Slope};
use jaunty_core::units::{percent_from_db, seconds_from_samples};
use serde::Serialize;
use utoipa::ToSchema;

/// A top that lies so near a bar line lies on it: 5 ms.
const ON_BAR_SAMPLES: u64 = 240;

/// A swell or a dip.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LevelView {
    /// The name by which it is changed.
    pub name: LevelName,
    /// What it is.
    pub kind: LevelKind,
    /// Where it begins, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Length of the rise, or of the beginning of a passage; 0 for a dip.
    pub rise_s: f64,
    /// Length of the fall, or of the end of a passage; 0 for a dip.
    pub fall_s: f64,
    /// How far it lies under the loudness of the speech, in dB.
    pub under_speech_db: f64,
    /// The same as a share of the speech's amplitude, in percent.
    pub percent: f64,
    /// Gain over the sound as it came in, in dB.
    pub gain_db: f64,
    /// How a swell rises.
    pub rise_slope: Slope,
    /// How a swell falls.
    pub fall_slope: Slope,
    /// The shape of a fade.
    pub fade_shape: Option<FadeShape>,
    /// The bar on whose downbeat a swell's top falls.
    pub top_on_bar: Option<usize>,
    /// Whether a person set it.
    pub by_hand: bool,
}

/// The level objects of all beds; where twins lie in two beds, that of the bed
/// which is heard longest with it.
pub(super) fn level_views(plan: &Plan, bar_lines: &[BarLine]) -> Vec<LevelView> {
    let heard = |layer: &Layer, (from, to): (u64, u64)| {
        let place = layer.fitting.as_ref().map_or((0, plan.length_samples), |f| (f.start_samples, f.end_samples()));
        to.min(place.1).saturating_sub(from.max(place.0))
    };
    let all: Vec<(&Layer, &LevelObject)> = plan.beds().flat_map(|layer| layer.levels.iter().map(move |object| (layer, object))).collect();
    let shown = |&&(layer, object): &&(&Layer, &LevelObject)| {
        let Some(span) = object.span() else { return false };
        let own = heard(layer, span);
        let twins = all.iter().filter(|(_, other)| object.is_twin_of(other)).map(|(l, _)| heard(l, span));
        span.0 == span.1 || own > 0 && twins.max() == Some(own)
    };
    all.iter().filter(shown).filter_map(|&(_, object)| level_view(object, bar_lines)).collect()
}

pub(super) fn level_view(object: &LevelObject, bar_lines: &[BarLine]) -> Option<LevelView> {
    let seconds = seconds_from_samples;
    let (start, end) = object.span()?;
    let view = LevelView {
        name: LevelName::of(object)?,
        kind: object.kind()?,
        start_s: seconds(start),
        end_s: seconds(end),
        rise_s: 0.0,
        fall_s: 0.0,
        under_speech_db: 0.0,
        percent: 100.0,
        gain_db: 0.0,
        rise_slope: Slope::One,
        fall_slope: Slope::One,
        fade_shape: None,
        top_on_bar: None,
        by_hand: object.by_hand(),
    };
    let view = match *object {
        LevelObject::Dip { gain_db, under_speech_db, .. } => Some(LevelView { gain_db, under_speech_db, ..view }),
        LevelObject::Swell { start_samples, rise_samples, fall_samples, gain_db, under_speech_db, rise_slope, fall_slope, .. } => {
            let top = start_samples + rise_samples;
            let on = bar_lines.iter().find(|b| rise_samples > 0 && b.at_samples.abs_diff(top) < ON_BAR_SAMPLES);
            Some(LevelView {
                rise_s: seconds(rise_samples),
                fall_s: seconds(fall_samples),
                gain_db,
                under_speech_db,
                rise_slope,
                fall_slope,
                top_on_bar: on.map(|b| b.bar + 1),
                ..view
            })
        }
        LevelObject::Emphasis { deeper_db, .. } => Some(LevelView { under_speech_db: deeper_db, ..view }),
        LevelObject::Sweep { gain_db, rise_samples, fall_samples, rise_slope, fall_slope, .. } => {
            Some(LevelView { rise_s: seconds(rise_samples), fall_s: seconds(fall_samples), gain_db, rise_slope, fall_slope, ..view })
        }
        LevelObject::FadeIn { length_samples, shape, .. } => Some(LevelView { rise_s: seconds(length_samples), fade_shape: Some(shape), ..view }),
        LevelObject::FadeOut { length_samples, shape, .. } => Some(LevelView { fall_s: seconds(length_samples), fade_shape: Some(shape), ..view }),
        LevelObject::Base { .. } | LevelObject::Trim { .. } => None,
    };
    view.map(|view| LevelView { percent: percent_from_db(-view.under_speech_db), ..view })
}
