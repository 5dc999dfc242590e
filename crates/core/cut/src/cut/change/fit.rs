//! What is wanted of the fit of the bed at hand.

use crate::cut::{Cut, Effect, Readings, Refusal, Setup, within_a_cut};
use jaunty_fit::fit::{EndWish, Standing, StartWish, Wish, Wishes};
use jaunty_picture::picture::MOST_TAIL_S;
use jaunty_picture::picture::stills::hold;
use jaunty_shape::plan::Role;
use jaunty_sound::splice::{Law, SpliceAt, Touch};
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::{CutLength, samples_from_seconds};
use serde::{Deserialize, Serialize};

/// A change of the fit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum FitChange {
    /// Something is wished for.
    Wish {
        /// What.
        wish: Wish,
    },
    /// A wish is taken back.
    TakeBack {
        /// Which.
        wish: Standing,
    },
    /// A splice of the fitting that is played is changed, on top of what it is.
    Touch(SpliceTouch),
    /// One side of a splice moves to another bar line.
    #[serde(rename_all = "camelCase")]
    MoveSplice {
        /// Which splice.
        splice: SpliceAt,
        /// Which side of it.
        side: SpliceSide,
        /// Where it moves to, in samples of the bed.
        to_samples: u64,
        /// Whether the other side stays; otherwise it follows by as many bars, so that the length holds.
        alone: bool,
    },
    /// Fitted anew to the narration and the picture as they are by now.
    Again,
    /// Another of the proposed fittings is played; levels set by hand stay.
    Choose {
        /// Its number in the fittings of the revision that is shown, from 0.
        fitting: usize,
    },
    /// The cut is so long.
    Length {
        /// In frames.
        frames: u64,
    },
    /// The sound runs on behind the picture.
    RunOn {
        /// For so many frames, 0 for none.
        frames: u64,
    },
    /// The stills are held so that the cut is about so long.
    HoldStills {
        /// In frames.
        frames: u64,
    },
}

/// A side of a splice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum SpliceSide {
    /// What is left.
    Leave,
    /// What is entered.
    Enter,
}

/// A change of a splice by hand, on top of what it is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct SpliceTouch {
    /// Which splice.
    pub splice: SpliceAt,
    /// The entering side so many samples later in its source.
    #[serde(default)]
    pub nudge_samples: i64,
    /// Both sides meet so many samples later.
    #[serde(default)]
    pub later_samples: i64,
    /// Both sides meet so many beats later.
    #[serde(default)]
    pub later_beats: i32,
    /// Length of the crossfade.
    pub fade_samples: Option<u64>,
    /// How it crosses.
    pub law: Option<Law>,
    /// Whether what is left rings on under what enters.
    #[serde(default)]
    pub rings: Option<bool>,
}

impl SpliceTouch {
    fn touch(&self, cut: &Cut, readings: &Readings) -> Result<Touch, Refusal> {
        let splices = cut.fitting().map_or(&[][..], |f| &f.splices);
        let join = splices.iter().find(|s| s.at == self.splice).ok_or(Refusal::Unknown("splice"))?.join;
        let bed = cut.setup.bed.as_ref().and_then(|b| readings.beds.get(&b.hash));
        // Without a reading, beats at 120 a minute.
        let beat_samples = bed.map_or(24_000, |r| samples_from_seconds(60.0 / r.tempo_bpm.max(20.0)) as i64);
        Ok(Touch {
            splice: self.splice,
            moved_samples: Some(join.moved_samples.saturating_add(self.nudge_samples)),
            later_samples: join.later_samples.saturating_add(self.later_samples).saturating_add(i64::from(self.later_beats).saturating_mul(beat_samples)),
            fade_samples: Some(self.fade_samples.unwrap_or(join.fade_samples)),
            law: self.law.unwrap_or(join.law),
            rings: Some(self.rings.unwrap_or(join.rings)),
        })
    }
}

/// The splice with one side on the bar line at `to`. The first and the last bar line are none to splice at.
fn moved(splice: SpliceAt, side: SpliceSide, to: u64, alone: bool, lines: &[u64]) -> Option<SpliceAt> {
    let nearest = |at: u64| (0..lines.len()).min_by_key(|k| lines[*k].abs_diff(at));
    let (old, other) = match side {
        SpliceSide::Leave => (splice.leave_samples, splice.enter_samples),
        SpliceSide::Enter => (splice.enter_samples, splice.leave_samples),
    };
    let target = nearest(to)?;
    let by = target as i64 - nearest(old)? as i64;
    let follows = (nearest(other)? as i64 + by).clamp(1, lines.len() as i64 - 2).max(0) as usize;
    let other = if alone { other } else { *lines.get(follows)? };
    Some(match side {
        SpliceSide::Leave => SpliceAt { leave_samples: lines[target], enter_samples: other },
        SpliceSide::Enter => SpliceAt { leave_samples: other, enter_samples: lines[target] },
    })
}

pub(super) fn wishes_of(setup: &mut Setup) -> Result<&mut Wishes, Refusal> {
    let hash = setup.bed.as_ref().map(|b| b.hash.clone()).ok_or_else(|| Refusal::not_allowed("There is no bed yet that could be fitted."))?;
    setup.candidate(&hash).map(|c| &mut c.wishes).ok_or(Refusal::Unknown("bed"))
}

fn length(setup: &Setup, frames: u64) -> Result<CutLength, Refusal> {
    CutLength::new(setup.picture.rate, frames).map_err(Refusal::not_allowed)
}

impl FitChange {
    pub(super) fn needs(&self, setup: &Setup) -> Vec<(String, Role)> {
        match self {
            Self::Touch(_) | Self::MoveSplice { .. } => setup.bed.iter().map(|b| (b.hash.clone(), Role::Bed)).collect(),
            _ => Vec::new(),
        }
    }

    pub(super) fn apply(&self, cut: &mut Cut, readings: &Readings) -> Result<Effect, Refusal> {
        match self {
            Self::Wish { wish } => {
                wish.places().into_iter().try_for_each(|at| within_a_cut(at).map(|_| ()))?;
                if matches!(wish, Wish::Place { .. }) && !cut.setup.laid.is_empty() {
                    return Err(Refusal::not_allowed("Several beds share this cut. Move the handover between them instead."));
                }
                wishes_of(&mut cut.setup)?.say(wish.clone()).map_err(Refusal::not_allowed)?;
                Ok(if matches!(wish, Wish::Touch(_)) { Effect::Retouch } else { Effect::Refit })
            }
            Self::TakeBack { wish } => {
                if *wish == Standing::Place && !cut.setup.laid.is_empty() {
                    return Err(Refusal::not_allowed("Several beds share this cut. Move the handover between them, or take one off."));
                }
                if !wishes_of(&mut cut.setup)?.take_back(wish) {
                    return Err(Refusal::Unknown("wish"));
                }
                Ok(if matches!(wish, Standing::Touch(_)) { Effect::Retouch } else { Effect::Refit })
            }
            Self::Touch(by_hand) => {
                let touch = by_hand.touch(cut, readings)?;
                wishes_of(&mut cut.setup)?.say(Wish::Touch(touch)).map_err(Refusal::not_allowed)?;
                Ok(Effect::Retouch)
            }
            Self::MoveSplice { splice, side, to_samples, alone } => {
                let bed = cut.setup.bed.as_ref().and_then(|b| readings.beds.get(&b.hash)).ok_or(Refusal::Unknown("bed"))?;
                let new = moved(*splice, *side, *to_samples, *alone, &bed.bar_lines_samples()).ok_or(Refusal::Unknown("bar line"))?;
                if new == *splice {
                    return Ok(Effect::Unchanged(None));
                }
                wishes_of(&mut cut.setup)?.say(Wish::Splice { splice: new, instead: Some(*splice) }).map_err(Refusal::not_allowed)?;
                Ok(Effect::Refit)
            }
            Self::Again => wishes_of(&mut cut.setup).map(|_| Effect::Refit),
            Self::Choose { fitting } => {
                if *fitting >= cut.fittings.len() {
                    return Err(Refusal::Unknown("fitting"));
                }
                cut.chosen = *fitting;
                Ok(Effect::Reshape)
            }
            Self::Length { frames } => {
                let length = length(&cut.setup, *frames)?;
                cut.setup.picture.set_length(length);
                Ok(Effect::Replan)
            }
            Self::RunOn { frames } => {
                let picture = &mut cut.setup.picture;
                if *frames as f64 > MOST_TAIL_S * picture.rate.as_f64() {
                    return Err(Refusal::NotAllowed(format!("The sound runs on behind the picture by at most {MOST_TAIL_S} s.")));
                }
                if picture.tail_frames == *frames {
                    return Ok(Effect::Unchanged(None));
                }
                picture.tail_frames = *frames;
                Ok(Effect::Replan)
            }
            Self::HoldStills { frames } => {
                let wanted = length(&cut.setup, *frames)?;
                let held = hold(&cut.setup.picture, wanted.frames());
                let held = held.ok_or_else(|| Refusal::not_allowed("The stills of this cut cannot take that length up."))?;
                cut.setup.picture.take_holding(&held);
                Ok(Effect::Replan)
            }
        }
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let mut setup = before.setup.clone();
        let wishes = wishes_of(&mut setup).map(|w| w.clone()).unwrap_or_default();
        let timecode = |frames: u64| before.setup.picture.rate.timecode(frames).to_string();
        match self {
            Self::Wish { wish } => wish_message(wish, wishes),
            Self::TakeBack { wish } => message!("fit.takeBack", wish = wishes.message_of(wish).unwrap_or_default()),
            Self::Touch(_) => message!("fit.touch"),
            Self::MoveSplice { .. } => message!("fit.moveSplice"),
            Self::Again => message!("fit.again"),
            Self::Choose { fitting } => message!("fit.choose", fitting = fitting + 1),
            Self::Length { frames } => message!("cut.length", length = timecode(*frames)),
            Self::RunOn { frames: 0 } => message!("fit.endWithPicture"),
            Self::RunOn { frames } => message!("fit.runOn", length = timecode(*frames)),
            Self::HoldStills { frames } => {
                let held = hold(&before.setup.picture, *frames).map_or(*frames, |h| h.length_frames);
                message!("fit.holdStills", length = timecode(held))
            }
        }
    }
}

fn wish_message(wish: &Wish, mut wishes: Wishes) -> Message {
    match wish {
        Wish::Liking { liking, on: true } => message!("fit.like", liking = liking.message()),
        Wish::Liking { liking, on: false } => message!("fit.likeNoMore", liking = liking.message()),
        Wish::LeastRun { .. } | Wish::MostPlays { .. } | Wish::SpeedChange { .. } => {
            let _ = wishes.say(wish.clone());
            message!("fit.with", settings = wishes.settings())
        }
        Wish::Free(_) => message!("fit.free"),
        Wish::Start(StartWish::Free) => message!("fit.freeStart"),
        Wish::End(EndWish::Free) => message!("fit.freeEnd"),
        Wish::Place { start_samples: None, .. } => message!("fit.wholeCut"),
        Wish::Keep(_) => message!("fit.keep"),
        Wish::LeaveOut(_) => message!("fit.leaveOut"),
        Wish::LeaveOutSinging { on: true } => message!("fit.leaveOutSinging"),
        Wish::LeaveOutSinging { on: false } => message!("fit.hearSinging"),
        Wish::Pin(pin) => message!("fit.pin", seconds = Fact::length(pin.cut_samples)),
        Wish::Splice { .. } => message!("fit.moveSplice"),
        Wish::NoSplice(_) => message!("fit.nextBestSplice"),
        Wish::Touch(_) => message!("fit.touch"),
        Wish::Start(_) => message!("fit.start"),
        Wish::End(_) => message!("fit.end"),
        Wish::Place { .. } => message!("fit.place"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_other_side_of_a_splice_follows_by_as_many_bars() {
        let lines: Vec<u64> = (0..=10).map(|k| k * 100).collect();
        let at = |leave_samples, enter_samples| SpliceAt { leave_samples, enter_samples };
        assert_eq!(moved(at(300, 600), SpliceSide::Leave, 511, false, &lines), Some(at(500, 800)));
        assert_eq!(moved(at(300, 600), SpliceSide::Enter, 540, false, &lines), Some(at(200, 500)));
        assert_eq!(moved(at(300, 600), SpliceSide::Leave, 511, true, &lines), Some(at(500, 600)));
        // There is nothing behind the last bar.
        assert_eq!(moved(at(300, 800), SpliceSide::Leave, 600, false, &lines), Some(at(600, 900)));
        assert_eq!(moved(at(0, 0), SpliceSide::Leave, 0, false, &[]), None);
    }
}
