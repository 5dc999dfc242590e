//! Pieces of SQL.

use uuid::Uuid;

/// Names as a list in SQL: hexadecimal digits and nothing else.
pub(super) fn among(ids: &[Uuid]) -> String {
    if ids.is_empty() { "NULL".into() } else { ids.iter().map(|id| format!("X'{}'", id.simple())).collect::<Vec<_>>().join(", ") }
}
