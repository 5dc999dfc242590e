//! The features of the application: each with its routes, its SQL and its wire format.

pub mod cuts;
pub mod health;
pub mod listening;
pub mod plans;
pub mod sounds;
