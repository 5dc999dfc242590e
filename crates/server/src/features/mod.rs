//! What the server offers, one folder a feature.

pub mod beds;
pub mod cuts;
pub mod fit;
pub mod health;
pub mod listening;
pub mod picture;
pub mod plans;
pub mod reading;
pub mod shape;
pub mod shelf;
pub mod sounds;
pub mod voice;
