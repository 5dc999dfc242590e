//! The takes of the narration and what is heard of them.

use crate::studio::OpenTake;
use jaunty_core::cut::{Setup, TakeOrigin};
use jaunty_core::kind::Kind;
use jaunty_core::speech::{Phrase, corrected};
use jaunty_core::units::seconds_from_samples;
use jaunty_core::voice::Piece;
use serde::Serialize;
use utoipa::ToSchema;

/// A take of the narration.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakeView {
    /// Hash of its content.
    pub hash: String,
    /// Its name.
    pub name: String,
    /// Where it lies on the cut, in seconds.
    pub at_s: f64,
    /// How it came to be.
    pub origin: TakeOrigin,
    /// Length in seconds, once decoded.
    pub length_s: Option<f64>,
    /// Whether the file broke off before its end.
    pub damaged: bool,
    /// What it sounds like, when that is not speech.
    pub sounds_like: Option<Kind>,
    /// Its phrases, on the cut; none until it has been read.
    pub phrases: Option<Vec<TakePhraseView>>,
    /// Integrated loudness in LUFS.
    pub integrated_lufs: Option<f64>,
    /// Whether anything of it is heard.
    pub used: bool,
    /// Whether its steady noise is taken out.
    pub without_noise: bool,
    /// Level of the room between its phrases, in dBFS.
    pub noise_floor_dbfs: Option<f32>,
}

/// A phrase of a take.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakePhraseView {
    /// Where it begins on the cut, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Whether it is heard.
    pub used: bool,
}

/// A piece of the narration as it is heard.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VoicePieceView {
    /// The take it is from.
    pub take: String,
    /// Where it begins on the cut, in seconds.
    pub start_s: f64,
    /// Where it is over.
    pub end_s: f64,
    /// Where it begins in its take, in seconds.
    pub source_start_s: f64,
    /// Whether a machine speaks it.
    pub scratch: bool,
}

impl From<&Piece> for VoicePieceView {
    fn from(piece: &Piece) -> Self {
        let on_cut = piece.on_cut();
        Self {
            take: piece.sound.clone(),
            start_s: seconds_from_samples(on_cut.start),
            end_s: seconds_from_samples(on_cut.end),
            source_start_s: seconds_from_samples(piece.source_start_samples),
            scratch: piece.scratch.is_some(),
        }
    }
}

impl TakeView {
    /// A take of a cut.
    pub(super) fn of(open: &OpenTake, setup: &Setup) -> Self {
        let OpenTake { take, sound, reading } = open;
        let heard = |start: u64, end: u64| {
            let middle = take.at_samples + (start + end) / 2;
            setup.pieces.iter().any(|p| p.sound == take.hash && p.on_cut().contains(&middle))
        };
        let phrase = |p: &Phrase| TakePhraseView {
            start_s: seconds_from_samples(take.at_samples + p.start_samples),
            end_s: seconds_from_samples(take.at_samples + p.end_samples),
            used: heard(p.start_samples, p.end_samples),
        };
        let unlike = sound.recognised().filter(|r| take.origin == TakeOrigin::File && r.is_surely_not(Kind::Speech));
        Self {
            hash: take.hash.clone(),
            name: take.name.clone(),
            at_s: seconds_from_samples(take.at_samples),
            origin: take.origin,
            length_s: sound.length_samples.map(seconds_from_samples),
            damaged: sound.damaged,
            sounds_like: unlike.map(|r| r.kind),
            phrases: reading.as_ref().map(|r| corrected(&r.phrases, &take.edits).iter().map(phrase).collect()),
            integrated_lufs: reading.as_ref().and_then(|r| r.loudness.integrated_lufs),
            used: setup.pieces.iter().any(|p| p.sound == take.hash),
            without_noise: take.heard() != take.hash,
            noise_floor_dbfs: reading.as_ref().map(|r| r.noise_floor_dbfs),
        }
    }
}
