//! Decoding one sound in a process that ends with it.

use super::{Memory, child_of_ours, limit_self, panics_are_refusals};
use jaunty_media::{DecodeError, DecodedInfo, decode_file};
use serde::{Deserialize, Serialize};
use std::io::{self, Write};
use std::path::Path;
use std::process::{ExitCode, Stdio};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, BufReader};

/// Time that decoding may take, in seconds: twelve hours of the most complicated coding take a tenth of that.
const MOST_S: u64 = 1800;

/// Why a stored sound cannot be had.
#[derive(Debug, thiserror::Error)]
pub enum SoundError {
    /// The file is no sound that can be used; the text says what to do.
    #[error("{0}")]
    Refused(String),
    /// There is no room for it.
    #[error("{}", DecodeError::NoRoom)]
    NoRoom,
    /// The store does not have it any more.
    #[error("This sound is not stored any more. Bring the file in again.")]
    Gone,
    /// Somebody asked for it.
    #[error("cancelled")]
    Cancelled,
    /// Another failure of ours.
    #[error("Reading a stored sound failed. Look at the server's log.")]
    Io(#[from] io::Error),
}

impl SoundError {
    /// Why the store gave nothing.
    pub fn of_store(cause: io::Error) -> Self {
        if cause.kind() == io::ErrorKind::NotFound { Self::Gone } else { Self::Io(cause) }
    }

    fn of(cause: DecodeError) -> Self {
        match cause {
            DecodeError::NoRoom => Self::NoRoom,
            DecodeError::Cancelled => Self::Cancelled,
            DecodeError::Io(cause) => Self::Io(cause),
            other => {
                // What a library said is in the debug form.
                tracing::info!(cause = ?other, "a sound is refused");
                Self::Refused(other.to_string())
            }
        }
    }
}

/// A line that the process says.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
enum Said {
    Share(f32),
    Done { rate_hz: u32, channel_count: usize, length_samples: u64, damaged: bool },
    Refused(String),
    NoRoom,
}

/// Decodes `original` into a working file at `to`, in a process of its own. `progress` gets the share
/// done and says whether to go on.
///
/// # Errors
/// [`SoundError`]; a file that breaks the process is refused as one that cannot be decoded.
pub async fn decode(program: &Path, original: &Path, extension: &str, to: &Path, mut progress: impl FnMut(f32) -> bool) -> Result<DecodedInfo, SoundError> {
    let mut command = std::process::Command::new(program);
    command.arg("decode").arg(original).arg("--extension").arg(extension).arg("--to").arg(to).stdin(Stdio::null()).stdout(Stdio::piped());
    child_of_ours(&mut command);
    let mut command = tokio::process::Command::from(command);
    let mut child = command.kill_on_drop(true).spawn()?;
    let Some(out) = child.stdout.take() else { return Err(io::Error::other("no pipe").into()) };
    let mut lines = BufReader::new(out).lines();
    let listen = async {
        while let Some(line) = lines.next_line().await? {
            match serde_json::from_str(&line).map_err(io::Error::other)? {
                Said::Share(share) if progress(share) => {}
                Said::Share(_) => return Err(SoundError::Cancelled),
                Said::Done { rate_hz, channel_count, length_samples, damaged } => return Ok(DecodedInfo { rate_hz, channel_count, length_samples, damaged }),
                Said::Refused(text) => return Err(SoundError::Refused(text)),
                Said::NoRoom => return Err(SoundError::NoRoom),
            }
        }
        // It ended without a word: over its memory, or worse.
        tracing::warn!(original = %original.display(), "a file broke the decoder");
        Err(SoundError::Refused(DecodeError::Malformed(String::new()).to_string()))
    };
    let outcome = tokio::time::timeout(Duration::from_secs(MOST_S), listen).await;
    // Dropped before its time, it is killed.
    outcome.unwrap_or_else(|_| Err(SoundError::Refused(DecodeError::Malformed(String::new()).to_string())))
}

/// What the process does: `jaunty decode`.
pub fn decode_here(original: &Path, extension: &str, to: &Path) -> ExitCode {
    /// How much further it must be before it says so.
    const STEP: f32 = 0.005;
    let say = |said: &Said| {
        let text = serde_json::to_string(said).unwrap_or_default();
        let mut out = io::stdout().lock();
        writeln!(out, "{text}").and_then(|()| out.flush()).is_ok()
    };
    panics_are_refusals();
    let mut last = -1.0;
    let decoded = limit_self(Memory::DECODER).map_err(DecodeError::from).and_then(|()| {
        decode_file(original, Some(extension), to, &mut |share| {
            // A listener who is gone waits for nothing.
            let goes_on = share < last + STEP || say(&Said::Share(share));
            last = if share < last + STEP { last } else { share };
            goes_on
        })
    });
    let said = match decoded.map_err(SoundError::of) {
        Ok(info) => Said::Done { rate_hz: info.rate_hz, channel_count: info.channel_count, length_samples: info.length_samples, damaged: info.damaged },
        Err(SoundError::Refused(text)) => Said::Refused(text),
        Err(SoundError::NoRoom) => Said::NoRoom,
        Err(other) => {
            tracing::error!(cause = ?other, "decoding failed");
            return ExitCode::FAILURE;
        }
    };
    say(&said);
    ExitCode::SUCCESS
}
