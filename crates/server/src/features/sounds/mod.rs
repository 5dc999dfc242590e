//! Sounds: uploads, what is known of them, their waveforms.

mod routes;
pub mod store;

pub use routes::*;
