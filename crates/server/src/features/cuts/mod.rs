//! Cuts: their rate, length, shots and moments, and everything the page shows of one.

pub mod model;
mod parts;
mod routes;
pub mod setup;
pub mod store;

pub use parts::{Laid, Part, PartError};
pub use routes::*;
