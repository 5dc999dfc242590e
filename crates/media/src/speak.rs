//! A spoken placeholder for a narration that is not recorded yet: Debian's `espeak-ng`.

use crate::{DecodeError, decode_to_sound};
use jaunty_core::sound::{Sound, Source};
use std::path::Path;
use std::process::{Command, Stdio};

/// Why nothing was spoken.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SpeakError {
    /// The program is missing or failed.
    #[error("the words could not be spoken ({0}); install the Debian package espeak-ng")]
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
    let said = |path: &Path| {
        Command::new("espeak-ng").args(["-v", voice, "-s", "146", "-p", "38", "-a", "120", "-w"]).arg(&piece).arg("-f").arg(path).stdin(Stdio::null()).output()
    };
    let out = said(&text).map_err(|cause| SpeakError::Voice(cause.to_string()))?;
    if !out.status.success() {
        return Err(SpeakError::Voice(String::from_utf8_lossy(&out.stderr).trim().to_owned()));
    }
    let spoken = decode_to_sound(&piece)?;
    let samples = &spoken.channels()[0];
    let first = samples.iter().position(|s| s.abs() > 0.01).unwrap_or(0);
    let last = samples.iter().rposition(|s| s.abs() > 0.003).map_or(spoken.len_samples() as usize, |k| k + 1);
    Ok(Sound::new(vec![samples[first..last.max(first)].iter().map(|s| 0.8 * s).collect()]))
}
