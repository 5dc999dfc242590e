//! Ways to begin an edit, with when its first bar line falls and what it costs.

use super::play::Playing;
use crate::fit::bed::{HEAD_SAMPLES, head_samples};
use jaunty_reading::reading::Reading;

/// Starts whose phases within a bucket differ by less share a class: 1 ms, which no cost can tell.
const SAME_PHASE_SAMPLES: i64 = 48;

/// How an edit begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Start {
    /// From the first sound.
    Top,
    /// On a later beat of the first bar: the beat's index in the reading.
    Pickup(usize),
    /// At full level on a bar line.
    Cold(usize),
    /// Faded in from a bar line.
    FadeIn(usize),
}

/// The first sample of the bed that a start plays.
pub fn start_samples(start: Start, reading: &Reading, lines: &[i64]) -> i64 {
    let head = HEAD_SAMPLES as i64;
    match start {
        Start::Top => head_samples(reading) as i64,
        Start::Pickup(beat) => (reading.beats_samples[beat] as i64 - head).max(0),
        Start::Cold(bar) | Start::FadeIn(bar) => (lines[bar] - head).max(0),
    }
}

/// The bar at which a start's own bars begin.
pub fn start_bar(start: Start) -> usize {
    match start {
        Start::Top | Start::Pickup(_) => 0,
        Start::Cold(bar) | Start::FadeIn(bar) => bar,
    }
}

/// Whether two times lie at the same place within their buckets.
pub(super) fn same_phase(a: i64, b: i64, bucket: i64) -> bool {
    let apart = (a - b).rem_euclid(bucket);
    apart.min(bucket - apart) < SAME_PHASE_SAMPLES
}

/// The phases within a bucket that `starts` have.
pub(super) fn phases(starts: &[(Start, i64, f32)], bucket: i64) -> Vec<i64> {
    let mut phases: Vec<i64> = Vec::new();
    for &(_, time, _) in starts {
        if !phases.iter().any(|p| same_phase(*p, time, bucket)) {
            phases.push(time);
        }
    }
    phases
}

/// All ways to begin: how, when the first bar line after it falls, and the cost.
pub(super) fn starts(playing: &Playing<'_>) -> Vec<(Start, i64, f32)> {
    let ask = playing.ask;
    let lead = playing.lines[0] - head_samples(playing.reading) as i64;
    let mut all = Vec::new();
    let inside = |bar: usize| ask.keep.iter().any(|k| bar > k.0 && bar < k.1);
    // What was cut as a loop has no opening.
    let lost = if ask.starts.top && !playing.reading.is_loop() { playing.lost(playing.taste.opening_lost) } else { 0.0 };
    if ask.starts.top && !ask.silent[0] {
        all.push((Start::Top, lead, 0.0));
    }
    // A pickup is not the whole first bar: half of what an opening is worth is lost.
    if ask.starts.pickup && !ask.silent[0] && !ask.keep.iter().any(|k| k.0 == 0) {
        let (first, second) = (playing.reading.downbeats[0], playing.reading.downbeats[1]);
        // The second beat of a bar makes an odd pickup of nearly a whole bar; from the third on it is one.
        all.extend((first + 1..second).map(|beat| {
            let heard = playing.lines[1] - playing.reading.beats_samples[beat] as i64;
            (Start::Pickup(beat), HEAD_SAMPLES as i64 + heard - playing.duration(0, 1), 0.3 + 0.5 * lost)
        }));
    }
    for bar in 0..playing.last_bar {
        let cost = lost + playing.opening_cost(bar);
        // A first run shorter than the least is for those who name its bar.
        let may = |at: Option<Option<usize>>| at.is_some_and(|named| named.map_or(bar + playing.least_run <= playing.last_bar, |b| b == bar)) && !inside(bar);
        if may(ask.starts.cold) && (bar > 0 || ask.starts.cold == Some(Some(0)) || !ask.starts.top) {
            all.push((Start::Cold(bar), HEAD_SAMPLES as i64, 0.5 + cost));
        }
        if may(ask.starts.fade_in) {
            all.push((Start::FadeIn(bar), HEAD_SAMPLES as i64, 0.7 + cost));
        }
    }
    all.retain(|&(start, time, _)| {
        let (bed, bar) = (start_samples(start, playing.reading, playing.lines), start_bar(start));
        // What is pinned to before the first line has to lie there by itplaying.
        let before = ask.pins.iter().filter(|p| p.at < time).all(|p| p.bed >= bed && (0..=playing.bucket).contains(&(p.at - (p.bed - bed))));
        before && playing.may_begin(bed, bar, time)
    });
    all
}
