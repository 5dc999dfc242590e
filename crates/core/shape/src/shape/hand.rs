//! Changing one level object by hand, and giving it back to the rule.

use super::{FadeShape, LevelObject, SWEEP_EASE_SAMPLES, Slope};
use jaunty_units::units::{Bounds, CutLength, samples_from_seconds};
use serde::{Deserialize, Serialize};

/// A change of one object; what is not named stays.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct LevelChange {
    /// How far it lies under the speech, in dB, 0 to 60; for an emphasis how much deeper.
    pub under_speech_db: Option<f64>,
    /// Gain of a sweep, in dB, -40 to 20.
    pub gain_db: Option<f64>,
    /// Length of the rise of a swell, of the beginning of a sweep, or of a fade, in seconds.
    pub rise_s: Option<f64>,
    /// Length of the fall of a swell, of the end of a sweep, or of a fade, in seconds.
    pub fall_s: Option<f64>,
    /// How a swell rises, or a sweep begins.
    pub rise_slope: Option<Slope>,
    /// How a swell falls, or a sweep ends.
    pub fall_slope: Option<Slope>,
    /// The shape of a fade.
    pub fade_shape: Option<FadeShape>,
    /// Where a sweep begins, in samples of the cut.
    pub start_samples: Option<u64>,
    /// Where a sweep ends.
    pub end_samples: Option<u64>,
}

/// An object cannot be changed so. The texts say what can be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum LevelError {
    /// There is none of that number.
    #[error("there is no such swell, dip or fade")]
    NoObject,
    /// Outside of what is sensible.
    #[error("a level lies 0 to 60 dB under the speech")]
    Level,
    /// Outside of what is sensible.
    #[error("a passage is raised by at most 20 dB and lowered by at most 40 dB")]
    Sweep,
    /// Outside of what is sensible.
    #[error("a passage that is raised or lowered lasts at least a tenth of a second and ends within the cut")]
    Passage,
    /// Outside of what is sensible.
    #[error("a rise or fall lasts 0 to 60 s, and both together no longer than their swell or passage")]
    Length,
}

/// A level by hand under the voice, in dB.
pub const BY_HAND_DB: Bounds = Bounds::new(0.0, 60.0);

/// A rise or fall by hand, in seconds.
pub const BY_HAND_S: Bounds = Bounds::new(0.0, 60.0);

/// How far a passage is raised or lowered by hand, in dB.
pub const SWEEP_DB: Bounds = Bounds::new(-40.0, 20.0);

fn swept(gain_db: f64) -> Result<f64, LevelError> {
    if SWEEP_DB.hold(gain_db) { Ok(gain_db) } else { Err(LevelError::Sweep) }
}

/// The shortest passage: a tenth of a second.
const LEAST_SWEEP_SAMPLES: u64 = 4800;

/// Raises or lowers one passage by so many dB more; what lies outside of it stays as it is.
///
/// # Errors
/// [`LevelError`]; nothing is changed then.
pub fn sweep(objects: &mut Vec<LevelObject>, start_samples: u64, end_samples: u64, by_db: f64) -> Result<(), LevelError> {
    if end_samples < start_samples.saturating_add(LEAST_SWEEP_SAMPLES) {
        return Err(LevelError::Passage);
    }
    let new = LevelObject::Sweep {
        start_samples,
        end_samples,
        gain_db: swept(by_db)?,
        rise_samples: SWEEP_EASE_SAMPLES.min((end_samples - start_samples) / 2),
        fall_samples: SWEEP_EASE_SAMPLES.min((end_samples - start_samples) / 2),
        rise_slope: Slope::One,
        fall_slope: Slope::One,
    };
    let Some(there) = objects.iter_mut().find(|o| o.is_twin_of(&new)) else {
        objects.push(new);
        return Ok(());
    };
    let LevelObject::Sweep { gain_db, .. } = there else { return Ok(()) };
    *gain_db = swept(*gain_db + by_db)?;
    let nothing = gain_db.abs() < 0.005;
    if nothing {
        objects.retain(|o| !o.is_twin_of(&new));
    }
    Ok(())
}

/// What a level object is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum LevelKind {
    /// Held under speech.
    Dip,
    /// Raised in a gap.
    Swell,
    /// Held further under one phrase.
    Emphasis,
    /// Raised or lowered in one passage.
    Sweep,
    /// The opening, from silence.
    FadeIn,
    /// The close, into silence.
    FadeOut,
}

/// A level object, named by what it is and where it lies; its twins in other beds are named with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct LevelName {
    /// What it is.
    pub kind: LevelKind,
    /// Its first sample on the cut.
    pub start_samples: u64,
    /// The sample after its last.
    pub end_samples: u64,
}

impl LevelName {
    /// The name of an object, if it has one.
    pub fn of(object: &LevelObject) -> Option<Self> {
        let (start_samples, end_samples) = object.span()?;
        Some(Self { kind: object.kind()?, start_samples, end_samples })
    }

    /// Whether it names an object.
    pub fn names(self, object: &LevelObject) -> bool {
        Self::of(object) == Some(self)
    }
}

impl LevelObject {
    /// What it is; none for what nobody sets by hand.
    pub fn kind(&self) -> Option<LevelKind> {
        Some(match self {
            Self::Dip { .. } => LevelKind::Dip,
            Self::Swell { .. } => LevelKind::Swell,
            Self::Emphasis { .. } => LevelKind::Emphasis,
            Self::Sweep { .. } => LevelKind::Sweep,
            Self::FadeIn { .. } => LevelKind::FadeIn,
            Self::FadeOut { .. } => LevelKind::FadeOut,
            Self::Base { .. } | Self::Trim { .. } => return None,
        })
    }

    /// What makes it so much louder, as far as its figure goes; none where there is no further step.
    ///
    /// # Errors
    /// [`LevelError::Level`] for a fade, which has no level.
    pub fn louder(&self, by_db: f64) -> Result<Option<LevelChange>, LevelError> {
        let step = |from: f64, to: f64| Some(to).filter(|to| *to != from);
        let under = |db: f64| {
            let new = step(db, (db - by_db).clamp(0.0, 60.0))?;
            Some(LevelChange { under_speech_db: Some(new), ..LevelChange::default() })
        };
        match *self {
            Self::Dip { under_speech_db, .. } | Self::Swell { under_speech_db, .. } => Ok(under(under_speech_db)),
            Self::Emphasis { deeper_db, .. } => Ok(under(deeper_db)),
            Self::Sweep { gain_db, .. } => {
                Ok(step(gain_db, (gain_db + by_db).clamp(-40.0, 20.0)).map(|new| LevelChange { gain_db: Some(new), ..LevelChange::default() }))
            }
            _ => Err(LevelError::Level),
        }
    }

    /// Changes an object by hand.
    ///
    /// # Errors
    /// [`LevelError`]; nothing is changed then.
    pub fn change(&mut self, change: &LevelChange) -> Result<(), LevelError> {
        let level = |db: Option<f64>| db.map_or(Ok(()), |db| if BY_HAND_DB.hold(db) { Ok(()) } else { Err(LevelError::Level) });
        level(change.under_speech_db)?;
        let samples = |seconds: Option<f64>| match seconds {
            None => Ok(None),
            Some(s) if BY_HAND_S.hold(s) => Ok(Some(samples_from_seconds(s))),
            Some(_) => Err(LevelError::Length),
        };
        let (rise, fall) = (samples(change.rise_s)?, samples(change.fall_s)?);
        match self {
            Self::Dip { gain_db, under_speech_db, by_hand, .. } => {
                if let Some(under) = change.under_speech_db {
                    *gain_db += *under_speech_db - under;
                    *under_speech_db = under;
                }
                *by_hand = true;
            }
            Self::Swell { start_samples, end_samples, rise_samples, fall_samples, gain_db, under_speech_db, rise_slope, fall_slope, by_hand } => {
                let (new_rise, new_fall) = (rise.unwrap_or(*rise_samples), fall.unwrap_or(*fall_samples));
                if new_rise + new_fall > *end_samples - *start_samples {
                    return Err(LevelError::Length);
                }
                (*rise_samples, *fall_samples) = (new_rise, new_fall);
                if let Some(under) = change.under_speech_db {
                    *gain_db += *under_speech_db - under;
                    *under_speech_db = under;
                }
                *rise_slope = change.rise_slope.unwrap_or(*rise_slope);
                *fall_slope = change.fall_slope.unwrap_or(*fall_slope);
                *by_hand = true;
            }
            Self::Sweep { start_samples, end_samples, gain_db, rise_samples, fall_samples, rise_slope, fall_slope } => {
                let (start, end) = (change.start_samples.unwrap_or(*start_samples), change.end_samples.unwrap_or(*end_samples));
                if end < start.saturating_add(LEAST_SWEEP_SAMPLES) || end > CutLength::MOST_SAMPLES {
                    return Err(LevelError::Passage);
                }
                // A shorter passage has shorter edges.
                let half = (end - start) / 2;
                let (new_rise, new_fall) = (rise.unwrap_or((*rise_samples).min(half)), fall.unwrap_or((*fall_samples).min(half)));
                if new_rise + new_fall > end - start {
                    return Err(LevelError::Length);
                }
                *gain_db = swept(change.gain_db.unwrap_or(*gain_db))?;
                (*start_samples, *end_samples) = (start, end);
                (*rise_samples, *fall_samples) = (new_rise, new_fall);
                *rise_slope = change.rise_slope.unwrap_or(*rise_slope);
                *fall_slope = change.fall_slope.unwrap_or(*fall_slope);
            }
            Self::Emphasis { deeper_db, .. } => *deeper_db = change.under_speech_db.unwrap_or(*deeper_db),
            Self::FadeIn { length_samples, shape, by_hand, .. } => {
                *length_samples = rise.unwrap_or(*length_samples);
                *shape = change.fade_shape.unwrap_or(*shape);
                *by_hand = true;
            }
            Self::FadeOut { length_samples, shape, by_hand, .. } => {
                *length_samples = fall.unwrap_or(*length_samples);
                *shape = change.fade_shape.unwrap_or(*shape);
                *by_hand = true;
            }
            Self::Base { .. } | Self::Trim { .. } => return Err(LevelError::NoObject),
        }
        Ok(())
    }

    /// Whether a person set it.
    pub fn by_hand(&self) -> bool {
        match self {
            Self::Dip { by_hand, .. } | Self::Swell { by_hand, .. } | Self::FadeIn { by_hand, .. } | Self::FadeOut { by_hand, .. } => *by_hand,
            Self::Emphasis { .. } | Self::Sweep { .. } => true,
            Self::Base { .. } | Self::Trim { .. } => false,
        }
    }

    /// From where to where it lies, in samples of the cut.
    pub fn span(&self) -> Option<(u64, u64)> {
        match *self {
            Self::Dip { start_samples, end_samples, .. }
            | Self::Swell { start_samples, end_samples, .. }
            | Self::Emphasis { start_samples, end_samples, .. }
            | Self::Sweep { start_samples, end_samples, .. }
            | Self::Trim { start_samples, end_samples, .. } => Some((start_samples, end_samples)),
            Self::FadeIn { start_samples, length_samples, .. } => Some((start_samples, start_samples + length_samples)),
            Self::FadeOut { end_samples, length_samples, .. } => Some((end_samples.saturating_sub(length_samples), end_samples)),
            Self::Base { .. } => None,
        }
    }

    /// Whether it is the same thing as `other`, in this bed or the next: of one kind, at one place.
    pub fn is_twin_of(&self, other: &Self) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other) && self.span().is_some() && self.span() == other.span()
    }

    /// This object with what was set by hand in `old`: its place stays.
    pub(super) fn with_hand(&self, old: &Self) -> Option<Self> {
        let mut new = self.clone();
        match (&mut new, old) {
            (Self::Dip { gain_db, under_speech_db, by_hand, .. }, &Self::Dip { under_speech_db: set, by_hand: true, .. }) => {
                // The same distance from the speech, which may be louder or softer by now.
                *gain_db += *under_speech_db - set;
                (*under_speech_db, *by_hand) = (set, true);
            }
            (
                Self::Swell { start_samples, end_samples, rise_samples, fall_samples, gain_db, under_speech_db, rise_slope, fall_slope, by_hand },
                &Self::Swell {
                    rise_samples: set_rise,
                    fall_samples: set_fall,
                    under_speech_db: set,
                    rise_slope: set_rise_slope,
                    fall_slope: set_fall_slope,
                    by_hand: true,
                    ..
                },
            ) => {
                *gain_db += *under_speech_db - set;
                *under_speech_db = set;
                let room = *end_samples - *start_samples;
                // At the very start and end of the cut there is nothing to rise from or fall to.
                *rise_samples = if *rise_samples == 0 { 0 } else { set_rise.min(room / 2) };
                *fall_samples = if *fall_samples == 0 { 0 } else { set_fall.min(room - *rise_samples) };
                (*rise_slope, *fall_slope, *by_hand) = (set_rise_slope, set_fall_slope, true);
            }
            (Self::FadeIn { length_samples, shape, by_hand, .. }, &Self::FadeIn { length_samples: set, shape: set_shape, by_hand: true, .. })
            | (Self::FadeOut { length_samples, shape, by_hand, .. }, &Self::FadeOut { length_samples: set, shape: set_shape, by_hand: true, .. }) => {
                (*length_samples, *shape, *by_hand) = (set, set_shape, true);
            }
            _ => return None,
        }
        Some(new)
    }
}
