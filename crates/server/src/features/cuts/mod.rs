//! Cuts: their rate, length, shots and moments, and everything the page shows of one.

pub mod model;
mod routes;
pub mod setup;
pub mod store;

pub use routes::*;
