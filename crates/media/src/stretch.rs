//! Music at another tempo with its pitch kept: Debian's `rubberband-cli`.
//!
//! Its finer engine (R3), working on the whole file at once, keeps attacks within a fifth of a millisecond of where the ratio
//! puts them, which the splices need; its older engine and the stretchers among crates that were looked at smear them over
//! several milliseconds or are for live use, where nobody knows what comes.

use crate::program::{self, Limits, ProgramError};
use std::path::Path;

/// Why nothing was made.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StretchError {
    /// The program is missing.
    #[error("What changes a tempo is missing on the server. Install the Debian package rubberband-cli.")]
    Missing,
    /// It failed; what it told is for the log.
    #[error("This bed could not be brought to another tempo. Try a smaller change.")]
    Failed(String),
}

/// Writes the WAV file at `from` to `to` with `tempo` times its tempo and the same pitch.
///
/// # Errors
/// [`StretchError`] with what to do.
pub fn at_tempo(from: &Path, to: &Path, tempo: f64) -> Result<(), StretchError> {
    /// Three hours of music at half its tempo, in 32 bits.
    const MOST_BYTES: u64 = 4 << 30;
    /// An hour and a half of music takes half an hour.
    const MOST_S: u64 = 3600;
    let (from, to, tempo) = (from.display().to_string(), to.display().to_string(), format!("{tempo:.6}"));
    program::run("rubberband", &["-q", "-3", "-T", &tempo, &from, &to], Limits { time_s: MOST_S, file_bytes: MOST_BYTES }).map(|_| ()).map_err(|cause| {
        match cause {
            ProgramError::Missing(_) => StretchError::Missing,
            ProgramError::TimedOut => StretchError::Failed("it took too long".into()),
            ProgramError::Failed(told) => StretchError::Failed(told),
        }
    })
}
