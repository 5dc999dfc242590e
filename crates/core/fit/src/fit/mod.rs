//! Fitting a bed to a length: which bars to keep, which to leave out, which to play again.
//!
//! A *fitting* is one proposed re-edit. It plays runs of whole bars; between two runs lies a
//! splice from one downbeat to another.
//!
//! | part | does |
//! |---|---|
//! | `wishes` | what somebody wants: passages, pins, start, end, likings |
//! | `say` | one wish at a time, and taking it back |
//! | `scene` | what the bed lies under: narration, picture cuts, moments |
//! | `bed` | what all of them know of a bed |
//! | `ask` | wishes in bars, and which of them contradict |
//! | `taste` | weights by which alternatives differ |
//! | `planner/` | the cheapest runs: exactly where bars have one length, nearly where they drift |
//! | `exact` | the runs exact to the sample |
//! | `request` | one request with what its sweeps share; what cannot hold is set aside |
//! | `alternatives` | several fittings that differ, each with a name |
//! | `telling` | names, reasons and notes of fittings |
//! | `lengths` | lengths that come by themselves |
//! | `fitting` | one fitting: its runs and splices |
//! | `fitted` | a fitting as sound |
//!
//! ```
//! use jaunty_fit::fit::{FitRequest, fittings};
//! use jaunty_reading::reading::{keep_going, read_bed};
//! use jaunty_sound::sound::Sound;
//! let bed = Sound::silence(2, 48_000);
//! let read = read_bed(&bed, &mut keep_going()).unwrap();
//! let all = fittings(&bed, &read.reading, &read.likeness, &FitRequest::of_length(96_000));
//! assert_eq!(all[0].length_samples, 96_000);
//! assert!(!all[0].notes.is_empty(), "it says that silence cannot be looped");
//! ```

mod alternatives;
mod ask;
mod bed;
mod close_up;
mod exact;
mod fitted;
mod fitting;
mod lengths;
mod planner;
mod request;
mod say;
mod scene;
mod taste;
mod telling;
mod wishes;

pub use alternatives::{fittings, quick_fitting, retouched};
pub use close_up::CloseUp;
pub use fitted::FittedBed;
pub use fitting::{Audible, BarLine, Bend, FADE_OUT_SAMPLES, Fitting, FittingEnd, FittingStart, Piece, Splice, Term};
pub use lengths::{natural_lengths, whole_samples};
pub use say::{Liking, Standing, Wish};
pub use scene::{ON_CUT_SAMPLES, Scene};
pub use wishes::{CROSSFADE_MS, EndWish, LEAST_RUN_BARS, Likings, MOST_MUSTS, MOST_PLAYS, Passage, Pin, SPEED_CHANGE, StartWish, WishError, Wishes};

/// What is wanted of a fitting.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct FitRequest {
    /// Length of the cut in samples.
    pub length_samples: u64,
    /// What somebody wants.
    pub wishes: Wishes,
    /// What the bed lies under.
    pub scene: Scene,
}

impl FitRequest {
    /// Nothing but a length.
    pub fn of_length(length_samples: u64) -> Self {
        Self { length_samples, ..Self::default() }
    }

    /// Where on the cut the bed lies.
    pub fn place(&self) -> Passage {
        let whole = Passage { start_samples: 0, end_samples: self.length_samples };
        let Some(place) = self.wishes.place else { return whole };
        let start_samples = place.start_samples.min(self.length_samples.saturating_sub(1));
        Passage { start_samples, end_samples: place.end_samples.clamp(start_samples, self.length_samples) }
    }
}
