//! The film's own sound and each ambience as lanes of their own: what was set by hand of their levels.
//!
//! It is kept with what is wanted of the sound, so that it stays when the plan is made anew.

use super::{Layer, Role};
use crate::shape::{FadeShape, LevelKind, LevelObject};
use serde::{Deserialize, Serialize};

/// A sound that has a lane of its own, besides the beds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "of", rename_all = "camelCase")]
pub enum Lane {
    /// The film's own sound.
    Film,
    /// An ambience.
    Ambience {
        /// Hash of its sound.
        sound: String,
    },
}

impl Lane {
    /// Whether a layer is this one.
    pub fn is(&self, layer: &Layer) -> bool {
        match self {
            Self::Film => layer.role == Role::Film,
            Self::Ambience { sound } => layer.role == Role::Ambience && layer.sound == *sound,
        }
    }
}

fn is_fade(object: &LevelObject) -> bool {
    matches!(object, LevelObject::FadeIn { .. } | LevelObject::FadeOut { .. })
}

/// What can be set by hand of a lane that is heard from `place.0` to `place.1`: its fades, each without length where there is
/// none, and its passages.
pub fn settable(layer: &Layer, place: (u64, u64)) -> Vec<LevelObject> {
    let fade = |kind| layer.levels.iter().find(|o| o.kind() == Some(kind)).cloned();
    let (length_samples, shape, by_hand) = (0, FadeShape::EqualPower, false);
    let fade_in = fade(LevelKind::FadeIn).unwrap_or(LevelObject::FadeIn { start_samples: place.0, length_samples, shape, by_hand });
    let fade_out = fade(LevelKind::FadeOut).unwrap_or(LevelObject::FadeOut { end_samples: place.1, length_samples, shape, by_hand });
    let passages = layer.levels.iter().filter(|o| o.kind() == Some(LevelKind::Sweep)).cloned();
    [fade_in, fade_out].into_iter().chain(passages).collect()
}

/// Gives an object of a lane back: a fade to the rule, a passage to nothing.
pub fn give_back(by_hand: &mut Vec<LevelObject>, object: &LevelObject) {
    by_hand.retain(|o| if is_fade(object) { o.kind() != object.kind() } else { !o.is_twin_of(object) });
}

/// Puts what was set by hand into the levels of a lane that is heard from `place.0` to `place.1`.
pub(super) fn put_in(levels: &mut Vec<LevelObject>, by_hand: &[LevelObject], place: (u64, u64)) {
    let room = place.1 - place.0;
    for object in by_hand {
        let mut object = object.clone();
        match &mut object {
            LevelObject::FadeIn { start_samples, length_samples, .. } => (*start_samples, *length_samples) = (place.0, (*length_samples).min(room)),
            LevelObject::FadeOut { end_samples, length_samples, .. } => (*end_samples, *length_samples) = (place.1, (*length_samples).min(room)),
            _ => {}
        }
        if is_fade(&object) {
            levels.retain(|o| o.kind() != object.kind());
        }
        levels.push(object);
    }
}
