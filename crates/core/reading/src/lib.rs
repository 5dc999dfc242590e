//! What a bed is as music: beats, bars, sections, ending, likeness of bars; and whether a file is music, speech or room.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod kind;
pub mod reading;
