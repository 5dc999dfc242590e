//! What was measured of sounds, kept in memory.

use jaunty_core::plan::Kept;
use moka::sync::Cache;
use std::sync::Arc;

/// Numbers by the name of what they were measured on.
#[derive(Clone)]
pub struct Measured(Cache<String, Arc<Vec<f64>>>);

impl Default for Measured {
    fn default() -> Self {
        /// An hour of tenths of seconds is 290 kB.
        const MOST_BYTES: u64 = 32 << 20;
        Self(Cache::builder().max_capacity(MOST_BYTES).weigher(|_, numbers: &Arc<Vec<f64>>| (numbers.len() * 8 + 100) as u32).build())
    }
}

impl Kept for Measured {
    fn numbers(&self, name: String, measure: &dyn Fn() -> Vec<f64>) -> Arc<Vec<f64>> {
        self.0.get_with(name, || Arc::new(measure()))
    }
}
