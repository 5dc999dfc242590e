//! Sessions, kept by the hash of what their cookie says, and secrets that the servers of a house share.

use super::StoreError;
use chrono::NaiveDateTime;
use rand::TryRngCore;
use rand::rngs::OsRng;
use sha2::{Digest, Sha256};
use sqlx::MySqlPool;
use uuid::Uuid;

/// What stands for a key in the database.
pub fn hash_of(key: &str) -> [u8; 32] {
    Sha256::digest(key.as_bytes()).into()
}

/// Random bytes of the system's own source.
///
/// # Errors
/// What the system says.
pub fn random<const BYTES: usize>() -> Result<[u8; BYTES], StoreError> {
    let mut bytes = [0; BYTES];
    OsRng.try_fill_bytes(&mut bytes).map_err(|cause| StoreError::Fault(cause.to_string().into()))?;
    Ok(bytes)
}

/// A session that is not over.
///
/// # Errors
/// What the database says.
pub async fn state(pool: &MySqlPool, key: &str) -> Result<Option<String>, StoreError> {
    let row: Option<(String,)> =
        sqlx::query_as("SELECT state FROM sessions WHERE key_hash = ? AND expires_at > UTC_TIMESTAMP(3)").bind(&hash_of(key)[..]).fetch_optional(pool).await?;
    Ok(row.map(|r| r.0))
}

/// Keeps a session.
///
/// # Errors
/// What the database says.
pub async fn keep(pool: &MySqlPool, key: &str, state: &str, person: Option<Uuid>, expires_at: NaiveDateTime) -> Result<(), StoreError> {
    sqlx::query("REPLACE INTO sessions (key_hash, state, person_id, expires_at) VALUES (?, ?, ?, ?)")
        .bind(&hash_of(key)[..])
        .bind(state)
        .bind(person)
        .bind(expires_at)
        .execute(pool)
        .await?;
    Ok(())
}

/// Changes what a session holds, unless it was ended meanwhile; whether it was there.
///
/// # Errors
/// What the database says.
pub async fn change(pool: &MySqlPool, key: &str, state: &str, person: Option<Uuid>, expires_at: NaiveDateTime) -> Result<bool, StoreError> {
    let changed = sqlx::query("UPDATE sessions SET state = ?, person_id = ?, expires_at = ? WHERE key_hash = ?")
        .bind(state)
        .bind(person)
        .bind(expires_at)
        .bind(&hash_of(key)[..])
        .execute(pool);
    Ok(changed.await?.rows_affected() > 0)
}

/// Lets a session last longer.
///
/// # Errors
/// What the database says.
pub async fn lengthen(pool: &MySqlPool, key: &str, expires_at: NaiveDateTime) -> Result<(), StoreError> {
    sqlx::query("UPDATE sessions SET expires_at = ? WHERE key_hash = ?").bind(expires_at).bind(&hash_of(key)[..]).execute(pool).await?;
    Ok(())
}

/// Ends a session.
///
/// # Errors
/// What the database says.
pub async fn end(pool: &MySqlPool, key: &str) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM sessions WHERE key_hash = ?").bind(&hash_of(key)[..]).execute(pool).await?;
    Ok(())
}

/// Ends all sessions of somebody.
///
/// # Errors
/// What the database says.
pub async fn end_all(pool: &MySqlPool, person: Uuid) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM sessions WHERE person_id = ?").bind(person).execute(pool).await?;
    Ok(())
}

/// Removes sessions that are over and tries of long ago.
///
/// # Errors
/// What the database says.
pub async fn remove_over(pool: &MySqlPool) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM sessions WHERE expires_at < UTC_TIMESTAMP(3)").execute(pool).await?;
    sqlx::query("DELETE FROM tries WHERE quarter < ?").bind(chrono::Utc::now().timestamp() / 900 - 1).execute(pool).await?;
    Ok(())
}

/// A secret that all servers of a house share, made by whichever asks first.
///
/// # Errors
/// What the system or the database says.
pub async fn secret(pool: &MySqlPool, name: &str) -> Result<Vec<u8>, StoreError> {
    let made = random::<64>()?;
    sqlx::query("INSERT IGNORE INTO house_secrets (name, secret) VALUES (?, ?)").bind(name).bind(&made[..]).execute(pool).await?;
    let (secret,): (Vec<u8>,) = sqlx::query_as("SELECT secret FROM house_secrets WHERE name = ?").bind(name).fetch_one(pool).await?;
    Ok(secret)
}

/// Counts a try of something; how many there were in this quarter of an hour, this one among them.
///
/// # Errors
/// What the database says.
pub async fn count_try(pool: &MySqlPool, about: &str) -> Result<u32, StoreError> {
    let about = hash_of(about);
    let quarter = chrono::Utc::now().timestamp() / 900;
    sqlx::query("INSERT INTO tries (about, quarter, count) VALUES (?, ?, 1) ON DUPLICATE KEY UPDATE count = count + 1")
        .bind(&about[..])
        .bind(quarter)
        .execute(pool)
        .await?;
    let (count,): (u32,) = sqlx::query_as("SELECT count FROM tries WHERE about = ? AND quarter = ?").bind(&about[..]).bind(quarter).fetch_one(pool).await?;
    Ok(count)
}

/// Takes one try back: it succeeded.
///
/// # Errors
/// What the database says.
pub async fn take_try_back(pool: &MySqlPool, about: &str) -> Result<(), StoreError> {
    sqlx::query("UPDATE tries SET count = count - 1 WHERE about = ? AND count > 0").bind(&hash_of(about)[..]).execute(pool).await?;
    Ok(())
}

/// Forgets the tries of something that succeeded.
///
/// # Errors
/// What the database says.
pub async fn forget_tries(pool: &MySqlPool, about: &str) -> Result<(), StoreError> {
    sqlx::query("DELETE FROM tries WHERE about = ?").bind(&hash_of(about)[..]).execute(pool).await?;
    Ok(())
}
