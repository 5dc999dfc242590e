//! A reading and a length, and the ranked fittings that make the one as long as the other.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod fit;
