//! What was measured of sounds, kept by what it was measured on: an edit of a level measures nothing again.

use std::sync::Arc;

/// Where measured numbers are kept. Names are digests of all that the numbers depend on.
pub trait Kept: Send + Sync {
    /// The numbers of a name, measured by `measure` where they are not kept.
    fn numbers(&self, name: String, measure: &dyn Fn() -> Vec<f64>) -> Arc<Vec<f64>>;
}

/// Nothing is kept.
pub(super) struct Anew;

impl Kept for Anew {
    fn numbers(&self, _name: String, measure: &dyn Fn() -> Vec<f64>) -> Arc<Vec<f64>> {
        Arc::new(measure())
    }
}
