//! A spoken placeholder for a narration that is not recorded yet: Debian's `espeak-ng`.

use crate::program::{self, Limits, ProgramError};
use crate::{DecodeError, decode_to_sound};
use jaunty_core::sound::{Sound, Source};

/// Why nothing was spoken.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SpeakError {
    /// The program is missing.
    #[error("The voice is missing on the server. Install the Debian package espeak-ng.")]
    Missing,
    /// It failed; what it told is for the log.
    #[error("These words could not be spoken. Write them in letters, and try again.")]
    Voice(String),
    /// What was spoken could not be read.
    #[error(transparent)]
    Decode(#[from] DecodeError),
    /// The disk failed.
    #[error(transparent)]
    Io(#[from] std::io::Error),
}

/// Speaks `words` in a voice of espeak-ng (such as `en-gb`): mono at 48 kHz, from the first
/// syllable to the last, without the silence around them.
///
/// # Errors
/// [`SpeakError`] with what to do.
pub fn speak(words: &str, voice: &str) -> Result<Sound, SpeakError> {
    let folder = tempfile::tempdir()?;
    let (piece, text) = (folder.path().join("spoken.wav"), folder.path().join("words.txt"));
    // From a file: words that begin with a dash are words.
    std::fs::write(&text, words)?;
    let (to, from) = (piece.display().to_string(), text.display().to_string());
    let arguments = ["-v", voice, "-s", "146", "-p", "38", "-a", "120", "-w", &to, "-f", &from];
    program::run("espeak-ng", &arguments, Limits { time_s: 30, file_bytes: 64 << 20 }).map_err(|cause| match cause {
        ProgramError::Missing(_) => SpeakError::Missing,
        ProgramError::TimedOut => SpeakError::Voice("it took too long".into()),
        ProgramError::Failed(told) => SpeakError::Voice(told),
    })?;
    let spoken = decode_to_sound(&piece)?;
    let samples = &spoken.channels()[0];
    let first = samples.iter().position(|s| s.abs() > 0.01).unwrap_or(0);
    let last = samples.iter().rposition(|s| s.abs() > 0.003).map_or(spoken.len_samples() as usize, |k| k + 1);
    Ok(Sound::new(vec![samples[first..last.max(first)].iter().map(|s| 0.8 * s).collect()]))
}
