//! The narration: takes, what is heard of them, its phrases, and its written lines.

use crate::cut::{Cut, Effect, Readings, Refusal, Setup, Take, Work, within_a_cut};
use jaunty_picture::picture::{Line, MOST_MARKS};
use jaunty_shape::plan::Role;
use jaunty_shape::shape::{Entry, entry};
use jaunty_speech::speech::{Phrase, PhraseEdit, SpeechReading, corrected};
use jaunty_speech::voice::{Piece, lay, move_after, take_out};
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::seconds_from_samples;
use serde::{Deserialize, Serialize};

/// A line that takes a minute to speak.
pub(crate) const MOST_LINE_CHARS: usize = 600;

/// A change of the narration. Places are samples of the cut; a phrase is named by any place in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum VoiceChange {
    /// A passage goes, and what comes after it moves up.
    #[serde(rename_all = "camelCase")]
    TakeOut {
        /// From.
        start_samples: u64,
        /// To.
        end_samples: u64,
    },
    /// Everything from a point on moves.
    #[serde(rename_all = "camelCase")]
    MoveAfter {
        /// The point.
        at_samples: u64,
        /// Later by so much; earlier for negative, as far as there is room.
        by_samples: i64,
    },
    /// The voice enters, all of it moved, once the bed has been alone for so long.
    #[serde(rename_all = "camelCase")]
    Enter {
        /// How long the bed is alone.
        alone_samples: u64,
        /// What the voice waits for then.
        on: Entry,
    },
    /// A phrase begins and ends elsewhere.
    #[serde(rename_all = "camelCase")]
    Edges {
        /// A place in it.
        phrase: u64,
        /// Where it begins.
        start_samples: u64,
        /// Where it is over.
        end_samples: u64,
    },
    /// A phrase and the next one are one.
    JoinNext {
        /// A place in it.
        phrase: u64,
    },
    /// A phrase is two.
    #[serde(rename_all = "camelCase")]
    Split {
        /// Where the second begins.
        at_samples: u64,
    },
    /// A phrase is no speech.
    NotSpeech {
        /// A place in it.
        phrase: u64,
    },
    /// A take, or one phrase of it, is used in place of what lies there.
    UseTake {
        /// Hash of the take.
        take: String,
        /// A place in the phrase, as the take would lie on the cut; the whole take without one.
        phrase: Option<u64>,
    },
    /// The steady noise of a take is taken out, or it is heard as it came.
    Clean {
        /// Hash of the take.
        take: String,
        /// Whether it is taken out.
        on: bool,
    },
    /// A take goes, with what is used of it; its sound stays stored.
    DropTake {
        /// Hash of the take.
        take: String,
    },
    /// One piece is not heard; its take stays.
    #[serde(rename_all = "camelCase")]
    DropPiece {
        /// Where it begins.
        at_samples: u64,
    },
    /// The written lines, all of them.
    Lines {
        /// The lines.
        lines: Vec<Line>,
    },
    /// A machine speaks the written lines, where nobody speaks yet.
    Speak,
}

/// Lays a take, or the phrase of it that is spoken at a place of the cut. A phrase is laid with a little of the room
/// around it.
///
/// # Errors
/// There is no such phrase.
pub fn lay_take(pieces: &mut Vec<Piece>, take: &Take, reading: &SpeechReading, phrase: Option<u64>) -> Result<(), Refusal> {
    /// A tenth of a second of room on either side of a phrase.
    const ROOM_SAMPLES: u64 = 4800;
    let phrases = corrected(&reading.phrases, &take.edits);
    let (start, end) = match phrase {
        None => (0, reading.length_samples),
        Some(at) => {
            let one = at.checked_sub(take.at_samples).and_then(|at| phrases.iter().find(|p| (p.start_samples..p.end_samples).contains(&at)));
            let one = one.ok_or(Refusal::Unknown("phrase"))?;
            (one.start_samples.saturating_sub(ROOM_SAMPLES), (one.end_samples + ROOM_SAMPLES).min(reading.length_samples))
        }
    };
    let (sound, cut_start_samples) = (take.hash.clone(), take.at_samples + start);
    lay(pieces, Piece { sound, source_start_samples: start, source_end_samples: end, cut_start_samples, scratch: None }, &phrases);
    Ok(())
}

fn take<'a>(setup: &'a Setup, hash: &str) -> Result<&'a Take, Refusal> {
    setup.takes.iter().find(|t| t.hash == hash).ok_or(Refusal::Unknown("take"))
}

fn read<'a>(readings: &'a Readings, hash: &str, otherwise: &str) -> Result<&'a SpeechReading, Refusal> {
    readings.speech.get(hash).ok_or_else(|| Refusal::not_allowed(otherwise))
}

fn phrase(cut: &Cut, at: u64) -> Option<(usize, &Phrase)> {
    cut.plan.phrases.iter().enumerate().find(|(_, p)| (p.start_samples..p.end_samples).contains(&at))
}

/// Says something about the phrase of the take that is heard at `at`, and of the film where its talk is speech: whichever has none
/// there does not mind. `edit` gets the place in the take, and by how much places in the take lie behind those on the cut.
fn edit_phrase(setup: &mut Setup, at: u64, edit: impl Fn(u64, i64) -> PhraseEdit) -> Result<(), Refusal> {
    let piece = setup.pieces.iter().find(|p| p.scratch.is_none() && p.on_cut().contains(&at));
    let film = setup.film.as_mut().filter(|f| f.talks().is_some());
    if piece.is_none() && film.is_none() {
        return Err(Refusal::not_allowed("Nobody speaks there but the scratch voice; its lines are changed at Voice."));
    }
    if let Some(film) = film {
        film.edits.push(edit(at, 0));
    }
    let Some(piece) = piece else { return Ok(()) };
    let shift = piece.source_start_samples as i64 - piece.cut_start_samples as i64;
    let take = setup.takes.iter_mut().find(|t| t.hash == piece.sound).ok_or(Refusal::Unknown("take"))?;
    take.edits.push(edit((at as i64 + shift).max(0) as u64, shift));
    Ok(())
}

impl VoiceChange {
    pub(super) fn needs(&self, setup: &Setup) -> Vec<(String, Role)> {
        match self {
            Self::Enter { .. } => setup.parts().iter().filter_map(|p| Some((setup.bed_of(*p)?.hash.clone(), Role::Bed))).collect(),
            Self::UseTake { take, .. } | Self::Clean { take, .. } => vec![(take.clone(), Role::Narration)],
            _ => Vec::new(),
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        let time = |at: u64| within_a_cut(at).map(|_| ());
        match *self {
            Self::TakeOut { start_samples, end_samples } | Self::Edges { start_samples, end_samples, .. } => {
                time(end_samples)?;
                if end_samples > start_samples { Ok(()) } else { Err(Refusal::not_allowed("A passage ends after it begins, within the cut.")) }
            }
            Self::MoveAfter { at_samples, by_samples } => time(at_samples).and(time(by_samples.unsigned_abs())),
            Self::Split { at_samples } | Self::Enter { alone_samples: at_samples, .. } => time(at_samples),
            _ => Ok(()),
        }
    }

    pub(super) fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        self.check()?;
        // The middle of a phrase lies in it, however its edges were corrected meanwhile.
        let middle = |at: u64| phrase(cut, at).map(|(_, p)| (p.start_samples + p.end_samples) / 2).ok_or(Refusal::Unknown("phrase"));
        match self {
            Self::TakeOut { start_samples, end_samples } => take_out(&mut cut.setup.pieces, &mut cut.setup.lines, *start_samples..*end_samples),
            Self::MoveAfter { at_samples, by_samples } => move_after(&mut cut.setup.pieces, &mut cut.setup.lines, *at_samples, *by_samples),
            Self::Enter { alone_samples, on } => {
                let beds = cut.plan.beds().filter_map(|l| Some(l.fitting.as_ref()?.counted_bar_lines(readings.beds.get(&l.sound)?)));
                let mut lines: Vec<_> = beds.flatten().collect();
                lines.sort_by_key(|l| l.at_samples);
                let downbeats: Vec<u64> = lines.iter().map(|l| l.at_samples).collect();
                let sections: Vec<u64> = lines.iter().filter(|l| l.section.is_some()).map(|l| l.at_samples).collect();
                let target = entry(*alone_samples, *on, &downbeats, &sections)
                    .ok_or_else(|| Refusal::not_allowed("The bed has no such place after that time. Let the voice enter earlier, or anywhere."))?;
                let first = cut.plan.phrases.first().ok_or_else(|| Refusal::not_allowed("There is no voice yet that could enter."))?;
                let by_samples = target as i64 - first.start_samples as i64;
                move_after(&mut cut.setup.pieces, &mut cut.setup.lines, 0, by_samples);
            }
            Self::Edges { phrase, start_samples, end_samples } => {
                let at = middle(*phrase)?;
                let shifted = |at: u64, shift: i64| at.saturating_add_signed(shift);
                edit_phrase(&mut cut.setup, at, |at_samples, shift| PhraseEdit::Edges {
                    at_samples,
                    start_samples: shifted(*start_samples, shift),
                    end_samples: shifted(*end_samples, shift),
                })?;
            }
            Self::JoinNext { phrase } => {
                let at = middle(*phrase)?;
                edit_phrase(&mut cut.setup, at, |at_samples, _| PhraseEdit::JoinNext { at_samples })?;
            }
            Self::Split { at_samples } => edit_phrase(&mut cut.setup, *at_samples, |at_samples, _| PhraseEdit::Split { at_samples })?,
            Self::NotSpeech { phrase } => {
                let at = middle(*phrase)?;
                edit_phrase(&mut cut.setup, at, |at_samples, _| PhraseEdit::NotSpeech { at_samples })?;
            }
            Self::UseTake { take: hash, phrase } => {
                let take = take(&cut.setup, hash)?.clone();
                let reading = read(readings, hash, "This take is still being read. Use it when its phrases are known.")?;
                lay_take(&mut cut.setup.pieces, &take, reading, *phrase)?;
                return Ok(Effect::Replan);
            }
            Self::Clean { take: hash, on } => {
                let is_made = take(&cut.setup, hash)?.cleaned.is_some();
                read(readings, hash, "This take is still being read. Take its noise out when its phrases are known.")?;
                if *on && !is_made {
                    return Ok(Effect::Unchanged(Some(Work::Clean { take: hash.clone() })));
                }
                cut.setup.takes.iter_mut().filter(|t| t.hash == *hash).for_each(|t| t.cleaned_on = *on);
                return Ok(Effect::Replan);
            }
            Self::DropTake { take: hash } => {
                take(&cut.setup, hash)?;
                cut.setup.forget(hash);
                return Ok(Effect::Replan);
            }
            Self::DropPiece { at_samples } => {
                let index = cut.setup.pieces.iter().position(|p| p.cut_start_samples == *at_samples).ok_or(Refusal::Unknown("piece"))?;
                cut.setup.pieces.remove(index);
                return Ok(Effect::Replan);
            }
            Self::Lines { lines } => {
                cut.setup.lines = tidied(lines, cut.setup.picture.length_samples())?;
                // The words stand on the sheet, so the plan that holds them follows.
                return Ok(if cut.setup.pieces.is_empty() { Effect::Note(None) } else { Effect::Replan });
            }
            Self::Speak => {
                if cut.setup.lines.is_empty() {
                    return Err(Refusal::not_allowed("There are no lines to speak. Write them, or bring in captions."));
                }
                return Ok(Effect::Unchanged(Some(Work::Scratch)));
            }
        }
        Ok(Effect::Reshape)
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let name = |hash: &str| take(&before.setup, hash).map_or("?", |t| t.name.as_str()).to_owned();
        let number = |at: u64| phrase(before, at).map_or(0, |(k, _)| k + 1);
        match self {
            Self::TakeOut { start_samples, end_samples } => message!("voice.takeOut", seconds = Fact::length(end_samples.saturating_sub(*start_samples))),
            Self::MoveAfter { by_samples, .. } => message!("voice.moveAfter", seconds = Fact::Seconds(*by_samples)),
            Self::Enter { alone_samples, .. } => message!("voice.enter", seconds = Fact::length(*alone_samples)),
            Self::Edges { phrase, .. } => message!("voice.edges", phrase = number(*phrase)),
            Self::JoinNext { phrase } => message!("voice.join", first = number(*phrase), second = number(*phrase) + 1),
            Self::Split { .. } => message!("voice.split"),
            Self::NotSpeech { phrase } => message!("voice.notSpeech", phrase = number(*phrase)),
            Self::UseTake { take, phrase: None } => message!("voice.useTake", take = name(take)),
            Self::UseTake { take, .. } => message!("voice.usePhrase", take = name(take)),
            Self::Clean { take, on: true } => message!("voice.clean", take = name(take)),
            Self::Clean { take, on: false } => message!("voice.asItCame", take = name(take)),
            Self::DropTake { take } => message!("voice.dropTake", take = name(take)),
            Self::DropPiece { .. } => message!("voice.dropPiece"),
            Self::Lines { .. } => message!("voice.lines"),
            Self::Speak => message!("voice.speak"),
        }
    }
}

/// Lines in order, with single spaces, without empty ones.
fn tidied(lines: &[Line], length_samples: u64) -> Result<Vec<Line>, Refusal> {
    if lines.len() > MOST_MARKS {
        return Err(Refusal::NotAllowed(format!("A narration has at most {MOST_MARKS} lines.")));
    }
    let mut all = Vec::new();
    for line in lines {
        let words = line.words.split_whitespace().collect::<Vec<_>>().join(" ");
        if words.is_empty() {
            continue;
        }
        if words.chars().count() > MOST_LINE_CHARS {
            let begins: String = words.chars().take(40).collect();
            return Err(Refusal::NotAllowed(format!("The line \"{begins}…\" is longer than {MOST_LINE_CHARS} characters. Divide it.")));
        }
        if line.start_samples >= length_samples {
            return Err(Refusal::NotAllowed(format!("\"{words}\" lies at {:.1} s, outside the cut.", seconds_from_samples(line.start_samples))));
        }
        all.push(Line { start_samples: line.start_samples, words });
    }
    all.sort_by_key(|l| l.start_samples);
    Ok(all)
}
