//! Made by `tools/reading/level.py`; do not edit.

use super::FEATURES;

/// Means of the features.
pub const MEAN: [f32; FEATURES] = [0.0; FEATURES];
/// Their standard deviations.
pub const SCALE: [f32; FEATURES] = [1.0; FEATURES];
/// Weights.
pub const WEIGHTS: [f32; FEATURES] = [0.0; FEATURES];
