//! The SQL of sounds and their readings.

use crate::problem::Problem;
use jaunty_core::kind::Recognised;
use jaunty_core::plan::Role;
use jaunty_core::reading::{BarLikeness, Reading};
use jaunty_core::speech::SpeechReading;
use jaunty_media::DecodedInfo;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::types::Json;
use sqlx::{FromRow, MySqlPool};

/// A stored sound.
#[derive(Debug, Clone, FromRow)]
pub struct SoundRow {
    /// Hash of its content.
    pub hash: String,
    /// The name it first came with.
    pub name: String,
    /// The end of that name, in small letters.
    pub extension: String,
    /// Sample rate of the file; known once decoded.
    pub rate_hz: Option<u32>,
    /// Channels; known once decoded.
    pub channel_count: Option<u32>,
    /// Length at 48 kHz; known once decoded.
    pub length_samples: Option<u64>,
    /// Whether the file broke off.
    pub damaged: bool,
    /// What it was taken for: `music`, `speech` or `room`.
    pub kind: Option<String>,
    /// How likely that is.
    pub kind_confidence: Option<f32>,
}

impl SoundRow {
    /// What it was taken for, once that is known.
    pub fn recognised(&self) -> Option<Recognised> {
        let kind = serde_json::from_value(serde_json::Value::String(self.kind.clone()?)).ok()?;
        Some(Recognised { kind, confidence: self.kind_confidence? })
    }
}

/// Notes what a sound was taken for.
///
/// # Errors
/// What the database says.
pub async fn set_kind(pool: &MySqlPool, hash: &str, recognised: Recognised) -> Result<(), Problem> {
    let kind = serde_json::to_value(recognised.kind)?;
    sqlx::query("UPDATE sounds SET kind = ?, kind_confidence = ? WHERE hash = ?")
        .bind(kind.as_str())
        .bind(recognised.confidence)
        .bind(hash)
        .execute(pool)
        .await?;
    Ok(())
}

fn read_as(role: Role) -> &'static str {
    match role {
        Role::Bed => "bed",
        Role::Narration | Role::Film => "narration",
    }
}

/// Notes a stored sound, once.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, hash: &str, name: &str, extension: &str, size_bytes: u64) -> Result<(), Problem> {
    sqlx::query("INSERT IGNORE INTO sounds (hash, name, extension, size_bytes) VALUES (?, ?, ?, ?)")
        .bind(hash)
        .bind(name)
        .bind(extension)
        .bind(size_bytes)
        .execute(pool)
        .await?;
    Ok(())
}

/// One sound.
///
/// # Errors
/// What the database says.
pub async fn sound(pool: &MySqlPool, hash: &str) -> Result<Option<SoundRow>, Problem> {
    Ok(sqlx::query_as("SELECT hash, name, extension, rate_hz, channel_count, length_samples, damaged, kind, kind_confidence FROM sounds WHERE hash = ?")
        .bind(hash)
        .fetch_optional(pool)
        .await?)
}

/// The sounds that have been read as beds, newest first.
///
/// # Errors
/// What the database says.
pub async fn beds(pool: &MySqlPool) -> Result<Vec<SoundRow>, Problem> {
    Ok(sqlx::query_as(
        "SELECT s.hash, s.name, s.extension, s.rate_hz, s.channel_count, s.length_samples, s.damaged, s.kind, s.kind_confidence
         FROM sounds s JOIN readings r ON r.sound_hash = s.hash AND r.read_as = 'bed' ORDER BY r.created_at DESC LIMIT 200",
    )
    .fetch_all(pool)
    .await?)
}

/// Notes what decoding found.
///
/// # Errors
/// What the database says.
pub async fn set_decoded(pool: &MySqlPool, hash: &str, info: &DecodedInfo) -> Result<(), Problem> {
    sqlx::query("UPDATE sounds SET rate_hz = ?, channel_count = ?, length_samples = ?, damaged = ? WHERE hash = ?")
        .bind(info.rate_hz)
        .bind(info.channel_count as u32)
        .bind(info.length_samples)
        .bind(info.damaged)
        .bind(hash)
        .execute(pool)
        .await?;
    Ok(())
}

/// Whether a sound has been read in a role.
///
/// # Errors
/// What the database says.
pub async fn has_reading(pool: &MySqlPool, hash: &str, role: Role) -> Result<bool, Problem> {
    let row: Option<(i32,)> =
        sqlx::query_as("SELECT 1 FROM readings WHERE sound_hash = ? AND read_as = ?").bind(hash).bind(read_as(role)).fetch_optional(pool).await?;
    Ok(row.is_some())
}

/// Keeps a reading.
///
/// # Errors
/// What the database says.
pub async fn set_reading(pool: &MySqlPool, hash: &str, role: Role, document: &impl Serialize, likeness: Option<&BarLikeness>) -> Result<(), Problem> {
    sqlx::query("REPLACE INTO readings (sound_hash, read_as, document, likeness) VALUES (?, ?, ?, ?)")
        .bind(hash)
        .bind(read_as(role))
        .bind(serde_json::to_string(document)?)
        .bind(likeness.map(BarLikeness::to_bytes))
        .execute(pool)
        .await?;
    Ok(())
}

async fn reading<T: DeserializeOwned + Send + Unpin + 'static>(pool: &MySqlPool, hash: &str, role: Role) -> Result<Option<T>, Problem> {
    let row: Option<(Json<T>,)> =
        sqlx::query_as("SELECT document FROM readings WHERE sound_hash = ? AND read_as = ?").bind(hash).bind(read_as(role)).fetch_optional(pool).await?;
    Ok(row.map(|r| r.0.0))
}

/// The reading of a bed without its likeness.
///
/// # Errors
/// What the database says.
pub async fn bed_document(pool: &MySqlPool, hash: &str) -> Result<Option<Reading>, Problem> {
    reading(pool, hash, Role::Bed).await
}

/// The reading of a bed with its likeness.
///
/// # Errors
/// What the database says.
pub async fn bed_reading(pool: &MySqlPool, hash: &str) -> Result<Option<(Reading, BarLikeness)>, Problem> {
    let row: Option<(Json<Reading>, Vec<u8>)> =
        sqlx::query_as("SELECT document, likeness FROM readings WHERE sound_hash = ? AND read_as = 'bed'").bind(hash).fetch_optional(pool).await?;
    row.map(|(document, bytes)| {
        let likeness = BarLikeness::from_bytes(&bytes).ok_or_else(|| Problem::internal("a stored likeness is damaged"))?;
        Ok((document.0, likeness))
    })
    .transpose()
}

/// The reading of a narration.
///
/// # Errors
/// What the database says.
pub async fn speech_reading(pool: &MySqlPool, hash: &str) -> Result<Option<SpeechReading>, Problem> {
    reading(pool, hash, Role::Narration).await
}
