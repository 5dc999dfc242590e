//! The beds to choose from, and those on the cut.

use crate::cut::{Candidate, Cut, Effect, MOST_TEMPO_PERCENT, Opinion, OwnTerms, PartError, Readings, Refusal, Setup, Take, UsedSound, Work, within_a_cut};
use jaunty_picture::terms::Terms;
use jaunty_reading::kind::Kind;
use jaunty_shape::plan::Role;
use jaunty_shape::plan::succession::Handover;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use serde::{Deserialize, Serialize};

/// The longest note, in characters.
const MOST_NOTE_CHARS: usize = 500;

/// A change of the beds. A bed on the cut is named by the sample of the cut from which on it lies.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum BedChange {
    /// A candidate is the bed, in place of the one at hand.
    Use {
        /// Hash of the candidate.
        sound: String,
    },
    /// There is no bed.
    UseNone,
    /// What somebody thinks of a candidate.
    Candidate(CandidateChange),
    /// A candidate goes; its sound stays stored.
    Drop {
        /// Hash of the candidate.
        sound: String,
    },
    /// A candidate gets faster or slower, its pitch kept; beats, pins and whatever else is said about it follow.
    #[serde(rename_all = "camelCase")]
    Tempo {
        /// Hash of the candidate.
        sound: String,
        /// By how much faster than the file as it came, in percent, -30 to 30; 0 for as it came.
        faster_percent: Option<f64>,
        /// Or how many beats a minute it is to have.
        bpm: Option<f64>,
    },
    /// Another bed goes on from a moment of the cut on; it is at hand then.
    #[serde(rename_all = "camelCase")]
    GoOnWith {
        /// Hash of the candidate.
        sound: String,
        /// The middle of the handover, in samples of the cut.
        at_samples: u64,
        /// How long both are heard; as long as usual without one.
        length_samples: Option<u64>,
    },
    /// A bed of the cut is taken to hand: reading, fit and wishes are about it then.
    #[serde(rename_all = "camelCase")]
    TakeToHand {
        /// Where it lies.
        from_samples: u64,
    },
    /// The handover into a bed moves, or gets longer or shorter.
    #[serde(rename_all = "camelCase")]
    MoveHandover {
        /// Where that bed lies.
        from_samples: u64,
        /// The middle of the handover.
        at_samples: u64,
        /// How long both are heard; as long as usual without one.
        length_samples: Option<u64>,
    },
    /// A bed is taken off the cut; its time goes to its neighbour.
    #[serde(rename_all = "camelCase")]
    TakeOff {
        /// Where it lies.
        from_samples: u64,
    },
}

/// What somebody thinks of a candidate; what is not named stays.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct CandidateChange {
    /// Hash of the candidate.
    pub sound: String,
    /// Yes, maybe, no.
    pub opinion: Option<Opinion>,
    /// A note, at most 500 characters.
    pub note: Option<String>,
    /// What it is, against what was recognised. Speech becomes a take of the narration.
    pub kind: Option<Kind>,
    /// By which terms a file of one's own is used.
    pub terms: Option<AskedTerms>,
}

/// Terms of a file of one's own, or that nothing is said about them.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct AskedTerms {
    /// The terms; none to say nothing.
    pub terms: Option<Terms>,
    /// The line to credit it with, at most 500 characters.
    #[serde(default)]
    pub credit: String,
}

/// A handover, if it is sensible.
pub(super) fn handover(at_samples: u64, length_samples: Option<u64>) -> Result<Handover, Refusal> {
    Ok(Handover { at_samples: within_a_cut(at_samples)?, length_samples: length_samples.map_or(Ok(Handover::USUAL_SAMPLES), within_a_cut)? })
}

impl From<PartError> for Refusal {
    fn from(cause: PartError) -> Self {
        match cause {
            PartError::NoPart => Self::Unknown("bed"),
            PartError::NoBed | PartError::NoFilm | PartError::Succession(_) => Self::NotAllowed(format!("Not possible: {cause}.")),
        }
    }
}

fn candidate<'a>(setup: &'a Setup, sound: &str) -> Result<&'a Candidate, Refusal> {
    setup.candidates.iter().find(|c| c.hash == sound).ok_or(Refusal::Unknown("candidate"))
}

/// A candidate that has been read.
fn read(setup: &Setup, readings: &Readings, sound: &str) -> Result<UsedSound, Refusal> {
    let found = candidate(setup, sound)?;
    if !readings.beds.contains_key(sound) {
        return Err(Refusal::not_allowed("This bed is still being read. Choose it when its bars are known."));
    }
    Ok(UsedSound { hash: found.hash.clone(), name: found.name.clone() })
}

fn part(setup: &Setup, from_samples: u64) -> Result<usize, Refusal> {
    setup.parts().iter().position(|p| p.place.start_samples == from_samples).ok_or(Refusal::Unknown("bed"))
}

fn on_the_cut(setup: &Setup, at_samples: u64, otherwise: &str) -> Result<(), Refusal> {
    if at_samples < setup.picture.length_samples() { Ok(()) } else { Err(Refusal::not_allowed(otherwise)) }
}

impl BedChange {
    pub(super) fn needs(&self) -> Vec<(String, Role)> {
        match self {
            Self::Use { sound } | Self::GoOnWith { sound, .. } | Self::Tempo { sound, .. } => vec![(sound.clone(), Role::Bed)],
            _ => Vec::new(),
        }
    }

    pub(super) fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        let setup = &mut cut.setup;
        match self {
            Self::Use { sound } => {
                let bed = read(setup, readings, sound)?;
                setup.use_bed(bed);
            }
            Self::UseNone => (setup.bed, setup.laid) = (None, Vec::new()),
            Self::Candidate(change) => return change.apply(setup),
            Self::Drop { sound } => {
                candidate(setup, sound)?;
                let lies = setup.parts().iter().any(|p| setup.bed_of(*p).is_some_and(|b| b.hash == *sound));
                setup.forget(sound);
                return Ok(if lies { Effect::Replan } else { Effect::Note(None) });
            }
            Self::Tempo { sound, faster_percent, bpm } => {
                read(setup, readings, sound)?;
                let (found, reading) = (candidate(setup, sound)?, &readings.beds[sound]);
                let wanted = match (*faster_percent, *bpm) {
                    (Some(percent), None) => 1.0 + percent / 100.0,
                    (None, Some(bpm)) if reading.tempo_bpm > 0.0 => bpm * found.tempo() / reading.tempo_bpm,
                    (None, Some(_)) => return Err(Refusal::not_allowed("No beat was found in this bed. Say by how many percent it is to be faster.")),
                    _ => return Err(Refusal::not_allowed("Say by how many percent it is to be faster, or how many beats a minute it is to have.")),
                };
                // Also where it is no number.
                if !wanted.is_finite() || (wanted - 1.0).abs() > MOST_TEMPO_PERCENT / 100.0 + 1e-9 {
                    return Err(Refusal::NotAllowed(format!("A bed gets at most {MOST_TEMPO_PERCENT} % faster or slower.")));
                }
                let tempo = (wanted * 10_000.0).round() / 10_000.0;
                let original = found.original().to_owned();
                if tempo == found.tempo() {
                    return Ok(Effect::Unchanged(None));
                }
                if tempo != 1.0 {
                    return Ok(Effect::Unchanged(Some(Work::Retime { original, tempo })));
                }
                setup.retime(&original, &original, 1.0, reading);
            }
            Self::GoOnWith { sound, at_samples, length_samples } => {
                let handover = handover(*at_samples, *length_samples)?;
                on_the_cut(setup, *at_samples, "That is behind the end of the cut. Put the playhead where the next bed is to begin.")?;
                let bed = read(setup, readings, sound)?;
                setup.go_on_with(bed, handover)?;
            }
            Self::TakeToHand { from_samples } => setup.take_to_hand(part(setup, *from_samples)?)?,
            Self::MoveHandover { from_samples, at_samples, length_samples } => {
                let handover = handover(*at_samples, *length_samples)?;
                on_the_cut(setup, *at_samples, "That is behind the end of the cut. A handover lies before it.")?;
                setup.hand_over_at(part(setup, *from_samples)?, handover)?;
            }
            Self::TakeOff { from_samples } => setup.take_off(part(setup, *from_samples)?)?,
        }
        Ok(Effect::Replan)
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let name = |sound: &str| candidate(&before.setup, sound).map_or("?", |c| c.name.as_str()).to_owned();
        match self {
            Self::Use { sound } => message!("bed.use", name = name(sound)),
            Self::UseNone => message!("bed.useNone"),
            Self::Candidate(change) => change.message(&name(&change.sound)),
            Self::Drop { sound } => message!("bed.drop", name = name(sound)),
            Self::Tempo { sound, faster_percent: Some(0.0), .. } => message!("bed.ownTempo", name = name(sound)),
            Self::Tempo { sound, .. } => message!("bed.otherTempo", name = name(sound)),
            Self::GoOnWith { sound, .. } => message!("bed.goOnWith", name = name(sound)),
            Self::TakeToHand { .. } => message!("bed.takeToHand"),
            Self::MoveHandover { at_samples, .. } => message!("bed.handOverAt", seconds = Fact::length(*at_samples)),
            Self::TakeOff { .. } => message!("bed.takeOff"),
        }
    }
}

impl CandidateChange {
    fn apply(&self, setup: &mut Setup) -> Result<Effect, Refusal> {
        let (hash, name) = candidate(setup, &self.sound).map(|c| (c.hash.clone(), c.name.clone()))?;
        if self.note.as_ref().is_some_and(|note| note.chars().count() > MOST_NOTE_CHARS) {
            return Err(Refusal::NotAllowed(format!("A note has at most {MOST_NOTE_CHARS} characters. Shorten it.")));
        }
        if self.opinion.is_none() && self.note.is_none() && self.kind.is_none() && self.terms.is_none() {
            return Err(Refusal::not_allowed("Say what to change: the mark, the note, the kind or the terms."));
        }
        if self.kind == Some(Kind::Speech) {
            setup.forget(&hash);
            setup.takes.push(Take::new(&hash, &name));
        }
        if let Some(candidate) = setup.candidate(&hash) {
            candidate.opinion = self.opinion.or(candidate.opinion);
            candidate.kind_by_hand = self.kind.or(candidate.kind_by_hand);
            if let Some(asked) = &self.terms {
                if candidate.licence.is_some() {
                    return Err(Refusal::not_allowed("The terms of this piece are its supplier's."));
                }
                if asked.credit.chars().count() > MOST_NOTE_CHARS || asked.credit.contains(char::is_control) {
                    return Err(Refusal::NotAllowed(format!("A credit is one line of at most {MOST_NOTE_CHARS} characters.")));
                }
                candidate.own_terms = asked.terms.map(|terms| OwnTerms { terms, credit: asked.credit.trim().to_owned() });
            }
            if let Some(note) = &self.note {
                candidate.note.clone_from(note);
            }
        }
        let role = match self.kind {
            Some(Kind::Speech) => Some(Role::Narration),
            Some(Kind::Music) => Some(Role::Bed),
            Some(Kind::Room) | None => None,
        };
        Ok(Effect::Note(role.map(|role| Work::Read { sound: hash, role })))
    }

    fn message(&self, name: &str) -> Message {
        match (self.opinion, &self.note, self.kind) {
            (Some(Opinion::Yes), ..) => message!("bed.yes", name = name),
            (Some(Opinion::Maybe), ..) => message!("bed.maybe", name = name),
            (Some(Opinion::No), ..) => message!("bed.no", name = name),
            (_, _, Some(Kind::Music)) => message!("bed.isMusic", name = name),
            (_, _, Some(Kind::Speech)) => message!("bed.isSpeech", name = name),
            (_, _, Some(Kind::Room)) => message!("bed.isRoom", name = name),
            (None, None, None) if self.terms.is_some() => message!("bed.terms", name = name),
            (None, _, None) => message!("bed.note", name = name),
        }
    }
}
