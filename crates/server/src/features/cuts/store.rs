//! The SQL of cuts and their revisions.

use crate::problem::{Code, Problem};
use chrono::NaiveDateTime;
use jaunty_core::fit::Fitting;
use jaunty_core::plan::{Plan, Role};
use jaunty_core::units::FrameRate;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{FromRow, MySqlPool};
use uuid::Uuid;

/// A sound as a cut uses it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct UsedSound {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
}

/// What a plan is made for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Setup {
    /// Frames a second.
    pub rate: FrameRate,
    /// Length of the cut in frames.
    pub length_frames: u64,
    /// The bed, once there is one.
    pub bed: Option<UsedSound>,
    /// The narration, once there is one.
    pub narration: Option<UsedSound>,
}

impl Setup {
    /// The sound in a role.
    pub fn used(&mut self, role: Role) -> &mut Option<UsedSound> {
        match role {
            Role::Bed => &mut self.bed,
            Role::Narration => &mut self.narration,
        }
    }
}

/// A shot or a moment.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Mark {
    /// What it is called.
    pub name: String,
    /// Its first frame.
    pub frame: u64,
}

/// A cut.
#[derive(Debug, Clone, PartialEq)]
pub struct CutRow {
    /// Its name in the database.
    pub id: Uuid,
    /// Its title.
    pub title: String,
    /// What its plans are made for.
    pub setup: Setup,
    /// Its shots.
    pub shots: Vec<Mark>,
    /// Its moments.
    pub moments: Vec<Mark>,
    /// Known words of the narration: (start in samples, words).
    pub words: Vec<(u64, String)>,
    /// The revision that is shown.
    pub revision: Option<u32>,
    /// When it was made.
    pub created_at: NaiveDateTime,
}

impl CutRow {
    /// Length in samples, exact.
    pub fn length_samples(&self) -> u64 {
        self.setup.rate.samples_from_frames(self.setup.length_frames)
    }
}

#[derive(FromRow)]
struct RawCut {
    id: Uuid,
    title: String,
    setup: Json<Setup>,
    shots: Json<Vec<Mark>>,
    moments: Json<Vec<Mark>>,
    words: Json<Vec<(u64, String)>>,
    revision: Option<u32>,
    created_at: NaiveDateTime,
}

impl From<RawCut> for CutRow {
    fn from(raw: RawCut) -> Self {
        Self {
            id: raw.id,
            title: raw.title,
            setup: raw.setup.0,
            shots: raw.shots.0,
            moments: raw.moments.0,
            words: raw.words.0,
            revision: raw.revision,
            created_at: raw.created_at,
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

/// All cuts, newest first.
///
/// # Errors
/// What the database says.
pub async fn all(pool: &MySqlPool) -> Result<Vec<CutRow>, Problem> {
    let rows: Vec<RawCut> =
        sqlx::query_as("SELECT id, title, setup, shots, moments, words, revision, created_at FROM cuts ORDER BY created_at DESC, id DESC LIMIT 500")
            .fetch_all(pool)
            .await?;
    Ok(rows.into_iter().map(CutRow::from).collect())
}

/// One cut.
///
/// # Errors
/// What the database says.
pub async fn cut(pool: &MySqlPool, id: Uuid) -> Result<Option<CutRow>, Problem> {
    let row: Option<RawCut> = sqlx::query_as("SELECT id, title, setup, shots, moments, words, revision, created_at FROM cuts WHERE id = ?")
        .bind(id)
        .fetch_optional(pool)
        .await?;
    Ok(row.map(CutRow::from))
}

/// One cut, or a 404.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn known(pool: &MySqlPool, id: Uuid) -> Result<CutRow, Problem> {
    cut(pool, id).await?.ok_or_else(|| Problem::not_found("cut"))
}

/// Makes a cut.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, title: &str, setup: &Setup, shots: &[Mark], moments: &[Mark], words: &[(u64, String)]) -> Result<Uuid, Problem> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO cuts (id, title, setup, shots, moments, words) VALUES (?, ?, ?, ?, ?, ?)")
        .bind(id)
        .bind(title)
        .bind(Json(setup))
        .bind(Json(shots))
        .bind(Json(moments))
        .bind(Json(words))
        .execute(pool)
        .await?;
    Ok(id)
}

/// Changes title and setup of a cut with `edit`; the row is locked meanwhile, so that two uploads
/// at once both count. Gives the cut as it is then.
///
/// # Errors
/// [`Code::NotFound`], or what the database says.
pub async fn change(pool: &MySqlPool, id: Uuid, edit: impl FnOnce(&mut CutRow)) -> Result<CutRow, Problem> {
    let mut transaction = pool.begin().await?;
    let row: Option<RawCut> = sqlx::query_as("SELECT id, title, setup, shots, moments, words, revision, created_at FROM cuts WHERE id = ? FOR UPDATE")
        .bind(id)
        .fetch_optional(&mut *transaction)
        .await?;
    let mut cut = CutRow::from(row.ok_or_else(|| Problem::not_found("cut"))?);
    edit(&mut cut);
    sqlx::query("UPDATE cuts SET title = ?, setup = ? WHERE id = ?")
        .bind(&cut.title)
        .bind(Json(&cut.setup))
        .bind(id)
        .execute(&mut *transaction)
        .await?;
    transaction.commit().await?;
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
pub async fn current(pool: &MySqlPool, cut: &CutRow) -> Result<Option<RevisionRow>, Problem> {
    match cut.revision {
        Some(number) => revision(pool, cut.id, number).await,
        None => Ok(None),
    }
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
pub async fn append(pool: &MySqlPool, cut: &CutRow, what: &str, plan: &Plan, fittings: &[Fitting], chosen: u32) -> Result<u32, Problem> {
    let mut transaction = pool.begin().await?;
    let (shown,): (Option<u32>,) = sqlx::query_as("SELECT revision FROM cuts WHERE id = ? FOR UPDATE").bind(cut.id).fetch_one(&mut *transaction).await?;
    if shown != cut.revision {
        return Err(Problem::new(Code::Stale, "Another change came first."));
    }
    let (last,): (Option<u32>,) = sqlx::query_as("SELECT MAX(revision) FROM revisions WHERE cut_id = ?").bind(cut.id).fetch_one(&mut *transaction).await?;
    let next = last.unwrap_or(0) + 1;
    sqlx::query("INSERT INTO revisions (cut_id, revision, parent, what, setup, plan, fittings, chosen) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
        .bind(cut.id)
        .bind(next)
        .bind(shown)
        .bind(what.chars().take(200).collect::<String>())
        .bind(Json(&cut.setup))
        .bind(Json(plan))
        .bind(Json(fittings))
        .bind(chosen)
        .execute(&mut *transaction)
        .await?;
    sqlx::query("UPDATE cuts SET revision = ? WHERE id = ?").bind(next).bind(cut.id).execute(&mut *transaction).await?;
    transaction.commit().await?;
    Ok(next)
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
