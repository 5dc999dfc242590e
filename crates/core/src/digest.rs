//! Names of values by what they hold.

use serde::Serialize;
use sha2::{Digest, Sha256};

/// A digest of a value, as hexadecimal digits: two that are alike have one.
pub(crate) fn digest(value: &impl Serialize) -> String {
    let text = serde_json::to_vec(value).unwrap_or_default();
    Sha256::digest(text).iter().map(|byte| format!("{byte:02x}")).collect()
}
