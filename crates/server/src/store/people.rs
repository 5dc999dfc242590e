//! People, the projects they share, and who may hear which sound.

use super::StoreError;
use super::sql::row;
use serde::{Deserialize, Serialize};
use sqlx::{MySqlExecutor, MySqlPool};
use std::collections::HashSet;
use utoipa::ToSchema;
use uuid::Uuid;

/// What somebody may do in a project; who may do more may do all of what comes before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum Role {
    /// Hears cuts and says something about them.
    Listener,
    /// Makes and changes cuts.
    Editor,
    /// Says who is in the project.
    Owner,
}

impl Role {
    /// As it is stored.
    pub fn name(self) -> &'static str {
        match self {
            Self::Listener => "listener",
            Self::Editor => "editor",
            Self::Owner => "owner",
        }
    }

    /// By its stored name.
    ///
    /// # Errors
    /// [`StoreError::Fault`] for another name.
    pub fn named(name: &str) -> Result<Self, StoreError> {
        [Self::Listener, Self::Editor, Self::Owner].into_iter().find(|role| role.name() == name).ok_or_else(|| StoreError::damaged("an unknown role"))
    }
}

/// Somebody.
#[derive(Debug, Clone)]
pub struct PersonRow {
    /// Their name in the database.
    pub id: Uuid,
    /// What they are called.
    pub name: String,
    /// Where letters reach them, in small letters.
    pub email: String,
    /// Their password as argon2id left it; none until they chose one.
    pub password: Option<String>,
    /// The secret of their second factor, confirmed or not.
    pub second_factor: Option<Vec<u8>>,
    /// Whether it is asked for.
    pub second_factor_holds: bool,
    /// Whether they look after the house.
    pub keeper: bool,
}

row!(PersonRow { id, name, email, password, second_factor, second_factor_holds, keeper });

const PERSON: &str = "SELECT id, name, email, password, second_factor, second_factor_holds, keeper FROM people";

/// Somebody by their name in the database.
///
/// # Errors
/// What the database says.
pub async fn person(pool: &MySqlPool, id: Uuid) -> Result<Option<PersonRow>, StoreError> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{PERSON} WHERE id = ?"))).bind(id).fetch_optional(pool).await?)
}

/// Somebody by their address.
///
/// # Errors
/// What the database says.
pub async fn by_email(pool: &MySqlPool, email: &str) -> Result<Option<PersonRow>, StoreError> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{PERSON} WHERE email = ?"))).bind(email).fetch_optional(pool).await?)
}

/// Somebody by the name that a service elsewhere has for them.
///
/// # Errors
/// What the database says.
pub async fn by_subject(pool: &MySqlPool, issuer: &str, subject: &str) -> Result<Option<PersonRow>, StoreError> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{PERSON} WHERE issuer = ? AND subject = ?"))).bind(issuer).bind(subject).fetch_optional(pool).await?)
}

/// Keeps by whom and as whom somebody is known elsewhere; whether they were not known as somebody else.
///
/// # Errors
/// What the database says.
pub async fn set_subject(pool: &MySqlPool, id: Uuid, issuer: &str, subject: &str) -> Result<bool, StoreError> {
    let set = sqlx::query("UPDATE people SET issuer = ?, subject = ? WHERE id = ? AND subject IS NULL").bind(issuer).bind(subject).bind(id).execute(pool);
    Ok(set.await?.rows_affected() == 1)
}

/// Whether anybody was let in yet.
///
/// # Errors
/// What the database says.
pub async fn any(pool: &MySqlPool) -> Result<bool, StoreError> {
    Ok(sqlx::query_as::<_, (i32,)>("SELECT 1 FROM people LIMIT 1").fetch_optional(pool).await?.is_some())
}

/// Lets somebody in who chose no password yet.
///
/// # Errors
/// What the database says; an address is taken once.
pub async fn insert(pool: &MySqlPool, name: &str, email: &str, password: Option<&str>, keeper: bool) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    sqlx::query("INSERT INTO people (id, name, email, password, keeper) VALUES (?, ?, ?, ?, ?)")
        .bind(id)
        .bind(name)
        .bind(email)
        .bind(password)
        .bind(keeper)
        .execute(pool)
        .await?;
    Ok(id)
}

/// Keeps a new password, and ends every session that was opened with the one before.
///
/// # Errors
/// What the database says.
pub async fn set_password(pool: &MySqlPool, id: Uuid, password: &str) -> Result<(), StoreError> {
    sqlx::query("UPDATE people SET password = ? WHERE id = ?").bind(password).bind(id).execute(pool).await?;
    super::sessions::end_all(pool, id).await
}

/// Keeps the secret of a second factor, which holds from now on or once it is confirmed; none takes it away.
///
/// # Errors
/// What the database says.
pub async fn set_second_factor(pool: &MySqlPool, id: Uuid, secret: Option<&[u8]>, holds: bool) -> Result<(), StoreError> {
    sqlx::query("UPDATE people SET second_factor = ?, second_factor_holds = ? WHERE id = ?").bind(secret).bind(holds).bind(id).execute(pool).await?;
    Ok(())
}

/// Uses the code of a time step; whether it was not used before.
///
/// # Errors
/// What the database says.
pub async fn use_step(pool: &MySqlPool, id: Uuid, step: u64) -> Result<bool, StoreError> {
    let used = sqlx::query("UPDATE people SET second_factor_step = ? WHERE id = ? AND second_factor_step < ?").bind(step).bind(id).bind(step).execute(pool);
    Ok(used.await?.rows_affected() == 1)
}

/// A project.
#[derive(Debug, Clone)]
pub struct ProjectRow {
    /// Its name in the database.
    pub id: Uuid,
    /// What it is called.
    pub name: String,
}

row!(ProjectRow { id, name });

/// A project.
///
/// # Errors
/// What the database says.
pub async fn project(pool: &MySqlPool, id: Uuid) -> Result<Option<ProjectRow>, StoreError> {
    Ok(sqlx::query_as("SELECT id, name FROM projects WHERE id = ?").bind(id).fetch_optional(pool).await?)
}

/// All projects, in the order in which they were made.
///
/// # Errors
/// What the database says.
pub async fn projects(pool: &MySqlPool) -> Result<Vec<ProjectRow>, StoreError> {
    Ok(sqlx::query_as("SELECT id, name FROM projects ORDER BY created_at, id").fetch_all(pool).await?)
}

/// The projects that somebody is in and what they may do there, in the order in which they were made.
///
/// # Errors
/// What the database says.
pub async fn projects_of(pool: &MySqlPool, person: Uuid) -> Result<Vec<(ProjectRow, Role)>, StoreError> {
    let rows: Vec<(Uuid, String, String)> =
        sqlx::query_as("SELECT p.id, p.name, m.role FROM projects p JOIN members m ON m.project_id = p.id WHERE m.person_id = ? ORDER BY p.created_at, p.id")
            .bind(person)
            .fetch_all(pool)
            .await?;
    rows.into_iter().map(|(id, name, role)| Ok((ProjectRow { id, name }, Role::named(&role)?))).collect()
}

/// Makes a project with its owner.
///
/// # Errors
/// What the database says.
pub async fn insert_project(pool: &MySqlPool, name: &str, owner: Option<Uuid>) -> Result<Uuid, StoreError> {
    let id = Uuid::now_v7();
    let mut transaction = pool.begin().await?;
    sqlx::query("INSERT INTO projects (id, name) VALUES (?, ?)").bind(id).bind(name).execute(&mut *transaction).await?;
    if let Some(owner) = owner {
        set_role(&mut *transaction, id, owner, Role::Owner).await?;
    }
    transaction.commit().await?;
    Ok(id)
}

/// Somebody in a project.
#[derive(Debug, Clone)]
pub struct MemberRow {
    /// Their name in the database.
    pub id: Uuid,
    /// What they are called.
    pub name: String,
    /// Where letters reach them.
    pub email: String,
    /// What they may do.
    pub role: String,
}

row!(MemberRow { id, name, email, role });

/// Everybody in a project, by name.
///
/// # Errors
/// What the database says.
pub async fn members(pool: &MySqlPool, project: Uuid) -> Result<Vec<MemberRow>, StoreError> {
    Ok(sqlx::query_as("SELECT p.id, p.name, p.email, m.role FROM people p JOIN members m ON m.person_id = p.id WHERE m.project_id = ? ORDER BY p.name, p.id")
        .bind(project)
        .fetch_all(pool)
        .await?)
}

/// Says what somebody may do in a project.
///
/// # Errors
/// What the database says.
pub async fn set_role(database: impl MySqlExecutor<'_>, project: Uuid, person: Uuid, role: Role) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO members (project_id, person_id, role) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE role = VALUES(role)")
        .bind(project)
        .bind(person)
        .bind(role.name())
        .execute(database)
        .await?;
    Ok(())
}

/// Changes what somebody may do in a project, or takes them out of it; whether an owner is left. Nothing is changed where
/// none would be.
///
/// # Errors
/// What the database says.
pub async fn change_member(pool: &MySqlPool, project: Uuid, person: Uuid, role: Option<Role>) -> Result<bool, StoreError> {
    let mut transaction = pool.begin().await?;
    // Two owners who take each other out at once wait here for each other.
    sqlx::query("SELECT id FROM projects WHERE id = ? FOR UPDATE").bind(project).fetch_optional(&mut *transaction).await?;
    match role {
        Some(role) => set_role(&mut *transaction, project, person, role).await?,
        None => {
            sqlx::query("DELETE FROM members WHERE project_id = ? AND person_id = ?").bind(project).bind(person).execute(&mut *transaction).await?;
        }
    }
    let owner: Option<(i32,)> =
        sqlx::query_as("SELECT 1 FROM members WHERE project_id = ? AND role = 'owner' LIMIT 1").bind(project).fetch_optional(&mut *transaction).await?;
    if owner.is_some() {
        transaction.commit().await?;
    }
    Ok(owner.is_some())
}

/// What somebody may do in a project.
///
/// # Errors
/// What the database says.
pub async fn role_in(pool: &MySqlPool, project: Uuid, person: Uuid) -> Result<Option<Role>, StoreError> {
    let row: Option<(String,)> =
        sqlx::query_as("SELECT role FROM members WHERE project_id = ? AND person_id = ?").bind(project).bind(person).fetch_optional(pool).await?;
    row.map(|(role,)| Role::named(&role)).transpose()
}

/// The project of a cut, and what somebody may do there.
///
/// # Errors
/// [`StoreError::NoCut`], or what the database says.
pub async fn role_on(pool: &MySqlPool, cut: Uuid, person: Option<Uuid>) -> Result<(Uuid, Option<Role>), StoreError> {
    let row: Option<(Uuid, Option<String>)> =
        sqlx::query_as("SELECT c.project_id, m.role FROM cuts c LEFT JOIN members m ON m.project_id = c.project_id AND m.person_id = ? WHERE c.id = ?")
            .bind(person)
            .bind(cut)
            .fetch_optional(pool)
            .await?;
    let (project, role) = row.ok_or(StoreError::NoCut)?;
    Ok((project, role.map(|role| Role::named(&role)).transpose()?))
}

/// Sounds came into a project, each with all of its bytes or from somebody who has it: whoever is in it may hear them from now on.
///
/// # Errors
/// What the database says.
pub async fn grant_sounds<'a>(database: &mut sqlx::MySqlConnection, project: Uuid, hashes: impl IntoIterator<Item = &'a str>) -> Result<(), StoreError> {
    for hash in hashes {
        sqlx::query("INSERT IGNORE INTO sound_rights (project_id, sound_hash) VALUES (?, ?)").bind(project).bind(hash).execute(&mut *database).await?;
    }
    Ok(())
}

/// Refuses sounds that did not come into a project: a hash is a name and no key.
///
/// # Errors
/// [`StoreError::NoSound`], or what the database says.
pub async fn check_sounds<'a>(database: &mut sqlx::MySqlConnection, project: Uuid, hashes: impl IntoIterator<Item = &'a str>) -> Result<(), StoreError> {
    for hash in hashes {
        let row: Option<(i32,)> = sqlx::query_as("SELECT 1 FROM sound_rights WHERE project_id = ? AND sound_hash = ?")
            .bind(project)
            .bind(hash)
            .fetch_optional(&mut *database)
            .await?;
        row.ok_or(StoreError::NoSound)?;
    }
    Ok(())
}

/// The sounds that came into a project.
///
/// # Errors
/// What the database says.
pub async fn sounds_of(pool: &MySqlPool, project: Uuid) -> Result<HashSet<String>, StoreError> {
    let rows: Vec<(String,)> = sqlx::query_as("SELECT sound_hash FROM sound_rights WHERE project_id = ?").bind(project).fetch_all(pool).await?;
    Ok(rows.into_iter().map(|row| row.0).collect())
}

/// Whether a sound came into one of these projects.
///
/// # Errors
/// What the database says.
pub async fn may_hear(pool: &MySqlPool, projects: &[Uuid], hash: &str) -> Result<bool, StoreError> {
    for project in projects {
        let row: Option<(i32,)> =
            sqlx::query_as("SELECT 1 FROM sound_rights WHERE project_id = ? AND sound_hash = ?").bind(project).bind(hash).fetch_optional(pool).await?;
        if row.is_some() {
            return Ok(true);
        }
    }
    Ok(false)
}
