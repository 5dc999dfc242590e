//! How long a cut may be, for everybody who makes one.

use super::{FrameRate, TimeError};
use crate::SAMPLE_RATE_HZ;

/// Seconds as they are typed, with or without minutes before them; none for a timecode.
fn seconds_of(text: &str) -> Option<f64> {
    let number = |text: &str| text.replace(',', ".").parse::<f64>().ok();
    match text.split_once(':') {
        None => number(text),
        Some((minutes, seconds)) => Some(f64::from(minutes.parse::<u32>().ok()?) * 60.0 + number(seconds)?),
    }
}

/// The length of a cut: one frame to twelve hours at its own rate. The only way in: whoever makes a
/// cut or changes its length (the page, a list, a film, a drag, the command line) asks here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CutLength {
    frames: u64,
    rate: FrameRate,
}

impl CutLength {
    /// Longest cut in hours: the planner counts its samples in 32 bits.
    pub const MOST_HOURS: u64 = 12;
    /// The same in samples.
    pub const MOST_SAMPLES: u64 = Self::MOST_HOURS * 3600 * SAMPLE_RATE_HZ as u64;
    /// Shortest cut in samples: one frame at the fastest rate, 60 a second.
    pub const LEAST_SAMPLES: u64 = SAMPLE_RATE_HZ as u64 / 60;

    /// A cut of `frames` frames.
    ///
    /// # Errors
    /// [`TimeError::Length`] for none, or for more than twelve hours.
    pub fn new(rate: FrameRate, frames: u64) -> Result<Self, TimeError> {
        // Compared as frames: an absurd number must not be multiplied first.
        let most = rate.frame_at_sample(Self::MOST_SAMPLES);
        if (1..=most).contains(&frames) { Ok(Self { frames, rate }) } else { Err(TimeError::Length) }
    }

    /// The length nearest to `seconds`.
    ///
    /// # Errors
    /// [`TimeError::Length`], also for what is no number.
    pub fn from_seconds(rate: FrameRate, seconds: f64) -> Result<Self, TimeError> {
        // A conversion of f64 saturates, and makes 0 of NaN.
        Self::new(rate, (seconds * rate.as_f64()).round() as u64)
    }

    /// A length as an editor types it: `00:01:30:00` is a timecode, `1:30` and `1:30.5` are minutes
    /// and seconds, `90` and `90.5` are seconds (nearest frame).
    ///
    /// # Errors
    /// [`TimeError`] with what to write instead.
    pub fn parse(rate: FrameRate, text: &str) -> Result<Self, TimeError> {
        let text = text.trim();
        let bad = || TimeError::Text(text.to_owned());
        match text.split([':', ';']).count() {
            1 => Self::from_seconds(rate, seconds_of(text).ok_or_else(bad)?),
            2 => {
                let whole = seconds_of(text).ok_or_else(bad)?;
                let seconds = text.split_once(':').and_then(|(_, seconds)| seconds_of(seconds));
                if !seconds.is_some_and(|s| (0.0..60.0).contains(&s)) {
                    return Err(TimeError::Field { text: text.to_owned(), field: "seconds", limit: 60 });
                }
                Self::from_seconds(rate, whole)
            }
            4 => Self::new(rate, rate.frame_from_timecode(text)?),
            _ => Err(bad()),
        }
    }

    /// By how many seconds it is longer than `text` asks for, when that is no whole number of frames.
    pub fn rounded_by_s(self, text: &str) -> Option<f64> {
        let asked_s = seconds_of(text.trim())?;
        let off_s = self.frames as f64 / self.rate.as_f64() - asked_s;
        // Half a sample is nothing that anybody rounds.
        (off_s.abs() > 0.5 / f64::from(SAMPLE_RATE_HZ)).then_some(off_s)
    }

    /// In samples, of a length in seconds that has no frames.
    ///
    /// # Errors
    /// [`TimeError::Length`], also for what is no number.
    pub fn samples_from_seconds(seconds: f64) -> Result<u64, TimeError> {
        let samples = super::samples_from_seconds(seconds);
        if (Self::LEAST_SAMPLES..=Self::MOST_SAMPLES).contains(&samples) { Ok(samples) } else { Err(TimeError::Length) }
    }

    /// In frames.
    pub fn frames(self) -> u64 {
        self.frames
    }

    /// Its frame rate.
    pub fn rate(self) -> FrameRate {
        self.rate
    }
}
