//! The history of a cut: what is committed to it, what it shows, undo and redo.

use super::listing::{listed_by, note_listed, note_shown};
use super::row::{CutRow, locked};
use super::writing::{Made, Place, Row, point_at};
use crate::store::documents::{self, BASE, COLUMNS, Stored};
use crate::store::sql::row;
use crate::store::{StoreError, jobs, people};
use chrono::NaiveDateTime;
use jaunty_core::cut::{Cut, Setup, Work};
use jaunty_core::message::Message;
use jaunty_core::plan::Plan;
use sqlx::{AssertSqlSafe, MySqlExecutor, MySqlPool};
use uuid::Uuid;

/// One state of a cut.
#[derive(Debug, Clone)]
pub struct Revision {
    /// Its number, from 1.
    pub number: u32,
    /// The revision it was made from.
    pub parent: Option<u32>,
    /// What was done.
    pub what: Message,
    /// The state; its setup is what its plan was made for.
    pub cut: Cut,
    /// Who made it, in words: of a person who is alone in the house nothing is told.
    pub made_by: Option<String>,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

/// How a new revision sounds.
#[derive(Debug, Clone, Copy)]
pub enum Sounding<'a> {
    /// As the one before.
    Alike,
    /// As the one before until its plan is made.
    Waits,
    /// So.
    As(&'a Cut),
    /// So: this is the plan that the shown revision waits for.
    Planned(&'a Cut),
}

/// A new revision.
#[derive(Debug, Clone)]
pub struct Commit<'a> {
    /// What was done.
    pub what: &'a Message,
    /// What was said or came in, as JSON.
    pub said: Option<String>,
    /// What is wanted by now.
    pub setup: &'a Setup,
    /// How it sounds.
    pub sounding: Sounding<'a>,
    /// What is asked for with it, all or nothing.
    pub work: &'a [Work],
    /// Who makes it.
    pub by: Option<Uuid>,
    /// Whether the sounds that it names anew came in with it, all of their bytes, or from somebody who has them. Of all others the
    /// project must have been given a right before.
    pub brings: bool,
}

fn new_plan<'a>(sounding: &Sounding<'a>) -> Option<&'a Plan> {
    match sounding {
        Sounding::As(made) | Sounding::Planned(made) => Some(&made.plan),
        Sounding::Alike | Sounding::Waits => None,
    }
}

/// Makes a new revision on top of the one that `cut` shows; its number. What `work` asks for is asked
/// for with it: both or neither, so that nobody sees a wish without its job.
///
/// # Errors
/// [`StoreError::Stale`] if another revision is shown by now, or what the database says.
pub async fn commit(pool: &MySqlPool, cut: &CutRow, next: &Commit<'_>) -> Result<u32, StoreError> {
    let mut transaction = pool.begin().await?;
    let (shown,): (u32,) =
        sqlx::query_as("SELECT revision FROM cuts WHERE id = ? FOR UPDATE").bind(cut.id).fetch_optional(&mut *transaction).await?.ok_or(StoreError::NoCut)?;
    if shown != cut.revision {
        return Err(StoreError::Stale);
    }
    let ((last,), (parent, by)): ((u32,), (Option<u32>, Option<Uuid>)) = (
        sqlx::query_as("SELECT MAX(revision) FROM revisions WHERE cut_id = ?").bind(cut.id).fetch_one(&mut *transaction).await?,
        sqlx::query_as("SELECT parent, made_by FROM revisions WHERE cut_id = ? AND revision = ?").bind(cut.id).bind(shown).fetch_one(&mut *transaction).await?,
    );
    // The machine's plan is of whoever wanted it.
    let by = if matches!(next.sounding, Sounding::Planned(_)) { by } else { next.by };
    let new = match next.sounding {
        Sounding::Alike | Sounding::Waits => None,
        Sounding::As(made) | Sounding::Planned(made) => Some(made),
    };
    let before = Made::of(&mut transaction, cut.id, shown).await?;
    let made = Made::after(&mut transaction, Some(&before), next.setup, new).await?;
    let on_top = Place { revision: last + 1, parent: Some(shown), base: cut.base, planned_for: None };
    let place = match next.sounding {
        Sounding::Alike | Sounding::As(_) => on_top,
        Sounding::Waits => Place { base: Some(cut.base.unwrap_or(shown)), ..on_top },
        Sounding::Planned(_) => Place { parent, base: None, planned_for: Some(shown), ..on_top },
    };
    let revision = place.revision;
    Row { place, what: next.what, said: next.said.as_deref(), made: &made, by }.write(&mut transaction, cut.id).await?;
    let before = cut.setup.sounds();
    let mut new = next.setup.sounds();
    new.extend(new_plan(&next.sounding).iter().flat_map(|plan| plan.sounds()));
    new.retain(|hash| !before.contains(hash));
    if !new.is_empty() {
        let (project,): (Uuid,) = sqlx::query_as("SELECT project_id FROM cuts WHERE id = ?").bind(cut.id).fetch_one(&mut *transaction).await?;
        if next.brings {
            people::grant_sounds(&mut transaction, project, new).await?;
        } else {
            people::check_sounds(&mut transaction, project, new).await?;
        }
    }
    point_at(&mut transaction, cut.id, revision).await?;
    if listed_by(next.setup) != listed_by(&cut.setup) {
        note_listed(&mut transaction, cut.id, next.setup).await?;
    }
    for work in next.work {
        jobs::add_once(&mut *transaction, cut.id, work, by).await?;
    }
    transaction.commit().await?;
    Ok(revision)
}

struct RevisionRow {
    revision: u32,
    parent: Option<u32>,
    what: String,
    setup_hash: Vec<u8>,
    plan_hash: Vec<u8>,
    fittings_hash: Vec<u8>,
    chosen: u32,
    made_by: Option<String>,
    created_at: NaiveDateTime,
}

row!(RevisionRow { revision, parent, what, setup_hash, plan_hash, fittings_hash, chosen, made_by, created_at });

/// Revision `revision` of a cut.
///
/// # Errors
/// What the database says.
pub async fn revision(pool: &MySqlPool, cut: Uuid, revision: u32) -> Result<Option<Revision>, StoreError> {
    let row: Option<RevisionRow> = sqlx::query_as(
        "SELECT r.revision, r.parent, r.what, COALESCE(b.setup_hash, r.setup_hash) AS setup_hash, r.plan_hash, r.fittings_hash, r.chosen, p.name AS made_by, r.created_at
         FROM revisions r LEFT JOIN revisions b ON b.cut_id = r.cut_id AND b.revision = r.base LEFT JOIN people p ON p.id = r.made_by WHERE r.cut_id = ? AND r.revision = ?",
    )
    .bind(cut)
    .bind(revision)
    .fetch_optional(pool)
    .await?;
    let Some(row) = row else { return Ok(None) };
    let cut = Cut {
        setup: documents::read(pool, &row.setup_hash).await?,
        plan: documents::read(pool, &row.plan_hash).await?,
        fittings: documents::read(pool, &row.fittings_hash).await?,
        chosen: row.chosen as usize,
    };
    Ok(Some(Revision {
        number: row.revision,
        parent: row.parent,
        what: Message::from_stored(&row.what),
        cut,
        made_by: row.made_by,
        created_at: row.created_at,
    }))
}

/// The plan of revision `revision` of a cut alone.
///
/// # Errors
/// What the database says.
pub async fn plan(pool: &MySqlPool, cut: Uuid, revision: u32) -> Result<Option<Plan>, StoreError> {
    let query = format!("SELECT {COLUMNS} FROM revisions r JOIN documents d ON d.hash = r.plan_hash {BASE} WHERE r.cut_id = ? AND r.revision = ?");
    let found: Option<Stored> = sqlx::query_as(AssertSqlSafe(query)).bind(cut).bind(revision).fetch_optional(pool).await?;
    found.map(|stored| stored.value()).transpose()
}

/// The revision that a cut shows.
///
/// # Errors
/// What the database says.
pub async fn current(pool: &MySqlPool, cut: &CutRow) -> Result<Revision, StoreError> {
    revision(pool, cut.id, cut.revision).await?.ok_or_else(|| StoreError::damaged("a cut without its revision"))
}

/// What redo would do from the shown revision: the newest that was made from it.
///
/// # Errors
/// What the database says.
pub async fn redone(pool: &MySqlPool, cut: &CutRow) -> Result<Option<Message>, StoreError> {
    Ok(child(pool, cut).await?.map(|(_, what)| Message::from_stored(&what)))
}

async fn child(database: impl MySqlExecutor<'_>, cut: &CutRow) -> Result<Option<(u32, String)>, StoreError> {
    Ok(sqlx::query_as("SELECT revision, what FROM revisions WHERE cut_id = ? AND parent IN (?, ?) ORDER BY revision DESC LIMIT 1")
        .bind(cut.id)
        .bind(cut.revision)
        .bind(cut.planned_for.unwrap_or(cut.revision))
        .fetch_optional(database)
        .await?)
}

/// Which way to go in the history.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// To the revision that the shown one was made from.
    Undo,
    /// To the newest that was made from the shown one.
    Redo,
}

/// Something that was done to a cut.
#[derive(Debug, Clone)]
pub struct Done {
    /// The revision that it made, before that had its plan.
    pub revision: u32,
    /// What was done.
    pub what: Message,
    /// What was said or came in, as JSON.
    pub said: Option<String>,
    /// Who did it.
    pub by: Option<Uuid>,
    /// Their name.
    pub name: Option<String>,
    /// What was shown before, with its plan; none where that was never made.
    pub before: Option<u32>,
}

/// What was done to a cut last, newest first, at most so much. The first state is not among it.
///
/// # Errors
/// What the database says.
pub async fn done(pool: &MySqlPool, cut: &CutRow, most: usize) -> Result<Vec<Done>, StoreError> {
    let mut all = Vec::new();
    let mut shown = cut.planned_for.unwrap_or(cut.revision);
    while all.len() < most {
        type Row = (String, Option<String>, Option<Uuid>, Option<String>, Option<u32>);
        let query =
            "SELECT r.what, r.said, r.made_by, p.name, r.parent FROM revisions r LEFT JOIN people p ON p.id = r.made_by WHERE r.cut_id = ? AND r.revision = ?";
        let (what, said, by, name, Some(parent)): Row = sqlx::query_as(query).bind(cut.id).bind(shown).fetch_one(pool).await? else { break };
        let Some(before) = behind(pool, cut.id, parent).await? else { break };
        all.push(Done { revision: shown, what: Message::from_stored(&what), said, by, name, before: before.base.is_none().then_some(before.revision) });
        shown = before.planned_for.unwrap_or(before.revision);
    }
    Ok(all)
}

struct Behind {
    revision: u32,
    base: Option<u32>,
    planned_for: Option<u32>,
}

row!(Behind { revision, base, planned_for });

/// What lies behind a change that was made on top of `parent`: that revision, with its plan if it has it by now.
async fn behind(database: impl MySqlExecutor<'_>, cut: Uuid, parent: u32) -> Result<Option<Behind>, StoreError> {
    let query = "SELECT revision, base, planned_for FROM revisions WHERE cut_id = ? AND (revision = ? OR planned_for = ?)
                 ORDER BY base IS NULL DESC, revision DESC LIMIT 1";
    Ok(sqlx::query_as(query).bind(cut).bind(parent).bind(parent).fetch_optional(database).await?)
}

/// Shows the revision one step back or on, on behalf of somebody; its number. One whose plan was never made has it made.
///
/// # Errors
/// [`StoreError::Stale`], [`StoreError::NothingFurther`], or what the database says.
pub async fn step(pool: &MySqlPool, id: Uuid, seen: u32, step: Step, by: Option<Uuid>) -> Result<u32, StoreError> {
    let mut transaction = pool.begin().await?;
    let cut = locked(&mut transaction, id).await?;
    if !cut.is_seen(seen) {
        return Err(StoreError::Stale);
    }
    let target = match step {
        Step::Redo => child(&mut *transaction, &cut).await?.map(|(revision, _)| revision),
        Step::Undo => {
            let (parent,): (Option<u32>,) = sqlx::query_as("SELECT parent FROM revisions WHERE cut_id = ? AND revision = ?")
                .bind(id)
                .bind(cut.revision)
                .fetch_one(&mut *transaction)
                .await?;
            match parent {
                Some(parent) => behind(&mut *transaction, id, parent).await?.map(|b| b.revision),
                None => None,
            }
        }
    };
    let target = target.ok_or(StoreError::NothingFurther)?;
    point_at(&mut transaction, id, target).await?;
    note_shown(&mut transaction, id).await?;
    let (waits,): (bool,) =
        sqlx::query_as("SELECT base IS NOT NULL FROM revisions WHERE cut_id = ? AND revision = ?").bind(id).bind(target).fetch_one(&mut *transaction).await?;
    jobs::add_once(&mut *transaction, id, if waits { &Work::Plan } else { &Work::Compare }, by).await?;
    transaction.commit().await?;
    Ok(target)
}
