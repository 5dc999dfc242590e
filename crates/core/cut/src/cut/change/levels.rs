//! Levels: figures of the whole, single objects by hand, and ambiences.

use super::fit::wishes_of;
use super::lanes;
use crate::cut::{Cut, Effect, HouseFigures, Refusal, Setup, within_a_cut};
use jaunty_fit::fit::{Pin, Standing, Wish};
use jaunty_shape::plan::{AmbienceWish, BedAgainst, LOWERED_DB, Lane, Role, SpeechRule};
use jaunty_shape::shape::pocket::PocketWish;
use jaunty_shape::shape::{
    BED_ALONE_RANGE_LUFS, BY_HAND_DB, Closing, EMPHASIS_DB, FadeShape, LevelChange, LevelName, LevelObject, Opening, ShapeWishes, UNDER_DB, sweep,
};
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::{samples_from_seconds, seconds_from_samples};
use serde::{Deserialize, Serialize};

/// One figure that all level objects follow.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "figure", content = "value", rename_all = "camelCase")]
pub enum Figure {
    /// How far the bed lies under the speech, in dB.
    UnderSpeechDb(f64),
    /// How far the bed alone lies under the loudness of the speech, or without any under the film's own sound, in dB.
    AloneDb(f64),
    /// Loudness of a bed that lies under nothing, in LUFS.
    BedAloneLufs(f64),
    /// Time of a rise or fall, in seconds.
    EaseS(f64),
    /// Gaps shorter than this stay under the speech, in seconds.
    LeastGapS(f64),
    /// Length of the fade in, in seconds; by the way the bed begins without one.
    FadeInS(Option<f64>),
    /// Length of the fade out, in seconds.
    FadeOutS(Option<f64>),
    /// Shape of both.
    FadeShape(FadeShape),
    /// How the bed gives way to the first words; by the rule for gaps without one.
    Opening(Option<Opening>),
    /// How it rises behind the last words.
    Closing(Option<Closing>),
    /// Whether phrases are made alike in loudness.
    EvenVoice(bool),
    /// Whether the bed is held under each phrase by itself.
    HoldEachPhrase(bool),
    /// The voice's place in the bed's spectrum.
    Pocket(Option<PocketWish>),
    /// Loudness of the whole, in LUFS.
    TargetLufs(Option<f64>),
}

impl Figure {
    fn put_in(self, shape: &mut ShapeWishes) {
        match self {
            Self::UnderSpeechDb(db) => shape.under_speech_db = db,
            Self::AloneDb(db) => shape.alone_db = db,
            Self::BedAloneLufs(lufs) => shape.bed_alone_lufs = lufs,
            Self::EaseS(s) => shape.ease_s = s,
            Self::LeastGapS(s) => shape.least_gap_s = s,
            Self::FadeInS(s) => shape.fade_in_s = s,
            Self::FadeOutS(s) => shape.fade_out_s = s,
            Self::FadeShape(of) => shape.fade_shape = of,
            Self::Opening(of) => shape.opening = of,
            Self::Closing(of) => shape.closing = of,
            Self::EvenVoice(on) => shape.even_voice = on,
            Self::HoldEachPhrase(on) => shape.hold_each_phrase = on,
            Self::Pocket(of) => shape.pocket = of,
            Self::TargetLufs(lufs) => shape.target_lufs = lufs,
        }
    }

    fn message(self) -> Message {
        match self {
            Self::UnderSpeechDb(db) => message!("levels.underSpeech", db = Fact::figure(db, 2)),
            Self::AloneDb(db) => message!("levels.alone", db = Fact::figure(db, 2)),
            Self::BedAloneLufs(lufs) => message!("levels.bedAlone", lufs = Fact::figure(lufs, 2)),
            Self::EaseS(s) => message!("levels.ease", seconds = Fact::figure(s, 2)),
            Self::Opening(Some(_)) => message!("levels.openAlone"),
            Self::Opening(None) => message!("levels.openByRule"),
            Self::Closing(Some(_)) => message!("levels.closeUnderWords"),
            Self::Closing(None) => message!("levels.closeByRule"),
            Self::EvenVoice(true) => message!("levels.evenVoice"),
            Self::EvenVoice(false) => message!("levels.voiceAsItCame"),
            Self::HoldEachPhrase(true) => message!("levels.holdEachPhrase"),
            Self::HoldEachPhrase(false) => message!("levels.breathe"),
            Self::Pocket(None) => message!("levels.noPocket"),
            Self::Pocket(Some(pocket)) => message!("levels.pocket", db = Fact::figure(pocket.depth_db, 2)),
            Self::TargetLufs(None) => message!("levels.noTarget"),
            Self::TargetLufs(Some(lufs)) => message!("levels.target", lufs = Fact::figure(lufs, 2)),
            Self::LeastGapS(_) | Self::FadeInS(_) | Self::FadeOutS(_) | Self::FadeShape(_) => message!("levels.fadesOrGaps"),
        }
    }
}

/// A change of an ambience; what is not named stays.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct AmbienceChange {
    /// Hash of its sound.
    pub sound: String,
    /// How far its loudness lies under that of the speech, in dB, 0 to 60.
    pub under_speech_db: Option<f64>,
    /// What it does while somebody speaks.
    pub rule: Option<SpeechRule>,
    /// By how much it sinks then, in dB, 0 to 60, when it is to be low.
    pub lower_db: Option<f64>,
    /// Where it begins, in samples of the cut.
    pub start_samples: Option<u64>,
    /// Where it is over.
    pub end_samples: Option<u64>,
}

/// A change of the levels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum LevelsChange {
    /// A figure that all objects follow; what was set by hand stays.
    Figure {
        /// Which, and its value.
        #[serde(flatten)]
        figure: Figure,
    },
    /// All figures as a house has them, and how its files are named; what was set by hand stays.
    House {
        /// The figures.
        house: HouseFigures,
    },
    /// The whole curve up or down, keeping its shape: the bed under the voice and alone, or where it lies under nothing its
    /// loudness, and what was set by hand, together, as far as all of them go. One knob for those who want one.
    #[serde(rename_all = "camelCase")]
    Balance {
        /// By how much it lies further under, in dB; negative for nearer.
        by_db: f64,
    },
    /// The bed rises at the close from this place on, under the last words or behind them.
    #[serde(rename_all = "camelCase")]
    RiseFrom {
        /// In samples of the cut.
        at_samples: u64,
        /// The place of the bed that is heard from there on; where one was named before, that one, or else as it goes on.
        #[serde(default)]
        bed_samples: Option<u64>,
    },
    /// An object is so much louder, as far as its figure goes.
    #[serde(rename_all = "camelCase")]
    Step {
        /// In which lane; that of the beds without one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        lane: Option<Lane>,
        /// Which.
        level: LevelName,
        /// By how much, in dB; negative for softer.
        by_db: f64,
    },
    /// Swells, dips or fades by hand, alike; nothing else changes.
    Set {
        /// In which lane; that of the beds without one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        lane: Option<Lane>,
        /// Which.
        levels: Vec<LevelName>,
        /// How.
        change: LevelChange,
    },
    /// An object that was set by hand is given back to the rule; an emphasis goes.
    GiveBack {
        /// In which lane; that of the beds without one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        lane: Option<Lane>,
        /// Which.
        level: LevelName,
    },
    /// The bed dips further under one phrase.
    #[serde(rename_all = "camelCase")]
    Emphasise {
        /// A place in the phrase, in samples of the cut.
        phrase: u64,
        /// How much further, in dB, 0 to 30; as much as usual without a figure.
        deeper_db: Option<f64>,
    },
    /// A lane is raised or lowered in one passage; nothing outside of it changes.
    #[serde(rename_all = "camelCase")]
    Sweep {
        /// Which; that of the beds without one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        lane: Option<Lane>,
        /// From.
        start_samples: u64,
        /// To.
        end_samples: u64,
        /// By how much, in dB; negative lowers.
        by_db: f64,
    },
    /// An ambience.
    Ambience(AmbienceChange),
    /// An ambience goes.
    DropAmbience {
        /// Hash of its sound.
        sound: String,
    },
}

/// Pins what the close is to begin with: the place of the bed that is named, or the one that was pinned where it began before.
/// Says whether the bed is to be fitted anew.
fn close_with(setup: &mut Setup, before: Option<u64>, at_samples: u64, bed_samples: Option<u64>) -> Result<bool, Refusal> {
    /// So near to where it began a pin belongs to it: 0.1 s, as exact as it is typed.
    const REACH_SAMPLES: u64 = 4800;
    let Ok(wishes) = wishes_of(setup) else { return Ok(false) };
    let pinned = wishes.pins.iter().find(|p| before.is_some_and(|b| b.abs_diff(p.cut_samples) <= REACH_SAMPLES)).copied();
    let Some(bed_samples) = bed_samples.or(pinned.map(|p| p.bed_samples)) else { return Ok(false) };
    if let Some(pin) = pinned {
        wishes.take_back(&Standing::Pin { cut_samples: pin.cut_samples });
    }
    wishes.say(Wish::Pin(Pin { bed_samples, cut_samples: at_samples })).map_err(Refusal::not_allowed)?;
    Ok(true)
}

fn beds(cut: &mut Cut) -> impl Iterator<Item = &mut Vec<LevelObject>> {
    cut.plan.layers.iter_mut().filter(|l| l.role == Role::Bed).map(|l| &mut l.levels)
}

fn ambience<'a>(cut: &'a mut Cut, sound: &str) -> Result<&'a mut AmbienceWish, Refusal> {
    cut.setup.ambiences.iter_mut().find(|a| a.hash == sound).ok_or(Refusal::Unknown("ambience"))
}

/// By how much something sinks under speech, when that is allowed.
pub(super) fn lowered(asked_db: Option<f64>, so_far_db: f64) -> Result<f64, Refusal> {
    let db = asked_db.unwrap_or(so_far_db);
    if LOWERED_DB.hold(db) { Ok(db) } else { Err(Refusal::NotAllowed(format!("Under speech it sinks by 0 to {} dB.", LOWERED_DB.to))) }
}

impl LevelsChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        match self {
            Self::Figure { figure } => {
                figure.put_in(&mut cut.setup.shape);
                cut.setup.shape.check().map_err(|cause| Refusal::NotAllowed(format!("Not possible: {cause}.")))?;
            }
            Self::House { house } => {
                house.check()?;
                cut.setup.take_house(house.clone());
            }
            Self::Balance { by_db } => {
                if !by_db.is_finite() {
                    return Err(Refusal::not_allowed("Say by how many dB."));
                }
                let shape = &mut cut.setup.shape;
                let moved = match cut.plan.bed_against {
                    BedAgainst::Itself => {
                        let new = BED_ALONE_RANGE_LUFS.nearest(shape.bed_alone_lufs - by_db);
                        std::mem::replace(&mut shape.bed_alone_lufs, new) != new
                    }
                    // Under the film alone nothing else is heard of the figure for speech.
                    BedAgainst::Film => {
                        let new = UNDER_DB.nearest(shape.alone_db + by_db);
                        std::mem::replace(&mut shape.alone_db, new) != new
                    }
                    BedAgainst::Voice => {
                        let by_hand = cut.plan.layers.iter_mut().filter(|l| l.role == Role::Bed).flat_map(|l| &mut l.levels).filter(|o| o.by_hand());
                        let mut all = vec![(&mut shape.under_speech_db, UNDER_DB.to), (&mut shape.alone_db, UNDER_DB.to)];
                        let mut gains = Vec::new();
                        for object in by_hand {
                            if let LevelObject::Dip { under_speech_db, gain_db, .. } | LevelObject::Swell { under_speech_db, gain_db, .. } = object {
                                all.push((under_speech_db, BY_HAND_DB.to));
                                gains.push(gain_db);
                            }
                        }
                        // As far as the one that is nearest to its end goes: the shape stays.
                        let room = |(db, most): &(&mut f64, f64)| if *by_db > 0.0 { most - **db } else { **db };
                        let step = by_db.signum() * all.iter().map(room).fold(by_db.abs(), f64::min).max(0.0);
                        all.into_iter().for_each(|(db, _)| *db += step);
                        gains.into_iter().for_each(|db| *db -= step);
                        step != 0.0
                    }
                };
                if !moved {
                    return Ok(Effect::Unchanged(None));
                }
            }
            Self::RiseFrom { at_samples, bed_samples } => {
                let last = cut.plan.phrases.last().ok_or_else(|| Refusal::not_allowed("There are no last words to rise under."))?;
                let end_samples = last.end_samples;
                let under_words_s = seconds_from_samples(end_samples.saturating_sub(within_a_cut(*at_samples)?));
                let before = cut.setup.shape.closing.map(|c| end_samples.saturating_sub(samples_from_seconds(c.under_words_s)));
                cut.setup.shape.closing = Some(Closing { under_words_s, ..cut.setup.shape.closing.unwrap_or_default() });
                cut.setup.shape.check().map_err(|cause| Refusal::NotAllowed(format!("Not possible: {cause}.")))?;
                if close_with(&mut cut.setup, before, *at_samples, *bed_samples)? {
                    return Ok(Effect::Refit);
                }
            }
            Self::Step { lane: Some(lane), level, by_db } => {
                let Some(change) = lanes::named(cut, lane, *level)?.louder(*by_db)? else { return Ok(Effect::Unchanged(None)) };
                lanes::set(cut, lane, &[*level], &change)?;
            }
            Self::Step { lane: None, level, by_db } => {
                let object = cut.plan.beds().flat_map(|l| &l.levels).find(|o| level.names(o)).ok_or(Refusal::Unknown("swell, dip or fade"))?;
                let Some(change) = object.louder(*by_db)? else { return Ok(Effect::Unchanged(None)) };
                cut.plan.change_level(*level, &change)?;
                return Ok(Effect::Note(None));
            }
            Self::Set { lane: Some(lane), levels, change } => lanes::set(cut, lane, levels, change)?,
            Self::Set { lane: None, levels, change } => {
                levels.iter().try_for_each(|name| cut.plan.change_level(*name, change))?;
                return Ok(Effect::Note(None));
            }
            Self::GiveBack { lane: Some(lane), level } => lanes::give_back(cut, lane, *level)?,
            Self::GiveBack { lane: None, level } => {
                if !beds(cut).flatten().any(|o| level.names(o)) {
                    return Err(Refusal::Unknown("swell, dip or fade"));
                }
                beds(cut).for_each(|objects| objects.retain(|o| !level.names(o)));
            }
            Self::Emphasise { phrase, deeper_db } => {
                let deeper_db = deeper_db.unwrap_or(EMPHASIS_DB);
                if !(0.0..=30.0).contains(&deeper_db) {
                    return Err(Refusal::not_allowed("An emphasis is 0 to 30 dB deeper."));
                }
                let under = cut.plan.phrases.iter().find(|p| (p.start_samples..p.end_samples).contains(phrase)).ok_or(Refusal::Unknown("phrase"))?;
                let deeper = LevelObject::Emphasis { start_samples: under.start_samples, end_samples: under.end_samples, deeper_db };
                for objects in beds(cut) {
                    objects.retain(|o| !o.is_twin_of(&deeper));
                    objects.push(deeper.clone());
                }
            }
            Self::Sweep { lane, start_samples, end_samples, by_db } => {
                within_a_cut(*end_samples)?;
                if let Some(lane) = lane {
                    sweep(lanes::by_hand(&mut cut.setup, lane)?, *start_samples, *end_samples, *by_db)?;
                    return Ok(Effect::Reshape);
                }
                beds(cut).try_for_each(|objects| sweep(objects, *start_samples, *end_samples, *by_db))?;
            }
            Self::Ambience(change) => {
                if change.under_speech_db.is_some_and(|db| !BY_HAND_DB.hold(db)) {
                    return Err(Refusal::not_allowed("An ambience lies 0 to 60 dB under the voice."));
                }
                let one = ambience(cut, &change.sound)?;
                one.under_speech_db = change.under_speech_db.unwrap_or(one.under_speech_db);
                one.rule = change.rule.unwrap_or(one.rule);
                one.lower_db = lowered(change.lower_db, one.lower_db)?;
                one.start_samples = within_a_cut(change.start_samples.unwrap_or(one.start_samples))?;
                one.end_samples = change.end_samples.or(one.end_samples);
                if one.end_samples.is_some_and(|end| end <= one.start_samples) {
                    return Err(Refusal::not_allowed("An ambience ends after it begins, within the cut."));
                }
            }
            Self::DropAmbience { sound } => {
                ambience(cut, sound)?;
                cut.setup.ambiences.retain(|a| a.hash != *sound);
            }
        }
        Ok(Effect::Reshape)
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let named = |lane: &Option<Lane>| lane.as_ref().map_or_else(|| message!("levels.lane.bed"), |lane| lanes::name(&before.setup, lane));
        match self {
            Self::Figure { figure } => figure.message(),
            Self::House { house } => message!("levels.house", name = &house.name),
            Self::Balance { by_db } if *by_db > 0.0 => message!("levels.lessBed"),
            Self::Balance { .. } => message!("levels.moreBed"),
            Self::RiseFrom { at_samples, bed_samples: None } => message!("levels.riseFrom", seconds = Fact::length(*at_samples)),
            Self::RiseFrom { at_samples, bed_samples: Some(bed) } => {
                message!("levels.closeWith", bed = Fact::length(*bed), seconds = Fact::length(*at_samples))
            }
            Self::Step { by_db, .. } if *by_db > 0.0 => message!("levels.raise"),
            Self::Step { .. } => message!("levels.lower"),
            Self::Set { levels, change: LevelChange { under_speech_db: Some(db), .. }, .. } => {
                message!("levels.set", n = levels.len(), db = Fact::figure(*db, 2))
            }
            Self::Set { lane: lane @ Some(_), .. } => message!("levels.changeLane", lane = named(lane)),
            Self::Set { .. } => message!("levels.change"),
            Self::GiveBack { .. } => message!("levels.giveBack"),
            Self::Emphasise { .. } => message!("levels.emphasise"),
            Self::Sweep { lane, start_samples, end_samples, by_db } => {
                let (from, to, db) = (Fact::length(*start_samples), Fact::length(*end_samples), Fact::figure(by_db.abs(), 2));
                if *by_db > 0.0 {
                    message!("levels.sweepUp", lane = named(lane), from = from, to = to, db = db)
                } else {
                    message!("levels.sweepDown", lane = named(lane), from = from, to = to, db = db)
                }
            }
            Self::Ambience(_) => message!("levels.ambience"),
            Self::DropAmbience { .. } => message!("levels.dropAmbience"),
        }
    }
}
