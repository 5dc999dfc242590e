use serde::Serialize;

/// The least and the most that a figure may be.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Bounds {
    /// The least.
    pub from: f64,
    /// The most.
    pub to: f64,
}

impl Bounds {
    /// Bounds from the least to the most.
    pub const fn new(from: f64, to: f64) -> Self {
        Self { from, to }
    }

    /// Whether a figure lies within; what is no number does not.
    pub fn hold(self, value: f64) -> bool {
        (self.from..=self.to).contains(&value)
    }

    /// The figure, or the bound that it lies beyond.
    pub fn nearest(self, value: f64) -> f64 {
        value.clamp(self.from, self.to)
    }
}
