//! Keys that were given away: whoever brings one may open what it opens. The database knows their hashes alone.

use super::StoreError;
use super::people::Role;
use super::sessions::{hash_of, random};
use super::sql::row;
use base64::Engine;
use base64::prelude::BASE64_URL_SAFE_NO_PAD;
use chrono::NaiveDateTime;
use sqlx::MySqlPool;
use std::time::Duration;
use uuid::Uuid;

/// What a key opens.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Opens {
    /// The house, for somebody alone at this machine; once.
    House,
    /// A project, for somebody new or known; once.
    Invitation {
        /// The project.
        project: Uuid,
        /// What they may do there.
        role: Role,
        /// Whose address it was given to, in small letters.
        email: String,
    },
    /// A new password for somebody; once.
    Password(Uuid),
    /// One cut, to hear; until it is taken back.
    Listening {
        /// The cut.
        cut: Uuid,
        /// The revision that is heard; the newest without it.
        revision: Option<u32>,
    },
}

/// A key that was given away.
#[derive(Debug, Clone)]
pub struct KeyRow {
    /// Its name in the database.
    pub id: Uuid,
    /// What it opens.
    pub opens: Opens,
    /// A word that is asked for as well, as argon2id left it.
    pub word: Option<String>,
    /// Whom it was given to.
    pub given_to: String,
    /// When it was given.
    pub created_at: NaiveDateTime,
    /// Until when it opens something.
    pub expires_at: NaiveDateTime,
    /// Whether it opens nothing any more: used up, over or taken back.
    pub over: bool,
}

struct Stored {
    id: Uuid,
    opens: String,
    email: Option<String>,
    project_id: Option<Uuid>,
    role: Option<String>,
    person_id: Option<Uuid>,
    cut_id: Option<Uuid>,
    revision: Option<u32>,
    word: Option<String>,
    given_to: String,
    created_at: NaiveDateTime,
    expires_at: NaiveDateTime,
    is_over: bool,
}

row!(Stored { id, opens, email, project_id, role, person_id, cut_id, revision, word, given_to, created_at, expires_at, is_over });

impl TryFrom<Stored> for KeyRow {
    type Error = StoreError;

    fn try_from(row: Stored) -> Result<Self, StoreError> {
        let damaged = || StoreError::damaged("a key that opens nothing");
        let opens = match row.opens.as_str() {
            "house" => Opens::House,
            "invitation" => Opens::Invitation {
                project: row.project_id.ok_or_else(damaged)?,
                role: Role::named(row.role.as_deref().unwrap_or_default())?,
                email: row.email.ok_or_else(damaged)?,
            },
            "password" => Opens::Password(row.person_id.ok_or_else(damaged)?),
            "listening" => Opens::Listening { cut: row.cut_id.ok_or_else(damaged)?, revision: row.revision },
            _ => return Err(damaged()),
        };
        let Stored { id, word, given_to, created_at, expires_at, is_over, .. } = row;
        Ok(Self { id, opens, word, given_to, created_at, expires_at, over: is_over })
    }
}

const KEY: &str = "SELECT id, opens, email, project_id, role, person_id, cut_id, revision, word, given_to, created_at, expires_at,
    expires_at < UTC_TIMESTAMP(3) OR taken_back_at IS NOT NULL OR used_at IS NOT NULL AS is_over FROM keys_given";

/// A key that is given away.
#[derive(Debug)]
pub struct Given<'a> {
    /// What it opens.
    pub opens: &'a Opens,
    /// How long.
    pub lasts: Duration,
    /// A word that is asked for as well, as argon2id left it.
    pub word: Option<String>,
    /// Whom it is for, in the words of who gives it.
    pub given_to: &'a str,
    /// Who gives it.
    pub by: Option<Uuid>,
}

/// Gives a key away: its name in the database, and the key, which is told this once.
///
/// # Errors
/// What the database says.
pub async fn give(pool: &MySqlPool, given: &Given<'_>) -> Result<(Uuid, String), StoreError> {
    let key = BASE64_URL_SAFE_NO_PAD.encode(random::<32>()?);
    let id = Uuid::now_v7();
    let (mut email, mut project, mut role, mut person, mut cut, mut heard) = (None, None, None, None, None, None);
    let opens = match given.opens {
        Opens::House => "house",
        Opens::Invitation { project: p, role: r, email: e } => {
            (email, project, role) = (Some(e), Some(p), Some(r.name()));
            "invitation"
        }
        Opens::Password(p) => {
            person = Some(p);
            "password"
        }
        Opens::Listening { cut: c, revision } => {
            (cut, heard) = (Some(c), *revision);
            "listening"
        }
    };
    sqlx::query(
        "INSERT INTO keys_given (id, key_hash, opens, email, project_id, role, person_id, cut_id, revision, word, given_to, made_by, expires_at)
         VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, TIMESTAMPADD(SECOND, ?, UTC_TIMESTAMP(3)))",
    )
    .bind(id)
    .bind(&hash_of(&key)[..])
    .bind(opens)
    .bind(email)
    .bind(project)
    .bind(role)
    .bind(person)
    .bind(cut)
    .bind(heard)
    .bind(&given.word)
    .bind(given.given_to)
    .bind(given.by)
    .bind(given.lasts.as_secs())
    .execute(pool)
    .await?;
    Ok((id, key))
}

/// What a key opens now; none for one that is unknown or opens nothing any more.
///
/// # Errors
/// What the database says.
pub async fn of(pool: &MySqlPool, key: &str) -> Result<Option<KeyRow>, StoreError> {
    let row: Option<Stored> = sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} WHERE key_hash = ?"))).bind(&hash_of(key)[..]).fetch_optional(pool).await?;
    Ok(row.map(KeyRow::try_from).transpose()?.filter(|key| !key.over))
}

/// A key by its name, as long as it opens something.
///
/// # Errors
/// What the database says.
pub async fn open(pool: &MySqlPool, id: Uuid) -> Result<Option<KeyRow>, StoreError> {
    let row: Option<Stored> = sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} WHERE id = ?"))).bind(id).fetch_optional(pool).await?;
    Ok(row.map(KeyRow::try_from).transpose()?.filter(|key| !key.over))
}

/// Uses a key up; whether it was there to be used. Of two who bring it at once one is too late.
///
/// # Errors
/// What the database says.
pub async fn use_up(pool: &MySqlPool, id: Uuid) -> Result<bool, StoreError> {
    let used = sqlx::query(
        "UPDATE keys_given SET used_at = UTC_TIMESTAMP(3) WHERE id = ? AND used_at IS NULL AND taken_back_at IS NULL AND expires_at > UTC_TIMESTAMP(3)",
    )
    .bind(id)
    .execute(pool);
    Ok(used.await?.rows_affected() == 1)
}

/// The keys to hear a cut that open something, newest first.
///
/// # Errors
/// What the database says.
pub async fn of_cut(pool: &MySqlPool, cut: Uuid) -> Result<Vec<KeyRow>, StoreError> {
    listed(sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} WHERE cut_id = ? ORDER BY created_at DESC, id DESC"))).bind(cut).fetch_all(pool).await?)
}

/// The invitations that were given to an address and still stand.
///
/// # Errors
/// What the database says.
pub async fn invitations_of(pool: &MySqlPool, email: &str) -> Result<Vec<KeyRow>, StoreError> {
    let rows: Vec<Stored> = sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} WHERE email = ? AND opens = 'invitation'"))).bind(email).fetch_all(pool).await?;
    listed(rows)
}

/// The invitations into a project that nobody took yet, newest first.
///
/// # Errors
/// What the database says.
pub async fn of_project(pool: &MySqlPool, project: Uuid) -> Result<Vec<KeyRow>, StoreError> {
    listed(sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} WHERE project_id = ? ORDER BY created_at DESC, id DESC"))).bind(project).fetch_all(pool).await?)
}

/// The links to hear cuts of a project and the invitations into it that somebody gave away and that still open something, newest first.
///
/// # Errors
/// What the database says.
pub async fn given_by(pool: &MySqlPool, project: Uuid, person: Uuid) -> Result<Vec<KeyRow>, StoreError> {
    let more = "WHERE made_by = ? AND opens IN ('listening', 'invitation')
        AND (project_id = ? OR cut_id IN (SELECT id FROM cuts WHERE project_id = ?)) ORDER BY created_at DESC, id DESC";
    listed(sqlx::query_as(sqlx::AssertSqlSafe(format!("{KEY} {more}"))).bind(person).bind(project).bind(project).fetch_all(pool).await?)
}

/// Takes back every key with which somebody could choose a new password: one was chosen.
///
/// # Errors
/// What the database says.
pub async fn end_password_keys(pool: &MySqlPool, person: Uuid) -> Result<(), StoreError> {
    sqlx::query(
        "UPDATE keys_given SET taken_back_at = UTC_TIMESTAMP(3) WHERE person_id = ? AND opens = 'password' AND used_at IS NULL AND taken_back_at IS NULL",
    )
    .bind(person)
    .execute(pool)
    .await?;
    Ok(())
}

fn listed(rows: Vec<Stored>) -> Result<Vec<KeyRow>, StoreError> {
    let keys: Vec<KeyRow> = rows.into_iter().map(KeyRow::try_from).collect::<Result<_, _>>()?;
    Ok(keys.into_iter().filter(|key| !key.over).collect())
}

/// Takes a key back that opens this cut or project; whether there was one.
///
/// # Errors
/// What the database says.
pub async fn take_back(pool: &MySqlPool, id: Uuid, of: Uuid) -> Result<bool, StoreError> {
    let taken = sqlx::query("UPDATE keys_given SET taken_back_at = UTC_TIMESTAMP(3) WHERE id = ? AND (cut_id = ? OR project_id = ?) AND taken_back_at IS NULL")
        .bind(id)
        .bind(of)
        .bind(of)
        .execute(pool);
    Ok(taken.await?.rows_affected() == 1)
}
