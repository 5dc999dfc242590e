//! Where state lives: MariaDB, and an object store for sounds.
//!
//! Both can be shared by any number of servers and workers. The [`Sounds::working_file`] of a
//! sound is only a cache and made anew when it is missing.

mod making;
mod sounds;

pub use sounds::{Received, Room, Sounds};

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
    sqlx::migrate!().run(&pool).await?;
    Ok(pool)
}
