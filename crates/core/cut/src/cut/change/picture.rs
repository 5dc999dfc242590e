//! Shots and moments by hand.

use crate::cut::{Cut, Effect, Refusal};
use jaunty_picture::picture::{MomentKind, Picture, tidy_name};
use jaunty_units::message;
use jaunty_units::message::Message;
use serde::{Deserialize, Serialize};

/// A moment, named by when it is and what it is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct MomentName {
    /// When, in frames from the start of the cut.
    pub frame: u64,
    /// What for.
    pub kind: MomentKind,
}

/// A change of the shots and moments. Frames count from the start of the cut; a shot is named by its first one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum PictureChange {
    /// A new shot begins.
    BeginShot {
        /// Its first frame.
        frame: u64,
        /// What is seen; empty takes a number.
        name: String,
    },
    /// A shot changes.
    ChangeShot {
        /// Which.
        shot: u64,
        /// Its first frame then.
        frame: u64,
        /// What is seen.
        name: String,
        /// Whether its hold may change.
        still: bool,
    },
    /// Every shot is a still, or none is.
    Stills {
        /// Whether.
        all: bool,
    },
    /// A shot goes; the one before runs on.
    RemoveShot {
        /// Which.
        shot: u64,
    },
    /// A moment is marked.
    MarkMoment {
        /// When.
        frame: u64,
        /// What for.
        kind: MomentKind,
        /// What happens; empty takes the name of its kind.
        name: String,
    },
    /// A moment changes.
    ChangeMoment {
        /// Which.
        moment: MomentName,
        /// When then.
        frame: u64,
        /// What for.
        kind: MomentKind,
        /// What happens.
        name: String,
    },
    /// A moment goes.
    RemoveMoment {
        /// Which.
        moment: MomentName,
    },
}

fn shot(picture: &Picture, frame: u64) -> Result<usize, Refusal> {
    picture.shots.iter().position(|s| s.start_frame == frame).ok_or(Refusal::Unknown("shot"))
}

fn moment(picture: &Picture, name: MomentName) -> Result<usize, Refusal> {
    picture.moments.iter().position(|m| m.frame == name.frame && m.kind == name.kind).ok_or(Refusal::Unknown("moment"))
}

impl PictureChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        let picture = &mut cut.setup.picture;
        match self {
            Self::ChangeMoment { moment: which, frame, kind, name } => {
                let old = picture.moments.remove(moment(picture, *which)?);
                picture.mark_moment(*frame, *kind, if name.trim().is_empty() { &old.name } else { name }).map_err(Refusal::not_allowed)?;
                return Ok(cut.moments_moved(&[(old.frame, *frame)]));
            }
            Self::BeginShot { frame, name } => picture.begin_shot(*frame, name).map_err(Refusal::not_allowed)?,
            Self::ChangeShot { shot: which, frame, name, still } => {
                let index = shot(picture, *which)?;
                let changed = &mut picture.shots[index];
                (changed.name, changed.still) = (tidy_name(name, &changed.name), *still);
                if frame != which {
                    picture.move_shot(index, *frame).map_err(Refusal::not_allowed)?;
                }
            }
            Self::Stills { all } => picture.shots.iter_mut().for_each(|s| s.still = *all),
            Self::RemoveShot { shot: which } => drop(picture.remove_shot(shot(picture, *which)?).map_err(Refusal::not_allowed)?),
            Self::MarkMoment { frame, kind, name } => picture.mark_moment(*frame, *kind, name).map_err(Refusal::not_allowed)?,
            Self::RemoveMoment { moment: which } => drop(picture.moments.remove(moment(picture, *which)?)),
        }
        Ok(Effect::Note(None))
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let picture = &before.setup.picture;
        let shot_name = |frame: u64| shot(picture, frame).map_or("?", |k| picture.shots[k].name.as_str());
        let moment_name = |name: MomentName| moment(picture, name).map_or("?", |k| picture.moments[k].name.as_str());
        match self {
            Self::BeginShot { frame, .. } => message!("picture.beginShot", at = picture.timecode(*frame)),
            Self::ChangeShot { shot, .. } => message!("picture.changeShot", shot = shot_name(*shot)),
            Self::Stills { all: true } => message!("picture.allStills"),
            Self::Stills { all: false } => message!("picture.noStills"),
            Self::RemoveShot { shot } => message!("picture.removeShot", shot = shot_name(*shot)),
            Self::MarkMoment { frame, .. } => message!("picture.markMoment", at = picture.timecode(*frame)),
            Self::ChangeMoment { moment, .. } => message!("picture.changeMoment", moment = moment_name(*moment)),
            Self::RemoveMoment { moment } => message!("picture.removeMoment", moment = moment_name(*moment)),
        }
    }
}
