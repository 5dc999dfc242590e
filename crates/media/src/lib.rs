//! Sound files in and out.
//!
//! [`decode_file`] streams any supported file into a [`pcm`] file at
//! [`jaunty_core::SAMPLE_RATE_HZ`], from which everything else reads ranges; [`encode`] writes
//! WAV, [`hand_over`] every other form; [`overview`] makes the few numbers that a drawing needs. [`film`] asks ffmpeg
//! about films, [`speak`] has espeak-ng speak placeholders, [`at_tempo`] has
//! rubberband change tempi.

#![forbid(unsafe_code)]
#![deny(missing_docs)]

mod decode;
mod downmix;
mod edit_list;
mod encode;
mod error;
pub mod film;
pub mod hand_over;
mod overview;
mod pcm;
mod program;
mod rate;
mod speak;
mod stretch;

pub use decode::{DecodedInfo, RATES_HZ, decode_file, decode_to_sound, decode_to_source, free_bytes};
pub use encode::{BIT_DEPTH, WavStream, step_of, steps_of, take_away, wav_bytes, write_wav};
pub use error::DecodeError;
pub use overview::{Overview, overview};
pub use pcm::{PcmFile, PcmWriter};
pub use speak::{SpeakError, speak};
pub use stretch::{StretchError, at_tempo};
