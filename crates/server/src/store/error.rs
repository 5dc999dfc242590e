//! What can go wrong in the store.

use crate::apart::SoundError;
use jaunty_media::DecodeError;
use sqlx::mysql::MySqlDatabaseError;
use std::io;

/// Why something could not be stored or found.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// There is no such cut.
    #[error("there is no such cut")]
    NoCut,
    /// A sound is named to which the project of the cut has no right.
    #[error("there is no such sound")]
    NoSound,
    /// Another revision is shown by now.
    #[error("another change came first")]
    Stale,
    /// There is nothing to go back or on to.
    #[error("there is nothing further")]
    NothingFurther,
    /// A disk is full; the text says whose.
    #[error("there is no room on {0}")]
    NoRoom(&'static str),
    /// An upload is over its limit.
    #[error("the file has more than {most_bytes} bytes")]
    TooLarge {
        /// The limit.
        most_bytes: u64,
    },
    /// An upload broke off.
    #[error("the file did not arrive whole")]
    BrokenOff,
    /// Two transactions waited for each other; nothing was changed, and the same request will do.
    #[error("two changes waited for each other")]
    Waited,
    /// The database does not answer.
    #[error("the database does not answer: {0}")]
    Away(sqlx::Error),
    /// A sound cannot be had.
    #[error(transparent)]
    Sound(#[from] SoundError),
    /// What is stored is damaged, or a statement is wrong: a fault of ours.
    #[error("{0}")]
    Fault(Box<dyn std::error::Error + Send + Sync>),
}

impl StoreError {
    /// Something that is stored and makes no sense.
    pub fn damaged(what: &str) -> Self {
        Self::Fault(what.into())
    }
}

/// Whether two transactions waited for each other, and this one was called off (ISO/IEC 9075: class 40).
pub(super) fn was_called_off(cause: &sqlx::Error) -> bool {
    cause.as_database_error().and_then(|e| e.code()).is_some_and(|code| code.starts_with("40"))
}

impl From<sqlx::Error> for StoreError {
    fn from(cause: sqlx::Error) -> Self {
        /// MariaDB's numbers for a disk or a table that is full, and for a lock that was waited for too long.
        const FULL: [u16; 2] = [1021, 1114];
        const WAITED: u16 = 1205;
        let number = cause.as_database_error().and_then(|e| e.try_downcast_ref::<MySqlDatabaseError>()).map(MySqlDatabaseError::number);
        match cause {
            _ if number.is_some_and(|n| FULL.contains(&n)) => Self::NoRoom("the disk of the database"),
            _ if number == Some(WAITED) || was_called_off(&cause) => Self::Waited,
            sqlx::Error::PoolTimedOut | sqlx::Error::PoolClosed | sqlx::Error::Io(_) => Self::Away(cause),
            other => Self::Fault(other.into()),
        }
    }
}

impl From<io::Error> for StoreError {
    fn from(cause: io::Error) -> Self {
        use io::ErrorKind;
        match cause.kind() {
            ErrorKind::StorageFull | ErrorKind::QuotaExceeded | ErrorKind::FileTooLarge => Self::NoRoom("the server's disk"),
            _ => Self::Fault(cause.into()),
        }
    }
}

impl From<object_store::Error> for StoreError {
    fn from(cause: object_store::Error) -> Self {
        Self::Fault(cause.into())
    }
}

impl From<serde_json::Error> for StoreError {
    fn from(cause: serde_json::Error) -> Self {
        Self::Fault(cause.into())
    }
}

impl From<DecodeError> for StoreError {
    fn from(cause: DecodeError) -> Self {
        Self::Fault(cause.into())
    }
}
