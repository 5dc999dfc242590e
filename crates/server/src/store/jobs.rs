//! The job queue.

use super::StoreError;
use super::error::was_called_off;
use super::sql::row;
use chrono::NaiveDateTime;
use jaunty_core::cut::Work;
use sqlx::types::Json;
use sqlx::{AssertSqlSafe, MySqlExecutor, MySqlPool};
use uuid::Uuid;

/// Seconds after which a job whose worker says nothing is taken up by another: workers tell how far they are every
/// quarter of a second.
pub const LEASE_S: i64 = 2;
/// A job that broke its worker this often is given up.
pub const MOST_BREAKS: u32 = 2;
/// So is one that was taken up this often, whatever became of its workers: it may take whole machines with it.
pub const MOST_ATTEMPTS: u32 = 8;

/// Who waits for a job. A worker of the quick lane takes nothing else, so that reading an hour of
/// music holds up nobody who moves a level.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Lane {
    /// Somebody at the page.
    Quick,
    /// Nobody in particular: it takes its time, and the page tells how far it is.
    Long,
}

impl Lane {
    fn of(task: &Work) -> Self {
        match task {
            Work::Plan | Work::Compare => Self::Quick,
            Work::Read { .. } | Work::FilmSound { .. } | Work::Scratch | Work::Clean { .. } | Work::Retime { .. } | Work::HandOver { .. } => Self::Long,
        }
    }

    fn name(self) -> &'static str {
        match self {
            Self::Quick => "quick",
            Self::Long => "long",
        }
    }
}

/// A job as its cut sees it.
#[derive(Debug, Clone)]
pub struct JobRow {
    /// Its name.
    pub id: Uuid,
    /// What it does.
    pub task: Json<Work>,
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

row!(JobRow { id, task, state, progress, doing, problem, created_at });

/// A job that this worker holds.
#[derive(Debug, Clone)]
pub struct Claimed {
    /// Its name.
    pub id: Uuid,
    /// Its cut.
    pub cut_id: Uuid,
    /// What to do.
    pub task: Json<Work>,
    /// Which attempt this is, from 1.
    pub attempt: u32,
    /// How often it broke its worker.
    pub breaks: u32,
}

row!(Claimed { id, cut_id, task, attempt, breaks });

impl Claimed {
    /// Whether it broke every worker that tried: it is to be given up.
    pub fn is_hopeless(&self) -> bool {
        self.breaks >= MOST_BREAKS || self.attempt > MOST_ATTEMPTS
    }
}

/// Asks for a job on behalf of somebody.
///
/// # Errors
/// What the database says.
pub async fn add(database: impl MySqlExecutor<'_>, cut: Uuid, task: &Work, by: Option<Uuid>) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO jobs (id, cut_id, task, lane, asked_by) VALUES (?, ?, ?, ?, ?)")
        .bind(id)
        .bind(cut)
        .bind(Json(task))
        .bind(Lane::of(task).name())
        .bind(by)
        .execute(database)
        .await?;
    Ok(id)
}

/// Asks for a job unless the same is waiting already.
///
/// # Errors
/// What the database says.
pub async fn add_once(database: impl MySqlExecutor<'_>, cut: Uuid, task: &Work, by: Option<Uuid>) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO jobs (id, cut_id, task, lane, asked_by) SELECT ?, ?, ?, ?, ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM jobs WHERE cut_id = ? AND task = ? AND state = 'queued')",
    )
    .bind(Uuid::now_v7())
    .bind(cut)
    .bind(Json(task))
    .bind(Lane::of(task).name())
    .bind(by)
    .bind(cut)
    .bind(Json(task))
    .execute(database)
    .await?;
    Ok(())
}

/// Takes a job that is waiting or whose worker fell silent: of a worker of the quick lane one that
/// somebody waits for, of another one such a job first. People take turns, and so do the cuts of each: who has the
/// fewest jobs under way, and was served the longest ago.
///
/// The job may have had its last attempt: [`Claimed::is_hopeless`].
///
/// # Errors
/// What the database says.
pub async fn claim(pool: &MySqlPool, worker: &str, lane: Lane) -> Result<Option<Claimed>, StoreError> {
    // What was cancelled stays so, also when its worker is gone. It is looked for without locks: others end jobs meanwhile.
    let gone: Vec<(Uuid,)> =
        sqlx::query_as("SELECT id FROM jobs WHERE state = 'running' AND cancel_requested AND lease_until < CURRENT_TIMESTAMP(3)").fetch_all(pool).await?;
    for (id,) in gone {
        let cancel =
            "UPDATE jobs SET state = 'cancelled', ended_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND state = 'running' AND lease_until < CURRENT_TIMESTAMP(3)";
        in_turn(async || sqlx::query(cancel).bind(id).execute(pool).await).await?;
    }
    let open = "(j.state = 'queued' OR (j.state = 'running' AND j.lease_until < CURRENT_TIMESTAMP(3)))";
    let only = if lane == Lane::Quick { "AND j.lane = 'quick'" } else { "" };
    loop {
        let under_way = |whose: &str| format!("(SELECT COUNT(*) FROM jobs r WHERE r.{whose} <=> j.{whose} AND r.state = 'running' AND r.lane = j.lane)");
        let found: Option<(Uuid, Uuid, Option<Uuid>)> = sqlx::query_as(AssertSqlSafe(format!(
            "SELECT j.id, j.cut_id, j.asked_by FROM jobs j JOIN cuts c ON c.id = j.cut_id LEFT JOIN people p ON p.id = j.asked_by WHERE {open} {only}
             ORDER BY j.lane = 'long', {}, p.served_at, {}, c.served_at, j.created_at, j.id
             LIMIT 1",
            under_way("asked_by"),
            under_way("cut_id"),
        )))
        .fetch_optional(pool)
        .await?;
        let Some((id, cut, by)) = found else { return Ok(None) };
        let take = format!(
            "UPDATE jobs j SET j.state = 'running', j.worker = ?, j.attempt = j.attempt + 1, j.lease_until = DATE_ADD(CURRENT_TIMESTAMP(3), INTERVAL ? SECOND)
             WHERE j.id = ? AND {open}"
        );
        let taken = in_turn(async || sqlx::query(AssertSqlSafe(take.as_str())).bind(worker).bind(LEASE_S).bind(id).execute(pool).await).await?;
        // Another worker may have been faster.
        if taken.rows_affected() == 1 {
            in_turn(async || sqlx::query("UPDATE cuts SET served_at = CURRENT_TIMESTAMP(6) WHERE id = ?").bind(cut).execute(pool).await).await?;
            if by.is_some() {
                in_turn(async || sqlx::query("UPDATE people SET served_at = CURRENT_TIMESTAMP(6) WHERE id = ?").bind(by).execute(pool).await).await?;
            }
            return Ok(sqlx::query_as("SELECT id, cut_id, task, attempt, breaks FROM jobs WHERE id = ?").bind(id).fetch_optional(pool).await?);
        }
    }
}

/// Does again what was called off because two waited for each other: InnoDB ends one of them, which
/// then has changed nothing.
async fn in_turn<T>(change: impl AsyncFn() -> Result<T, sqlx::Error>) -> Result<T, StoreError> {
    const MOST_TRIES: usize = 20;
    for _ in 1..MOST_TRIES {
        match change().await {
            Err(cause) if was_called_off(&cause) => {}
            other => return Ok(other?),
        }
    }
    Ok(change().await?)
}

/// What became of a lease that was to be renewed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lease {
    /// It is held for a while longer.
    Held,
    /// It is held, but the work is to stop.
    Stop,
    /// Another worker has the job.
    Lost,
}

/// Renews a lease with the progress made.
///
/// # Errors
/// What the database says.
pub async fn renew(pool: &MySqlPool, worker: &str, job: Uuid, progress: f32, doing: &str) -> Result<Lease, StoreError> {
    let kept = in_turn(async || sqlx::query(
        "UPDATE jobs SET progress = ?, doing = ?, lease_until = DATE_ADD(CURRENT_TIMESTAMP(3), INTERVAL ? SECOND) WHERE id = ? AND worker = ? AND state = 'running'",
    )
    .bind(progress)
    .bind(doing)
    .bind(LEASE_S)
    .bind(job)
    .bind(worker)
    .execute(pool)
    .await).await?;
    if kept.rows_affected() == 0 {
        return Ok(Lease::Lost);
    }
    let (stop,): (bool,) = sqlx::query_as("SELECT cancel_requested FROM jobs WHERE id = ?").bind(job).fetch_one(pool).await?;
    Ok(if stop { Lease::Stop } else { Lease::Held })
}

/// Gives back what a worker holds that ends in good order, as if it had never begun.
///
/// # Errors
/// What the database says.
pub async fn give_back(pool: &MySqlPool, worker: &str) -> Result<(), StoreError> {
    in_turn(async || {
        sqlx::query(
            "UPDATE jobs SET state = IF(cancel_requested, 'cancelled', 'queued'), ended_at = IF(cancel_requested, CURRENT_TIMESTAMP(3), NULL),
             attempt = attempt - 1, worker = NULL, lease_until = NULL WHERE worker = ? AND state = 'running'",
        )
        .bind(worker)
        .execute(pool)
        .await
    })
    .await?;
    Ok(())
}

/// Lets others take up at once what a worker held that broke down.
///
/// # Errors
/// What the database says.
pub async fn release(pool: &MySqlPool, worker: &str) -> Result<(), StoreError> {
    let free = "UPDATE jobs SET lease_until = '2000-01-01', breaks = breaks + 1 WHERE worker = ? AND state = 'running'";
    in_turn(async || sqlx::query(free).bind(worker).execute(pool).await).await?;
    Ok(())
}

/// Ends a job that this worker still holds.
///
/// # Errors
/// What the database says.
pub async fn end(pool: &MySqlPool, worker: &str, job: Uuid, state: &str, problem: Option<&str>) -> Result<(), StoreError> {
    // A cancelled job stays cancelled, however it ended.
    in_turn(async || sqlx::query("UPDATE jobs SET state = IF(cancel_requested AND ? <> 'done', 'cancelled', ?), problem = ?, progress = 1, ended_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND worker = ? AND state = 'running'")
        .bind(state)
        .bind(state)
        .bind(problem.map(|p| p.chars().take(500).collect::<String>()))
        .bind(job)
        .bind(worker)
        .execute(pool)
        .await).await?;
    Ok(())
}

/// Asks a job of `cut` to stop; one that nobody works on stops at once, and one that failed is told no more. What it was to do, if there was one.
///
/// # Errors
/// What the database says.
pub async fn cancel(pool: &MySqlPool, cut: Uuid, job: Uuid) -> Result<Option<Work>, StoreError> {
    let done = in_turn(async || {
        sqlx::query(
            "UPDATE jobs SET cancel_requested = TRUE,
             ended_at = IF(state = 'running', ended_at, CURRENT_TIMESTAMP(3)),
             state = IF(state = 'running', state, 'cancelled')
         WHERE id = ? AND cut_id = ? AND state IN ('queued', 'running', 'failed')",
        )
        .bind(job)
        .bind(cut)
        .execute(pool)
        .await
    })
    .await?;
    if done.rows_affected() == 0 {
        return Ok(None);
    }
    let (task,): (Json<Work>,) = sqlx::query_as("SELECT task FROM jobs WHERE id = ?").bind(job).fetch_one(pool).await?;
    Ok(Some(task.0))
}

/// Asks for a job of `cut` again that failed; whether there was one.
///
/// # Errors
/// What the database says.
pub async fn again(pool: &MySqlPool, cut: Uuid, job: Uuid) -> Result<bool, StoreError> {
    let done = in_turn(async || {
        sqlx::query(
        "UPDATE jobs SET state = 'queued', attempt = 0, breaks = 0, progress = 0, doing = 'waiting', problem = NULL, ended_at = NULL, worker = NULL, lease_until = NULL,
             created_at = CURRENT_TIMESTAMP(3) WHERE id = ? AND cut_id = ? AND state = 'failed'",
    )
    .bind(job)
    .bind(cut)
    .execute(pool)
    .await
    })
    .await?;
    Ok(done.rows_affected() == 1)
}

/// How many jobs wait, and how many are worked.
///
/// # Errors
/// What the database says.
pub async fn under_way(pool: &MySqlPool) -> Result<(i64, i64), StoreError> {
    Ok(sqlx::query_as(
        "SELECT COALESCE(CAST(SUM(state = 'queued') AS INTEGER), 0), COALESCE(CAST(SUM(state = 'running') AS INTEGER), 0) FROM jobs WHERE ended_at IS NULL",
    )
    .fetch_one(pool)
    .await?)
}

/// The jobs of a cut that are under way, and the last one if it failed.
///
/// # Errors
/// What the database says.
pub async fn of_cut(pool: &MySqlPool, cut: Uuid) -> Result<Vec<JobRow>, StoreError> {
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
