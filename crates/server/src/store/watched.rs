//! What is new of the cuts that somebody looks at, and who looks.

use super::StoreError;
use super::sql::among;
use super::sql::row;
use sqlx::{AssertSqlSafe, MySqlPool};
use uuid::Uuid;

/// One thing that is told of a cut.
#[derive(Debug)]
pub struct Told {
    /// The cut.
    pub cut: Uuid,
    /// What it is about: `revision`, `job`, `ended`, `compared`, `said` or `here`.
    pub about: String,
    /// Differs whenever that has changed.
    pub value: String,
}

row!(Told { cut, about, value });

/// How long after it happened something is told, in seconds: longer than any transaction takes.
const TOLD_FOR_S: u32 = 10;
/// Who was not heard of for so many seconds is gone.
const HERE_FOR_S: u32 = 12;

/// What is told of these cuts now, in one query: the shown revision of each, the jobs under way, and what happened lately.
///
/// # Errors
/// What the database says.
pub async fn told(pool: &MySqlPool, cuts: &[Uuid]) -> Result<Vec<Told>, StoreError> {
    let lately = format!("TIMESTAMPADD(SECOND, -{TOLD_FOR_S}, CURRENT_TIMESTAMP(3))");
    let query = format!(
        "SELECT id AS cut, 'revision' AS about, CAST(revision AS CHAR) AS value FROM cuts WHERE id IN ({})
         UNION ALL SELECT cut_id, 'job', CAST(CONCAT_WS(' ', HEX(id), state, progress, doing) AS CHAR) FROM jobs WHERE ended_at IS NULL
         UNION ALL SELECT cut_id, 'ended', CAST(MAX(ended_at) AS CHAR) FROM jobs WHERE ended_at > {lately} GROUP BY cut_id
         UNION ALL SELECT cut_id, 'compared', CAST(MAX(created_at) AS CHAR) FROM comparisons WHERE created_at > {lately} GROUP BY cut_id
         UNION ALL SELECT cut_id, 'said', CAST(MAX(changed_at) AS CHAR) FROM remarks WHERE changed_at > {lately} GROUP BY cut_id
         UNION ALL SELECT cut_id, 'here', CAST(CONCAT_WS(' ', HEX(window_id), step, at_samples, from_samples, to_samples) AS CHAR)
             FROM presence WHERE seen_at > TIMESTAMPADD(SECOND, -{HERE_FOR_S}, CURRENT_TIMESTAMP(3))",
        among(cuts)
    );
    Ok(sqlx::query_as(AssertSqlSafe(query)).fetch_all(pool).await?)
}

/// Somebody on a cut.
#[derive(Debug, Clone)]
pub struct HereRow {
    /// Their window.
    pub window_id: Uuid,
    /// Who it is.
    pub person_id: Uuid,
    /// What they are called.
    pub name: String,
    /// The step that they look at.
    pub step: String,
    /// Where their playhead is.
    pub at_samples: u64,
    /// What they have marked: from where.
    pub from_samples: Option<u64>,
    /// And to where.
    pub to_samples: Option<u64>,
}

row!(HereRow { window_id, person_id, name, step, at_samples, from_samples, to_samples });

/// Who is on a cut.
///
/// # Errors
/// What the database says.
pub async fn here(pool: &MySqlPool, cut: Uuid) -> Result<Vec<HereRow>, StoreError> {
    let query = format!(
        "SELECT h.window_id, h.person_id, p.name, h.step, h.at_samples, h.from_samples, h.to_samples FROM presence h JOIN people p ON p.id = h.person_id
         WHERE h.cut_id = ? AND h.seen_at > TIMESTAMPADD(SECOND, -{HERE_FOR_S}, CURRENT_TIMESTAMP(3)) ORDER BY p.name, h.window_id"
    );
    Ok(sqlx::query_as(AssertSqlSafe(query)).bind(cut).fetch_all(pool).await?)
}

/// Notes that somebody is on a cut.
///
/// # Errors
/// What the database says.
pub async fn be_here(pool: &MySqlPool, cut: Uuid, row: &HereRow) -> Result<(), StoreError> {
    sqlx::query(
        "REPLACE INTO presence (cut_id, window_id, person_id, step, at_samples, from_samples, to_samples, seen_at) VALUES (?, ?, ?, ?, ?, ?, ?, CURRENT_TIMESTAMP(3))",
    )
    .bind(cut)
    .bind(row.window_id)
    .bind(row.person_id)
    .bind(&row.step)
    .bind(row.at_samples)
    .bind(row.from_samples)
    .bind(row.to_samples)
    .execute(pool)
    .await?;
    Ok(())
}

/// Notes that a window is closed.
///
/// # Errors
/// What the database says.
pub async fn be_gone(pool: &MySqlPool, cut: Uuid, window: Uuid, person: Uuid) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM presence WHERE cut_id = ? AND window_id = ? AND person_id = ?").bind(cut).bind(window).bind(person).execute(pool).await?;
    Ok(())
}
