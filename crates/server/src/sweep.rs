//! Removing what nobody needs any more: sounds that no cut, no revision and no job names, and jobs
//! that are long over.

use crate::App;
use crate::problem::Problem;
use chrono::{NaiveDateTime, Utc};
use futures_util::TryStreamExt;
use std::collections::HashSet;
use std::time::Duration;

/// What was removed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize)]
pub struct Swept {
    /// Sounds and films.
    pub sounds: usize,
    /// Bytes of them, as they came in.
    pub bytes: u64,
    /// Jobs.
    pub jobs: u64,
}

/// Removes sounds that have been unused for `unused` and jobs that ended before that.
///
/// A sound counts as used from when it last came in. One that comes in again meanwhile waits for the
/// lock that its row is removed under, and is stored after it.
///
/// # Errors
/// What the database or the disk says; what was removed until then is removed.
pub async fn sweep(app: &App, unused: Duration) -> Result<Swept, Problem> {
    let before = Utc::now().naive_utc() - chrono::Duration::from_std(unused).unwrap_or(chrono::Duration::MAX);
    let mut swept = Swept { jobs: sweep_jobs(app, before).await?, ..Swept::default() };
    let used = used(app).await?;
    for (hash, last_modified) in app.sounds.stored().await? {
        if used.contains(&hash) || last_modified.naive_utc() >= before {
            continue;
        }
        let mut transaction = app.pool.begin().await?;
        let row: Option<(NaiveDateTime, u64)> =
            sqlx::query_as("SELECT created_at, size_bytes FROM sounds WHERE hash = ? FOR UPDATE").bind(&hash).fetch_optional(&mut *transaction).await?;
        if row.is_some_and(|(created_at, _)| created_at >= before) {
            continue;
        }
        for table in ["readings", "auditions"] {
            sqlx::query(sqlx::AssertSqlSafe(format!("DELETE FROM {table} WHERE sound_hash = ?"))).bind(&hash).execute(&mut *transaction).await?;
        }
        sqlx::query("DELETE FROM sounds WHERE hash = ?").bind(&hash).execute(&mut *transaction).await?;
        app.sounds.remove(&hash).await?;
        transaction.commit().await?;
        swept.sounds += 1;
        swept.bytes += row.map_or(0, |(_, size_bytes)| size_bytes);
    }
    Ok(swept)
}

async fn sweep_jobs(app: &App, before: NaiveDateTime) -> Result<u64, Problem> {
    /// So many at once, so that nobody waits for a long lock.
    const AT_ONCE: u32 = 1000;
    let mut all = 0;
    loop {
        let done = sqlx::query("DELETE FROM jobs WHERE ended_at < ? LIMIT ?").bind(before).bind(AT_ONCE).execute(&app.pool).await?.rows_affected();
        all += done;
        if done < u64::from(AT_ONCE) {
            return Ok(all);
        }
    }
}

/// The hashes that anything names: whatever looks like one in a document that is kept.
async fn used(app: &App) -> Result<HashSet<String>, Problem> {
    let mut used = HashSet::new();
    for documents in ["SELECT CONCAT(setup, plan) FROM revisions", "SELECT task FROM jobs WHERE ended_at IS NULL"] {
        let mut rows = sqlx::query_as::<_, (String,)>(documents).fetch(&app.pool);
        while let Some((document,)) = rows.try_next().await? {
            used.extend(hashes(&document).map(str::to_owned));
        }
    }
    Ok(used)
}

fn hashes(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !c.is_ascii_hexdigit()).filter(|word| word.len() == 64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hashes_are_found_wherever_they_stand() {
        let (a, b) = ("a1".repeat(32), "0f".repeat(32));
        let text = format!("{{\"bed\":{{\"hash\":\"{a}\"}},\"name\":\"{b}.wav\",\"what\":\"{}\"}}", "1".repeat(63));
        assert_eq!(hashes(&text).collect::<Vec<_>>(), [a.as_str(), b.as_str()]);
    }
}
