//! New cuts, and versions of one.

use super::listing::note_listed;
use super::row::{CutRow, StoredCut, cuts, project_of};
use super::writing::{Made, Place, Row};
use crate::store::{StoreError, jobs, people};
use jaunty_core::cut::{Cut, Work};
use jaunty_core::message::Message;
use sqlx::{MySqlPool, MySqlTransaction};
use uuid::Uuid;

/// Where a new cut belongs.
#[derive(Debug, Clone, Copy, Default)]
pub struct Origin {
    /// Its project.
    pub project: Uuid,
    /// Who makes it.
    pub by: Option<Uuid>,
    /// Whether the sounds that it names came in with it, all of their bytes.
    pub brings: bool,
}

/// Makes a cut, with `cut` as its first revision.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, cut: &Cut, what: &Message, origin: Origin) -> Result<Uuid, StoreError> {
    let mut transaction = pool.begin().await?;
    let id = insert_one(&mut transaction, cut, what, None, origin).await?;
    transaction.commit().await?;
    Ok(id)
}

/// Makes versions of a cut, all or none, and asks for their plans.
///
/// # Errors
/// What the database says.
pub async fn insert_versions(pool: &MySqlPool, mother: Uuid, versions: &[Cut], what: &Message, by: Option<Uuid>) -> Result<Vec<Uuid>, StoreError> {
    let origin = Origin { project: project_of(pool, mother).await?, by, brings: false };
    let mut transaction = pool.begin().await?;
    let mut made = Vec::new();
    for cut in versions {
        let id = insert_one(&mut transaction, cut, what, Some(mother), origin).await?;
        jobs::add_once(&mut *transaction, id, &Work::Plan, by).await?;
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

async fn insert_one(transaction: &mut MySqlTransaction<'_>, cut: &Cut, what: &Message, mother: Option<Uuid>, origin: Origin) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO cuts (id, revision, mother, project_id) VALUES (?, 1, ?, ?)")
        .bind(id)
        .bind(mother)
        .bind(origin.project)
        .execute(&mut **transaction)
        .await?;
    note_listed(transaction, id, &cut.setup).await?;
    let named = cut.setup.sounds().into_iter().chain(cut.plan.sounds());
    if origin.brings {
        people::grant_sounds(transaction, origin.project, named).await?;
    } else {
        people::check_sounds(transaction, origin.project, named).await?;
    }
    let made = Made::after(transaction, None, &cut.setup, Some(cut)).await?;
    // A version waits for its plan from the first, and is silent meanwhile.
    let place = Place { revision: 1, parent: None, base: mother.map(|_| 1), planned_for: None };
    Row { place, what, said: None, made: &made, by: origin.by }.write(transaction, id).await?;
    Ok(id)
}
