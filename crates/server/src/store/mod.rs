//! The store: MariaDB, and an object store for sounds. All SQL is here, and nothing of HTTP.
//!
//! Both can be shared by any number of servers and workers. The [`Files::working_file`] of a
//! sound is only a cache and made anew when it is missing.
//!
//! | part | holds |
//! |---|---|
//! | `cuts` | cuts and their revisions |
//! | `documents` | what revisions name: setups, plans, fittings |
//! | `sounds` | sounds and what was read of them |
//! | `comparisons` | candidates as they would lie |
//! | `licences` | which pieces of a supplier were taken |
//! | `jobs` | the queue |
//! | `archive` | whole cuts, out of the tables and into them |
//! | `handed` | files that were handed over |
//! | `bucket` | sounds in a bucket |
//! | `files` | the sounds themselves, uploads on their way, working files |
//! | `people` | people, projects, who may hear what |
//! | `keys` | keys that were given away |
//! | `sessions` | sessions, and what the servers of a house share |
//! | `remarks` | what people said of cuts, and the record of who did what |
//! | `watched` | what is new of cuts, and who looks at them |
//! | `unused` | what nothing names any more |
//! | `migrations` | the tables, as they came to be |
//! | `sql` | pieces of SQL that several parts need |

pub mod archive;
mod bucket;
mod cache;
pub mod comparisons;
pub mod cuts;
mod documents;
mod error;
mod files;
pub mod handed;
pub mod house;
pub mod jobs;
pub mod keys;
pub mod licences;
mod making;
mod migrations;
pub mod people;
pub mod remarks;
pub mod sessions;
pub mod sounds;
mod sql;
pub mod unused;
pub mod watched;

pub use error::StoreError;
pub use files::{Files, Received, Room};

use sqlx::Executor;
use sqlx::mysql::{MySqlPool, MySqlPoolOptions};

/// Connects and brings the tables up to date.
///
/// # Errors
/// What the database says.
pub async fn connect(url: &str) -> Result<MySqlPool, sqlx::Error> {
    // Committed reads hold no gaps: a wish and its job are stored in one transaction while workers
    // look for jobs, and with gap locks the two can wait for each other.
    let pool = MySqlPoolOptions::new()
        .max_connections(12)
        // Who waits longer is told that the database is away.
        .acquire_timeout(std::time::Duration::from_millis(1500))
        .after_connect(|connection, _| {
            Box::pin(async move {
                connection.execute("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED").await?;
                Ok(())
            })
        })
        .connect(url)
        .await?;
    let mut migrator = migrations::all();
    // While a house is brought up to date one machine after the other, workers of the version before start anew beside a newer one.
    migrator.set_ignore_missing(true);
    migrator.run(&pool).await?;
    Ok(pool)
}

/// Whether the database answers.
///
/// # Errors
/// [`StoreError::Away`].
pub async fn answers(pool: &MySqlPool) -> Result<(), StoreError> {
    sqlx::query("SELECT 1").execute(pool).await?;
    Ok(())
}
