//! How a cut sounds: levels as objects, the plan as the one document that says it, and any range of its sound.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod mix;
pub mod plan;
pub mod shape;
