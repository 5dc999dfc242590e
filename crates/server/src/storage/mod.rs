//! Where state lives: MariaDB, and an object store for sounds.
//!
//! Both can be shared by any number of servers and workers. The [`Sounds::working_file`] of a
//! sound is only a cache and made anew when it is missing.

mod sounds;

pub use sounds::{Sounds, StoredSound};

use sqlx::mysql::{MySqlPool, MySqlPoolOptions};

/// Connects and brings the tables up to date.
///
/// # Errors
/// What the database says.
pub async fn connect(url: &str) -> Result<MySqlPool, sqlx::Error> {
    let pool = MySqlPoolOptions::new().max_connections(12).connect(url).await?;
    sqlx::migrate!().run(&pool).await?;
    Ok(pool)
}
