//! What can be wrong with a file.

use jaunty_core::units::CutLength;
use std::io;

/// Why a file could not be decoded. The texts say what is wrong and what to do; what a library said
/// is kept for the log.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum DecodeError {
    /// The file has no bytes.
    #[error("The file is empty. Export it again and bring in the new one.")]
    Empty,
    /// No decoder knows the format.
    #[error("This is no sound file that can be read here. Use WAV, AIFF, FLAC, MP3, Ogg Vorbis or M4A.")]
    Unsupported(String),
    /// The format is known, the contents are not.
    #[error("The sound in this file cannot be decoded. Export it again as WAV.")]
    Malformed(String),
    /// The file says a rate that no sound has.
    #[error("The file says that it has {0} samples a second. Export it again at 44.1, 48 or 96 kHz.")]
    Rate(u32),
    /// There are too many channels.
    #[error("The file has {0} channels. Export it again in stereo.")]
    Channels(usize),
    /// The file holds no sound, or hardly any.
    #[error("The file holds less than a twentieth of a second of sound. Export it again and bring in the new one.")]
    NoSamples,
    /// The sound is longer than a cut can be.
    #[error("The sound is longer than {} hours. Bring in the part that is needed.", CutLength::MOST_HOURS)]
    TooLong,
    /// Half of the samples or more are no numbers, or they are absurdly high.
    #[error("The samples in this file are no sound: they are not numbers, or a hundred times over full level. Export it again as WAV with 24 bits.")]
    NoSound,
    /// There is no room for the working file.
    #[error("There is no room on the disk for this sound. Make room there and bring the file in again.")]
    NoRoom,
    /// The caller stopped.
    #[error("Decoding was cancelled.")]
    Cancelled,
    /// The working file could not be written or the file not be read.
    #[error("Reading or writing failed. Look at the disk, then bring the file in again.")]
    Io(io::Error),
}

impl From<io::Error> for DecodeError {
    fn from(cause: io::Error) -> Self {
        match cause.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded | io::ErrorKind::FileTooLarge => Self::NoRoom,
            _ => Self::Io(cause),
        }
    }
}

impl DecodeError {
    /// Whether the file itself is to blame: no other try of the same bytes will do.
    pub fn blames_file(&self) -> bool {
        !matches!(self, Self::NoRoom | Self::Cancelled | Self::Io(_))
    }
}
