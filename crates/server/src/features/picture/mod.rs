//! The picture: lists and films that come in, shots and moments by hand, and lists that go out.

mod film;
mod lists;
mod marks;
mod stills;

pub use film::*;
pub use lists::*;
pub use marks::*;
pub use stills::Stills;

use actix_web::web;

/// Mounts the feature.
pub fn configure(config: &mut web::ServiceConfig) {
    config.configure(lists::configure).configure(film::configure).configure(marks::configure);
}
