//! What the cut looks like in time (shots, moments, stills, lines), and whether a piece may be used for what it is for.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod picture;
pub mod terms;
