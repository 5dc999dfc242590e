//! How loud a fitted bed is, minute by minute: what one splice changes is measured anew, and the hours around it are not.

use super::Kept;
use jaunty_fit::fit::{Bend, FittedBed, Fitting, Piece};
use jaunty_sound::sound::Source;
use jaunty_sound::sound::loudness::{BLOCK_SAMPLES, block_energies};
use jaunty_sound::splice::tail::TAIL_SAMPLES;
use jaunty_units::digest::digest;
use std::ops::Range;

/// What is measured and kept as one: a minute.
const STRETCH_SAMPLES: u64 = 600 * BLOCK_SAMPLES;
/// Within so long the weighting of BS.1770-4 has forgotten how it began (its high pass lies at 38 Hz).
const SETTLES_SAMPLES: u64 = 5 * BLOCK_SAMPLES;
/// Runs are taken to lie on this grid, 1 ms, and to run at speeds of whole millionths: the energy of a tenth of a second
/// does not tell them apart, and a run that something before it moves by a sample is still the one that was measured.
const GRID_SAMPLES: i64 = 48;
const SPEEDS_IN_1: f64 = 1e6;

/// Mean K-weighted energy of each tenth of a second of `bed`, whose hash is `sound`, as `fitting` plays it
/// ([`block_energies`] of it all; over half a second within 0.05 dB).
pub(super) fn of_fitted(kept: &dyn Kept, sound: &str, bed: &dyn Source, fitting: &Fitting) -> Vec<f64> {
    let end = fitting.end_samples();
    let bare = Fitting { pieces: Vec::new(), splices: Vec::new(), notes: Vec::new(), ..fitting.clone() };
    let mut energies = Vec::new();
    for start in (0..end).step_by(STRETCH_SAMPLES as usize) {
        let range = start.saturating_sub(SETTLES_SAMPLES)..(start + STRETCH_SAMPLES).min(end);
        let part = heard_in(fitting, &bare, &range);
        let played = (&part.pieces, part.splices.iter().map(|s| s.join).collect::<Vec<_>>(), &part.ring_out, part.end_samples());
        let measured = kept.numbers(digest(&("bed", sound, played, &range, start)), &|| {
            let skipped = ((start - range.start) / BLOCK_SAMPLES) as usize;
            block_energies(&Stretch { of: &FittedBed::new(bed, &part), range: range.clone() }).split_off(skipped)
        });
        energies.extend_from_slice(&measured);
    }
    energies
}

/// What of a fitting is heard in a range of the cut, on the grid.
fn heard_in(fitting: &Fitting, bare: &Fitting, range: &Range<u64>) -> Fitting {
    let sounds = |p: &Piece| p.cut_start_samples < range.end + TAIL_SAMPLES && p.cut_end_samples + TAIL_SAMPLES > range.start;
    let first = fitting.pieces.iter().position(sounds).unwrap_or(0);
    let count = fitting.pieces[first..].iter().take_while(|p| sounds(p)).count();
    let last = (first + count).saturating_sub(1);
    let until = fitting.end_samples().min(range.end + TAIL_SAMPLES);
    Fitting {
        pieces: fitting.pieces[first..first + count].iter().map(|p| on_grid(p, fitting.pieces[0].cut_start_samples)).collect(),
        splices: fitting.splices.get(first..last).unwrap_or_default().to_vec(),
        ring_out: fitting.ring_out.filter(|ring| ring.at_samples < range.end),
        length_samples: until.saturating_sub(fitting.start_samples),
        ..bare.clone()
    }
}

/// A piece on the grid; where the bed begins it begins as it does.
fn on_grid(piece: &Piece, begins_samples: u64) -> Piece {
    let round = |samples: i64| (samples as f64 / GRID_SAMPLES as f64).round() as i64 * GRID_SAMPLES;
    let speed = |speed: f64| (speed * SPEEDS_IN_1).round() / SPEEDS_IN_1;
    // What is heard there is as far from there as it was, on the grid as well.
    let place = |cut: u64, source: i64| {
        let placed = if cut == begins_samples { cut } else { round(cut as i64).max(0) as u64 };
        (placed, placed as i64 + round(source - cut as i64))
    };
    let (cut_start_samples, source_start_samples) = place(piece.cut_start_samples, piece.source_start_samples);
    let bend = |bend: &Bend| {
        let (cut_samples, source) = place(bend.cut_samples, bend.source_samples as i64);
        Bend { cut_samples, source_samples: source.max(0) as u64, speed: speed(bend.speed) }
    };
    Piece {
        cut_start_samples,
        source_start_samples,
        cut_end_samples: round(piece.cut_end_samples as i64).max(0) as u64,
        speed: speed(piece.speed),
        bends: piece.bends.iter().map(bend).collect(),
        ..piece.clone()
    }
}

/// A part of a sound.
struct Stretch<'a> {
    of: &'a dyn Source,
    range: Range<u64>,
}

impl Source for Stretch<'_> {
    fn len_samples(&self) -> u64 {
        self.range.end - self.range.start
    }

    fn channel_count(&self) -> usize {
        self.of.channel_count()
    }

    fn read(&self, channel: usize, start: i64, out: &mut [f32]) {
        self.of.read(channel, self.range.start as i64 + start, out);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::kept::Anew;
    use jaunty_fit::fit::{Audible, FittingEnd, FittingStart, Splice};
    use jaunty_sound::sound::Sound;
    use jaunty_sound::splice::{Join, Law, SpliceAt};
    use jaunty_units::message::Message;
    use std::collections::HashMap;
    use std::sync::{Arc, Mutex};

    /// Noise whose level steps every third of a second, so that half a millisecond might show.
    fn bed() -> Sound {
        let mut seed = 1u32;
        let noise = |n: usize| {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            ((seed >> 8) as f32 / 8_388_608.0 - 1.0) * if (n / 16_000).is_multiple_of(2) { 0.5 } else { 0.05 }
        };
        Sound::new(vec![(0..200 * 48_000).map(noise).collect()])
    }

    /// Runs of 50 s that begin at 0, 100, 20 s and so on of the bed, the second one moved by `nudged` samples.
    fn fitting(runs: usize, nudged: i64) -> Fitting {
        let (speed, run) = (1.000_31 + nudged as f64 / 1e10, 50 * 48_000u64);
        let starts = [0, 100, 20, 140, 60].map(|s| s * 48_000 + 7);
        let piece = |k: usize| Piece {
            start_bar: 0,
            end_bar: 1,
            source_start_samples: starts[k % 5] + if k == 1 { nudged } else { 0 },
            // What is moved moves the borders behind it by a sample.
            cut_start_samples: if k == 0 { 4801 } else { k as u64 * run + nudged as u64 },
            cut_end_samples: (k as u64 + 1) * run + if k + 1 == runs { 0 } else { nudged as u64 },
            speed,
            bends: Vec::new(),
        };
        let splice = |k: usize| Splice {
            leave_bar: 0,
            enter_bar: 0,
            at: SpliceAt { leave_samples: 0, enter_samples: 0 },
            leave_samples: 0,
            enter_samples: 0,
            at_samples: (k as u64 + 1) * run,
            goodness: 1.0,
            is_sequel: false,
            audible: Audible::Silent,
            surprise_rank: 0.0,
            join: Join {
                moved_samples: 0,
                correlation: if k == 0 { nudged as f32 / 100.0 } else { 0.0 },
                fade_samples: 1440,
                later_samples: 0,
                law: Law::default(),
                rings: k == 1,
            },
            terms: Vec::new(),
            why: Message::default(),
            by_hand: false,
        };
        Fitting {
            start_samples: 4801,
            length_samples: runs as u64 * run - 4801,
            pieces: (0..runs).map(piece).collect(),
            splices: (0..runs - 1).map(splice).collect(),
            start: FittingStart::Top,
            end: FittingEnd::Stop,
            last_hit_samples: None,
            ring_out: None,
            speed,
            cost: 0.0,
            name: Message::default(),
            why: Message::default(),
            notes: Vec::new(),
        }
    }

    /// Keeps everything: as many names as there are, so often something was measured.
    #[derive(Default)]
    struct All(Mutex<HashMap<String, Arc<Vec<f64>>>>);

    impl Kept for All {
        fn numbers(&self, name: String, measure: &dyn Fn() -> Vec<f64>) -> Arc<Vec<f64>> {
            self.0.lock().unwrap().entry(name).or_insert_with(|| Arc::new(measure())).clone()
        }
    }

    #[test]
    fn minute_by_minute_is_as_loud_as_measured_in_one_go() {
        let (bed, fitting) = (bed(), fitting(5, 0));
        let apart = of_fitted(&Anew, "bed", &bed, &fitting);
        let whole = block_energies(&FittedBed::new(&bed, &fitting));
        assert_eq!(apart.len(), whole.len());
        // Where the level steps by 20 dB within a tenth, a millisecond shows in that tenth; over two of its steps it does not.
        let mean_db = |all: &[f64]| 10.0 * (all.iter().sum::<f64>() / all.len() as f64).log10();
        for (k, (a, b)) in apart.windows(7).zip(whole.windows(7)).enumerate() {
            let (a, b) = (mean_db(a), mean_db(b));
            assert!((a - b).abs() < 0.05, "from {:.1} s: {a} for {b}", k as f64 / 10.0);
        }
        assert!((mean_db(&apart) - mean_db(&whole)).abs() < 0.002);
    }

    #[test]
    fn what_a_nudge_leaves_alone_is_not_measured_again() {
        let (bed, kept) = (bed(), All::default());
        of_fitted(&kept, "bed", &bed, &fitting(12, 0));
        assert_eq!(kept.0.lock().unwrap().len(), 10, "ten minutes");
        of_fitted(&kept, "bed", &bed, &fitting(12, 3));
        assert_eq!(kept.0.lock().unwrap().len(), 11, "the minute of the splice that was nudged");
        of_fitted(&kept, "bed", &bed, &fitting(12, 3));
        of_fitted(&kept, "another", &bed, &fitting(2, 0));
        assert_eq!(kept.0.lock().unwrap().len(), 13);
    }
}
