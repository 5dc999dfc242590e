//! Beats and bars in and out: a grid that somebody made elsewhere, or the one that was read here.
//!
//! | module | format | holds |
//! |---|---|---|
//! | [`midi`] | Standard MIDI File | tempo map, time signatures, markers for sections |
//! | [`jams`] | JAMS | beats with their place in the bar, sections |
//! | [`cues`] | cue points of WAV and BWF | bars by name |

pub mod cues;
pub mod jams;
pub mod midi;

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Beats in bars, in seconds of the sound.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Grid {
    /// Beats, rising.
    pub beats_s: Vec<f64>,
    /// Which of them begin a bar: indices, rising.
    pub downbeats: Vec<usize>,
    /// Where sections begin, with their names.
    pub sections: Vec<(f64, String)>,
}

/// What a grid is for.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Bed {
    /// Length of the sound in seconds: a tempo map goes on for as long.
    pub length_s: f64,
    /// Beats in a bar where a file does not tell.
    pub metre: usize,
}

/// Why a file gives no grid.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum GridError {
    /// It is not one of the formats.
    #[error("This is no grid that can be read here. Use a Standard MIDI File with a tempo map, JAMS, or a WAV file with cue points.")]
    Unknown,
    /// It is damaged.
    #[error("The {format} cannot be read: {cause}. Export it again.")]
    Damaged {
        /// What it looks like.
        format: &'static str,
        /// What is wrong.
        cause: String,
    },
    /// It holds no beats.
    #[error("The {0} holds fewer than two beats within the length of the bed. Export it with its beats or its tempo map.")]
    NoBeats(&'static str),
}

/// Beats that are read at most: four hours at 400 beats a minute.
const MOST_BEATS: usize = 96_000;

/// Reads a grid, whatever its format.
///
/// # Errors
/// [`GridError`] with what to do.
pub fn read(bytes: &[u8], bed: Bed) -> Result<Grid, GridError> {
    let first = bytes.iter().find(|b| !b.is_ascii_whitespace());
    let (format, mut grid) = if bytes.starts_with(b"MThd") {
        ("MIDI file", midi::read(bytes, bed)?)
    } else if bytes.starts_with(b"RIFF") {
        ("WAV file", cues::read(bytes, bed)?)
    } else if first == Some(&b'{') {
        ("JAMS file", jams::read(bytes, bed)?)
    } else {
        return Err(GridError::Unknown);
    };
    tidy(&mut grid, bed);
    if grid.beats_s.len() < 2 || grid.downbeats.is_empty() { Err(GridError::NoBeats(format)) } else { Ok(grid) }
}

/// Leaves what lies within the bed and rises; bars begin on what is left.
fn tidy(grid: &mut Grid, bed: Bed) {
    let mut kept = Vec::new();
    let mut places = vec![None; grid.beats_s.len()];
    for (k, &beat) in grid.beats_s.iter().enumerate().take(MOST_BEATS) {
        let after = kept.last().is_none_or(|last| beat > last + 0.02);
        if beat.is_finite() && (0.0..=bed.length_s).contains(&beat) && after {
            places[k] = Some(kept.len());
            kept.push(beat);
        }
    }
    grid.downbeats = grid.downbeats.iter().filter_map(|d| places.get(*d).copied().flatten()).collect();
    grid.downbeats.dedup();
    grid.beats_s = kept;
    grid.sections.retain(|(at, _)| at.is_finite() && (0.0..bed.length_s).contains(at));
    grid.sections.sort_by(|a, b| a.0.total_cmp(&b.0));
}

impl Grid {
    /// Place of each beat in its bar, from 1; beats before the first bar count towards it.
    fn places(&self) -> Vec<usize> {
        let pickup = self.downbeats.first().copied().unwrap_or(0);
        let length = self.downbeats.windows(2).map(|w| w[1] - w[0]).next().unwrap_or(4).max(pickup);
        let mut place = length - pickup;
        (0..self.beats_s.len())
            .map(|k| {
                place = if self.downbeats.binary_search(&k).is_ok() { 1 } else { place + 1 };
                place
            })
            .collect()
    }
}
