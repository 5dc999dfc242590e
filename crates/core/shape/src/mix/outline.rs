//! The beds as they are drawn: peaks of what is heard, without rendering it.

use super::MissingSound;
use crate::plan::{Plan, Role};
use crate::shape::GainCurve;
use jaunty_fit::fit::FittedBed;
use jaunty_fit::fit::Piece;
use jaunty_sound::sound::Source;
use jaunty_units::units::gain_from_db;

/// Spans that are read at once.
const SPANS_AT_ONCE: u64 = 64;

/// Peaks of the beds as fitted and shaped, one for each `span_samples` of the cut, 1 for full scale.
///
/// For drawing: each span has the highest sample that the bed plays there, times its gain in the
/// middle of the span. Crossfades and pockets do not show; a ring-out is rendered. Where two beds
/// are heard their powers add. Measured thirty times faster than rendering a bed of which the speed changes.
///
/// # Errors
/// [`MissingSound`] when `sounds` does not know one that the plan names.
pub fn outline<'a>(plan: &Plan, sounds: &dyn Fn(&str) -> Option<&'a dyn Source>, span_samples: u64) -> Result<Vec<f32>, MissingSound> {
    let span_samples = span_samples.max(1);
    let mut power = vec![0.0f32; plan.length_samples.div_ceil(span_samples) as usize];
    let master = plan.master.as_ref().map_or(1.0, |m| gain_from_db(m.gain_db));
    for layer in plan.layers.iter().filter(|l| l.role == Role::Bed) {
        let source = sounds(&layer.sound).ok_or_else(|| MissingSound(layer.sound.clone()))?;
        let Some(fitting) = &layer.fitting else { continue };
        let mut peaks = vec![0.0f32; power.len()];
        for piece in &fitting.pieces {
            of_piece(source, piece, span_samples, &mut peaks);
        }
        if let Some(ring) = &fitting.ring_out {
            let bed = FittedBed::new(source, fitting);
            let from = (ring.at_samples / span_samples) as usize;
            let end = fitting.end_samples().min(plan.length_samples).div_ceil(span_samples) as usize;
            let mut block = vec![0.0; span_samples as usize];
            for (k, peak) in peaks.iter_mut().enumerate().take(end).skip(from) {
                bed.read_mono((k as u64 * span_samples) as i64, &mut block);
                *peak = highest(&block);
            }
        }
        let curve = GainCurve::of(&layer.levels);
        for (k, (sum, peak)) in power.iter_mut().zip(peaks).enumerate().filter(|(_, (_, peak))| *peak > 0.0) {
            let middle = k as u64 * span_samples + span_samples / 2;
            *sum += (peak * (curve.gain(middle) * master) as f32).powi(2);
        }
    }
    Ok(power.into_iter().map(f32::sqrt).collect())
}

fn highest(block: &[f32]) -> f32 {
    block.iter().fold(0.0f32, |top, s| top.max(s.abs()))
}

/// Raises the peaks of the spans that a piece plays in.
fn of_piece(source: &dyn Source, piece: &Piece, span_samples: u64, peaks: &mut [f32]) {
    let end = piece.cut_end_samples.min(peaks.len() as u64 * span_samples);
    let mut block = Vec::new();
    let mut start = piece.cut_start_samples;
    while start < end {
        // Whole spans, so that each is read at one speed.
        let until = ((start / span_samples + SPANS_AT_ONCE) * span_samples).min(piece.next_bend(start).unwrap_or(end)).min(end);
        let (first, speed) = (piece.source_position(start), piece.speed_at(start));
        let place = |cut: u64| ((cut - start) as f64 * speed).round() as usize;
        block.resize(place(until).max(1), 0.0);
        source.read_mono(first.round() as i64, &mut block);
        let mut at = start;
        while at < until {
            let next = ((at / span_samples + 1) * span_samples).min(until);
            let peak = &mut peaks[(at / span_samples) as usize];
            *peak = peak.max(highest(&block[place(at)..place(next).min(block.len())]));
            at = next;
        }
        start = until;
    }
}
