//! What people said of a cut, and the record of who did what.

use super::StoreError;
use super::sql::row;
use chrono::NaiveDateTime;
use sqlx::MySqlPool;
use uuid::Uuid;

/// Something that was said of a cut.
#[derive(Debug, Clone)]
pub struct RemarkRow {
    /// Its name in the database.
    pub id: Uuid,
    /// The revision that was heard.
    pub revision: u32,
    /// The sample it is about; none is about all of it.
    pub at_samples: Option<u64>,
    /// What was said.
    pub words: String,
    /// Whether all is well with that.
    pub approves: bool,
    /// Who said it.
    pub said_by: String,
    /// When it was done, if it is.
    pub done_at: Option<NaiveDateTime>,
    /// When it was said.
    pub created_at: NaiveDateTime,
}

row!(RemarkRow { id, revision, at_samples, words, approves, said_by, done_at, created_at });

/// Who said it: a person or the bearer of a key.
#[derive(Debug, Clone, Copy, Default)]
pub struct Speaker {
    /// The person.
    pub person: Option<Uuid>,
    /// The key.
    pub key: Option<Uuid>,
}

/// Keeps a remark; its name.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, cut: Uuid, remark: &RemarkRow, speaker: Speaker) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO remarks (id, cut_id, revision, at_samples, words, approves, said_by, key_id, person_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
        .bind(remark.id)
        .bind(cut)
        .bind(remark.revision)
        .bind(remark.at_samples)
        .bind(&remark.words)
        .bind(remark.approves)
        .bind(&remark.said_by)
        .bind(speaker.key)
        .bind(speaker.person)
        .execute(pool)
        .await?;
    Ok(())
}

/// How many remarks a cut has.
///
/// # Errors
/// What the database says.
pub async fn count(pool: &MySqlPool, cut: Uuid) -> Result<u64, StoreError> {
    let (count,): (i64,) = sqlx::query_as("SELECT COUNT(*) FROM remarks WHERE cut_id = ?").bind(cut).fetch_one(pool).await?;
    Ok(count as u64)
}

/// Everything that was said of a cut, in its order in time.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool, cut: Uuid) -> Result<Vec<RemarkRow>, StoreError> {
    Ok(sqlx::query_as(
        "SELECT id, revision, at_samples, words, approves, said_by, done_at, created_at FROM remarks WHERE cut_id = ? ORDER BY COALESCE(at_samples, 0), created_at, id",
    )
    .bind(cut)
    .fetch_all(pool)
    .await?)
}

/// Says that a remark is done, or not; whether there is one of that name.
///
/// # Errors
/// What the database says.
pub async fn set_done(pool: &MySqlPool, cut: Uuid, id: Uuid, done: bool) -> Result<bool, StoreError> {
    sqlx::query("UPDATE remarks SET done_at = IF(?, COALESCE(done_at, UTC_TIMESTAMP(3)), NULL) WHERE id = ? AND cut_id = ?")
        .bind(done)
        .bind(id)
        .bind(cut)
        .execute(pool)
        .await?;
    Ok(sqlx::query_as::<_, (i32,)>("SELECT 1 FROM remarks WHERE id = ? AND cut_id = ?").bind(id).bind(cut).fetch_optional(pool).await?.is_some())
}

/// Notes that somebody did something; what is opened or heard is noted once an hour.
///
/// # Errors
/// What the database says.
pub async fn note(pool: &MySqlPool, project: Uuid, cut: Option<Uuid>, speaker: Speaker, what: &str, often: bool) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO records (project_id, cut_id, person_id, key_id, what) SELECT ?, ?, ?, ?, ? FROM DUAL WHERE ? OR NOT EXISTS (
             SELECT 1 FROM records WHERE project_id = ? AND cut_id <=> ? AND person_id <=> ? AND key_id <=> ? AND what = ?
                 AND at > TIMESTAMPADD(HOUR, -1, CURRENT_TIMESTAMP(3)))",
    )
    .bind(project)
    .bind(cut)
    .bind(speaker.person)
    .bind(speaker.key)
    .bind(what)
    .bind(!often)
    .bind(project)
    .bind(cut)
    .bind(speaker.person)
    .bind(speaker.key)
    .bind(what)
    .execute(pool)
    .await?;
    Ok(())
}

/// A line of the record.
#[derive(Debug, Clone)]
pub struct NotedRow {
    /// When.
    pub at: NaiveDateTime,
    /// Who: a person's name, whom a key was given to, or nobody's.
    pub who: String,
    /// Their address, where it was a person.
    pub email: String,
    /// What was done.
    pub what: String,
    /// The cut it was done with, by its name in addresses.
    pub cut: Option<Uuid>,
}

row!(NotedRow { at, who, email, what, cut });

/// The record of a project, oldest first.
///
/// # Errors
/// What the database says.
pub async fn record(pool: &MySqlPool, project: Uuid) -> Result<Vec<NotedRow>, StoreError> {
    Ok(sqlx::query_as(
        "SELECT r.at, COALESCE(p.name, k.given_to, '') AS who, COALESCE(p.email, '') AS email, r.what, r.cut_id AS cut
         FROM records r LEFT JOIN people p ON p.id = r.person_id LEFT JOIN keys_given k ON k.id = r.key_id
         WHERE r.project_id = ? ORDER BY r.id",
    )
    .bind(project)
    .fetch_all(pool)
    .await?)
}
