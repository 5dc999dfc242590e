//! The SQL of the job queue.

use super::Task;
use chrono::NaiveDateTime;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlExecutor, MySqlPool};
use uuid::Uuid;

/// Seconds after which a job whose worker says nothing is taken up by another.
pub const LEASE_S: i64 = 10;
/// A job that broke its worker this often is given up.
const MOST_ATTEMPTS: u32 = 3;

/// A job as its cut sees it.
#[derive(Debug, Clone, FromRow)]
pub struct JobRow {
    /// Its name.
    pub id: Uuid,
    /// What it does.
    pub task: Json<Task>,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// Share done, 0 to 1.
    pub progress: f32,
    /// What is being done.
    pub doing: String,
    /// Why it failed.
    pub problem: Option<String>,
    /// When it was asked for.
    pub created_at: NaiveDateTime,
}

/// A job that this worker holds.
#[derive(Debug, Clone, FromRow)]
pub struct Claimed {
    /// Its name.
    pub id: Uuid,
    /// Its cut.
    pub cut_id: Uuid,
    /// What to do.
    pub task: Json<Task>,
    /// Which attempt this is, from 1.
    pub attempt: u32,
}

/// Asks for a job.
///
/// # Errors
/// What the database says.
pub async fn add(database: impl MySqlExecutor<'_>, cut: Uuid, task: &Task) -> Result<Uuid, sqlx::Error> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO jobs (id, cut_id, task) VALUES (?, ?, ?)").bind(id).bind(cut).bind(Json(task)).execute(database).await?;
    Ok(id)
}

/// Asks for a job unless the same is waiting already.
///
/// # Errors
/// What the database says.
pub async fn add_once(pool: &MySqlPool, cut: Uuid, task: &Task) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO jobs (id, cut_id, task) SELECT ?, ?, ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM jobs WHERE cut_id = ? AND task = ? AND state = 'queued')",
    )
    .bind(Uuid::now_v7())
    .bind(cut)
    .bind(Json(task))
    .bind(cut)
    .bind(Json(task))
    .execute(pool)
    .await?;
    Ok(())
}

/// Takes the oldest job that is waiting or whose worker fell silent.
///
/// # Errors
/// What the database says.
pub async fn claim(pool: &MySqlPool, worker: &str) -> Result<Option<Claimed>, sqlx::Error> {
    let mut transaction = pool.begin().await?;
    let found: Option<Claimed> = sqlx::query_as(
        "SELECT id, cut_id, task, attempt FROM jobs
         WHERE state = 'queued' OR (state = 'running' AND lease_until < CURRENT_TIMESTAMP(3))
         ORDER BY created_at, id LIMIT 1 FOR UPDATE SKIP LOCKED",
    )
    .fetch_optional(&mut *transaction)
    .await?;
    let Some(mut job) = found else { return Ok(None) };
    job.attempt += 1;
    if job.attempt > MOST_ATTEMPTS {
        sqlx::query("UPDATE jobs SET state = 'failed', ended_at = CURRENT_TIMESTAMP(3), problem = ? WHERE id = ?")
            .bind("This work stopped its worker three times. Bring the file in again in another format.")
            .bind(job.id)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        return Ok(None);
    }
    sqlx::query("UPDATE jobs SET state = 'running', worker = ?, attempt = ?, lease_until = DATE_ADD(CURRENT_TIMESTAMP(3), INTERVAL ? SECOND) WHERE id = ?")
        .bind(worker)
        .bind(job.attempt)
        .bind(LEASE_S)
        .bind(job.id)
        .execute(&mut *transaction)
        .await?;
    transaction.commit().await?;
    Ok(Some(job))
}

/// Renews the lease with the progress made; whether to go on: not when cancelled or taken by another worker.
///
/// # Errors
/// What the database says.
pub async fn renew(pool: &MySqlPool, worker: &str, job: Uuid, progress: f32, doing: &str) -> Result<bool, sqlx::Error> {
    let kept = sqlx::query(
        "UPDATE jobs SET progress = ?, doing = ?, lease_until = DATE_ADD(CURRENT_TIMESTAMP(3), INTERVAL ? SECOND)
         WHERE id = ? AND worker = ? AND state = 'running' AND NOT cancel_requested",
    )
    .bind(progress)
    .bind(doing)
    .bind(LEASE_S)
    .bind(job)
    .bind(worker)
    .execute(pool)
    .await?;
    Ok(kept.rows_affected() == 1)
}

/// Ends a job that this worker still holds.
///
/// # Errors
/// What the database says.
pub async fn end(pool: &MySqlPool, worker: &str, job: Uuid, state: &str, problem: Option<&str>) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE jobs SET state = ?, problem = ?, progress = 1, ended_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND worker = ? AND state = 'running'")
        .bind(state)
        .bind(problem.map(|p| p.chars().take(500).collect::<String>()))
        .bind(job)
        .bind(worker)
        .execute(pool)
        .await?;
    Ok(())
}

/// Asks a job of `cut` to stop; one that nobody works on stops at once. What it was to do, if there was one.
///
/// # Errors
/// What the database says.
pub async fn cancel(pool: &MySqlPool, cut: Uuid, job: Uuid) -> Result<Option<Task>, sqlx::Error> {
    let done = sqlx::query(
        "UPDATE jobs SET cancel_requested = TRUE,
             ended_at = IF(state = 'queued', CURRENT_TIMESTAMP(3), ended_at),
             state = IF(state = 'queued', 'cancelled', state)
         WHERE id = ? AND cut_id = ? AND state IN ('queued', 'running')",
    )
    .bind(job)
    .bind(cut)
    .execute(pool)
    .await?;
    if done.rows_affected() == 0 {
        return Ok(None);
    }
    let (task,): (Json<Task>,) = sqlx::query_as("SELECT task FROM jobs WHERE id = ?").bind(job).fetch_one(pool).await?;
    Ok(Some(task.0))
}

/// The jobs of a cut that are under way, and the last one if it failed.
///
/// # Errors
/// What the database says.
pub async fn of_cut(pool: &MySqlPool, cut: Uuid) -> Result<Vec<JobRow>, sqlx::Error> {
    let mut rows: Vec<JobRow> =
        sqlx::query_as("SELECT id, task, state, progress, doing, problem, created_at FROM jobs WHERE cut_id = ? ORDER BY created_at DESC, id DESC LIMIT 12")
            .bind(cut)
            .fetch_all(pool)
            .await?;
    // A failure stays visible until something newer has worked.
    let newest_done = rows.iter().position(|r| r.state == "done").unwrap_or(rows.len());
    let mut index = 0;
    rows.retain(|row| {
        index += 1;
        matches!(row.state.as_str(), "queued" | "running") || (row.state == "failed" && index <= newest_done)
    });
    rows.reverse();
    Ok(rows)
}
