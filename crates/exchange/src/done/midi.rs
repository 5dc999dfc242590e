//! Bars of the cut as a MIDI tempo map, with sections and moments as markers.

use crate::grid::{Grid, midi};
use jaunty_core::fit::Fitting;
use jaunty_core::picture::Picture;
use jaunty_core::reading::Reading;
use jaunty_core::units::seconds_from_samples;

/// The beats of the bed as they lie on the cut, and what begins where.
pub fn grid_of(fitting: &Fitting, reading: &Reading, picture: &Picture) -> Grid {
    let mut grid = Grid::default();
    for (k, piece) in fitting.pieces.iter().enumerate() {
        let is_last = k + 1 == fitting.pieces.len();
        for (beat, &source) in reading.beats_samples.iter().enumerate() {
            let at = piece.cut_position(source as f64);
            // A beat on a splice belongs to what is entered; half a beat is no beat.
            let end = if is_last { piece.cut_end_samples } else { piece.cut_end_samples.saturating_sub(2400) };
            if source as i64 + 2400 < piece.source_start_samples || at < piece.cut_start_samples as f64 - 2400.0 || at >= end as f64 {
                continue;
            }
            let seconds = (at / f64::from(jaunty_core::SAMPLE_RATE_HZ)).max(0.0);
            if grid.beats_s.last().is_some_and(|last| seconds - last < 0.06) {
                continue;
            }
            if reading.downbeats.contains(&beat) {
                grid.downbeats.push(grid.beats_s.len());
            }
            grid.beats_s.push(seconds);
        }
    }
    let sections = fitting.counted_bar_lines(reading).into_iter().filter_map(|line| {
        let section = &reading.sections[line.section?];
        Some((seconds_from_samples(line.at_samples), section.name.clone().unwrap_or_else(|| section.label.clone())))
    });
    let moments = picture.moments.iter().map(|m| (seconds_from_samples(picture.rate.samples_from_frames(m.frame)), m.name.clone()));
    grid.sections = sections.chain(moments).collect();
    grid.sections.sort_by(|a, b| a.0.total_cmp(&b.0));
    grid
}

/// The tempo map.
pub fn write(fitting: &Fitting, reading: &Reading, picture: &Picture) -> Vec<u8> {
    midi::write(&grid_of(fitting, reading, picture))
}
