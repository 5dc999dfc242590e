//! The SQL of cuts and their revisions.
//!
//! Every accepted change is a revision at once, compared and made under the lock of its cut. One that
//! changes how the cut sounds waits for its plan: it plays that of its *base*, and the job that makes
//! the plan appends it as a revision of its own, *planned for* the one that waited, beside it in the
//! history. No revision is ever changed; undo and redo only move what is shown.

use super::setup::Setup;
use crate::jobs::{Task, queue};
use crate::problem::{Code, Problem};
use chrono::NaiveDateTime;
use jaunty_core::fit::Fitting;
use jaunty_core::plan::Plan;
use sqlx::types::Json;
use sqlx::{AssertSqlSafe, FromRow, MySqlExecutor, MySqlPool, MySqlTransaction};
use uuid::Uuid;

/// A cut.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct CutRow {
    /// Its name in the database.
    pub id: Uuid,
    /// What the user wants; ahead of what the plan was made for while the cut waits for its plan.
    #[sqlx(json)]
    pub setup: Setup,
    /// The revision that is shown.
    pub revision: u32,
    /// Where the shown revision waits for its plan: the one whose plan it plays meanwhile.
    pub base: Option<u32>,
    /// The revision that waited for the plan that is shown.
    pub planned_for: Option<u32>,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

impl CutRow {
    /// Whether what is shown is what a client saw that names revision `seen`. Who saw a change
    /// without its plan has seen the same change with it.
    pub fn is_seen(&self, seen: u32) -> bool {
        self.revision == seen || self.planned_for == Some(seen)
    }

    /// Says no to a client that saw something else.
    ///
    /// # Errors
    /// [`Code::Stale`].
    pub fn check_seen(&self, seen: Option<u32>) -> Result<(), Problem> {
        match seen {
            Some(seen) if !self.is_seen(seen) => Err(Problem::new(Code::Stale, format!("Your page showed revision {seen}, the plan is at {}.", self.revision))),
            _ => Ok(()),
        }
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
    /// What its plan was made for.
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

/// A plan on its way into a revision.
pub struct Next<'a> {
    /// What was done.
    pub what: &'a str,
    /// The plan.
    pub plan: &'a Plan,
    /// The fittings to choose from.
    pub fittings: &'a [Fitting],
    /// Which of them the plan plays.
    pub chosen: u32,
}

/// A change of what is wanted of a cut.
pub type Edit<'a> = &'a (dyn Fn(&mut Setup) -> Result<(), Problem> + Sync);

const CUT: &str =
    "SELECT c.id, r.setup, c.revision, r.base, r.planned_for, c.created_at FROM cuts c JOIN revisions r ON r.cut_id = c.id AND r.revision = c.revision";

/// All cuts, newest first.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool) -> Result<Vec<CutRow>, Problem> {
    Ok(sqlx::query_as(AssertSqlSafe(format!("{CUT} ORDER BY c.created_at DESC, c.id DESC LIMIT 500"))).fetch_all(pool).await?)
}

async fn find(database: impl MySqlExecutor<'_>, id: Uuid, lock: &str) -> Result<Option<CutRow>, Problem> {
    Ok(sqlx::query_as(AssertSqlSafe(format!("{CUT} WHERE c.id = ? {lock}"))).bind(id).fetch_optional(database).await?)
}

/// One cut.
///
/// # Errors
/// What the database says.
pub async fn cut(pool: &MySqlPool, id: Uuid) -> Result<Option<CutRow>, Problem> {
    find(pool, id, "").await
}

/// One cut, or a 404.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn known(pool: &MySqlPool, id: Uuid) -> Result<CutRow, Problem> {
    cut(pool, id).await?.ok_or_else(|| Problem::not_found("cut"))
}

/// A cut that nobody else changes until the transaction is over: every change is compared with it and
/// made from it.
async fn locked(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<CutRow, Problem> {
    find(&mut **transaction, id, "FOR UPDATE").await?.ok_or_else(|| Problem::not_found("cut"))
}

/// Makes a cut, with a first revision of silence.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, setup: &Setup) -> Result<Uuid, Problem> {
    let id = Uuid::now_v7();
    let mut transaction = pool.begin().await?;
    sqlx::query("INSERT INTO cuts (id, revision) VALUES (?, 1)").bind(id).execute(&mut *transaction).await?;
    let plan = Plan::empty(setup.picture.length_samples());
    let next = Next { what: "make the cut", plan: &plan, fittings: &[], chosen: 0 };
    write(&mut transaction, id, &Place { revision: 1, parent: None, base: None, planned_for: None }, setup, &next).await?;
    transaction.commit().await?;
    Ok(id)
}

/// Where a revision stands among the others.
struct Place {
    revision: u32,
    parent: Option<u32>,
    base: Option<u32>,
    planned_for: Option<u32>,
}

/// A what that fits its column.
fn short(what: &str) -> String {
    what.chars().take(200).collect()
}

async fn write(transaction: &mut MySqlTransaction<'_>, id: Uuid, place: &Place, setup: &Setup, next: &Next<'_>) -> Result<(), Problem> {
    sqlx::query(
        "INSERT INTO revisions (cut_id, revision, parent, base, planned_for, what, setup, plan, fittings, chosen) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
    )
    .bind(id)
    .bind(place.revision)
    .bind(place.parent)
    .bind(place.base)
    .bind(place.planned_for)
    .bind(short(next.what))
    .bind(Json(setup))
    .bind(Json(next.plan))
    .bind(Json(next.fittings))
    .bind(next.chosen)
    .execute(&mut **transaction)
    .await?;
    Ok(())
}

/// Writes a revision that plays the same plan as `from`.
async fn write_alike(transaction: &mut MySqlTransaction<'_>, id: Uuid, place: &Place, from: u32, what: &str, setup: &Setup) -> Result<(), Problem> {
    sqlx::query(
        "INSERT INTO revisions (cut_id, revision, parent, base, planned_for, what, setup, plan, fittings, chosen)
         SELECT cut_id, ?, ?, ?, ?, ?, ?, plan, fittings, chosen FROM revisions WHERE cut_id = ? AND revision = ?",
    )
    .bind(place.revision)
    .bind(place.parent)
    .bind(place.base)
    .bind(place.planned_for)
    .bind(short(what))
    .bind(Json(setup))
    .bind(id)
    .bind(from)
    .execute(&mut **transaction)
    .await?;
    Ok(())
}

async fn next_number(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<u32, Problem> {
    let (last,): (u32,) = sqlx::query_as("SELECT MAX(revision) FROM revisions WHERE cut_id = ?").bind(id).fetch_one(&mut **transaction).await?;
    Ok(last + 1)
}

async fn point_at(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32) -> Result<(), Problem> {
    sqlx::query("UPDATE cuts SET revision = ? WHERE id = ?").bind(revision).bind(id).execute(&mut **transaction).await?;
    Ok(())
}

/// Changes what is wanted of a cut with `edit`, and asks for the job that makes its plan: both or
/// neither, so that nobody sees a wish without its job. `seen` is the revision that the user saw,
/// none for what adds to whatever is there. Gives the cut as it is then.
///
/// # Errors
/// [`Code::NotFound`], [`Code::Stale`], what `edit` says, or what the database says.
pub async fn want(pool: &MySqlPool, id: Uuid, seen: Option<u32>, what: &str, edit: impl FnOnce(&mut Setup) -> Result<(), Problem>) -> Result<CutRow, Problem> {
    let mut transaction = pool.begin().await?;
    let mut cut = locked(&mut transaction, id).await?;
    cut.check_seen(seen)?;
    edit(&mut cut.setup)?;
    let revision = next_number(&mut transaction, id).await?;
    let place = Place { revision, parent: Some(cut.revision), base: Some(cut.base.unwrap_or(cut.revision)), planned_for: None };
    write_alike(&mut transaction, id, &place, cut.revision, what, &cut.setup).await?;
    point_at(&mut transaction, id, revision).await?;
    queue::add(&mut *transaction, id, &Task::Plan).await?;
    transaction.commit().await?;
    Ok(CutRow { revision, base: place.base, planned_for: None, ..cut })
}

/// Notes something about a cut that changes nothing of how it sounds: the result is a new revision
/// with the same plan. `follow` is asked for with it, both or neither.
///
/// # Errors
/// As [`want`].
pub async fn note(
    pool: &MySqlPool,
    id: Uuid,
    seen: Option<u32>,
    what: &str,
    follow: Option<&Task>,
    edit: impl FnOnce(&mut Setup) -> Result<(), Problem>,
) -> Result<CutRow, Problem> {
    let mut transaction = pool.begin().await?;
    let mut cut = locked(&mut transaction, id).await?;
    cut.check_seen(seen)?;
    edit(&mut cut.setup)?;
    let revision = next_number(&mut transaction, id).await?;
    let place = Place { revision, parent: Some(cut.revision), base: cut.base, planned_for: None };
    write_alike(&mut transaction, id, &place, cut.revision, what, &cut.setup).await?;
    point_at(&mut transaction, id, revision).await?;
    if let Some(task) = follow {
        queue::add(&mut *transaction, id, task).await?;
    }
    transaction.commit().await?;
    Ok(CutRow { revision, planned_for: None, ..cut })
}

/// Revision `revision` of a cut.
///
/// # Errors
/// What the database says.
pub async fn revision(pool: &MySqlPool, cut: Uuid, revision: u32) -> Result<Option<RevisionRow>, Problem> {
    Ok(sqlx::query_as(
        "SELECT r.revision, r.parent, r.what, COALESCE(b.setup, r.setup) AS setup, r.plan, r.fittings, r.chosen, r.created_at
         FROM revisions r LEFT JOIN revisions b ON b.cut_id = r.cut_id AND b.revision = r.base WHERE r.cut_id = ? AND r.revision = ?",
    )
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

/// What redo would do from the shown revision: the newest that was made from it.
///
/// # Errors
/// What the database says.
pub async fn redone(pool: &MySqlPool, cut: &CutRow) -> Result<Option<String>, Problem> {
    Ok(child(pool, cut).await?.map(|(_, what)| what))
}

async fn child(database: impl MySqlExecutor<'_>, cut: &CutRow) -> Result<Option<(u32, String)>, Problem> {
    Ok(sqlx::query_as("SELECT revision, what FROM revisions WHERE cut_id = ? AND parent IN (?, ?) ORDER BY revision DESC LIMIT 1")
        .bind(cut.id)
        .bind(cut.revision)
        .bind(cut.planned_for.unwrap_or(cut.revision))
        .fetch_optional(database)
        .await?)
}

/// Appends a revision after the one that `cut` shows: its plan was made for what that one was made
/// for, after `edit`. Where the cut waits for its plan, it goes on waiting.
///
/// # Errors
/// [`Code::Stale`] if another revision is shown by now, what `edit` says, or what the database says.
pub async fn append(pool: &MySqlPool, cut: &CutRow, next: &Next<'_>, edit: Edit<'_>) -> Result<u32, Problem> {
    let mut transaction = pool.begin().await?;
    let mut row = locked(&mut transaction, cut.id).await?;
    if row.revision != cut.revision {
        return Err(Problem::new(Code::Stale, "Another change came first."));
    }
    let before = row.setup.clone();
    edit(&mut row.setup)?;
    let revision = next_number(&mut transaction, cut.id).await?;
    let place = Place { revision, parent: Some(row.revision), base: row.base, planned_for: None };
    write(&mut transaction, cut.id, &place, &row.setup, next).await?;
    point_at(&mut transaction, cut.id, revision).await?;
    // Candidates that were compared under other wishes or another voice are compared again.
    if row.setup.candidates.iter().any(|c| row.setup.fitted_as(&c.hash) != before.fitted_as(&c.hash)) {
        queue::add_once(&mut *transaction, cut.id, &Task::Compare).await?;
    }
    transaction.commit().await?;
    Ok(revision)
}

/// Appends the plan that the revision that `cut` shows was waiting for.
///
/// # Errors
/// [`Code::Stale`] if another revision is shown by now, or what the database says.
pub async fn append_planned(pool: &MySqlPool, cut: &CutRow, next: &Next<'_>) -> Result<u32, Problem> {
    let mut transaction = pool.begin().await?;
    let row = locked(&mut transaction, cut.id).await?;
    if row.revision != cut.revision {
        return Err(Problem::new(Code::Stale, "Another change came first."));
    }
    let (parent,): (Option<u32>,) =
        sqlx::query_as("SELECT parent FROM revisions WHERE cut_id = ? AND revision = ?").bind(cut.id).bind(row.revision).fetch_one(&mut *transaction).await?;
    let revision = next_number(&mut transaction, cut.id).await?;
    let place = Place { revision, parent, base: None, planned_for: Some(row.revision) };
    write(&mut transaction, cut.id, &place, &row.setup, next).await?;
    point_at(&mut transaction, cut.id, revision).await?;
    transaction.commit().await?;
    Ok(revision)
}

/// Which way to go in the history.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// To the revision that the shown one was made from.
    Undo,
    /// To the newest that was made from the shown one.
    Redo,
}

/// Shows the revision one step back or on. One whose plan was never made has it made.
///
/// # Errors
/// [`Code::Stale`], [`Code::NothingToUndo`], or what the database says.
pub async fn step(pool: &MySqlPool, id: Uuid, seen: u32, step: Step) -> Result<(), Problem> {
    let mut transaction = pool.begin().await?;
    let cut = locked(&mut transaction, id).await?;
    cut.check_seen(Some(seen))?;
    let target = match step {
        Step::Redo => child(&mut *transaction, &cut).await?.map(|(revision, _)| revision),
        Step::Undo => {
            // Behind a change on top of one without its plan lies that one, with its plan if it has it by now.
            let found: Option<(u32,)> = sqlx::query_as(
                "SELECT t.revision FROM revisions r JOIN revisions t ON t.cut_id = r.cut_id AND (t.revision = r.parent OR t.planned_for = r.parent)
                 WHERE r.cut_id = ? AND r.revision = ? ORDER BY t.base IS NULL DESC, t.revision DESC LIMIT 1",
            )
            .bind(id)
            .bind(cut.revision)
            .fetch_optional(&mut *transaction)
            .await?;
            found.map(|(revision,)| revision)
        }
    };
    let nothing = if step == Step::Undo { "There is nothing to undo." } else { "There is nothing to redo." };
    let target = target.ok_or_else(|| Problem::new(Code::NothingToUndo, nothing))?;
    point_at(&mut transaction, id, target).await?;
    let (waits,): (bool,) =
        sqlx::query_as("SELECT base IS NOT NULL FROM revisions WHERE cut_id = ? AND revision = ?").bind(id).bind(target).fetch_one(&mut *transaction).await?;
    queue::add_once(&mut *transaction, id, if waits { &Task::Plan } else { &Task::Compare }).await?;
    transaction.commit().await?;
    Ok(())
}

/// A short text that differs whenever the page would show something else of a cut.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn state(pool: &MySqlPool, id: Uuid) -> Result<String, Problem> {
    let row: Option<(String,)> = sqlx::query_as(
        "SELECT CAST(CONCAT_WS('|', c.revision,
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
