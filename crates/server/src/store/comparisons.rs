//! Candidates as they would lie in their cut, for comparing and listening.

use super::StoreError;
use super::sql::row;
use jaunty_core::fit::FittingEnd;
use jaunty_core::plan::Plan;
use sqlx::MySqlPool;
use sqlx::types::Json;
use uuid::Uuid;

/// How well a candidate could fit.
#[derive(Debug, Clone)]
pub struct Comparison {
    /// The candidate.
    pub sound_hash: String,
    /// What it was fitted to.
    pub made_for: String,
    /// Figure of its best fitting, 0 to 100.
    pub figure: u32,
    /// Splices of it.
    pub splice_count: u32,
    /// How it ends.
    pub ending: FittingEnd,
}

row!(Comparison { sound_hash, made_for, figure, splice_count } json { ending });

/// The comparisons of a cut.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool, cut: Uuid) -> Result<Vec<Comparison>, StoreError> {
    Ok(sqlx::query_as("SELECT sound_hash, made_for, figure, splice_count, JSON_QUOTE(ending) AS ending FROM comparisons WHERE cut_id = ?")
        .bind(cut)
        .fetch_all(pool)
        .await?)
}

/// The plan with a candidate as the bed.
///
/// # Errors
/// What the database says.
pub async fn plan(pool: &MySqlPool, cut: Uuid, sound: &str) -> Result<Option<Plan>, StoreError> {
    let row: Option<(Json<Plan>,)> =
        sqlx::query_as("SELECT plan FROM comparisons WHERE cut_id = ? AND sound_hash = ?").bind(cut).bind(sound).fetch_optional(pool).await?;
    Ok(row.map(|r| r.0.0))
}

/// Keeps a comparison.
///
/// # Errors
/// What the database says.
pub async fn set(pool: &MySqlPool, cut: Uuid, row: &Comparison, plan: &Plan) -> Result<(), StoreError> {
    sqlx::query("REPLACE INTO comparisons (cut_id, sound_hash, made_for, figure, splice_count, ending, plan) VALUES (?, ?, ?, ?, ?, JSON_UNQUOTE(?), ?)")
        .bind(cut)
        .bind(&row.sound_hash)
        .bind(&row.made_for)
        .bind(row.figure)
        .bind(row.splice_count)
        .bind(Json(row.ending))
        .bind(Json(plan))
        .execute(pool)
        .await?;
    Ok(())
}
