//! Quantities and their exact conversions: picture time ([`FrameRate`], [`Timecode`]) and level.

mod level;
mod time;

pub use level::{db_from_gain, db_from_percent, gain_from_db, percent_from_db};
pub use time::{FrameRate, LengthText, TimeError, Timecode, samples_from_seconds, seconds_from_samples};
