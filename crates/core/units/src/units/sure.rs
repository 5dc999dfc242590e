//! How sure something is, in steps that people can act on.

use serde::{Deserialize, Serialize};

/// How sure something is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Sure {
    /// Trust it.
    Sure,
    /// Look at it.
    Fair,
    /// Do not trust it.
    Unsure,
}

impl From<f32> for Sure {
    /// From a confidence of 0 to 1.
    fn from(confidence: f32) -> Self {
        match confidence {
            c if c >= 0.75 => Self::Sure,
            c if c >= 0.45 => Self::Fair,
            _ => Self::Unsure,
        }
    }
}
