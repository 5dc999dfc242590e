//! What follows from a change.

use crate::handover::Form;
use jaunty_shape::plan::Role;
use serde::{Deserialize, Serialize};

/// What must be computed anew after a change.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// The cut stays as it is; something may be done in the background that changes it then.
    Unchanged(Option<Work>),
    /// It is noted, and nothing sounds otherwise; something may be done in the background.
    Note(Option<Work>),
    /// The levels.
    Reshape,
    /// The splices of the fittings, as they were changed by hand, and the levels.
    Retouch,
    /// The fittings and the levels, while somebody waits.
    Refit,
    /// Whatever is not as the plan has it, in the background.
    Replan,
}

/// Something that is done in the background.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum Work {
    /// Decode, recognise and read a sound; then use it where the cut waits for one.
    Read {
        /// The sound.
        sound: String,
        /// What it is to the cut.
        role: Role,
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
    /// Bring a bed to another tempo, its pitch kept.
    Retime {
        /// Hash of the file as it came.
        original: String,
        /// Beats a minute over its own.
        tempo: f64,
    },
    /// Fit every candidate, for comparing and listening.
    Compare,
    /// Make a file to hand over.
    HandOver {
        /// Of which revision.
        revision: u32,
        /// What.
        form: Form,
    },
}
