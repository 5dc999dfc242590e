//! What every part of the fit knows of a bed: where it may begin, where its ending does, what is pinned.

use jaunty_reading::reading::{EndingKind, Reading};

/// Silence kept before the first sound: 5 ms.
pub const HEAD_SAMPLES: u64 = 240;
/// The most that may be left as silence before the start or after the ring-out, or cut off it: 0.25 s.
pub const MOST_SHIFT_SAMPLES: i64 = 12_000;

/// The first sample of the bed that is played: just before its first sound.
pub fn head_samples(reading: &Reading) -> u64 {
    let first_line = reading.downbeats.first().map_or(u64::MAX, |&d| reading.beats_samples[d]);
    reading.music_start_samples.saturating_sub(HEAD_SAMPLES).min(first_line)
}

/// The bar at which the bed's own ending begins: no bar after it may be left or entered.
pub fn last_bar(reading: &Reading, lines: &[i64], slack: i64) -> usize {
    let ending = &reading.ending;
    let limit = match ending.kind {
        EndingKind::FadesOut | EndingKind::OwnEnding => ending.last_hit_samples,
        EndingKind::StopsDead => ending.music_end_samples,
    } as i64;
    (1..lines.len()).rev().find(|&b| lines[b] <= limit + slack).unwrap_or(0)
}

/// Whether the bed closes by itself in a cut of `wanted_samples`: with an ending, or with a fade of its own that leaves
/// the music four fifths of the cut.
pub fn closes(reading: &Reading, wanted_samples: i64) -> bool {
    match reading.ending.kind {
        EndingKind::OwnEnding => true,
        EndingKind::FadesOut => 5 * (reading.ending.music_end_samples as i64 - reading.ending.last_hit_samples as i64) <= wanted_samples,
        EndingKind::StopsDead => false,
    }
}

/// How much of the bed's own end a cut may do without, in samples: half of a fade, which is then faded a little sooner.
pub fn spare_samples(reading: &Reading) -> i64 {
    match reading.ending.kind {
        EndingKind::FadesOut => (reading.ending.music_end_samples as i64 - reading.ending.last_hit_samples as i64).max(0) / 2,
        EndingKind::OwnEnding | EndingKind::StopsDead => 0,
    }
}

/// A pin in samples of the bed and of the place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PlacedPin {
    /// Sample of the bed.
    pub bed: i64,
    /// Sample of the place.
    pub at: i64,
}
