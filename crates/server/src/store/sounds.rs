//! The SQL of sounds and their readings.

use super::StoreError;
use super::sql::row;
use jaunty_core::digest::hex;
use jaunty_core::kind::Recognised;
use jaunty_core::plan::Role;
use jaunty_core::reading::{BarLikeness, BedRead, Correction, Reading, VERSION};
use jaunty_core::speech::SpeechReading;
use jaunty_media::DecodedInfo;
use serde::Serialize;
use sha2::{Digest, Sha256};
use sqlx::types::Json;
use sqlx::{AssertSqlSafe, MySqlPool};
use uuid::Uuid;

/// A stored sound.
#[derive(Debug, Clone)]
pub struct SoundRow {
    /// Hash of its content.
    pub hash: String,
    /// The name it first came with.
    pub name: String,
    /// The end of that name, in small letters.
    pub extension: String,
    /// Number of bytes.
    pub size_bytes: u64,
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

row!(SoundRow { hash, name, extension, size_bytes, rate_hz, channel_count, length_samples, damaged, kind, kind_confidence });

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
pub async fn set_kind(pool: &MySqlPool, hash: &str, recognised: Recognised) -> Result<(), StoreError> {
    let kind = serde_json::to_value(recognised.kind)?;
    sqlx::query("UPDATE sounds SET kind = ?, kind_confidence = ? WHERE hash = ?")
        .bind(kind.as_str())
        .bind(recognised.confidence)
        .bind(hash)
        .execute(pool)
        .await?;
    Ok(())
}

/// Who makes a reading: the reader's version, and what a person said on top.
fn made_by(corrections: &[Correction]) -> String {
    let text = serde_json::json!([VERSION, corrections]).to_string();
    hex(&Sha256::digest(text.as_bytes())[..8])
}

fn read_as(role: Role) -> &'static str {
    match role {
        Role::Bed => "bed",
        Role::Narration | Role::Film | Role::Ambience => "narration",
    }
}

/// Notes a sound that is about to be stored; one that is known already counts as used from now on, and what came in an archive as its
/// reading is forgotten: whoever brings it now gets what this house reads of it.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, hash: &str, name: &str, extension: &str, size_bytes: u64) -> Result<(), StoreError> {
    sqlx::query("INSERT INTO sounds (hash, name, extension, size_bytes) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE created_at = CURRENT_TIMESTAMP(3)")
        .bind(hash)
        .bind(name)
        .bind(extension)
        .bind(size_bytes)
        .execute(pool)
        .await?;
    sqlx::query("DELETE FROM readings WHERE sound_hash = ? AND brought").bind(hash).execute(pool).await?;
    Ok(())
}

/// Bytes of all sounds, as they came in.
///
/// # Errors
/// What the database says.
pub async fn size_bytes(pool: &MySqlPool) -> Result<u64, StoreError> {
    let (sum,): (u64,) = sqlx::query_as("SELECT CAST(COALESCE(SUM(size_bytes), 0) AS UNSIGNED) FROM sounds").fetch_one(pool).await?;
    Ok(sum)
}

/// One sound.
///
/// # Errors
/// What the database says.
pub async fn sound(pool: &MySqlPool, hash: &str) -> Result<Option<SoundRow>, StoreError> {
    Ok(sqlx::query_as(
        "SELECT hash, name, extension, size_bytes, rate_hz, channel_count, length_samples, damaged, kind, kind_confidence FROM sounds WHERE hash = ?",
    )
    .bind(hash)
    .fetch_optional(pool)
    .await?)
}

/// The sounds that have been read as beds, newest first; those that came into some projects where these are given.
///
/// # Errors
/// What the database says.
pub async fn beds(pool: &MySqlPool, projects: Option<&[Uuid]>) -> Result<Vec<SoundRow>, StoreError> {
    let among = projects.map_or(String::new(), |of| {
        format!("WHERE EXISTS (SELECT 1 FROM sound_rights h WHERE h.sound_hash = s.hash AND h.project_id IN ({}))", super::sql::among(of))
    });
    Ok(sqlx::query_as(AssertSqlSafe(format!(
        "SELECT s.hash, s.name, s.extension, s.size_bytes, s.rate_hz, s.channel_count, s.length_samples, s.damaged, s.kind, s.kind_confidence
         FROM sounds s JOIN (SELECT sound_hash, MIN(created_at) AS first FROM readings WHERE read_as = 'bed' GROUP BY sound_hash) r ON r.sound_hash = s.hash
         {among} ORDER BY r.first DESC LIMIT 200",
    )))
    .fetch_all(pool)
    .await?)
}

/// Notes what decoding found.
///
/// # Errors
/// What the database says.
pub async fn set_decoded(pool: &MySqlPool, hash: &str, info: &DecodedInfo) -> Result<(), StoreError> {
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

/// Whether a sound has been read in a role, by the reader of today.
///
/// # Errors
/// What the database says.
pub async fn has_reading(pool: &MySqlPool, hash: &str, role: Role) -> Result<bool, StoreError> {
    let row: Option<(i32,)> = sqlx::query_as("SELECT 1 FROM readings WHERE sound_hash = ? AND read_as = ? AND made_by = ?")
        .bind(hash)
        .bind(read_as(role))
        .bind(made_by(&[]))
        .fetch_optional(pool)
        .await?;
    Ok(row.is_some())
}

/// Keeps the reading of a narration.
///
/// # Errors
/// What the database says.
pub async fn set_speech_reading(pool: &MySqlPool, hash: &str, reading: &SpeechReading) -> Result<(), StoreError> {
    set_reading(pool, hash, Role::Narration, &[], reading, None).await
}

/// Keeps the reading of a bed, read with `corrections`.
///
/// # Errors
/// What the database says.
pub async fn set_bed_reading(pool: &MySqlPool, hash: &str, corrections: &[Correction], read: &BedRead) -> Result<(), StoreError> {
    set_reading(pool, hash, Role::Bed, corrections, &read.reading, Some(&read.likeness)).await
}

async fn set_reading(
    pool: &MySqlPool,
    hash: &str,
    role: Role,
    corrections: &[Correction],
    document: &impl Serialize,
    likeness: Option<&BarLikeness>,
) -> Result<(), StoreError> {
    sqlx::query("REPLACE INTO readings (sound_hash, read_as, made_by, document, likeness) VALUES (?, ?, ?, ?, ?)")
        .bind(hash)
        .bind(read_as(role))
        .bind(made_by(corrections))
        .bind(serde_json::to_string(document)?)
        .bind(likeness.map(BarLikeness::to_bytes))
        .execute(pool)
        .await?;
    Ok(())
}

/// The reading of a bed without its likeness, for showing: made with `corrections` by the reader
/// of today or, until that is there, the newest that is.
///
/// # Errors
/// What the database says.
pub async fn bed_document(pool: &MySqlPool, hash: &str, corrections: &[Correction]) -> Result<Option<Reading>, StoreError> {
    let row: Option<(Json<Reading>,)> =
        sqlx::query_as("SELECT document FROM readings WHERE sound_hash = ? AND read_as = 'bed' ORDER BY made_by = ? DESC, created_at DESC LIMIT 1")
            .bind(hash)
            .bind(made_by(corrections))
            .fetch_optional(pool)
            .await?;
    Ok(row.map(|r| r.0.0))
}

/// The reading of a bed with its likeness, made with `corrections` by the reader of today.
///
/// # Errors
/// What the database says.
pub async fn bed_reading(pool: &MySqlPool, hash: &str, corrections: &[Correction]) -> Result<Option<BedRead>, StoreError> {
    let row: Option<(Json<Reading>, Vec<u8>)> =
        sqlx::query_as("SELECT document, likeness FROM readings WHERE sound_hash = ? AND read_as = 'bed' AND made_by = ?")
            .bind(hash)
            .bind(made_by(corrections))
            .fetch_optional(pool)
            .await?;
    row.map(|(document, bytes)| {
        let likeness = BarLikeness::from_bytes(&bytes).ok_or_else(|| StoreError::damaged("a stored likeness is damaged"))?;
        Ok(BedRead { reading: document.0, likeness })
    })
    .transpose()
}

/// The reading of a narration.
///
/// # Errors
/// What the database says.
pub async fn speech_reading(pool: &MySqlPool, hash: &str) -> Result<Option<SpeechReading>, StoreError> {
    let row: Option<(Json<SpeechReading>,)> =
        sqlx::query_as("SELECT document FROM readings WHERE sound_hash = ? AND read_as = 'narration' ORDER BY created_at DESC LIMIT 1")
            .bind(hash)
            .fetch_optional(pool)
            .await?;
    Ok(row.map(|r| r.0.0))
}
