//! Several beds, one after another: where one gives over to the next, and how.
//!
//! Each bed has a place on the cut. Where two places overlap, the first one gives over to the
//! second: a fade at equal power over the overlap. A bed that ends by itself, with its last hit or a
//! stop, is not faded: the next one enters into its ring-out.

use jaunty_fit::fit::{Fitting, FittingEnd, Passage};
use jaunty_units::SAMPLE_RATE_HZ;
use serde::{Deserialize, Serialize};

/// A moment at which one bed gives over to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Handover {
    /// Its middle, in samples of the cut.
    pub at_samples: u64,
    /// How long both are heard.
    pub length_samples: u64,
}

/// Two beds cannot lie so. The texts say what is needed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum SuccessionError {
    /// One of them would hardly be heard.
    #[error("each bed needs at least 4 s on the cut")]
    TooShort,
    /// Longer than sensible.
    #[error("a handover lasts at most 20 s, and at most half of the shorter bed's time")]
    TooLong,
}

/// The least time that a bed has: 4 s.
const LEAST_SAMPLES: u64 = 4 * SAMPLE_RATE_HZ as u64;
/// The longest handover: 20 s.
const LONGEST_SAMPLES: u64 = MOST_HANDOVER_S as u64 * SAMPLE_RATE_HZ as u64;
/// The same in seconds.
pub const MOST_HANDOVER_S: f64 = 20.0;

impl Handover {
    /// How long a handover lasts where nobody says: 2 s, the longer of common practice's values for easing into a dip.
    pub const USUAL_SAMPLES: u64 = 2 * SAMPLE_RATE_HZ as u64;

    /// How the bed on `first` gives over to the one on `second`.
    pub fn between(first: Passage, second: Passage) -> Self {
        let length_samples = first.end_samples.saturating_sub(second.start_samples);
        Self { at_samples: second.start_samples + length_samples / 2, length_samples }
    }

    /// The time of two beds, from the start of the first to the end of the second, shared at this
    /// moment.
    ///
    /// # Errors
    /// [`SuccessionError`].
    pub fn share(self, start_samples: u64, end_samples: u64) -> Result<(Passage, Passage), SuccessionError> {
        let half = self.length_samples / 2;
        let first = Passage { start_samples, end_samples: self.at_samples.saturating_add(self.length_samples - half) };
        let second = Passage { start_samples: self.at_samples.saturating_sub(half), end_samples };
        let long = |p: Passage| p.end_samples.saturating_sub(p.start_samples);
        let least = long(first).min(long(second));
        if least < LEAST_SAMPLES || first.end_samples > end_samples || second.start_samples < start_samples {
            return Err(SuccessionError::TooShort);
        }
        if self.length_samples > LONGEST_SAMPLES || self.length_samples > least / 2 {
            return Err(SuccessionError::TooLong);
        }
        Ok((first, second))
    }
}

/// Over how many samples something is faded in from what comes before it, and out into what comes
/// after it; `None` where it begins or ends by itself.
pub type Fades = (Option<u64>, Option<u64>);

/// How beds give over to each other, and how beds and the film's own sound do, which is heard on
/// `film`: the fades of each fitting, and those of the film.
pub fn fades(fittings: &[&Fitting], film: Option<Passage>) -> (Vec<Fades>, Fades) {
    let by_itself = |fitting: &Fitting| matches!(fitting.end, FittingEnd::OwnEnding | FittingEnd::OwnFade | FittingEnd::Stop);
    let place = |fitting: &Fitting| Passage { start_samples: fitting.start_samples, end_samples: fitting.end_samples() };
    let mut order: Vec<usize> = (0..fittings.len()).collect();
    order.sort_by_key(|&k| fittings[k].start_samples);
    let mut all: Vec<Fades> = vec![(None, None); fittings.len()];
    for pair in order.windows(2) {
        let overlap = Handover::between(place(fittings[pair[0]]), place(fittings[pair[1]])).length_samples;
        if overlap > 0 && !by_itself(fittings[pair[0]]) {
            all[pair[0]].1 = Some(overlap);
            all[pair[1]].0 = Some(overlap);
        }
    }
    let mut own: Fades = (None, None);
    if let Some(film) = film {
        // Only what begins or ends within the other gives over; what lies under it all goes on.
        let gives_over = |first: Passage, second: Passage| {
            (first.start_samples < second.start_samples && second.start_samples < first.end_samples && first.end_samples < second.end_samples)
                .then(|| Handover::between(first, second).length_samples)
        };
        for &k in &order {
            if let Some(overlap) = gives_over(film, place(fittings[k])) {
                (own.1, all[k].0) = (Some(overlap), Some(overlap));
            }
            if let Some(overlap) = gives_over(place(fittings[k]), film).filter(|_| !by_itself(fittings[k])) {
                (all[k].1, own.0) = (Some(overlap), Some(overlap));
            }
        }
    }
    (all, own)
}

#[cfg(test)]
mod tests {
    use super::*;

    const S: u64 = SAMPLE_RATE_HZ as u64;

    #[test]
    fn a_shared_time_has_the_handover_it_was_shared_at() {
        for (at, length) in [(20, 0), (20, 2), (35, 5)] {
            let handover = Handover { at_samples: at * S, length_samples: length * S };
            let (first, second) = handover.share(0, 60 * S).unwrap();
            assert_eq!(Handover::between(first, second), handover);
            assert_eq!((first.start_samples, second.end_samples), (0, 60 * S));
        }
    }

    #[test]
    fn a_bed_is_never_squeezed_out() {
        let share = |at: u64, length: u64| Handover { at_samples: at * S, length_samples: length * S }.share(0, 60 * S);
        assert_eq!(share(2, 0), Err(SuccessionError::TooShort));
        assert_eq!(share(58, 0), Err(SuccessionError::TooShort));
        assert_eq!(share(90, 0), Err(SuccessionError::TooShort));
        assert_eq!(share(10, 12), Err(SuccessionError::TooLong));
        assert_eq!(share(30, 25), Err(SuccessionError::TooLong));
        // To the end of the cut, wherever that is.
        assert!(Handover { at_samples: 30 * S, length_samples: S }.share(0, Passage::OPEN_END).is_ok());
    }
}
