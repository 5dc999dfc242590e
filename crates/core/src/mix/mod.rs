//! Rendering: a plan and its sounds become samples, for any range, with the same result however
//! the ranges are cut. What is heard in the page and what is delivered both come from here.

mod count;
mod meters;
mod outline;
mod resample;

pub use count::count_along;
pub use meters::{Heard, Meters, Sounds, master, meters};
pub use outline::outline;

use crate::fit::{Fitting, Piece};
use crate::plan::{Layer, Plan, Role};
use crate::shape::GainCurve;
use crate::sound::{Looped, Sound, Source};
use crate::splice::RingOut;
use crate::units::gain_from_db;
use crate::voice::Placed;
use serde::{Deserialize, Serialize};
use std::cell::OnceCell;
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

/// A bed re-cut by a fitting, at unity gain, on the timeline of the cut.
pub struct FittedBed<'a> {
    bed: &'a dyn Source,
    fitting: &'a Fitting,
    /// The ring-out of each channel, made when it is first heard.
    tails: [OnceCell<Vec<f32>>; 2],
}

/// The first samples of a bed are faded in this far, so that no start clicks: 2 ms.
const ONSET_SAMPLES: u64 = 96;

impl<'a> FittedBed<'a> {
    /// The bed as the fitting plays it.
    pub fn new(bed: &'a dyn Source, fitting: &'a Fitting) -> Self {
        Self { bed, fitting, tails: [OnceCell::new(), OnceCell::new()] }
    }

    /// Reads what `piece` plays at `start` of the cut and on, also beyond the piece's own ends.
    fn read_piece(&self, piece: &Piece, channel: usize, mut start: u64, mut out: &mut [f32]) {
        let channel = channel.min(self.bed.channel_count() - 1);
        while !out.is_empty() {
            let until = piece.next_bend(start).map_or(out.len(), |bend| ((bend - start) as usize).min(out.len()));
            let (now, rest) = out.split_at_mut(until);
            let (position, speed) = (piece.source_position(start), piece.speed_at(start));
            // Only a loop is entered so near its beginning that a crossfade needs what lies before it.
            let looped = Looped(self.bed);
            let bed: &dyn Source = if position < 0.0 { &looped } else { self.bed };
            if speed == 1.0 && position.fract() == 0.0 {
                bed.read(channel, position as i64, now);
            } else {
                resample::read_at_speed(bed, channel, position, speed, now);
            }
            start += until as u64;
            out = rest;
        }
    }

    /// Lets the dry sound stop and the room ring.
    fn ring(&self, ring: &RingOut, channel: usize, start: i64, out: &mut [f32]) {
        let tail = self.tails[channel.min(1)].get_or_init(|| ring.tail(self.bed, channel));
        for (k, sample) in out.iter_mut().enumerate() {
            let at = start + k as i64 - ring.at_samples as i64;
            if at >= 0 {
                let wet = tail.get(at as usize).copied().unwrap_or(0.0);
                *sample = *sample * ring.dry_gain(ring.at_samples + at as u64) + wet;
            }
        }
    }
}

impl Source for FittedBed<'_> {
    fn len_samples(&self) -> u64 {
        self.fitting.end_samples()
    }

    fn channel_count(&self) -> usize {
        self.bed.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        out.fill(0.0);
        let wanted_end = start.saturating_add(out.len() as i64);
        let mut entering = Vec::new();
        for (index, piece) in self.fitting.pieces.iter().enumerate() {
            let from = (piece.cut_start_samples as i64).max(start);
            let to = (piece.cut_end_samples as i64).min(wanted_end);
            if from < to {
                self.read_piece(piece, channel, from as u64, &mut out[(from - start) as usize..(to - start) as usize]);
            }
            // The crossfade into the next piece lies in the last samples of this one.
            let Some(splice) = self.fitting.splices.get(index) else { continue };
            let fade_end = piece.cut_end_samples as i64;
            let fade_start = fade_end - splice.join.fade_samples as i64;
            let (from, to) = (fade_start.max(start).max(0), fade_end.min(wanted_end));
            if from < to {
                entering.resize((to - from) as usize, 0.0);
                self.read_piece(&self.fitting.pieces[index + 1], channel, from as u64, &mut entering);
                for (k, new) in entering.iter().enumerate() {
                    let x = ((from - fade_start) as f32 + k as f32 + 0.5) / splice.join.fade_samples as f32;
                    let (old_gain, new_gain) = splice.join.gains(x);
                    let sample = &mut out[(from - start) as usize + k];
                    *sample = old_gain * *sample + new_gain * new;
                }
            }
        }
        let first = self.fitting.pieces.first().map_or(0, |p| p.cut_start_samples) as i64;
        for at in first.max(start)..(first + ONSET_SAMPLES as i64).min(wanted_end) {
            out[(at - start) as usize] *= (at - first) as f32 / ONSET_SAMPLES as f32;
        }
        if let Some(ring) = self.fitting.ring_out.as_ref().filter(|r| (r.at_samples as i64) < wanted_end) {
            self.ring(ring, channel, start, out);
        }
    }
}
