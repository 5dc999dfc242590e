//! Exact numbers: samples and frames as integers, levels in named units; names of values by what they hold; and what is
//! said of a cut as a code with facts. Everything else in the core stands on these.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod digest;
pub mod message;
pub mod units;

/// The one sample rate of the inside, in Hz. Every sound is brought to it when it comes in, so
/// that a position means the same in a bed, a narration and the mix.
pub const SAMPLE_RATE_HZ: u32 = 48_000;
