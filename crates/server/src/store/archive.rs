//! A whole cut, out of the tables and into them.

use super::cuts::{Origin, stored};
use super::sql::row;
use super::{StoreError, documents};
use chrono::NaiveDateTime;
use jaunty_core::cut::Licence;
use jaunty_core::digest::hex;
use jaunty_core::message::Message;
use jaunty_exchange::archive::{ArchivedReading, ArchivedRevision, Contents, Documents, FORMAT, VERSION, hash_of};
use sqlx::types::Json;
use sqlx::{MySqlPool, MySqlTransaction};
use std::collections::HashMap;
use std::io::Write;
use uuid::Uuid;

/// How times are written.
const TIME: &str = "%Y-%m-%dT%H:%M:%S%.3f";

struct Line {
    revision: u32,
    parent: Option<u32>,
    base: Option<u32>,
    planned_for: Option<u32>,
    what: String,
    said: Option<String>,
    setup_hash: Vec<u8>,
    plan_hash: Vec<u8>,
    fittings_hash: Vec<u8>,
    chosen: u32,
    created_at: NaiveDateTime,
}

row!(Line { revision, parent, base, planned_for, what, said, setup_hash, plan_hash, fittings_hash, chosen, created_at });

/// How many revisions a cut has by now: with its name, what its history is.
///
/// # Errors
/// What the database says.
pub async fn revision_count(pool: &MySqlPool, cut: Uuid) -> Result<u32, StoreError> {
    let (count,): (Option<u32>,) = sqlx::query_as("SELECT MAX(revision) FROM revisions WHERE cut_id = ?").bind(cut).fetch_one(pool).await?;
    Ok(count.unwrap_or(0))
}

/// The history of a cut as it goes into an archive that shows revision `shown`, its documents packed into `documents`.
/// Sounds and what was read of them are not there yet.
///
/// # Errors
/// What the database or the disk says.
pub async fn history<W: Write>(pool: &MySqlPool, cut: Uuid, shown: u32, documents: &mut Documents<W>) -> Result<Contents, StoreError> {
    let lines: Vec<Line> = sqlx::query_as(
        "SELECT revision, parent, base, planned_for, what, said, setup_hash, plan_hash, fittings_hash, chosen, created_at
         FROM revisions WHERE cut_id = ? ORDER BY revision",
    )
    .bind(cut)
    .fetch_all(pool)
    .await?;
    let mut revisions = Vec::new();
    for line in lines {
        for hash in [&line.setup_hash, &line.plan_hash, &line.fittings_hash] {
            if !documents.has(&hex(hash)) {
                let text = documents::text(pool, hash).await?.ok_or_else(|| StoreError::damaged("a revision without its document"))?;
                documents.add(&text)?;
            }
        }
        revisions.push(ArchivedRevision {
            revision: line.revision,
            parent: line.parent,
            base: line.base,
            planned_for: line.planned_for,
            what: Message::from_stored(&line.what),
            said: line.said,
            setup: hex(&line.setup_hash),
            plan: hex(&line.plan_hash),
            fittings: hex(&line.fittings_hash),
            chosen: line.chosen,
            created_at: line.created_at.format(TIME).to_string(),
        });
    }
    let (mother,): (Option<Uuid>,) = sqlx::query_as("SELECT mother FROM cuts WHERE id = ?").bind(cut).fetch_one(pool).await?;
    let taken: Vec<(String,)> = sqlx::query_as("SELECT document FROM licences WHERE cut_id = ? ORDER BY number").bind(cut).fetch_all(pool).await?;
    let licences = taken.iter().map(|(text,)| documents.add(text.as_bytes())).collect::<Result<_, _>>()?;
    Ok(Contents {
        format: FORMAT.into(),
        version: VERSION,
        cut: cut.to_string(),
        mother: mother.map(|m| m.to_string()),
        shown,
        revisions,
        sounds: Vec::new(),
        readings: Vec::new(),
        licences,
    })
}

/// What was read of a sound, with what was measured of its bars.
///
/// # Errors
/// What the database or the disk says.
pub async fn readings<W: Write>(pool: &MySqlPool, sound: &str, documents: &mut Documents<W>) -> Result<Vec<(ArchivedReading, Option<Vec<u8>>)>, StoreError> {
    let rows: Vec<(String, String, String, Option<Vec<u8>>)> =
        sqlx::query_as("SELECT read_as, made_by, document, likeness FROM readings WHERE sound_hash = ? ORDER BY read_as, made_by")
            .bind(sound)
            .fetch_all(pool)
            .await?;
    let mut found = Vec::new();
    for (read_as, made_by, text, measured) in rows {
        let document = documents.add(text.as_bytes())?;
        found.push((ArchivedReading { sound: sound.to_owned(), read_as, made_by, document, measured: measured.as_deref().map(hash_of) }, measured));
    }
    Ok(found)
}

/// Keeps what was read elsewhere of a sound that was not here before, until somebody else brings the same sound
/// ([`super::sounds::insert`]): what strangers say of a sound never stands for what this house reads of it.
///
/// # Errors
/// What the database says.
pub async fn keep_reading(pool: &MySqlPool, reading: &ArchivedReading, document: &str, measured: Option<Vec<u8>>) -> Result<(), StoreError> {
    sqlx::query("INSERT IGNORE INTO readings (sound_hash, read_as, made_by, document, likeness, brought) VALUES (?, ?, ?, ?, ?, TRUE)")
        .bind(&reading.sound)
        .bind(&reading.read_as)
        .bind(&reading.made_by)
        .bind(document)
        .bind(measured)
        .execute(pool)
        .await?;
    Ok(())
}

/// Documents of an archive, by their hashes.
pub type Texts<'a> = &'a mut (dyn FnMut(&str) -> Result<Vec<u8>, StoreError> + Send);

/// Makes the cut of an archive, with its history: all of it or nothing. It keeps its name where that is free here; its name.
///
/// # Errors
/// What the database says.
pub async fn insert(pool: &MySqlPool, contents: &Contents, licences: &[Licence], text_of: Texts<'_>, origin: Origin) -> Result<Uuid, StoreError> {
    let mut transaction = pool.begin().await?;
    let there = async |transaction: &mut MySqlTransaction<'_>, id: Uuid| -> Result<Option<Uuid>, StoreError> {
        let found: Option<(Uuid,)> = sqlx::query_as("SELECT project_id FROM cuts WHERE id = ?").bind(id).fetch_optional(&mut **transaction).await?;
        Ok(found.map(|f| f.0))
    };
    let own = Uuid::parse_str(&contents.cut).map_err(|_| StoreError::damaged("a cut without a name"))?;
    let id = if there(&mut transaction, own).await?.is_some() { Uuid::now_v7() } else { own };
    let mother = match contents.mother.as_deref().and_then(|m| Uuid::parse_str(m).ok()) {
        Some(mother) if there(&mut transaction, mother).await? == Some(origin.project) => Some(mother),
        _ => None,
    };
    sqlx::query("INSERT INTO cuts (id, revision, mother, project_id) VALUES (?, ?, ?, ?)")
        .bind(id)
        .bind(contents.shown)
        .bind(mother)
        .bind(origin.project)
        .execute(&mut *transaction)
        .await?;
    // All of their bytes came with it.
    super::people::grant_sounds(&mut transaction, origin.project, contents.sounds.iter().map(|s| s.hash.as_str())).await?;
    let mut kept: HashMap<&str, Vec<u8>> = HashMap::new();
    let mut before: [Option<Vec<u8>>; 3] = [None, None, None];
    for line in &contents.revisions {
        for (hash, like) in [&line.setup, &line.plan, &line.fittings].into_iter().zip(&mut before) {
            if !kept.contains_key(hash.as_str()) {
                let written = documents::write_text(&mut transaction, &text_of(hash)?, like.as_deref()).await?;
                kept.insert(hash, written);
            }
            *like = kept.get(hash.as_str()).cloned();
        }
        let made_at = NaiveDateTime::parse_from_str(&line.created_at, TIME).map_err(|_| StoreError::damaged("a revision of no time"))?;
        sqlx::query(
            "INSERT INTO revisions (cut_id, revision, parent, base, planned_for, what, said, setup_hash, plan_hash, fittings_hash, chosen, created_at, made_by)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(id)
        .bind(line.revision)
        .bind(line.parent)
        .bind(line.base)
        .bind(line.planned_for)
        .bind(stored(&line.what))
        .bind(&line.said)
        .bind(&kept[line.setup.as_str()])
        .bind(&kept[line.plan.as_str()])
        .bind(&kept[line.fittings.as_str()])
        .bind(line.chosen)
        .bind(made_at)
        .bind(origin.by)
        .execute(&mut *transaction)
        .await?;
    }
    for licence in licences {
        sqlx::query("INSERT IGNORE INTO licences (number, cut_id, piece, document) VALUES (?, ?, ?, ?)")
            .bind(&licence.number)
            .bind(id)
            .bind(&licence.piece)
            .bind(Json(licence))
            .execute(&mut *transaction)
            .await?;
    }
    super::cuts::note_shown(&mut transaction, id).await?;
    let waits = contents.revisions.iter().any(|r| r.revision == contents.shown && r.base.is_some());
    super::jobs::add_once(&mut *transaction, id, if waits { &jaunty_core::cut::Work::Plan } else { &jaunty_core::cut::Work::Compare }, origin.by).await?;
    transaction.commit().await?;
    Ok(id)
}
