//! What comes into a cut: files, and what was found or made in the background.

use super::change::lay_take;
use super::{Cut, Effect, Film, Licence, ListReport, Readings, Refusal, Setup, Take, TakeOrigin, UsedSound, Work};
use jaunty_picture::picture::{Line, ListChange, Marks, Unused, tell_unused};
use jaunty_reading::kind::Kind;
use jaunty_shape::plan::{AmbienceWish, Role};
use jaunty_speech::voice::{Piece, lay};
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::CutLength;
use serde::{Deserialize, Serialize};

/// Something that came in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "came", rename_all = "camelCase", rename_all_fields = "camelCase")]
pub enum Arrival {
    /// A file that may be the bed.
    Bed {
        /// The file.
        sound: UsedSound,
        /// What was agreed, for pieces of a supplier.
        licence: Option<Licence>,
    },
    /// A recording or file of speech.
    Take(Take),
    /// The sound of a place.
    Ambience(UsedSound),
    /// A film.
    Film {
        /// The film.
        film: Film,
        /// Whether it has a sound of its own.
        has_sound: bool,
    },
    /// A list of shots, moments or lines.
    List(ListFile),
    /// A sound was read as what it is to the cut.
    Read {
        /// The sound.
        sound: String,
        /// As what.
        role: Role,
    },
    /// A sound turned out to be of no use.
    Useless {
        /// The sound.
        sound: String,
    },
    /// The own sound of a film was taken out of it.
    FilmSound {
        /// The film.
        film: String,
        /// Its sound.
        sound: String,
        /// Whether somebody talks in it, as far as is heard.
        #[serde(default)]
        talks: bool,
    },
    /// A bed was brought to another tempo.
    Retimed {
        /// Hash of the file as it came.
        original: String,
        /// Hash of the new sound, which has been read.
        sound: String,
        /// Beats a minute over those of the file.
        tempo: f64,
    },
    /// A take without its steady noise.
    Cleaned {
        /// The take.
        take: String,
        /// The sound without noise.
        sound: String,
    },
    /// What changed in the cut that this one is a version of.
    Mother(Box<Setup>),
    /// The lines as a machine speaks them.
    Spoken {
        /// All of them in one sound.
        sound: UsedSound,
        /// Where each lies in it, first sample and the one after the last, and its words.
        lines: Vec<(u64, u64, String)>,
    },
}

/// A list as a file brought it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ListFile {
    /// Name of the file.
    pub file: String,
    /// What it was, for people.
    pub format: String,
    /// Its shots and moments.
    pub marks: Marks,
    /// Its lines of narration.
    pub lines: Vec<Line>,
    /// Length of what it lists, in frames.
    pub length_frames: Option<u64>,
    /// The number of its first frame.
    pub first_frame: Option<u64>,
    /// What was not used of it.
    pub unused: Vec<Unused>,
}

fn count(number: usize, one: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {one}s") }
}

impl ListFile {
    /// Puts the list into a cut and notes what became of it. Its own length and first timecode are
    /// taken where the cut has no shots yet and no film says otherwise.
    ///
    /// # Errors
    /// A length that no cut has.
    pub fn put_in(&self, setup: &mut Setup) -> Result<(), Refusal> {
        let picture = &mut setup.picture;
        let fresh = picture.shots.is_empty() && setup.film.is_none();
        if let Some(length_frames) = self.length_frames.filter(|l| *l > 0 && fresh) {
            picture.set_length(CutLength::new(picture.rate, length_frames).map_err(Refusal::not_allowed)?);
        }
        if let Some(first_frame) = self.first_frame.filter(|_| fresh) {
            picture.first_frame = first_frame;
        }
        let mut unused = self.unused.clone();
        for (name, frame) in self.marks.outside(picture.length_frames) {
            let reason = format!("it begins at {}, behind the end of the cut", picture.timecode(frame));
            unused.push(Unused { line: None, text: name, reason });
        }
        tell_unused(&mut unused);
        let used: Vec<String> = [(self.marks.shots.len(), "shot"), (self.marks.moments.len(), "moment"), (self.lines.len(), "line")]
            .into_iter()
            .filter(|(n, _)| *n > 0)
            .map(|(n, one)| count(n, one))
            .collect();
        let changes = picture.take_list(self.marks.clone());
        if !self.lines.is_empty() {
            setup.lines.clone_from(&self.lines);
        }
        setup.list = Some(ListReport { file: self.file.clone(), format: self.format.clone(), used: used.join(", "), changes, unused });
        Ok(())
    }
}

impl Arrival {
    /// The sounds that must have been read for it.
    pub fn needs(&self, setup: &Setup) -> Vec<(String, Role)> {
        match self {
            Self::Retimed { original, .. } => setup.made_from(original).map(|c| (c.hash.clone(), Role::Bed)).into_iter().collect(),
            Self::Read { sound, role: Role::Narration } => vec![(sound.clone(), Role::Narration)],
            _ => Vec::new(),
        }
    }

    /// Puts it into a cut; says what follows.
    ///
    /// # Errors
    /// [`Refusal`]; nothing is changed then.
    pub fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        let setup = &mut cut.setup;
        let read = |sound: &str, role| Effect::Note(Some(Work::Read { sound: sound.to_owned(), role }));
        Ok(match self {
            Self::Bed { sound, licence } => {
                setup.add_candidate(&sound.hash, &sound.name, licence.clone());
                read(&sound.hash, Role::Bed)
            }
            Self::Take(take) => {
                if take.at_samples >= setup.picture.length_samples() {
                    return Err(Refusal::not_allowed("This take would begin behind the end of the cut."));
                }
                setup.takes.retain(|t| t.hash != take.hash);
                setup.takes.push(take.clone());
                read(&take.hash, Role::Narration)
            }
            Self::Ambience(UsedSound { hash, name }) => {
                setup.ambiences.retain(|a| a.hash != *hash);
                setup.ambiences.push(AmbienceWish::new(hash, name, super::AMBIENCE_UNDER_SPEECH_DB));
                read(hash, Role::Ambience)
            }
            Self::Film { film, has_sound } => {
                setup.film = Some(film.clone());
                Effect::Note(has_sound.then(|| Work::FilmSound { film: film.hash.clone() }))
            }
            Self::List(list) => {
                let before = setup.clone();
                list.put_in(setup)?;
                let moment = |name: &str, frame: u64| before.picture.moments.iter().any(|m| m.name == name && m.frame == frame);
                let moves = setup.list.iter().flat_map(|l| &l.changes).filter_map(|change| match change {
                    ListChange::Moved { name, from_frame, to_frame, .. } if moment(name, *from_frame) => Some((*from_frame, *to_frame)),
                    _ => None,
                });
                let moves: Vec<(u64, u64)> = moves.collect();
                let effect = cut.moments_moved(&moves);
                if cut.setup.sounds_like(&before) { effect } else { Effect::Replan }
            }
            Self::Read { sound, role: Role::Bed } => {
                // The first bed that is read becomes the bed of a cut without one; others are compared. Whatever it
                // was taken for: who dropped it on the beds meant a bed, unless they say otherwise.
                let Some(candidate) = setup.candidates.iter().find(|c| c.hash == *sound) else { return Ok(Effect::Unchanged(None)) };
                let music = candidate.kind_by_hand.is_none_or(|kind| kind == Kind::Music);
                if !music || setup.bed.as_ref().is_some_and(|bed| bed.hash != *sound) {
                    return Ok(Effect::Unchanged(Some(Work::Compare)));
                }
                setup.bed = Some(UsedSound { hash: sound.clone(), name: candidate.name.clone() });
                Effect::Replan
            }
            Self::Read { sound, role: Role::Narration } if setup.film.as_ref().is_some_and(|f| f.talks() == Some(sound)) => Effect::Replan,
            Self::Read { sound, role: Role::Narration } => {
                let (Some(take), Some(reading)) = (setup.takes.iter().find(|t| t.hash == *sound), readings.speech.get(sound)) else {
                    return Ok(Effect::Unchanged(None));
                };
                lay_take(&mut setup.pieces, take, reading, None)?;
                Effect::Replan
            }
            Self::Read { role: Role::Film | Role::Ambience, .. } => Effect::Replan,
            Self::Useless { sound } => {
                if setup.name_of(sound).is_none() {
                    return Ok(Effect::Unchanged(None));
                }
                setup.forget(sound);
                Effect::Note(None)
            }
            Self::FilmSound { film, sound, talks } => {
                let alone = setup.takes.is_empty() && setup.lines.is_empty();
                let Some(film) = setup.film.as_mut().filter(|f| f.hash == *film) else { return Ok(Effect::Unchanged(None)) };
                film.sound = Some(sound.clone());
                // Where nobody else speaks, what is said in the film is what must be understood.
                if *talks && alone {
                    (film.talk, film.sound_on) = (true, true);
                }
                Effect::Replan
            }
            Self::Cleaned { take, sound } => {
                for take in setup.takes.iter_mut().filter(|t| t.hash == *take) {
                    (take.cleaned, take.cleaned_on) = (Some(sound.clone()), true);
                }
                Effect::Replan
            }
            Self::Retimed { original, sound, tempo } => {
                let reading = setup.made_from(original).and_then(|c| readings.beds.get(&c.hash));
                let Some(reading) = reading else { return Ok(Effect::Unchanged(None)) };
                setup.retime(original, sound, *tempo, reading);
                Effect::Replan
            }
            Self::Mother(mother) => {
                setup.follow(mother);
                Effect::Replan
            }
            Self::Spoken { sound: UsedSound { hash, name }, lines } => {
                // An earlier scratch voice gives way to the new one.
                setup.pieces.retain(|p| p.scratch.is_none());
                setup.takes.retain(|t| t.origin != TakeOrigin::Scratch);
                setup.takes.push(Take { origin: TakeOrigin::Scratch, ..Take::new(hash, name) });
                for (start, end, words) in lines {
                    let (sound, scratch) = (hash.clone(), Some(words.clone()));
                    let piece = Piece { sound, source_start_samples: *start, source_end_samples: *end, cut_start_samples: *start, scratch };
                    lay(&mut setup.pieces, piece, &[]);
                }
                Effect::Replan
            }
        })
    }

    /// What happened, for the history.
    pub fn message(&self, before: &Cut) -> Message {
        let named = |hash: &str| before.setup.name_of(hash).unwrap_or("?").to_owned();
        match self {
            Self::Bed { sound, licence: Some(_) } => message!("arrival.fromShelf", name = &sound.name),
            Self::Bed { sound, .. } | Self::Ambience(sound) => message!("arrival.sound", name = &sound.name),
            Self::Take(take) if take.origin == TakeOrigin::Recorded => message!("arrival.recorded", name = &take.name),
            Self::Take(take) => message!("arrival.sound", name = &take.name),
            Self::Film { film, .. } => message!("arrival.film", name = &film.name),
            Self::List(list) => message!("arrival.list", name = &list.file),
            Self::Read { sound, role: Role::Bed } => message!("bed.use", name = named(sound)),
            Self::Read { sound, role: Role::Narration } => message!("arrival.narration", name = named(sound)),
            Self::Read { sound, role: Role::Film | Role::Ambience } => message!("arrival.hear", name = named(sound)),
            Self::Useless { sound } => message!("arrival.useless", name = named(sound)),
            Self::FilmSound { talks: true, .. } => message!("arrival.filmTalks"),
            Self::FilmSound { .. } => message!("film.hear"),
            Self::Cleaned { take, .. } => message!("voice.clean", take = named(take)),
            Self::Retimed { original, tempo, .. } => {
                let name = before.setup.made_from(original).map_or("?", |c| c.retimed.as_ref().map_or(&c.name, |r| &r.name));
                let percent = Fact::figure((tempo - 1.0).abs() * 100.0, 1);
                if *tempo > 1.0 {
                    message!("arrival.faster", name = name, percent = percent)
                } else {
                    message!("arrival.slower", name = name, percent = percent)
                }
            }
            Self::Mother(mother) => message!("arrival.mother", title = &mother.title),
            Self::Spoken { .. } => message!("voice.speak"),
        }
    }
}
