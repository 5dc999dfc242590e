//! Where within the bar both sides of a splice meet: at the bar line, or up to two beats beside it where less is heard.
//!
//! On the line or beside it, the same music comes but for those beats; so both sides may meet where they are most alike,
//! and where no attack, no held note and no sung line gives it away. A pickup then goes with its phrase.

use super::surprise::{BAND_COUNT, BLOCK, Bands, bands};
use super::{LEAD_SAMPLES, SpliceAt};
use crate::sound::blocks::Blocks;
use crate::sound::{Source, halved};

/// At 24 kHz: 10 ms.
const HOP: usize = 240;
const HOP_SAMPLES: i64 = 2 * HOP as i64;
/// Frames of the joint itself: 60 ms.
const JOINT: i64 = 6;
/// Frames for which the level holds: 400 ms.
const LEVEL: i64 = 40;
/// Frames before the joint, and after it, in which both sides are compared: 200 ms, 1.5 s.
const BEFORE: i64 = 20;
const AFTER: i64 = 150;

/// One side around its bar line, as powers of bands a frame.
struct Side {
    /// The frame before which the joint would lie if it lay on the line.
    line: i64,
    frames: Vec<Bands>,
}

impl Side {
    fn of(bed: &dyn Source, line: i64, first: i64, last: i64) -> Self {
        let from = first / HOP_SAMPLES - BEFORE - 4;
        let to = last / HOP_SAMPLES + AFTER + 4;
        let mut samples = vec![0.0; ((to - from) * HOP_SAMPLES) as usize];
        bed.read_mono(line - LEAD_SAMPLES as i64 + from * HOP_SAMPLES, &mut samples);
        let mut frames = Vec::new();
        Blocks::new(BLOCK, HOP).for_each(&halved(&samples), |power| frames.push(bands(power)));
        Self { line: -from, frames }
    }

    /// Mean powers of the bands over frames `from` to `to` after a joint that lies `later` frames after the line.
    fn power(&self, later: i64, from: i64, to: i64) -> Bands {
        let mut sum: Bands = [0.0; BAND_COUNT];
        let at = |k: i64| (self.line + later + k).clamp(0, self.frames.len() as i64) as usize;
        for frame in &self.frames[at(from)..at(to)] {
            sum.iter_mut().zip(frame).for_each(|(s, f)| *s += f);
        }
        sum
    }
}

/// What the parts of what is heard count: the change at the joint, both sides before it and after it, and the level.
/// Chosen on 18 recordings by `score_recut.py`, judged on 24 others; docs/measurements.md has the figures.
const CHANGE: f32 = 1.5;
const UNLIKE_BEFORE: f32 = 0.5;
const UNLIKE_AFTER: f32 = 5.0;
const STEP: f32 = 3.0;

/// How much a splice is heard that lies `later` frames after the lines, in dB of the bands.
fn heard(leave: &Side, enter: &Side, later: i64) -> f32 {
    let change = apart(&leave.power(later, -JOINT, 0), &enter.power(later, 0, JOINT));
    let before = apart(&leave.power(later, -BEFORE, 0), &enter.power(later, -BEFORE, 0));
    let after = apart(&leave.power(later, 0, AFTER), &enter.power(later, 0, AFTER));
    let level = |side: &Side| 10.0 * side.power(later, 0, LEVEL).iter().sum::<f32>().max(1e-9).log10();
    CHANGE * change + UNLIKE_BEFORE * before + UNLIKE_AFTER * after + STEP * (level(leave) - level(enter)).abs()
}

/// Mean distance of the bands in dB; what is 40 dB under the loudest is silence.
fn apart(a: &Bands, b: &Bands) -> f32 {
    let top = a.iter().chain(b).copied().fold(1e-9, f32::max);
    let db = |power: f32| 10.0 * power.max(top * 1e-4).log10();
    a.iter().zip(b).map(|(a, b)| (db(*a) - db(*b)).abs()).sum::<f32>() / BAND_COUNT as f32
}

/// How much later than its bar lines both sides of a splice meet best: one of `offsets`, or 0. `dear` is what each costs
/// besides what is heard, in dB of the bands.
pub fn later_samples(bed: &dyn Source, lines: &SpliceAt, offsets: &[i64], dear: impl Fn(i64) -> f32) -> i64 {
    let (first, last) = offsets.iter().fold((0, 0), |(first, last), &o| (o.min(first), o.max(last)));
    let side = |line: u64| Side::of(bed, line as i64, first, last);
    let (leave, enter) = (side(lines.leave_samples), side(lines.enter_samples));
    let frames = |later: i64| (later as f64 / HOP_SAMPLES as f64).round() as i64;
    let cost = |later: i64| heard(&leave, &enter, frames(later)) + dear(later);
    // Of equally good ones the first.
    let best = offsets.iter().map(|&later| (later, cost(later))).min_by(|a, b| a.1.total_cmp(&b.1));
    best.filter(|best| best.1 < cost(0)).map_or(0, |best| best.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;
    use std::f32::consts::TAU;

    const BEAT: usize = 24_000;
    const OFFSETS: [i64; 4] = [-24_000, 24_000, -48_000, 48_000];
    const LINES: SpliceAt = SpliceAt { leave_samples: 8 * 4 * BEAT as u64, enter_samples: 16 * 4 * BEAT as u64 };

    /// Twenty-four bars of four beats: a soft hum with a click on every beat, and what `more` adds at a sample.
    fn bed(more: impl Fn(usize) -> f32) -> Sound {
        let sample = |n: usize| {
            let click = if n % BEAT < 480 { 0.3 * (n as f32 * 2000.0 * TAU / 48_000.0).sin() } else { 0.0 };
            0.02 * (n as f32 * 150.0 * TAU / 48_000.0).sin() + click + more(n)
        };
        Sound::new(vec![(0..24 * 4 * BEAT).map(sample).collect()])
    }

    fn note(n: usize, from: usize, to: usize) -> f32 {
        if (from..to).contains(&n) { 0.4 * (n as f32 * 700.0 * TAU / 48_000.0).sin() } else { 0.0 }
    }

    #[test]
    fn a_note_that_is_held_over_the_line_is_not_cut_into() {
        let enter = LINES.enter_samples as usize;
        // Where is entered a note sounds from half a beat before the line to half a beat after it.
        let held = bed(|n| note(n, enter - BEAT / 2, enter + BEAT / 2));
        let later = later_samples(&held, &LINES, &OFFSETS, |_| 0.0);
        assert!(later >= BEAT as i64, "the note is left out, for it did not sound before: {later}");
        // It sounds at both places: on the line or beside it, nothing gives the splice away.
        let leave = LINES.leave_samples as usize;
        let both = bed(|n| note(n, enter - BEAT / 2, enter + BEAT / 2) + note(n, leave - BEAT / 2, leave + BEAT / 2));
        assert_eq!(later_samples(&both, &LINES, &OFFSETS, |later| if later == 0 { 0.0 } else { 0.5 }), 0);
    }

    #[test]
    fn what_is_dear_or_not_offered_is_not_taken() {
        let enter = LINES.enter_samples as usize;
        let held = bed(|n| note(n, enter - BEAT / 2, enter + BEAT / 2));
        assert_eq!(later_samples(&held, &LINES, &OFFSETS, |later| if later > 0 { 100.0 } else { 0.0 }).max(0), 0);
        assert_eq!(later_samples(&held, &LINES, &[], |_| 0.0), 0);
    }
}
