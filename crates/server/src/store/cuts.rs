//! Cuts, their revisions, and the documents that these name.
//!
//! Every accepted change is a revision at once, compared and made under the lock of its cut
//! ([`commit`]). One that changes how the cut sounds may wait for its plan: it plays that of its *base*,
//! and the job that makes the plan commits it as a revision of its own, *planned for* the one that
//! waited, beside it in the history. No revision is ever changed; undo and redo only move what is
//! shown. Setup, plan and fittings are documents by the hash of their content, compressed: a
//! revision that leaves one as it was names the same.

use super::documents::{self, BASE, COLUMNS, Stored};
use super::{StoreError, jobs, people, unused};
use chrono::NaiveDateTime;
use jaunty_core::cut::{Cut, Setup, Work};
use jaunty_core::plan::Plan;
use jaunty_core::units::seconds_from_samples;
use serde::Deserialize;
use sqlx::{AssertSqlSafe, FromRow, MySqlExecutor, MySqlPool, MySqlTransaction};
use std::collections::HashSet;
use utoipa::ToSchema;
use uuid::Uuid;

/// A cut.
#[derive(Debug, Clone, PartialEq)]
pub struct CutRow {
    /// Its name in the database.
    pub id: Uuid,
    /// The project that it belongs to.
    pub project: Uuid,
    /// What the user wants; ahead of what the plan was made for while the cut waits for its plan.
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
}

/// One state of a cut.
#[derive(Debug, Clone)]
pub struct Revision {
    /// Its number, from 1.
    pub number: u32,
    /// The revision it was made from.
    pub parent: Option<u32>,
    /// What was done.
    pub what: String,
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
    /// What was done, in words.
    pub what: &'a str,
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
}

/// Where a new cut belongs.
#[derive(Debug, Clone, Copy, Default)]
pub struct Origin {
    /// Its project.
    pub project: Uuid,
    /// Who makes it.
    pub by: Option<Uuid>,
}

/// A cut as it is stored.
#[derive(FromRow)]
struct StoredCut {
    id: Uuid,
    project_id: Uuid,
    #[sqlx(flatten)]
    setup: Stored,
    revision: u32,
    base: Option<u32>,
    planned_for: Option<u32>,
    created_at: NaiveDateTime,
}

impl TryFrom<StoredCut> for CutRow {
    type Error = StoreError;

    fn try_from(cut: StoredCut) -> Result<Self, StoreError> {
        let StoredCut { id, project_id: project, setup, revision, base, planned_for, created_at } = cut;
        Ok(Self { id, project, setup: setup.value()?, revision, base, planned_for, created_at })
    }
}

fn cuts(more: &str) -> AssertSqlSafe<String> {
    AssertSqlSafe(format!(
        "SELECT c.id, c.project_id, {COLUMNS}, c.revision, r.base, r.planned_for, c.created_at
         FROM cuts c JOIN revisions r ON r.cut_id = c.id AND r.revision = c.revision JOIN documents d ON d.hash = r.setup_hash {BASE} {more}"
    ))
}

/// The cut of a project that was made last.
///
/// # Errors
/// What the database says.
pub async fn newest(pool: &MySqlPool, project: Uuid) -> Result<Option<CutRow>, StoreError> {
    let found: Option<StoredCut> = sqlx::query_as(cuts("WHERE c.project_id = ? AND c.away_at IS NULL ORDER BY c.created_at DESC, c.id DESC LIMIT 1"))
        .bind(project)
        .fetch_optional(pool)
        .await?;
    found.map(CutRow::try_from).transpose()
}

/// Lists a cut no more, or again.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn set_away(pool: &MySqlPool, id: Uuid, away: bool) -> Result<(), StoreError> {
    find(pool, id).await?;
    sqlx::query("UPDATE cuts SET away_at = IF(?, COALESCE(away_at, CURRENT_TIMESTAMP(3)), NULL) WHERE id = ?").bind(away).bind(id).execute(pool).await?;
    Ok(())
}

/// All cuts that were not taken away.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool) -> Result<Vec<CutRow>, StoreError> {
    let found: Vec<StoredCut> = sqlx::query_as(cuts("WHERE c.away_at IS NULL ORDER BY c.created_at DESC, c.id DESC")).fetch_all(pool).await?;
    found.into_iter().map(CutRow::try_from).collect()
}

/// The order of a list of cuts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum Sort {
    /// The one that was made last first.
    #[default]
    Newest,
    /// By title.
    Title,
    /// The shortest first.
    Length,
}

/// A page of a list of cuts.
#[derive(Debug)]
pub struct Listing<'a> {
    /// The projects whose cuts are listed; all without them.
    pub projects: Option<&'a [Uuid]>,
    /// Words that all stand in title, bed or narration.
    pub words: &'a str,
    /// Their order.
    pub sort: Sort,
    /// So many come before this page.
    pub skip: u32,
    /// So many are on it.
    pub count: u32,
}

/// A page of a list of cuts that were not taken away, and how many there are on all pages.
///
/// # Errors
/// What the database says.
pub async fn list(pool: &MySqlPool, page: &Listing<'_>) -> Result<(Vec<CutRow>, u64), StoreError> {
    let of = page.projects.map_or(String::new(), |of| format!("AND c.project_id IN ({})", among(of)));
    let words: Vec<String> = page.words.to_lowercase().split_whitespace().take(12).map(|word| format!("%{}%", word.replace(['\\', '%', '_'], "_"))).collect();
    let matches = "AND c.sought LIKE ? ".repeat(words.len());
    let order = match page.sort {
        Sort::Newest => "c.created_at DESC, c.id DESC",
        Sort::Title => "c.title, c.id",
        Sort::Length => "c.length_s, c.id",
    };
    let found = format!("FROM cuts c WHERE c.away_at IS NULL {of} {matches}");
    let mut counted = sqlx::query_as::<_, (i64,)>(AssertSqlSafe(format!("SELECT COUNT(*) {found}")));
    // The names first, so that the documents of one page alone are opened.
    let query = format!("JOIN (SELECT c.id {found} ORDER BY {order} LIMIT ? OFFSET ?) page ON page.id = c.id ORDER BY {order}");
    let mut listed = sqlx::query_as::<_, StoredCut>(cuts(&query));
    for word in words {
        counted = counted.bind(word.clone());
        listed = listed.bind(word);
    }
    let rows = listed.bind(page.count).bind(page.skip).fetch_all(pool).await?;
    let (count,) = counted.fetch_one(pool).await?;
    Ok((rows.into_iter().map(CutRow::try_from).collect::<Result<_, _>>()?, count as u64))
}

/// Fills in what cuts are searched and sorted by, where that is missing.
///
/// # Errors
/// What the database says.
pub async fn fill_in_lists(pool: &MySqlPool) -> Result<(), StoreError> {
    let missing: Vec<StoredCut> = sqlx::query_as(cuts("WHERE c.title IS NULL")).fetch_all(pool).await?;
    for cut in missing.into_iter().map(CutRow::try_from) {
        let cut = cut?;
        let mut transaction = pool.begin().await?;
        note_listed(&mut transaction, cut.id, &cut.setup).await?;
        transaction.commit().await?;
    }
    Ok(())
}

/// Notes what a cut is searched and sorted by that was brought in with its history.
pub(super) async fn note_shown(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<(), StoreError> {
    let shown = find(&mut **transaction, id).await?;
    note_listed(transaction, id, &shown.setup).await
}

/// What a cut is searched and sorted by.
fn listed_by(setup: &Setup) -> (&str, Option<&str>, Option<&str>, u64) {
    let (bed, take) = (setup.bed.as_ref().map(|b| b.name.as_str()), setup.takes.last().map(|t| t.name.as_str()));
    (&setup.title, bed, take, setup.picture.length_samples())
}

/// Notes what a cut is searched and sorted by.
async fn note_listed(transaction: &mut MySqlTransaction<'_>, id: Uuid, setup: &Setup) -> Result<(), StoreError> {
    let cut = |text: &str, most: usize| text.chars().take(most).collect::<String>();
    let (title, bed, take, length_samples) = listed_by(setup);
    let sought = [Some(title), bed, take].into_iter().flatten().map(|name| cut(&name.to_lowercase(), 230)).collect::<Vec<_>>().join(" ");
    sqlx::query("UPDATE cuts SET title = ?, sought = ?, length_s = ? WHERE id = ?")
        .bind(cut(title, 200))
        .bind(sought)
        .bind(seconds_from_samples(length_samples))
        .bind(id)
        .execute(&mut **transaction)
        .await?;
    Ok(())
}

/// Names as a list in SQL: hexadecimal digits and nothing else.
pub(super) fn among(ids: &[Uuid]) -> String {
    if ids.is_empty() { "NULL".into() } else { ids.iter().map(|id| format!("X'{}'", id.simple())).collect::<Vec<_>>().join(", ") }
}

/// The project that a cut belongs to.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn project_of(pool: &MySqlPool, id: Uuid) -> Result<Uuid, StoreError> {
    let found: Option<(Uuid,)> = sqlx::query_as("SELECT project_id FROM cuts WHERE id = ?").bind(id).fetch_optional(pool).await?;
    Ok(found.ok_or(StoreError::NoCut)?.0)
}

async fn find(database: impl MySqlExecutor<'_>, id: Uuid) -> Result<CutRow, StoreError> {
    let found: Option<StoredCut> = sqlx::query_as(cuts("WHERE c.id = ?")).bind(id).fetch_optional(database).await?;
    found.ok_or(StoreError::NoCut)?.try_into()
}

/// One cut.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn cut(pool: &MySqlPool, id: Uuid) -> Result<CutRow, StoreError> {
    find(pool, id).await
}

/// A cut that nobody else changes until the transaction is over: every change is compared with it and
/// made from it.
async fn locked(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<CutRow, StoreError> {
    sqlx::query("SELECT id FROM cuts WHERE id = ? FOR UPDATE").bind(id).fetch_optional(&mut **transaction).await?;
    find(&mut **transaction, id).await
}

/// Makes a cut, with `cut` as its first revision.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, cut: &Cut, what: &str, origin: Origin) -> Result<Uuid, StoreError> {
    let mut transaction = pool.begin().await?;
    let id = insert_one(&mut transaction, cut, what, None, origin).await?;
    transaction.commit().await?;
    Ok(id)
}

/// Makes versions of a cut, all or none, and asks for their plans.
///
/// # Errors
/// What the database says.
pub async fn insert_versions(pool: &MySqlPool, mother: Uuid, versions: &[Cut], what: &str, by: Option<Uuid>) -> Result<Vec<Uuid>, StoreError> {
    let origin = Origin { project: project_of(pool, mother).await?, by };
    let mut transaction = pool.begin().await?;
    let mut made = Vec::new();
    for cut in versions {
        let id = insert_one(&mut transaction, cut, what, Some(mother), origin).await?;
        jobs::add_once(&mut *transaction, id, &Work::Plan).await?;
        made.push(id);
    }
    transaction.commit().await?;
    Ok(made)
}

/// The cut that a cut is a version of.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn mother_of(pool: &MySqlPool, id: Uuid) -> Result<Option<Uuid>, StoreError> {
    let found: Option<(Option<Uuid>,)> = sqlx::query_as("SELECT mother FROM cuts WHERE id = ?").bind(id).fetch_optional(pool).await?;
    Ok(found.ok_or(StoreError::NoCut)?.0)
}

/// The versions of a cut that were not taken away, in the order in which they were made.
///
/// # Errors
/// What the database says.
pub async fn versions_of(pool: &MySqlPool, mother: Uuid) -> Result<Vec<CutRow>, StoreError> {
    let found: Vec<StoredCut> = sqlx::query_as(cuts("WHERE c.mother = ? AND c.away_at IS NULL ORDER BY c.id")).bind(mother).fetch_all(pool).await?;
    found.into_iter().map(CutRow::try_from).collect()
}

async fn insert_one(transaction: &mut MySqlTransaction<'_>, cut: &Cut, what: &str, mother: Option<Uuid>, origin: Origin) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO cuts (id, revision, mother, project_id) VALUES (?, 1, ?, ?)")
        .bind(id)
        .bind(mother)
        .bind(origin.project)
        .execute(&mut **transaction)
        .await?;
    note_listed(transaction, id, &cut.setup).await?;
    people::grant_sounds(transaction, origin.project, &unused::names_in(&cut.setup)?).await?;
    let made = Made::after(transaction, None, &cut.setup, Some(cut)).await?;
    // A version waits for its plan from the first, and is silent meanwhile.
    let place = Place { revision: 1, parent: None, base: mother.map(|_| 1), planned_for: None };
    Row { place, what, said: None, made: &made, by: origin.by }.write(transaction, id).await?;
    Ok(id)
}

/// Where a revision stands among the others.
struct Place {
    revision: u32,
    parent: Option<u32>,
    base: Option<u32>,
    planned_for: Option<u32>,
}

/// Setup, plan and fittings of a revision, as documents.
#[derive(FromRow)]
struct Made {
    setup_hash: Vec<u8>,
    plan_hash: Vec<u8>,
    fittings_hash: Vec<u8>,
    chosen: u32,
}

impl Made {
    async fn of(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32) -> Result<Self, StoreError> {
        let query = "SELECT setup_hash, plan_hash, fittings_hash, chosen FROM revisions WHERE cut_id = ? AND revision = ?";
        Ok(sqlx::query_as(query).bind(id).bind(revision).fetch_one(&mut **transaction).await?)
    }

    /// As `before`, with what is new.
    async fn after(transaction: &mut MySqlTransaction<'_>, before: Option<&Self>, setup: &Setup, made: Option<&Cut>) -> Result<Self, StoreError> {
        let setup_hash = documents::write(transaction, setup, before.map(|b| b.setup_hash.as_slice())).await?;
        match (made, before) {
            (None, Some(before)) => {
                Ok(Self { setup_hash, plan_hash: before.plan_hash.clone(), fittings_hash: before.fittings_hash.clone(), chosen: before.chosen })
            }
            (None, None) => Err(StoreError::damaged("a revision of nothing")),
            (Some(cut), before) => Ok(Self {
                setup_hash,
                plan_hash: documents::write(transaction, &cut.plan, before.map(|b| b.plan_hash.as_slice())).await?,
                fittings_hash: documents::write(transaction, &cut.fittings, before.map(|b| b.fittings_hash.as_slice())).await?,
                chosen: cut.chosen as u32,
            }),
        }
    }
}

/// A revision as it is written.
struct Row<'a> {
    place: Place,
    what: &'a str,
    said: Option<&'a str>,
    made: &'a Made,
    by: Option<Uuid>,
}

impl Row<'_> {
    async fn write(&self, transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO revisions (cut_id, revision, parent, base, planned_for, what, said, setup_hash, plan_hash, fittings_hash, chosen, made_by)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(id)
        .bind(self.place.revision)
        .bind(self.place.parent)
        .bind(self.place.base)
        .bind(self.place.planned_for)
        // As much as fits its column.
        .bind(self.what.chars().take(200).collect::<String>())
        .bind(self.said)
        .bind(&self.made.setup_hash)
        .bind(&self.made.plan_hash)
        .bind(&self.made.fittings_hash)
        .bind(self.made.chosen)
        .bind(self.by)
        .execute(&mut **transaction)
        .await?;
        Ok(())
    }
}

async fn point_at(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32) -> Result<(), StoreError> {
    sqlx::query("UPDATE cuts SET revision = ? WHERE id = ?").bind(revision).bind(id).execute(&mut **transaction).await?;
    Ok(())
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
    let new: HashSet<String> = unused::names_in(next.setup)?.difference(&unused::names_in(&cut.setup)?).cloned().collect();
    if !new.is_empty() {
        let (project,): (Uuid,) = sqlx::query_as("SELECT project_id FROM cuts WHERE id = ?").bind(cut.id).fetch_one(&mut *transaction).await?;
        people::grant_sounds(&mut transaction, project, &new).await?;
    }
    point_at(&mut transaction, cut.id, revision).await?;
    if listed_by(next.setup) != listed_by(&cut.setup) {
        note_listed(&mut transaction, cut.id, next.setup).await?;
    }
    for work in next.work {
        jobs::add_once(&mut *transaction, cut.id, work).await?;
    }
    transaction.commit().await?;
    Ok(revision)
}

#[derive(FromRow)]
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
    Ok(Some(Revision { number: row.revision, parent: row.parent, what: row.what, cut, made_by: row.made_by, created_at: row.created_at }))
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
pub async fn redone(pool: &MySqlPool, cut: &CutRow) -> Result<Option<String>, StoreError> {
    Ok(child(pool, cut).await?.map(|(_, what)| what))
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

/// Shows the revision one step back or on; its number. One whose plan was never made has it made. Who is given as `of` goes back
/// on changes of their own only.
///
/// # Errors
/// [`StoreError::Stale`], [`StoreError::NothingFurther`], [`StoreError::OfAnother`], or what the database says.
pub async fn step(pool: &MySqlPool, id: Uuid, seen: u32, step: Step, of: Option<Uuid>) -> Result<u32, StoreError> {
    let mut transaction = pool.begin().await?;
    let cut = locked(&mut transaction, id).await?;
    if !cut.is_seen(seen) {
        return Err(StoreError::Stale);
    }
    if step == Step::Undo
        && let Some(of) = of
    {
        let (by, what): (Option<Uuid>, String) = sqlx::query_as("SELECT made_by, what FROM revisions WHERE cut_id = ? AND revision = ?")
            .bind(id)
            .bind(cut.revision)
            .fetch_one(&mut *transaction)
            .await?;
        if let Some(by) = by.filter(|by| *by != of) {
            let name: Option<(String,)> = sqlx::query_as("SELECT name FROM people WHERE id = ?").bind(by).fetch_optional(&mut *transaction).await?;
            return Err(StoreError::OfAnother { name: name.map_or("somebody else".into(), |n| n.0), what });
        }
    }
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
    let target = target.ok_or(StoreError::NothingFurther)?;
    point_at(&mut transaction, id, target).await?;
    note_shown(&mut transaction, id).await?;
    let (waits,): (bool,) =
        sqlx::query_as("SELECT base IS NOT NULL FROM revisions WHERE cut_id = ? AND revision = ?").bind(id).bind(target).fetch_one(&mut *transaction).await?;
    jobs::add_once(&mut *transaction, id, if waits { &Work::Plan } else { &Work::Compare }).await?;
    transaction.commit().await?;
    Ok(target)
}
