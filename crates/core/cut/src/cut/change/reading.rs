//! Corrections of the reading of the bed at hand.

use crate::cut::{Candidate, Cut, Effect, Refusal, Setup};
use jaunty_reading::reading::Correction;
use jaunty_units::message;
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};

/// A change of what was said about the reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum ReadingChange {
    /// Something is said about it.
    Correct {
        /// What.
        correction: Correction,
    },
    /// A correction is taken back, whenever it was made.
    TakeBack {
        /// Its name: [`Correction::name`].
        correction: String,
    },
}

fn bed_of(setup: &mut Setup) -> Result<&mut Candidate, Refusal> {
    let hash = setup.bed.as_ref().map(|b| b.hash.clone()).ok_or(Refusal::Unknown("bed"))?;
    setup.candidate(&hash).ok_or(Refusal::Unknown("bed"))
}

/// The newest of that name.
fn newest(corrections: &[Correction], name: &str) -> Result<usize, Refusal> {
    corrections.iter().rposition(|c| c.name() == name).ok_or(Refusal::Unknown("correction"))
}

impl ReadingChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        let bed = bed_of(&mut cut.setup)?;
        match self {
            Self::Correct { correction } => {
                correction.check().map_err(Refusal::not_allowed)?;
                bed.corrections.push(correction.clone());
            }
            Self::TakeBack { correction } => drop(bed.corrections.remove(newest(&bed.corrections, correction)?)),
        }
        Ok(Effect::Replan)
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        match self {
            Self::Correct { correction } => message!("reading.correct", correction = correction.message()),
            Self::TakeBack { correction } => {
                let said = before.setup.bed.as_ref().map_or(&[][..], |b| before.setup.corrections(&b.hash));
                message!("reading.takeBack", correction = newest(said, correction).map(|k| said[k].message()).unwrap_or_default())
            }
        }
    }
}
