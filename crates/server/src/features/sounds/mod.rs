//! Sounds: uploads, what is known of them, their waveforms.

mod hash;
mod routes;
pub mod store;

pub use hash::SoundHash;
pub use routes::*;
