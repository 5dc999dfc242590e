//! Long work: rows in MariaDB that workers lease, renew and finish.
//!
//! A worker that dies stops renewing its lease, and the next one takes the job up again, as its
//! next attempt. [`queue`] holds the SQL, [`worker`] the loop, [`tasks`] the work itself.

pub mod queue;
pub mod tasks;
pub mod worker;

use serde::{Deserialize, Serialize};

/// What a job does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum Task {
    /// Decode, recognise and read a sound; then use it where the cut waits for one.
    Read {
        /// The sound.
        sound: String,
        /// What it is to the cut.
        role: jaunty_core::plan::Role,
        /// What the user did, for the history.
        what: String,
    },
    /// Fit and shape the cut as it is wanted by now.
    Plan,
    /// Take the own sound out of a film.
    FilmSound {
        /// Hash of the film.
        film: String,
    },
    /// Speak the written lines where nobody speaks yet.
    Scratch,
    /// Take steady noise out of a take.
    Clean {
        /// The take.
        take: String,
    },
    /// Fit every candidate, for comparing and listening.
    Compare,
}
