//! The core, tested on its own: no server, no files.

mod parts {
    pub mod any_input;
    pub mod check;
    pub mod endings;
    pub mod fit;
    pub mod key;
    pub mod lanes;
    pub mod levels;
    pub mod loudness;
    pub mod messages;
    pub mod meters;
    pub mod metrics;
    pub mod music;
    pub mod naming;
    pub mod picture;
    pub mod properties;
    pub mod reading;
    pub mod shape;
    pub mod splice;
    pub mod succession;
    pub mod tempo;
    pub mod time;
    pub mod versions;
    pub mod wishes;
}
