//! What is said of wishes, fittings and splices, as codes with facts.

mod fittings;
pub(super) mod splices;
mod wishes;

pub(super) use fittings::{MET_SAMPLES, advice, bar_times, gives_up, missed_by, name_all, notes_of, why_first};
