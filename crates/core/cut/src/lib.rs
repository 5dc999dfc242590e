//! What somebody says of a cut and what must be computed anew for it, what is found in it, and how it leaves the house.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod check;
pub mod cut;
pub mod handover;
