//! The film and its own sound.

use super::bed::handover;
use super::levels::lowered;
use crate::cut::{Cut, Effect, Film, Refusal, Work, within_a_cut};
use jaunty_fit::fit::Passage;
use jaunty_shape::plan::{FILM_GAIN_DB, Role, SpeechRule};
use jaunty_units::message;
use jaunty_units::message::Message;
use jaunty_units::units::CutLength;
use serde::{Deserialize, Serialize};

/// A change of the film or of its own sound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum FilmChange {
    /// The cut takes the film's rate, length and first timecode.
    Length,
    /// What is wanted of its own sound; what is not named stays.
    #[serde(rename_all = "camelCase")]
    Sound {
        /// Whether it is heard.
        on: Option<bool>,
        /// Gain over the sound as it came in, in dB, -60 to 20.
        gain_db: Option<f64>,
        /// What it does while somebody speaks.
        rule: Option<SpeechRule>,
        /// By how much it sinks then, in dB, 0 to 60, when it is to be low.
        lower_db: Option<f64>,
        /// From where on it is heard, in samples of the cut.
        from_samples: Option<u64>,
        /// Until where.
        until_samples: Option<u64>,
    },
    /// The talk in its own sound is speech like a narration's, or just sound.
    Talk {
        /// Whether it is speech.
        on: bool,
    },
    /// Its own sound gives over to the bed, or the bed to it.
    #[serde(rename_all = "camelCase")]
    HandOver {
        /// From the film to the bed; otherwise from the bed to the film.
        to_bed: bool,
        /// Its middle, in samples of the cut.
        at_samples: u64,
        /// How long both are heard; as long as usual without one.
        length_samples: Option<u64>,
    },
    /// The film goes.
    Drop,
}

fn film_of(cut: &mut Cut) -> Result<&mut Film, Refusal> {
    cut.setup.film.as_mut().ok_or(Refusal::Unknown("film"))
}

impl FilmChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        match *self {
            Self::Length => {
                let film = film_of(cut)?;
                let (length, first_frame) = (CutLength::new(film.rate, film.length_frames).map_err(Refusal::not_allowed)?, film.first_frame);
                let picture = &mut cut.setup.picture;
                picture.set_length(length);
                picture.first_frame = first_frame.unwrap_or(picture.first_frame);
            }
            Self::Sound { on, gain_db, rule, lower_db, from_samples, until_samples } => {
                let length_samples = cut.setup.picture.picture_samples();
                let film = film_of(cut)?;
                if gain_db.is_some_and(|db| !FILM_GAIN_DB.hold(db)) {
                    return Err(Refusal::not_allowed("The film's own sound is raised by at most 20 dB and lowered by at most 60 dB."));
                }
                film.wish.lower_db = lowered(lower_db, film.wish.lower_db)?;
                let heard = film.wish.heard(length_samples);
                let start_samples = within_a_cut(from_samples.unwrap_or(heard.start_samples))?;
                let end_samples = within_a_cut(until_samples.unwrap_or(heard.end_samples))?;
                if end_samples <= start_samples {
                    return Err(Refusal::not_allowed("The film's own sound ends after it begins, within the cut."));
                }
                if from_samples.is_some() || until_samples.is_some() {
                    let all = start_samples == 0 && end_samples >= length_samples;
                    let end_samples = if end_samples >= length_samples { Passage::OPEN_END } else { end_samples };
                    film.wish.place = (!all).then_some(Passage { start_samples, end_samples });
                }
                film.sound_on = on.unwrap_or(film.sound_on);
                film.wish.gain_db = gain_db.unwrap_or(film.wish.gain_db);
                film.wish.rule = rule.unwrap_or(film.wish.rule);
            }
            Self::Talk { on } => {
                let film = film_of(cut)?;
                let sound =
                    film.sound.clone().ok_or_else(|| Refusal::not_allowed("This film has no sound of its own, or it is still being taken out of it."))?;
                film.talk = on;
                // Heard or not: who wants its talk understood wants it heard.
                film.sound_on |= on;
                if on {
                    return Ok(Effect::Note(Some(Work::Read { sound, role: Role::Narration })));
                }
            }
            Self::HandOver { to_bed, at_samples, length_samples } => cut.setup.film_hands_over(handover(at_samples, length_samples)?, to_bed)?,
            Self::Drop => cut.setup.film = None,
        }
        Ok(Effect::Replan)
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        match self {
            Self::Length => {
                let length = before.setup.film.as_ref().map(|f| f.rate.timecode(f.length_frames).to_string()).unwrap_or_default();
                message!("film.length", length = length)
            }
            Self::Talk { on: true } => message!("film.talkIsSpeech"),
            Self::Talk { on: false } => message!("film.talkIsSound"),
            Self::Sound { on: Some(true), .. } => message!("film.hear"),
            Self::Sound { on: Some(false), .. } => message!("film.leaveOut"),
            Self::Sound { on: None, .. } => message!("film.change"),
            Self::HandOver { to_bed: true, .. } => message!("film.toBed"),
            Self::HandOver { to_bed: false, .. } => message!("film.toFilm"),
            Self::Drop => message!("film.drop"),
        }
    }
}
