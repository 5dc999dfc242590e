//! What was looked at and stays as it is.

use crate::cut::{Accepted, Cut, Effect, Refusal};
use jaunty_units::message;
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};

/// As many findings may be accepted.
const MOST_ACCEPTED: usize = 500;
/// A name is at most so long, in characters.
const MOST_NAME_CHARS: usize = 80;

/// A change of what was accepted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum CheckChange {
    /// A finding is accepted: somebody looked, and it stays.
    Accept(Accepted),
    /// It is to be looked at again.
    Reopen {
        /// Which finding.
        finding: String,
    },
}

impl CheckChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        let all = &mut cut.setup.accepted;
        match self {
            Self::Accept(Accepted { finding, by }) => {
                let by = by.trim();
                if by.is_empty() || by.chars().count() > MOST_NAME_CHARS || by.contains(char::is_control) {
                    return Err(Refusal::NotAllowed(format!("Who accepts it has a name of 1 to {MOST_NAME_CHARS} characters.")));
                }
                let is_key = finding.len() == 64 && finding.bytes().all(|b| b.is_ascii_hexdigit());
                if !is_key || all.len() >= MOST_ACCEPTED {
                    return Err(Refusal::Unknown("finding"));
                }
                all.retain(|a| a.finding != *finding);
                all.push(Accepted { finding: finding.clone(), by: by.to_owned() });
            }
            Self::Reopen { finding } => {
                let before = all.len();
                all.retain(|a| a.finding != *finding);
                if all.len() == before {
                    return Err(Refusal::Unknown("finding"));
                }
            }
        }
        Ok(Effect::Note(None))
    }

    pub(super) fn message(&self) -> Message {
        match self {
            Self::Accept(accepted) => message!("check.accept", by = accepted.by.trim()),
            Self::Reopen { .. } => message!("check.reopen"),
        }
    }
}
