//! Cuts: their rate, length, shots and moments, and everything the page shows of one.

mod parts;
mod routes;
pub mod setup;
pub mod store;
pub mod view;

pub use parts::{Part, PartError};
pub use routes::*;
pub use setup::Laid;
