//! Files that were handed over.

use super::StoreError;
use super::sql::row;
use chrono::NaiveDateTime;
use jaunty_core::handover::Form;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// A file that was handed over.
#[derive(Debug, Clone)]
pub struct HandedRow {
    /// Its name in addresses.
    pub id: Uuid,
    /// The revision that it is of.
    pub revision: u32,
    /// Digest of everything that it is made of.
    pub made_of: String,
    /// What it is.
    pub form: Json<Form>,
    /// The name to save it under.
    pub name: String,
    /// SHA-256 of its bytes.
    pub file_hash: String,
    /// Number of bytes.
    pub size_bytes: u64,
    /// What was measured of it and what it does not hold.
    pub told: Json<Vec<String>>,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

row!(HandedRow { id, revision, made_of, form, name, file_hash, size_bytes, told, created_at });

const COLUMNS: &str = "id, revision, made_of, form, name, file_hash, size_bytes, told, created_at";

/// What was handed over of a cut, the newest first.
///
/// # Errors
/// What the database says.
pub async fn of_cut(pool: &MySqlPool, cut: Uuid) -> Result<Vec<HandedRow>, StoreError> {
    let query = format!("SELECT {COLUMNS} FROM handed WHERE cut_id = ? ORDER BY created_at DESC, id DESC LIMIT 100");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(cut).fetch_all(pool).await?)
}

/// One of them.
///
/// # Errors
/// What the database says.
pub async fn find(pool: &MySqlPool, cut: Uuid, id: Uuid) -> Result<Option<HandedRow>, StoreError> {
    let query = format!("SELECT {COLUMNS} FROM handed WHERE cut_id = ? AND id = ?");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(cut).bind(id).fetch_optional(pool).await?)
}

/// A file that is made of just this, whatever cut and revision it was made for.
///
/// # Errors
/// What the database says.
pub async fn made_of(pool: &MySqlPool, made_of: &str) -> Result<Option<HandedRow>, StoreError> {
    let query = format!("SELECT {COLUMNS} FROM handed WHERE made_of = ? LIMIT 1");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(made_of).fetch_optional(pool).await?)
}

/// Notes a file; one that is noted already for its revision becomes the newest again. How it is noted.
///
/// # Errors
/// What the database says.
pub async fn note(pool: &MySqlPool, cut: Uuid, row: &HandedRow) -> Result<HandedRow, StoreError> {
    sqlx::query(
        "INSERT INTO handed (id, cut_id, revision, made_of, form, name, file_hash, size_bytes, told) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
         ON DUPLICATE KEY UPDATE created_at = CURRENT_TIMESTAMP(3)",
    )
    .bind(row.id)
    .bind(cut)
    .bind(row.revision)
    .bind(&row.made_of)
    .bind(Json(&row.form.0))
    .bind(&row.name)
    .bind(&row.file_hash)
    .bind(row.size_bytes)
    .bind(Json(&row.told.0))
    .execute(pool)
    .await?;
    let query = format!("SELECT {COLUMNS} FROM handed WHERE cut_id = ? AND revision = ? AND made_of = ?");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(cut).bind(row.revision).bind(&row.made_of).fetch_one(pool).await?)
}
