//! Picture time: frames at a rational rate, and the timecode that people read.
//!
//! Timecode follows SMPTE ST 12-1: at 30000/1001 and 60000/1001 frames a second, drop-frame
//! counting leaves out the labels `;00` and `;01` (at 60: `;00` to `;03`) at the start of every
//! minute that is not a multiple of ten. No picture is dropped, only labels.

use serde::{Deserialize, Serialize};
use std::fmt;

use crate::SAMPLE_RATE_HZ;

/// What a length or timecode text can be refused for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TimeError {
    /// The rate is not one that pictures run at.
    #[error("{num}/{den} frames a second is not a picture rate; use 23.976, 24, 25, 29.97, 30, 50, 59.94 or 60")]
    Rate {
        /// Numerator as given.
        num: u32,
        /// Denominator as given.
        den: u32,
    },
    /// Drop-frame counting was asked for at a rate that has none.
    #[error("drop-frame timecode exists only at 29.97 and 59.94 frames a second")]
    NoDropFrame,
    /// The text is neither a timecode nor a number of seconds.
    #[error("\"{0}\" is no length; write a timecode such as 00:01:30:00, minutes such as 1:30, or seconds such as 90.5")]
    Text(String),
    /// A field of the timecode is out of its range.
    #[error("\"{text}\": {field} must be below {limit}")]
    Field {
        /// The whole text.
        text: String,
        /// `minutes`, `seconds` or `frames`.
        field: &'static str,
        /// First value that is too large.
        limit: u32,
    },
    /// Drop-frame counting has no such label.
    #[error("\"{0}\" does not exist in drop-frame timecode; the next label is two frames on")]
    Dropped(String),
    /// The length is 0 or too long.
    #[error("a cut lasts from one frame to {} hours", super::CutLength::MOST_HOURS)]
    Length,
}

/// Frames a second as a fraction, with the way its timecode counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct FrameRate {
    num: u32,
    den: u32,
    drop_frame: bool,
}

impl FrameRate {
    /// The rates that pictures run at, as (numerator, denominator).
    pub const KNOWN: [(u32, u32); 8] = [(24_000, 1001), (24, 1), (25, 1), (30_000, 1001), (30, 1), (50, 1), (60_000, 1001), (60, 1)];

    /// Every rate with every way of counting that it has.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::KNOWN.into_iter().flat_map(|(num, den)| [false, true].into_iter().filter_map(move |drop| Self::new(num, den, drop).ok()))
    }

    /// A rate of `num/den` frames a second.
    ///
    /// # Errors
    /// [`TimeError::Rate`] for anything that is not in [`FrameRate::KNOWN`], and
    /// [`TimeError::NoDropFrame`] for drop-frame counting at other rates than 29.97 and 59.94.
    pub fn new(num: u32, den: u32, drop_frame: bool) -> Result<Self, TimeError> {
        if !Self::KNOWN.contains(&(num, den)) {
            return Err(TimeError::Rate { num, den });
        }
        if drop_frame && !matches!((num, den), (30_000 | 60_000, 1001)) {
            return Err(TimeError::NoDropFrame);
        }
        Ok(Self { num, den, drop_frame })
    }

    /// Numerator of the rate.
    pub fn num(self) -> u32 {
        self.num
    }

    /// Denominator of the rate.
    pub fn den(self) -> u32 {
        self.den
    }

    /// Whether timecode leaves out labels to stay near the clock.
    pub fn is_drop_frame(self) -> bool {
        self.drop_frame
    }

    /// Frames a second, for display.
    pub fn as_f64(self) -> f64 {
        f64::from(self.num) / f64::from(self.den)
    }

    /// Frame labels in one counted second (30 for 29.97).
    pub fn labels_per_second(self) -> u32 {
        self.num.div_ceil(self.den)
    }

    /// The sample at which frame `frame` begins, rounded to the nearest sample.
    pub fn samples_from_frames(self, frame: u64) -> u64 {
        let scaled = u128::from(frame) * u128::from(SAMPLE_RATE_HZ) * u128::from(self.den);
        let num = u128::from(self.num);
        ((scaled + num / 2) / num) as u64
    }

    /// The least number of frames that last at least so many samples: the picture ends with the first
    /// frame that begins after the sound is over.
    pub fn frames_that_hold(self, samples: u64) -> u64 {
        let near = (self.as_f64() * samples as f64 / f64::from(SAMPLE_RATE_HZ)) as u64 + 1;
        (near..).find(|frames| self.samples_from_frames(*frames) >= samples).unwrap_or(near)
    }

    /// The frame that is on screen at sample `sample`.
    pub fn frame_at_sample(self, sample: u64) -> u64 {
        let num = u128::from(self.num);
        let per = u128::from(SAMPLE_RATE_HZ) * u128::from(self.den);
        let mut frame = (u128::from(sample) * num / per) as u64;
        // Frame starts are rounded to the nearest sample, so the plain quotient may be one early.
        if self.samples_from_frames(frame + 1) <= sample {
            frame += 1;
        }
        frame
    }

    fn dropped_per_minute(self) -> u64 {
        if self.drop_frame { u64::from(self.labels_per_second() / 15) } else { 0 }
    }

    /// The label of frame `frame`, counted from label zero.
    pub fn timecode(self, frame: u64) -> Timecode {
        let per_second = u64::from(self.labels_per_second());
        let dropped = self.dropped_per_minute();
        // ST 12-1: ten minutes hold one full minute and nine short ones.
        let per_minute = per_second * 60 - dropped;
        let per_ten = per_minute * 10 + dropped;
        let (tens, rest) = (frame / per_ten, frame % per_ten);
        let short_minutes = if rest < per_second * 60 { 0 } else { 1 + (rest - per_second * 60) / per_minute };
        let label = frame + dropped * (tens * 9 + short_minutes);
        Timecode {
            hours: (label / (per_second * 3600)) as u32,
            minutes: (label / (per_second * 60) % 60) as u32,
            seconds: (label / per_second % 60) as u32,
            frames: (label % per_second) as u32,
            drop_frame: self.drop_frame,
        }
    }

    /// The frame that carries the label `text` (`hh:mm:ss:ff`, with `;` or `.` before the frames allowed).
    ///
    /// # Errors
    /// [`TimeError`] naming the field that is wrong, or the label that drop-frame leaves out.
    pub fn frame_from_timecode(self, text: &str) -> Result<u64, TimeError> {
        let bad = || TimeError::Text(text.to_owned());
        let fields: Vec<u32> = text
            .trim()
            .split([':', ';', '.'])
            .map(|f| if f.is_empty() || f.len() > 3 { Err(bad()) } else { f.parse().map_err(|_| bad()) })
            .collect::<Result<_, _>>()?;
        let [hours, minutes, seconds, frames] = fields[..] else { return Err(bad()) };
        let limits = [("minutes", minutes, 60), ("seconds", seconds, 60), ("frames", frames, self.labels_per_second())];
        for (field, value, limit) in limits {
            if value >= limit {
                return Err(TimeError::Field { text: text.to_owned(), field, limit });
            }
        }
        let dropped = self.dropped_per_minute();
        if minutes % 10 != 0 && seconds == 0 && u64::from(frames) < dropped {
            return Err(TimeError::Dropped(text.to_owned()));
        }
        let total_minutes = u64::from(hours) * 60 + u64::from(minutes);
        let label = (total_minutes * 60 + u64::from(seconds)) * u64::from(self.labels_per_second()) + u64::from(frames);
        Ok(label - dropped * (total_minutes - total_minutes / 10))
    }
}

/// A label `hh:mm:ss:ff`, with `;` before the frames when counted in drop-frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Timecode {
    hours: u32,
    minutes: u32,
    seconds: u32,
    frames: u32,
    drop_frame: bool,
}

impl fmt::Display for Timecode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mark = if self.drop_frame { ';' } else { ':' };
        write!(f, "{:02}:{:02}:{:02}{mark}{:02}", self.hours, self.minutes, self.seconds, self.frames)
    }
}

/// Samples nearest to `seconds`, never negative; NaN gives 0.
pub fn samples_from_seconds(seconds: f64) -> u64 {
    (seconds * f64::from(SAMPLE_RATE_HZ)).round().max(0.0) as u64
}

/// Seconds of a number of samples.
pub fn seconds_from_samples(samples: u64) -> f64 {
    samples as f64 / f64::from(SAMPLE_RATE_HZ)
}
