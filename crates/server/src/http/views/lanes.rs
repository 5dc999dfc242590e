//! The film's own sound and the ambiences as lanes of the sheet.

use super::LevelView;
use super::levels::level_view;
use jaunty_core::cut::{Cut, Setup};
use jaunty_core::plan::{Lane, Layer, Role, SpeechRule, lane};
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;

/// A sound with a lane of its own.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LaneView {
    /// The name by which it is changed.
    pub lane: Lane,
    /// What it is called.
    pub name: String,
    /// What it does while somebody speaks.
    pub rule: SpeechRule,
    /// From where on it is heard, in seconds.
    pub start_s: f64,
    /// Until where.
    pub end_s: f64,
    /// Its fades, also those without length, and its passages by hand.
    pub levels: Vec<LevelView>,
}

fn lanes(setup: &Setup) -> Vec<(Lane, String, SpeechRule)> {
    let film = setup.film.iter().filter(|f| f.sound_on && f.sound.is_some()).map(|f| (Lane::Film, "film".to_owned(), f.wish.rule));
    let ambiences = setup.ambiences.iter().map(|a| (Lane::Ambience { sound: a.hash.clone() }, a.name.clone(), a.rule));
    film.chain(ambiences).collect()
}

/// The lanes of a cut, that of the film first. One that is still being read has no levels yet.
pub(super) fn lane_views(cut: &Cut) -> Vec<LaneView> {
    let view = |(of, name, rule): (Lane, String, SpeechRule)| {
        let place = cut.setup.lane_heard(&of)?;
        let layer = cut.plan.layers.iter().find(|l| of.is(l));
        let objects = layer.map_or(Vec::new(), |layer| lane::settable(layer, place));
        let levels = objects.iter().filter_map(|o| level_view(o, &[])).collect();
        Some(LaneView { lane: of, name, rule, start_s: seconds_from_samples(place.0), end_s: seconds_from_samples(place.1), levels })
    };
    lanes(&cut.setup).into_iter().filter_map(view).collect()
}

/// A layer whose levels can be changed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LayerView {
    /// Its place in the plan.
    pub layer: usize,
    /// Its lane; none for the beds.
    pub lane: Option<Lane>,
}

/// The layers of a cut whose levels can be changed.
pub(super) fn layer_views(cut: &Cut) -> Vec<LayerView> {
    let lanes: Vec<Lane> = lanes(&cut.setup).into_iter().map(|(lane, ..)| lane).collect();
    let view = |(layer, of): (usize, &Layer)| match of.role {
        Role::Bed => Some(LayerView { layer, lane: None }),
        _ => lanes.iter().find(|lane| lane.is(of)).map(|lane| LayerView { layer, lane: Some(lane.clone()) }),
    };
    cut.plan.layers.iter().enumerate().filter_map(view).collect()
}
