//! A source of samples as views and resampled copies, how loud it is, and how two places of it are joined so that nobody
//! hears it.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod progress;
pub mod sound;
pub mod splice;
