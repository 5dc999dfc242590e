//! A fitting as sound.

use super::{Fitting, Piece};
use jaunty_sound::sound::{Looped, Source, resample};
use jaunty_sound::splice::{RingOut, tail};
use std::cell::OnceCell;

/// A bed re-cut by a fitting, at unity gain, on the timeline of the cut.
pub struct FittedBed<'a> {
    bed: &'a dyn Source,
    fitting: &'a Fitting,
    /// The ring-out of each channel, made when it is first heard.
    ring_outs: [OnceCell<Vec<f32>>; 2],
    /// The same of the tails of its splices.
    tails: Vec<[OnceCell<Vec<f32>>; 2]>,
}

/// The first samples of a bed are faded in this far, so that no start clicks: 2 ms.
const ONSET_SAMPLES: u64 = 96;

impl<'a> FittedBed<'a> {
    /// The bed as the fitting plays it.
    pub fn new(bed: &'a dyn Source, fitting: &'a Fitting) -> Self {
        Self { bed, fitting, ring_outs: Default::default(), tails: fitting.splices.iter().map(|_| Default::default()).collect() }
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

    /// Adds what rings on after splice `index`.
    fn add_tail(&self, index: usize, channel: usize, start: i64, out: &mut [f32]) {
        let join = self.fitting.pieces[index].cut_end_samples as i64;
        let from = join - tail::JOINS_IN_SAMPLES as i64;
        let end = (join + tail::TAIL_SAMPLES as i64).min(self.fitting.end_samples() as i64);
        let (first, last) = (from.max(start), end.min(start.saturating_add(out.len() as i64)));
        if first >= last {
            return;
        }
        let tail = self.tails[index][channel.min(1)].get_or_init(|| {
            let piece = |k: usize| {
                let piece = &self.fitting.pieces[k];
                move |after: i64, out: &mut [f32]| {
                    // Nothing was heard before the cut began.
                    let missing = (-(join + after)).clamp(0, out.len() as i64) as usize;
                    out[..missing].fill(0.0);
                    self.read_piece(piece, channel, (join + after).max(0) as u64, &mut out[missing..]);
                }
            };
            tail::Around::new(piece(index), piece(index + 1)).tail(channel)
        });
        out[(first - start) as usize..(last - start) as usize].iter_mut().zip(&tail[(first - from) as usize..]).for_each(|(s, t)| *s += t);
    }

    /// Lets the dry sound stop and the room ring.
    fn ring(&self, ring: &RingOut, channel: usize, start: i64, out: &mut [f32]) {
        let tail = self.ring_outs[channel.min(1)].get_or_init(|| ring.tail(self.bed, channel));
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
        for (index, _) in self.fitting.splices.iter().enumerate().filter(|(_, s)| s.join.rings) {
            self.add_tail(index, channel, start, out);
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
