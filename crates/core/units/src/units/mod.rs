//! Quantities and their exact conversions: picture time ([`FrameRate`], [`Timecode`]) level, and how sure something is.

mod bounds;
mod length;
mod level;
mod sure;
mod time;

pub use bounds::Bounds;
pub use length::CutLength;
pub use level::{db_from_gain, db_from_percent, gain_from_db, percent_from_db};
pub use sure::Sure;
pub use time::{FrameRate, TimeError, Timecode, samples_from_seconds, seconds_from_samples};
/// The mean of some numbers; 0 of none.
pub fn mean(values: impl Iterator<Item = f32>) -> f32 {
    let (mut sum, mut count) = (0.0, 0);
    for value in values {
        sum += value;
        count += 1;
    }
    sum / count.max(1) as f32
}
