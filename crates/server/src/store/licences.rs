//! Which pieces of a supplier were taken, for "one project only" and for the record.

use super::StoreError;
use jaunty_core::cut::Licence;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// The cuts that took a piece.
///
/// # Errors
/// What the database says.
pub async fn takers(pool: &MySqlPool, piece: &str) -> Result<Vec<Uuid>, StoreError> {
    let rows: Vec<(Uuid,)> = sqlx::query_as("SELECT cut_id FROM licences WHERE piece = ?").bind(piece).fetch_all(pool).await?;
    Ok(rows.into_iter().map(|r| r.0).collect())
}

/// Notes that a cut took a piece.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, cut: Uuid, licence: &Licence) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO licences (number, cut_id, piece, document) VALUES (?, ?, ?, ?)")
        .bind(&licence.number)
        .bind(cut)
        .bind(&licence.piece)
        .bind(Json(licence))
        .execute(pool)
        .await?;
    Ok(())
}
