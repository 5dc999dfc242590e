//! Title, length, rate, first timecode and purpose.

use crate::cut::{Cut, Effect, Refusal, Setup};
use jaunty_picture::picture::Picture;
use jaunty_picture::terms::Purpose;
use jaunty_units::message;
use jaunty_units::message::Message;
use jaunty_units::units::{CutLength, FrameRate};
use serde::{Deserialize, Serialize};

/// The longest title, in characters.
pub const MOST_TITLE_CHARS: usize = 200;

/// A frame rate as it is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct AskedRate {
    /// Numerator.
    pub num: u32,
    /// Denominator.
    pub den: u32,
    /// Whether timecode leaves out labels.
    pub drop_frame: bool,
}

impl AskedRate {
    /// The rate.
    ///
    /// # Errors
    /// A rate that pictures do not run at.
    pub fn rate(self) -> Result<FrameRate, Refusal> {
        FrameRate::new(self.num, self.den, self.drop_frame).map_err(Refusal::not_allowed)
    }
}

/// What a cut is, as people say it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct Description {
    /// Its title, 1 to 200 characters.
    pub title: String,
    /// Its length: timecode, minutes and seconds, or seconds.
    pub length: String,
    /// Its frame rate.
    pub rate: AskedRate,
    /// The timecode of its first frame; as it is without it, zero for a new cut.
    pub first_timecode: Option<String>,
    /// Whether money is earned with it.
    #[serde(default)]
    pub commercial: bool,
    /// Whether there is a paid plan with the supplier of music.
    #[serde(default)]
    pub paid_plan: bool,
}

impl Description {
    /// A new cut.
    ///
    /// # Errors
    /// [`Refusal`] with what is allowed.
    pub fn new_cut(&self) -> Result<Setup, Refusal> {
        let length = CutLength::parse(self.rate.rate()?, &self.length).map_err(Refusal::not_allowed)?;
        let mut setup = Setup::new("", Picture::new(length));
        self.put_in(&mut setup)?;
        Ok(setup)
    }

    fn put_in(&self, setup: &mut Setup) -> Result<(), Refusal> {
        let title = self.title.trim();
        if title.is_empty() || title.chars().count() > MOST_TITLE_CHARS {
            return Err(Refusal::NotAllowed(format!("A title has 1 to {MOST_TITLE_CHARS} characters.")));
        }
        let rate = self.rate.rate()?;
        setup.picture.set_length(CutLength::parse(rate, &self.length).map_err(Refusal::not_allowed)?);
        if let Some(first) = self.first_timecode.as_deref() {
            let first = Some(first.trim()).filter(|t| !t.is_empty());
            setup.picture.first_frame = first.map_or(Ok(0), |text| rate.frame_from_timecode(text)).map_err(Refusal::not_allowed)?;
        }
        title.clone_into(&mut setup.title);
        setup.purpose = Purpose { commercial: self.commercial, paid_plan: self.paid_plan };
        Ok(())
    }
}

/// A change of what a cut is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "do", rename_all = "camelCase")]
pub enum CutChange {
    /// Describe it anew. Shots and moments behind a new end stay noted and come back with it.
    Describe(Description),
}

impl CutChange {
    pub(super) fn apply(&self, cut: &mut Cut) -> Result<Effect, Refusal> {
        let Self::Describe(description) = self;
        let before = cut.setup.clone();
        description.put_in(&mut cut.setup)?;
        Ok(match () {
            () if !cut.setup.sounds_like(&before) => Effect::Replan,
            () if cut.setup != before => Effect::Note(None),
            () => Effect::Unchanged(None),
        })
    }

    pub(super) fn message(&self, before: &Cut) -> Message {
        let Self::Describe(description) = self;
        let mut after = before.setup.clone();
        if description.put_in(&mut after).is_err() {
            return message!("cut.describe");
        }
        let renamed = Setup { title: after.title.clone(), ..before.setup.clone() };
        match () {
            () if !after.sounds_like(&before.setup) => {
                message!("cut.length", length = after.picture.rate.timecode(after.picture.length_frames).to_string())
            }
            () if after == renamed => message!("cut.title", title = after.title),
            () if after.purpose != before.setup.purpose => message!("cut.purpose"),
            () => message!("cut.rate"),
        }
    }
}
