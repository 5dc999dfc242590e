//! Files that were handed over.

use crate::store::handed::HandedRow;
use chrono::{DateTime, Utc};
use jaunty_core::handover::Form;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A file that was handed over.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandedView {
    /// Its name in addresses.
    pub id: Uuid,
    /// The revision that it is of.
    pub revision: u32,
    /// What it is.
    pub form: Form,
    /// The name to save it under.
    pub name: String,
    /// SHA-256 of its bytes.
    pub sha256: String,
    /// Number of bytes.
    pub size_bytes: u64,
    /// What was measured of it and what it does not hold.
    pub told: Vec<String>,
    /// When it was made.
    pub made_at: DateTime<Utc>,
}

impl From<HandedRow> for HandedView {
    fn from(row: HandedRow) -> Self {
        Self {
            id: row.id,
            revision: row.revision,
            form: row.form.0,
            name: row.name,
            sha256: row.file_hash,
            size_bytes: row.size_bytes,
            told: row.told.0,
            made_at: row.created_at.and_utc(),
        }
    }
}
