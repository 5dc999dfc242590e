//! Figures that a house keeps for all its cuts.

use super::StoreError;
use jaunty_core::cut::HouseFigures;
use sqlx::MySqlPool;
use sqlx::types::Json;

/// All of them, by name.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool) -> Result<Vec<HouseFigures>, StoreError> {
    let rows: Vec<(Json<HouseFigures>,)> = sqlx::query_as("SELECT document FROM house_figures ORDER BY name LIMIT 200").fetch_all(pool).await?;
    Ok(rows.into_iter().map(|row| row.0.0).collect())
}

/// Keeps figures, in place of those of the same name.
///
/// # Errors
/// What the database says.
pub async fn keep(pool: &MySqlPool, house: &HouseFigures) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO house_figures (name, document) VALUES (?, ?) ON DUPLICATE KEY UPDATE document = VALUES(document)")
        .bind(&house.name)
        .bind(Json(house))
        .execute(pool)
        .await?;
    Ok(())
}

/// Figures go; whether they were there. Cuts that took them keep what they took.
///
/// # Errors
/// What the database says.
pub async fn remove(pool: &MySqlPool, name: &str) -> Result<bool, StoreError> {
    Ok(sqlx::query("DELETE FROM house_figures WHERE name = ?").bind(name).execute(pool).await?.rows_affected() > 0)
}
