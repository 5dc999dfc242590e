//! Any bytes as a grid of beats.
#![no_main]

mod hook;

use jaunty_exchange::grid::{self, Bed};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    hook::ours_only();
    let Some((first, bytes)) = bytes.split_first() else { return };
    let bed = Bed { length_s: 10.0 + f64::from(*first), metre: 1 + usize::from(first % 7) };
    if let Ok(grid) = grid::read(bytes, bed) {
        assert!(grid.beats_s.iter().all(|s| s.is_finite()));
        grid::midi::write(&grid);
        grid::jams::write(&grid, "fuzz", 100.0);
    }
});
