//! Removing what nobody needs any more: sounds that no cut, no revision and no job names, and jobs
//! that are long over.

use super::{Problem, Studio};
use crate::store::{sessions, unused};
use chrono::Utc;
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

impl Studio {
    /// Removes sounds that have been unused for `unused` and jobs that ended before that. A sound
    /// counts as used from when it last came in.
    ///
    /// # Errors
    /// What the database or the disk says; what was removed until then is removed.
    pub async fn sweep(&self, unused: Duration) -> Result<Swept, Problem> {
        let before = Utc::now().naive_utc() - chrono::Duration::from_std(unused).unwrap_or(chrono::Duration::MAX);
        let mut swept = Swept { jobs: unused::remove_jobs(&self.pool, before).await?, ..Swept::default() };
        sessions::remove_over(&self.pool).await?;
        let used = unused::used_sounds(&self.pool).await?;
        for (hash, last_modified) in self.files.stored().await? {
            if used.contains(&hash) || last_modified.naive_utc() >= before {
                continue;
            }
            if let Some(bytes) = unused::remove_sound(&self.pool, &self.files, &hash, before).await? {
                swept.sounds += 1;
                swept.bytes += bytes;
            }
        }
        Ok(swept)
    }

    /// Sweeps once a day, from an hour after the start on.
    pub fn sweep_daily(&self) {
        const HOUR: Duration = Duration::from_secs(3600);
        /// How long what nobody names is kept: who undoes an upload after a week brings the file in again.
        const UNUSED: Duration = Duration::from_secs(7 * 24 * 3600);
        let studio = self.clone();
        tokio::spawn(async move {
            tokio::time::sleep(HOUR).await;
            loop {
                match studio.sweep(UNUSED).await {
                    Ok(swept) => tracing::info!(?swept, "swept"),
                    Err(cause) => tracing::warn!(%cause, "sweeping failed; it is tried again tomorrow"),
                }
                tokio::time::sleep(24 * HOUR).await;
            }
        });
    }
}
