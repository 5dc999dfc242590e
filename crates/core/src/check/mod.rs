//! Checking a plan before it is handed over: findings, each with its place and what to do.

mod measured;

pub use measured::{MEASURED, measured_findings};

use crate::fit::FittingEnd;
use crate::plan::{Plan, Role};
use crate::reading::Reading;
use crate::shape::{LEAST_UNDER_SPEECH_DB, LevelObject};
use serde::{Deserialize, Serialize};

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Weight {
    /// Good to know.
    Note,
    /// Worth a look before handing over.
    Look,
}

/// One thing found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Finding {
    /// How much it matters.
    pub weight: Weight,
    /// Where, in samples of the cut.
    pub at_samples: u64,
    /// What was found.
    pub text: String,
    /// What to do about it.
    pub mend: String,
}

/// What [`findings`] looks at, as sentences that hold when it finds nothing.
pub const LOOKED_AT: [&str; 8] = [
    "The bed may be used for what this cut is for, as far as its terms are known.",
    "The cut has a bed, and the bed lasts to the end of the picture.",
    "Nothing hangs past the picture, and no phrase is cut off by its end.",
    "The bed keeps at least 18 dB under the voice while it speaks.",
    "The phrases of the voice are alike in loudness, within 6 dB.",
    "Every splice is one that nobody should notice.",
    "The bed's own ending is kept, when it has one.",
    "The beat that the splices lie on is certain.",
];

/// Phrases that differ by more than this want evening, in dB (common practice: voice pieces are alike).
const UNEVEN_DB: f64 = 6.0;

/// Splices at least so hard to hear (of 100) nobody should notice,
const NOBODY: u8 = 70;
/// and those at least so hard deserve a listen ([`crate::fit::Splice::hard_to_hear`]).
const LISTEN: u8 = 40;

/// Looks a plan over. `reading` is the bed's, when there is one; `objections` say why the bed may
/// not be used for what the cut is for ([`crate::terms::objection`]).
pub fn findings(plan: &Plan, reading: Option<&Reading>, objections: &[String]) -> Vec<Finding> {
    let mut all = Vec::new();
    let mut add = |weight, at_samples, text: String, mend: &str| all.push(Finding { weight, at_samples, text, mend: mend.to_owned() });
    if plan.bed().is_none() {
        add(Weight::Look, 0, "This cut has no bed.".into(), "Bring one in at Beds.");
        return all;
    }
    for objection in objections {
        add(Weight::Look, 0, objection.clone(), "Choose another bed, or settle it with the supplier and change what the cut is for at Picture.");
    }
    if !plan.layers.iter().any(|l| l.role == Role::Narration) {
        add(Weight::Note, 0, "This cut has no narration, so the bed has no dips.".into(), "Bring one in at Voice, if there is one.");
    }
    for phrase in plan.phrases.iter().filter(|p| p.end_samples > plan.length_samples) {
        add(
            Weight::Look,
            phrase.start_samples.min(plan.length_samples),
            "A phrase is cut off by the end of the picture.".into(),
            "Make the cut longer or the narration shorter.",
        );
    }
    if let Some(uneven) = plan.uneven_db.filter(|db| *db > UNEVEN_DB) {
        let is_evened = plan.layers.iter().any(|l| l.role == Role::Narration && l.levels.iter().any(|o| matches!(o, LevelObject::Trim { .. })));
        let (still, mend) = if is_evened {
            (" still", "Bring in a better take of the soft one at Voice: raised further, its room would be heard.")
        } else {
            ("", "Even the phrases out at Shape, among the figures.")
        };
        let text = format!("The loudest phrase{still} lies {uneven:.0} dB over the softest one.");
        add(Weight::Note, plan.phrases.first().map_or(0, |p| p.start_samples), text, mend);
    }
    for object in plan.beds().flat_map(crate::plan::Layer::heard_levels) {
        if let LevelObject::Dip { start_samples, under_speech_db, .. } = *object
            && under_speech_db < LEAST_UNDER_SPEECH_DB
        {
            let text = format!("The bed lies only {under_speech_db:.0} dB under the voice here.");
            add(Weight::Look, start_samples, text, "18 to 25 dB keep every word clear: lower the dip.");
        }
    }
    for fitting in plan.beds().filter_map(|b| b.fitting.as_ref()) {
        for splice in &fitting.splices {
            let hard = splice.hard_to_hear();
            let (weight, text) = match hard {
                // How often a sequel passes nothing tells.
                NOBODY.. if splice.is_sequel => (Weight::Note, "Another phrase goes on here than would have come"),
                NOBODY.. => continue,
                LISTEN.. => (Weight::Note, "This splice deserves a listen"),
                _ => (Weight::Look, "This splice may be heard"),
            };
            let text = format!("{text} ({hard} of 100 hard to hear): bar {} goes on at bar {}.", splice.leave_bar, splice.enter_bar + 1);
            add(weight, splice.at_samples, text, "Listen to it; if it shows, take another fitting.");
        }
        for note in &fitting.notes {
            add(Weight::Look, fitting.start_samples, note.clone(), "Listen, or bring another bed.");
        }
    }
    // A bed that gives over to the next one may well lose its ending.
    let last = plan.bed().and_then(|b| b.fitting.as_ref()).filter(|f| f.end_samples() >= plan.length_samples);
    if let Some(fitting) = last
        && fitting.end == FittingEnd::Fade
        && reading.is_some_and(|r| r.ending.kind == crate::reading::EndingKind::OwnEnding)
    {
        add(Weight::Note, plan.length_samples, "The bed fades although it has an ending of its own.".into(), "Look for a fitting with its own ending.");
    }
    all
}
