//! Documents by the hash of their content, packed.
//!
//! A document that is much like an earlier one is packed against it: of a plan of two hours in which one
//! level changed, little more than that level is stored. What it is packed against is stored whole, so that
//! reading one takes two at most.

use super::StoreError;
use super::sql::row;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sha2::{Digest, Sha256};
use sqlx::{MySqlExecutor, MySqlPool, MySqlTransaction};
use std::io;

/// How hard documents are packed: zstd's own default, some hundred megabytes a second.
const LEVEL: i32 = 3;
/// The largest document: lists of 5,000 shots, moments and lines fit in it twenty times.
const MOST_BYTES: usize = 256 << 20;
/// How a packed body begins (RFC 8878, 3.1.1); JSON never does.
const PACKED: [u8; 4] = [0x28, 0xb5, 0x2f, 0xfd];

/// A document as it is stored, with what it was packed against.
#[derive(Debug)]
pub(super) struct Stored {
    body: Vec<u8>,
    base_body: Option<Vec<u8>>,
}

row!(Stored { body, base_body });

/// The columns of [`Stored`], for a document `d` joined with [`BASE`].
pub(super) const COLUMNS: &str = "d.body, b.body AS base_body";
/// What a document `d` was packed against.
pub(super) const BASE: &str = "LEFT JOIN documents b ON b.hash = d.base";

fn unpack(body: &[u8], base: &[u8]) -> io::Result<Vec<u8>> {
    if body.starts_with(&PACKED) { zstd::bulk::Decompressor::with_dictionary(base)?.decompress(body, MOST_BYTES) } else { Ok(body.to_vec()) }
}

fn pack(text: &[u8], base: &[u8]) -> io::Result<Vec<u8>> {
    let mut packer = zstd::bulk::Compressor::with_dictionary(LEVEL, base)?;
    // All of what it is packed against is within reach.
    let reach = (base.len() + text.len()).next_power_of_two().ilog2().clamp(10, 27);
    packer.set_parameter(zstd::zstd_safe::CParameter::WindowLog(reach))?;
    packer.compress(text)
}

impl Stored {
    /// The document as it was before it was packed.
    pub(super) fn text(&self) -> Result<Vec<u8>, StoreError> {
        let base = self.base_body.as_deref().map(|base| unpack(base, &[])).transpose()?.unwrap_or_default();
        Ok(unpack(&self.body, &base)?)
    }

    pub(super) fn value<T: DeserializeOwned>(&self) -> Result<T, StoreError> {
        Ok(serde_json::from_slice(&self.text()?)?)
    }
}

/// Stores a document; its hash. `like` is one that it may be much like.
pub(super) async fn write(transaction: &mut MySqlTransaction<'_>, value: &impl Serialize, like: Option<&[u8]>) -> Result<Vec<u8>, StoreError> {
    write_text(transaction, &serde_json::to_vec(value)?, like).await
}

/// As [`write`], of a document that is JSON already.
pub(super) async fn write_text(transaction: &mut MySqlTransaction<'_>, text: &[u8], like: Option<&[u8]>) -> Result<Vec<u8>, StoreError> {
    let hash = Sha256::digest(text).to_vec();
    let there: Option<(i32,)> = sqlx::query_as("SELECT 1 FROM documents WHERE hash = ?").bind(&hash).fetch_optional(&mut **transaction).await?;
    if there.is_some() {
        return Ok(hash);
    }
    let whole = match like {
        Some(like) => whole_of(transaction, like).await?,
        None => None,
    };
    let alone = pack(text, &[])?;
    let packed = match &whole {
        Some((base, whole)) => Some((base, pack(text, whole)?)).filter(|(_, body)| body.len() < alone.len() / 2),
        None => None,
    };
    let (base, body) = packed.map_or((None, alone), |(base, body)| (Some(base), body));
    sqlx::query("INSERT IGNORE INTO documents (hash, base, body) VALUES (?, ?, ?)").bind(&hash).bind(base).bind(body).execute(&mut **transaction).await?;
    Ok(hash)
}

/// The document that `hash` is packed against, or itself where it is stored whole, with its text.
async fn whole_of(transaction: &mut MySqlTransaction<'_>, hash: &[u8]) -> Result<Option<(Vec<u8>, Vec<u8>)>, StoreError> {
    let query = "SELECT w.hash, w.body FROM documents d JOIN documents w ON w.hash = COALESCE(d.base, d.hash) WHERE d.hash = ?";
    let row: Option<(Vec<u8>, Vec<u8>)> = sqlx::query_as(query).bind(hash).fetch_optional(&mut **transaction).await?;
    Ok(row.map(|(whole, body)| unpack(&body, &[]).map(|text| (whole, text))).transpose()?)
}

/// A document.
pub(super) async fn read<T: DeserializeOwned>(pool: &MySqlPool, hash: &[u8]) -> Result<T, StoreError> {
    let query = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM documents d {BASE} WHERE d.hash = ?"));
    sqlx::query_as::<_, Stored>(query).bind(hash).fetch_one(pool).await?.value()
}

/// All hashes of documents.
pub(super) async fn all(database: impl MySqlExecutor<'_>) -> Result<Vec<Vec<u8>>, StoreError> {
    let rows: Vec<(Vec<u8>,)> = sqlx::query_as("SELECT hash FROM documents").fetch_all(database).await?;
    Ok(rows.into_iter().map(|(hash,)| hash).collect())
}

/// The text of a document, if it is there.
pub(super) async fn text(pool: &MySqlPool, hash: &[u8]) -> Result<Option<Vec<u8>>, StoreError> {
    let query = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM documents d {BASE} WHERE d.hash = ?"));
    sqlx::query_as::<_, Stored>(query).bind(hash).fetch_optional(pool).await?.map(|stored| stored.text()).transpose()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_packed_against_its_like_is_small_and_comes_back() {
        let list =
            |changed: usize| (0..20_000).map(|k| format!("level {k} {}\n", if k == changed { 7.25 } else { f64::from(k as u32) * 0.3 })).collect::<String>();
        let (before, after) = (list(1), list(15_000));
        let (alone, against) = (pack(after.as_bytes(), &[]).expect("packed"), pack(after.as_bytes(), before.as_bytes()).expect("packed"));
        assert!(against.len() < 400 && alone.len() > 20_000, "{} and {}", against.len(), alone.len());
        assert_eq!(unpack(&against, before.as_bytes()).expect("unpacked"), after.as_bytes());
        assert_eq!(unpack(&alone, &[]).expect("unpacked"), after.as_bytes());
        assert_eq!(unpack(b"{\"as\":\"it is\"}", &[]).expect("as it is"), b"{\"as\":\"it is\"}");
    }
}
