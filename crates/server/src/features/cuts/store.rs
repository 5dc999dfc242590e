//! The SQL of cuts and their revisions.

use super::setup::Setup;
use crate::jobs::{Task, queue};
use crate::problem::{Code, Problem};
use chrono::NaiveDateTime;
use jaunty_core::fit::Fitting;
use jaunty_core::plan::Plan;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlPool, MySqlTransaction};
use uuid::Uuid;

/// A cut.
#[derive(Debug, Clone, PartialEq)]
pub struct CutRow {
    /// Its name in the database.
    pub id: Uuid,
    /// What the user wants; ahead of the shown revision while a job is under way.
    pub setup: Setup,
    /// The revision that is shown.
    pub revision: u32,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

#[derive(FromRow)]
struct RawCut {
    id: Uuid,
    setup: Json<Setup>,
    revision: u32,
    created_at: NaiveDateTime,
}

impl From<RawCut> for CutRow {
    fn from(raw: RawCut) -> Self {
        Self { id: raw.id, setup: raw.setup.0, revision: raw.revision, created_at: raw.created_at }
    }
}

/// One state of the plan of a cut.
#[derive(Debug, Clone, FromRow)]
pub struct RevisionRow {
    /// Its number, from 1.
    pub revision: u32,
    /// The revision it was made from.
    pub parent: Option<u32>,
    /// What was done.
    pub what: String,
    /// What it was made for.
    #[sqlx(json)]
    pub setup: Setup,
    /// The plan.
    #[sqlx(json)]
    pub plan: Plan,
    /// The fittings to choose from.
    #[sqlx(json)]
    pub fittings: Vec<Fitting>,
    /// Which of them the plan plays.
    pub chosen: u32,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

/// A revision to be appended.
pub struct Next<'a> {
    /// What was done.
    pub what: &'a str,
    /// What it was made for.
    pub setup: &'a Setup,
    /// The plan.
    pub plan: &'a Plan,
    /// The fittings to choose from.
    pub fittings: &'a [Fitting],
    /// Which of them the plan plays.
    pub chosen: u32,
}

/// All cuts, newest first.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool) -> Result<Vec<CutRow>, Problem> {
    let rows: Vec<RawCut> =
        sqlx::query_as("SELECT id, setup, revision, created_at FROM cuts ORDER BY created_at DESC, id DESC LIMIT 500").fetch_all(pool).await?;
    Ok(rows.into_iter().map(CutRow::from).collect())
}

/// One cut.
///
/// # Errors
/// What the database says.
pub async fn cut(pool: &MySqlPool, id: Uuid) -> Result<Option<CutRow>, Problem> {
    let row: Option<RawCut> = sqlx::query_as("SELECT id, setup, revision, created_at FROM cuts WHERE id = ?").bind(id).fetch_optional(pool).await?;
    Ok(row.map(CutRow::from))
}

/// One cut, or a 404.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn known(pool: &MySqlPool, id: Uuid) -> Result<CutRow, Problem> {
    cut(pool, id).await?.ok_or_else(|| Problem::not_found("cut"))
}

/// Makes a cut, with a first revision of silence.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, setup: &Setup) -> Result<Uuid, Problem> {
    let id = Uuid::now_v7();
    let mut transaction = pool.begin().await?;
    sqlx::query("INSERT INTO cuts (id, setup, revision) VALUES (?, ?, 1)").bind(id).bind(Json(setup)).execute(&mut *transaction).await?;
    let plan = Plan::empty(setup.picture.length_samples());
    write(&mut transaction, id, 1, None, &Next { what: "make the cut", setup, plan: &plan, fittings: &[], chosen: 0 }).await?;
    transaction.commit().await?;
    Ok(id)
}

async fn write(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32, parent: Option<u32>, next: &Next<'_>) -> Result<(), Problem> {
    sqlx::query("INSERT INTO revisions (cut_id, revision, parent, what, setup, plan, fittings, chosen) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
        .bind(id)
        .bind(revision)
        .bind(parent)
        .bind(next.what.chars().take(200).collect::<String>())
        .bind(Json(next.setup))
        .bind(Json(next.plan))
        .bind(Json(next.fittings))
        .bind(next.chosen)
        .execute(&mut **transaction)
        .await?;
    Ok(())
}

async fn locked(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<CutRow, Problem> {
    let row: Option<RawCut> =
        sqlx::query_as("SELECT id, setup, revision, created_at FROM cuts WHERE id = ? FOR UPDATE").bind(id).fetch_optional(&mut **transaction).await?;
    row.map(CutRow::from).ok_or_else(|| Problem::not_found("cut"))
}

async fn next_number(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<u32, Problem> {
    let (last,): (u32,) = sqlx::query_as("SELECT MAX(revision) FROM revisions WHERE cut_id = ?").bind(id).fetch_one(&mut **transaction).await?;
    Ok(last + 1)
}

/// Changes what is wanted of a cut with `edit`, and asks for the job by which the plan follows:
/// both or neither, so that nobody sees a wish without its job. The row is locked meanwhile, so
/// that two changes at once both count. Gives the cut as it is then.
///
/// # Errors
/// [`Code::NotFound`], what `edit` says, or what the database says.
pub async fn want(pool: &MySqlPool, id: Uuid, follow: Option<&Task>, edit: impl FnOnce(&mut CutRow) -> Result<(), Problem>) -> Result<CutRow, Problem> {
    let mut transaction = pool.begin().await?;
    let mut cut = locked(&mut transaction, id).await?;
    edit(&mut cut)?;
    sqlx::query("UPDATE cuts SET setup = ? WHERE id = ?").bind(Json(&cut.setup)).bind(id).execute(&mut *transaction).await?;
    if let Some(task) = follow {
        queue::add(&mut *transaction, id, task).await?;
    }
    transaction.commit().await?;
    Ok(cut)
}

/// Notes something about a cut that changes nothing of how it sounds: `edit` is applied to what
/// is wanted and to the shown revision, and the result is a new revision with the same plan.
/// `seen` is the revision that the user saw, where that matters.
///
/// # Errors
/// [`Code::Stale`] if another revision is shown by now, what `edit` says, or what the database says.
pub async fn note(pool: &MySqlPool, id: Uuid, seen: Option<u32>, what: &str, edit: impl Fn(&mut Setup) -> Result<(), Problem>) -> Result<CutRow, Problem> {
    let mut transaction = pool.begin().await?;
    let mut cut = locked(&mut transaction, id).await?;
    if seen.is_some_and(|seen| seen != cut.revision) {
        return Err(Problem::new(Code::Stale, format!("Your page showed revision {}, the plan is at {}.", seen.unwrap_or(0), cut.revision)));
    }
    let row: RevisionRow =
        sqlx::query_as("SELECT revision, parent, what, setup, plan, fittings, chosen, created_at FROM revisions WHERE cut_id = ? AND revision = ?")
            .bind(id)
            .bind(cut.revision)
            .fetch_one(&mut *transaction)
            .await?;
    let mut planned = row.setup;
    edit(&mut planned)?;
    edit(&mut cut.setup)?;
    let number = next_number(&mut transaction, id).await?;
    let next = Next { what, setup: &planned, plan: &row.plan, fittings: &row.fittings, chosen: row.chosen };
    write(&mut transaction, id, number, Some(cut.revision), &next).await?;
    sqlx::query("UPDATE cuts SET setup = ?, revision = ? WHERE id = ?").bind(Json(&cut.setup)).bind(number).bind(id).execute(&mut *transaction).await?;
    transaction.commit().await?;
    cut.revision = number;
    Ok(cut)
}

/// Revision `revision` of a cut.
///
/// # Errors
/// What the database says.
pub async fn revision(pool: &MySqlPool, cut: Uuid, revision: u32) -> Result<Option<RevisionRow>, Problem> {
    Ok(sqlx::query_as("SELECT revision, parent, what, setup, plan, fittings, chosen, created_at FROM revisions WHERE cut_id = ? AND revision = ?")
        .bind(cut)
        .bind(revision)
        .fetch_optional(pool)
        .await?)
}

/// The revision that a cut shows.
///
/// # Errors
/// What the database says.
pub async fn current(pool: &MySqlPool, cut: &CutRow) -> Result<RevisionRow, Problem> {
    revision(pool, cut.id, cut.revision).await?.ok_or_else(|| Problem::internal("a cut without its revision"))
}

/// The newest revision made from `parent`: what redo goes to, with what was done.
///
/// # Errors
/// What the database says.
pub async fn child(pool: &MySqlPool, cut: Uuid, parent: u32) -> Result<Option<(u32, String)>, Problem> {
    Ok(sqlx::query_as("SELECT revision, what FROM revisions WHERE cut_id = ? AND parent = ? ORDER BY revision DESC LIMIT 1")
        .bind(cut)
        .bind(parent)
        .fetch_optional(pool)
        .await?)
}

/// Appends a revision after the one that `cut` shows and shows it.
///
/// # Errors
/// [`Code::Stale`] if another revision is shown by now, or what the database says.
pub async fn append(pool: &MySqlPool, cut: &CutRow, next: &Next<'_>) -> Result<u32, Problem> {
    append_wanting(pool, cut, next, &|_| Ok(())).await
}

/// Appends a revision as [`append`] does, and applies `edit` to what is wanted as well.
///
/// # Errors
/// As [`append`], and what `edit` says.
pub async fn append_wanting(
    pool: &MySqlPool,
    cut: &CutRow,
    next: &Next<'_>,
    edit: &(dyn Fn(&mut Setup) -> Result<(), Problem> + Sync),
) -> Result<u32, Problem> {
    let mut transaction = pool.begin().await?;
    let mut row = locked(&mut transaction, cut.id).await?;
    if row.revision != cut.revision {
        return Err(Problem::new(Code::Stale, "Another change came first."));
    }
    edit(&mut row.setup)?;
    let number = next_number(&mut transaction, cut.id).await?;
    write(&mut transaction, cut.id, number, Some(row.revision), next).await?;
    sqlx::query("UPDATE cuts SET setup = ?, revision = ? WHERE id = ?").bind(Json(&row.setup)).bind(number).bind(cut.id).execute(&mut *transaction).await?;
    transaction.commit().await?;
    Ok(number)
}

/// Shows another revision of a cut, with the setup that it was made for.
///
/// # Errors
/// [`Code::Stale`] if another revision is shown by now, or what the database says.
pub async fn show(pool: &MySqlPool, cut: &CutRow, target: &RevisionRow) -> Result<(), Problem> {
    let moved = sqlx::query("UPDATE cuts SET revision = ?, setup = ? WHERE id = ? AND revision = ?")
        .bind(target.revision)
        .bind(Json(&target.setup))
        .bind(cut.id)
        .bind(cut.revision)
        .execute(pool)
        .await?;
    if moved.rows_affected() == 0 {
        return Err(Problem::new(Code::Stale, "Another change came first."));
    }
    Ok(())
}

/// A short text that differs whenever the page would show something else of a cut.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn state(pool: &MySqlPool, id: Uuid) -> Result<String, Problem> {
    let row: Option<(String,)> = sqlx::query_as(
        "SELECT CAST(CONCAT_WS('|', c.revision, CRC32(c.setup),
             (SELECT GROUP_CONCAT(CONCAT(HEX(j.id), j.state, j.progress, j.doing) ORDER BY j.id) FROM jobs j WHERE j.cut_id = c.id AND j.ended_at IS NULL),
             (SELECT MAX(j.ended_at) FROM jobs j WHERE j.cut_id = c.id),
             (SELECT CONCAT(COUNT(*), MAX(a.created_at)) FROM auditions a WHERE a.cut_id = c.id)) AS CHAR)
         FROM cuts c WHERE c.id = ?",
    )
    .bind(id)
    .fetch_optional(pool)
    .await?;
    row.map(|r| r.0).ok_or_else(|| Problem::not_found("cut"))
}
