//! The demo scenario: a 90-second film about volunteers who repair the clock of a small town's
//! market hall. This crate composes and renders its music, has its narration spoken, and states
//! its shots and moments. Nothing is recorded, nothing is fetched; all names are made up.
//!
//! Music is composed here as notes ([`score`], [`beds`]) and played by a SoundFont player with
//! the SoundFont of Debian's package `timgm6mb-soundfont`; the voice is Debian's `espeak-ng`. The
//! [`rooms`] are noise and small sounds, the
//! [`film`] is drawn here and encoded by `ffmpeg`. [`shelf`] holds the music of the stand-in supplier.

#![forbid(unsafe_code)]
#![deny(missing_docs)]

mod arrange;
pub mod beds;
pub mod film;
mod narration;
pub mod rooms;
mod scenario;
pub mod score;
pub mod shelf;

pub use narration::{Line, narration};
pub use scenario::{CUT, Cut, LINES, Moment, Shot};

use std::path::PathBuf;

/// Why the scenario could not be made. The texts say what to do.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    /// The SoundFont is not installed.
    #[error("no SoundFont at {0}; install the Debian package timgm6mb-soundfont")]
    SoundFont(PathBuf),
    /// The SoundFont cannot be played.
    #[error("the SoundFont cannot be played: {0}")]
    Player(String),
    /// The narration could not be spoken.
    #[error(transparent)]
    Voice(#[from] jaunty_media::SpeakError),
    /// A film could not be made.
    #[error("the film could not be encoded ({0}); install the Debian package ffmpeg")]
    Film(String),
    /// Writing failed.
    #[error("writing the demo failed")]
    Io(#[from] std::io::Error),
}
