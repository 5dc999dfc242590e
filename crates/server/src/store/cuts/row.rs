//! A cut as the database has it.

use crate::store::StoreError;
use crate::store::documents::{BASE, COLUMNS, Stored};
use crate::store::sql::row;
use chrono::NaiveDateTime;
use jaunty_core::cut::Setup;
use sqlx::{AssertSqlSafe, MySqlExecutor, MySqlPool, MySqlTransaction};
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

/// A cut as it is stored.
pub(super) struct StoredCut {
    id: Uuid,
    project_id: Uuid,
    setup: Stored,
    revision: u32,
    base: Option<u32>,
    planned_for: Option<u32>,
    created_at: NaiveDateTime,
}

row!(StoredCut { id, project_id, revision, base, planned_for, created_at } of { setup });

impl TryFrom<StoredCut> for CutRow {
    type Error = StoreError;

    fn try_from(cut: StoredCut) -> Result<Self, StoreError> {
        let StoredCut { id, project_id: project, setup, revision, base, planned_for, created_at } = cut;
        Ok(Self { id, project, setup: setup.value()?, revision, base, planned_for, created_at })
    }
}

pub(super) fn cuts(more: &str) -> AssertSqlSafe<String> {
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

/// The project that a cut belongs to.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn project_of(pool: &MySqlPool, id: Uuid) -> Result<Uuid, StoreError> {
    let found: Option<(Uuid,)> = sqlx::query_as("SELECT project_id FROM cuts WHERE id = ?").bind(id).fetch_optional(pool).await?;
    Ok(found.ok_or(StoreError::NoCut)?.0)
}

pub(super) async fn find(database: impl MySqlExecutor<'_>, id: Uuid) -> Result<CutRow, StoreError> {
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
pub(super) async fn locked(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<CutRow, StoreError> {
    sqlx::query("SELECT id FROM cuts WHERE id = ? FOR UPDATE").bind(id).fetch_optional(&mut **transaction).await?;
    find(&mut **transaction, id).await
}
