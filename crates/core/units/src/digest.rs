//! Names of values by what they hold.

use serde::Serialize;
use sha2::{Digest, Sha256};

/// A digest of a value, as hexadecimal digits: two that are alike have one.
pub fn digest(value: &impl Serialize) -> String {
    let text = serde_json::to_vec(value).unwrap_or_default();
    hex(&Sha256::digest(text))
}

/// Bytes as hexadecimal digits, as names of sounds and documents are written.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}
