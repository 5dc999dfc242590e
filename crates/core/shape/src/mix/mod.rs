//! Rendering: a plan and its sounds become samples, for any range, with the same result however
//! the ranges are cut. What is heard in the page and what is delivered both come from here.

mod count;
mod meters;
mod outline;

pub use count::count_along;
pub use meters::{Heard, Masked, Meters, PhraseMeter, Sounds, loudness, master, meters};
pub use outline::outline;

use crate::plan::{Layer, Plan, Role};
use crate::shape::GainCurve;
use jaunty_fit::fit::FittedBed;
use jaunty_sound::sound::{Sound, Source};
use jaunty_speech::voice::Placed;
use jaunty_units::units::gain_from_db;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// Which layers to render.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Hear {
    /// The mix.
    #[default]
    Everything,
    /// The bed as shaped, without the voice.
    Bed,
    /// The narration without the bed.
    Voice,
    /// The film's own sound.
    Film,
    /// The ambiences.
    Ambiences,
}

impl Hear {
    fn holds(self, role: Role) -> bool {
        match self {
            Self::Everything => true,
            Self::Bed => role == Role::Bed,
            Self::Voice => role == Role::Narration,
            Self::Film => role == Role::Film,
            Self::Ambiences => role == Role::Ambience,
        }
    }
}

/// A sound that the plan names is not there.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the plan needs the sound {0}, which is missing")]
pub struct MissingSound(pub String);

/// Renders samples `range` of the cut in two channels. What lies behind the end of the cut is
/// cut off: the result never hangs past the picture.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn render<'a>(plan: &Plan, sounds: &dyn Fn(&str) -> Option<&'a dyn Source>, range: Range<u64>, hear: Hear) -> Result<Sound, MissingSound> {
    let end = range.end.min(plan.length_samples);
    let start = range.start.min(end);
    let mut mix = vec![vec![0.0f32; (end - start) as usize]; 2];
    let mut parts = Vec::new();
    for layer in plan.layers.iter().filter(|l| hear.holds(l.role)) {
        let source = sounds(&layer.sound).ok_or_else(|| MissingSound(layer.sound.clone()))?;
        let placed = layer.piece.as_ref().map(|piece| Placed { source, piece });
        if placed.is_some_and(|p| p.piece.on_cut().start >= end || p.piece.on_cut().end <= start) {
            continue;
        }
        let fitted = layer.fitting.as_ref().map(|fitting| FittedBed::new(source, fitting));
        parts.push(Part { layer, source, fitted, placed, curve: GainCurve::of(&layer.levels) });
    }
    let gain = plan.master.as_ref().map(|m| gain_from_db(m.gain_db) as f32);
    let mut own = vec![Vec::new(); 2];
    // Block by block, so that what is worked on stays in the cache.
    let mut at = start;
    while at < end {
        let until = ((at / BLOCK_SAMPLES + 1) * BLOCK_SAMPLES).min(end);
        let cells = (at - start) as usize..(until - start) as usize;
        for part in &parts {
            for (channel, out) in own.iter_mut().enumerate() {
                out.resize(cells.len(), 0.0);
                part.read(channel, at, out);
            }
            part.curve.apply(at, &mut own);
            for (total, part) in mix.iter_mut().zip(&own) {
                let total = &mut total[cells.clone()];
                match gain {
                    Some(gain) => total.iter_mut().zip(part).for_each(|(t, p)| *t += *p * gain),
                    None => total.iter_mut().zip(part).for_each(|(t, p)| *t += p),
                }
            }
        }
        at = until;
    }
    Ok(Sound::new(mix))
}

/// Samples that are rendered at once: half a second, as the pocket runs its filter.
const BLOCK_SAMPLES: u64 = 24_000;

/// A layer that is being rendered.
struct Part<'a> {
    layer: &'a Layer,
    source: &'a dyn Source,
    fitted: Option<FittedBed<'a>>,
    placed: Option<Placed<'a>>,
    curve: GainCurve,
}

impl Part<'_> {
    /// Reads it from sample `start` of the cut on, before its levels.
    fn read(&self, channel: usize, start: u64, out: &mut [f32]) {
        let (layer, source) = (self.layer, self.source);
        match (&self.fitted, &self.placed) {
            (Some(bed), _) => bed.read(channel, start as i64, out),
            (None, Some(placed)) => placed.read(channel, start as i64, out),
            (None, None) => match &layer.ambience {
                Some(ambience) => ambience.read(source, channel, start as i64, out),
                None => source.read(channel.min(source.channel_count() - 1), start as i64, out),
            },
        }
        if let (Some(pocket), Some(bed)) = (&layer.pocket, &self.fitted) {
            pocket.apply(start, out, &|from, block| bed.read(channel, from, block));
        }
    }
}
