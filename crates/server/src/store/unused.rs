//! What nothing names any more.

use super::{Files, StoreError, documents};
use chrono::NaiveDateTime;
use futures_util::TryStreamExt;
use jaunty_core::cut::Setup;
use jaunty_core::plan::Plan;
use jaunty_exchange::archive::Contents;
use sqlx::MySqlPool;
use std::collections::{BTreeSet, HashSet};

/// Removes jobs that ended before `before`; how many.
///
/// # Errors
/// What the database says; what was removed until then is removed.
pub async fn remove_jobs(pool: &MySqlPool, before: NaiveDateTime) -> Result<u64, StoreError> {
    /// So many at once, so that nobody waits for a long lock.
    const AT_ONCE: u32 = 1000;
    let mut all = 0;
    loop {
        let done = sqlx::query("DELETE FROM jobs WHERE ended_at < ? LIMIT ?").bind(before).bind(AT_ONCE).execute(pool).await?.rows_affected();
        all += done;
        if done < u64::from(AT_ONCE) {
            return Ok(all);
        }
    }
}

/// The hashes that anything names: whatever looks like one in a document that is kept, so that rather too much is kept than too little.
/// Nobody gets a right by it.
///
/// # Errors
/// What the database says.
pub async fn used_sounds(pool: &MySqlPool) -> Result<HashSet<String>, StoreError> {
    let mut used = HashSet::new();
    for hash in documents::all(pool).await? {
        used.extend(documents::text(pool, &hash).await?.iter().flat_map(|text| hashes(text)));
    }
    let mut jobs = sqlx::query_as::<_, (String,)>("SELECT task FROM jobs WHERE ended_at IS NULL").fetch(pool);
    while let Some((task,)) = jobs.try_next().await? {
        used.extend(hashes(task.as_bytes()));
    }
    let mut handed = sqlx::query_as::<_, (String,)>("SELECT file_hash FROM handed").fetch(pool);
    while let Some((hash,)) = handed.try_next().await? {
        used.insert(hash);
    }
    Ok(used)
}

/// The sounds that the documents of a cut's history name, in setups and plans: never what merely looks like a name.
///
/// # Errors
/// What the database says.
pub async fn named_by(pool: &MySqlPool, contents: &Contents) -> Result<BTreeSet<String>, StoreError> {
    let text = async |hash: &str| -> Result<Vec<u8>, StoreError> {
        let bytes: Vec<u8> = (0..hash.len()).step_by(2).filter_map(|k| u8::from_str_radix(hash.get(k..k + 2)?, 16).ok()).collect();
        documents::text(pool, &bytes).await?.ok_or_else(|| StoreError::damaged("a revision without its document"))
    };
    let (setups, plans): (BTreeSet<&str>, BTreeSet<&str>) = contents.revisions.iter().map(|r| (r.setup.as_str(), r.plan.as_str())).unzip();
    let mut named = BTreeSet::new();
    for hash in setups {
        named.extend(serde_json::from_slice::<Setup>(&text(hash).await?)?.sounds().into_iter().map(str::to_owned));
    }
    for hash in plans {
        named.extend(serde_json::from_slice::<Plan>(&text(hash).await?)?.sounds().into_iter().map(str::to_owned));
    }
    Ok(named)
}

/// Removes a sound that came in before `before`, with all that was made of it; its bytes if it was removed.
///
/// One that comes in again meanwhile waits for the lock that its row is removed under, and is stored after it.
///
/// # Errors
/// What the database or the disk says.
pub async fn remove_sound(pool: &MySqlPool, files: &Files, hash: &str, before: NaiveDateTime) -> Result<Option<u64>, StoreError> {
    let mut transaction = pool.begin().await?;
    let row: Option<(NaiveDateTime, u64)> =
        sqlx::query_as("SELECT created_at, size_bytes FROM sounds WHERE hash = ? FOR UPDATE").bind(hash).fetch_optional(&mut *transaction).await?;
    if row.is_some_and(|(created_at, _)| created_at >= before) {
        return Ok(None);
    }
    for table in ["readings", "comparisons"] {
        sqlx::query(sqlx::AssertSqlSafe(format!("DELETE FROM {table} WHERE sound_hash = ?"))).bind(hash).execute(&mut *transaction).await?;
    }
    sqlx::query("DELETE FROM sounds WHERE hash = ?").bind(hash).execute(&mut *transaction).await?;
    files.remove(hash).await?;
    transaction.commit().await?;
    Ok(Some(row.map_or(0, |(_, size_bytes)| size_bytes)))
}

fn hashes(document: &[u8]) -> impl Iterator<Item = String> + use<'_> {
    let words = document.split(|byte| !byte.is_ascii_hexdigit()).filter(|word| word.len() == 64);
    words.map(|word| String::from_utf8_lossy(word).into_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hashes_are_found_wherever_they_stand() {
        let (a, b) = ("a1".repeat(32), "0f".repeat(32));
        let text = format!("{{\"bed\":{{\"hash\":\"{a}\"}},\"name\":\"{b}.wav\",\"what\":\"{}\"}}", "1".repeat(63));
        assert_eq!(hashes(text.as_bytes()).collect::<Vec<_>>(), [a, b]);
    }
}
