//! What of a list was not used, and why.

use serde::{Deserialize, Serialize};

/// Something on a list that was not used.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unused {
    /// Number of its line, from 1; formats without lines have none.
    pub line: Option<usize>,
    /// What stands there, shortened.
    pub text: String,
    /// Why it was not used.
    pub reason: String,
}

impl Unused {
    /// What a line holds, shortened to what somebody reads.
    pub fn new(line: Option<usize>, text: &str, reason: impl Into<String>) -> Self {
        let text: String = text.trim().chars().filter(|c| !c.is_control() || *c == '\t').take(120).collect();
        Self { line, text, reason: reason.into() }
    }
}

/// How many lines of a list are told as unused; a longer list is wrong as a whole.
const MOST_TOLD: usize = 200;

/// Leaves so many unused lines as somebody reads, and says how many more there are.
pub fn tell_unused(unused: &mut Vec<Unused>) {
    if unused.len() > MOST_TOLD {
        let more = unused.len() - MOST_TOLD;
        unused.truncate(MOST_TOLD);
        unused.push(Unused { line: None, text: format!("{more} more lines"), reason: "for reasons like those above".into() });
    }
}
