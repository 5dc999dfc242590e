//! Sounds and films as a cut uses them.

use chrono::{DateTime, Utc};
use jaunty_fit::fit::Wishes;
use jaunty_picture::terms::Terms;
use jaunty_reading::kind::Kind;
use jaunty_reading::reading::Correction;
use jaunty_shape::plan::FilmWish;
use jaunty_speech::speech::PhraseEdit;
use jaunty_units::units::FrameRate;
use serde::{Deserialize, Serialize};

/// A sound as a cut uses it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct UsedSound {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
}

/// A bed that lies elsewhere on the cut than the one at hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Laid {
    /// The bed.
    pub bed: UsedSound,
    /// What is wanted of its fit, its place above all.
    pub wishes: Wishes,
}

/// What somebody thinks of a candidate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Opinion {
    /// Take it.
    Yes,
    /// Perhaps.
    Maybe,
    /// Not this one.
    No,
}

/// What was agreed with a supplier when a piece was taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Licence {
    /// The supplier.
    pub supplier: String,
    /// The supplier's name of the piece.
    pub piece: String,
    /// Who made it.
    pub maker: String,
    /// The terms.
    pub terms: Terms,
    /// Whether somebody sings in it, as the supplier says.
    #[serde(default)]
    pub singing: bool,
    /// The line to credit it with.
    pub credit: String,
    /// Number of the licence.
    pub number: String,
    /// When it was taken.
    pub taken_at: DateTime<Utc>,
    /// The warning that was shown and passed over, if there was one.
    pub warned: Option<String>,
}

/// What somebody says about the terms of a file of their own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub struct OwnTerms {
    /// The terms.
    pub terms: Terms,
    /// The line to credit it with; empty for none.
    #[serde(default)]
    pub credit: String,
}

/// A bed that may be chosen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Candidate {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// What a person says it is, against what was recognised.
    #[serde(default)]
    pub kind_by_hand: Option<Kind>,
    /// What somebody thinks of it.
    #[serde(default)]
    pub opinion: Option<Opinion>,
    /// A note.
    #[serde(default)]
    pub note: String,
    /// What was agreed, for pieces of a supplier.
    #[serde(default)]
    pub licence: Option<Licence>,
    /// What somebody says about its terms, for files of their own.
    #[serde(default)]
    pub own_terms: Option<OwnTerms>,
    /// What is wanted of its fit.
    #[serde(default)]
    pub wishes: Wishes,
    /// What a person said about its reading, in order.
    #[serde(default)]
    pub corrections: Vec<Correction>,
    /// The file that it was made from, where its tempo is not its own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub retimed: Option<Retimed>,
}

/// How a bed differs from the file as it came.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Retimed {
    /// Hash of the file as it came.
    pub of: String,
    /// Its name.
    pub name: String,
    /// Beats a minute over those of the file.
    pub tempo: f64,
    /// What had been said about the reading of the file.
    pub(super) before: Vec<Correction>,
    /// What was said then of this sound by itself.
    pub(super) given: Vec<Correction>,
}

impl Candidate {
    /// Hash of the file as it came.
    pub fn original(&self) -> &str {
        self.retimed.as_ref().map_or(&self.hash, |r| &r.of)
    }

    /// Beats a minute over those of the file as it came.
    pub fn tempo(&self) -> f64 {
        self.retimed.as_ref().map_or(1.0, |r| r.tempo)
    }
}

/// How a take came to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum TakeOrigin {
    /// A file.
    #[default]
    File,
    /// Recorded in the page.
    Recorded,
    /// Spoken by a machine.
    Scratch,
}

/// A recording or file of speech.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Take {
    /// Hash of its content.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// Where its first sample lies on the cut.
    #[serde(default)]
    pub at_samples: u64,
    /// How it came to be.
    #[serde(default)]
    pub origin: TakeOrigin,
    /// What a person said about its phrases, in order.
    #[serde(default)]
    pub edits: Vec<PhraseEdit>,
    /// Hash of the same sound without its steady noise, once that has been made.
    #[serde(default)]
    pub cleaned: Option<String>,
    /// Whether that is heard.
    #[serde(default)]
    pub cleaned_on: bool,
}

impl Take {
    /// A file that lies from the start of the cut on.
    pub fn new(hash: &str, name: &str) -> Self {
        Self { hash: hash.to_owned(), name: name.to_owned(), at_samples: 0, origin: TakeOrigin::File, edits: Vec::new(), cleaned: None, cleaned_on: false }
    }

    /// The sound that is heard of it.
    pub fn heard(&self) -> &str {
        self.cleaned.as_deref().filter(|_| self.cleaned_on).unwrap_or(&self.hash)
    }
}

/// The proxy film of a cut.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Film {
    /// Hash of its content.
    pub hash: String,
    /// The name it came with.
    pub name: String,
    /// Its frame rate.
    pub rate: FrameRate,
    /// Its length.
    pub length_frames: u64,
    /// The number of its first frame, when it carries a timecode.
    pub first_frame: Option<u64>,
    /// Hash of its own sound, once that has been taken out of it.
    pub sound: Option<String>,
    /// Whether its own sound is heard.
    pub sound_on: bool,
    /// What is wanted of its own sound.
    #[serde(default)]
    pub wish: FilmWish,
    /// Whether the talk in its own sound is speech like a narration's.
    #[serde(default)]
    pub talk: bool,
    /// What a person said about its phrases, in order.
    #[serde(default)]
    pub edits: Vec<PhraseEdit>,
    /// Width over height.
    pub width_px: u32,
    /// Height.
    pub height_px: u32,
}

impl Film {
    /// The sound of which the talk is speech, while it is heard.
    pub fn talks(&self) -> Option<&str> {
        self.sound.as_deref().filter(|_| self.talk && self.sound_on)
    }
}
