//! The plan: the one document that says how a cut sounds.
//!
//! It is declarative, small and complete: the same plan and sounds give the same samples, bit
//! for bit, for any range ([`crate::mix::render`]).

use crate::fit::Fitting;
use crate::mix::FittedBed;
use crate::picture::Line;
use crate::shape::{self, LevelObject, Measured};
use crate::sound::{Source, loudness};
use crate::speech::{Phrase, SpeechReading, attach_words};
use crate::voice::{Narration, Piece, Placed};
use serde::{Deserialize, Serialize};

/// What a layer is to the cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Role {
    /// Music, re-cut to the length.
    Bed,
    /// Speech.
    Narration,
    /// The film's own sound.
    Film,
}

/// One sound of the cut and what happens to it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Layer {
    /// What it is.
    pub role: Role,
    /// Name of the sound: its content hash.
    pub sound: String,
    /// How the bed was re-cut; other layers have none.
    pub fitting: Option<Fitting>,
    /// What is heard of it and where; without one, all of it from the start of the cut.
    #[serde(default)]
    pub piece: Option<Piece>,
    /// What its level does.
    pub levels: Vec<LevelObject>,
}

/// How a cut sounds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Plan {
    /// Length of the cut in samples.
    pub length_samples: u64,
    /// The layers.
    pub layers: Vec<Layer>,
    /// The phrases that the levels were set for, in samples of the cut.
    pub phrases: Vec<Phrase>,
    /// Digest of what the bed was fitted under: whether narration or picture have changed since.
    #[serde(default)]
    pub fitted_under: String,
}

impl Plan {
    /// A plan of silence.
    pub fn empty(length_samples: u64) -> Self {
        Self { length_samples, layers: Vec::new(), phrases: Vec::new(), fitted_under: String::new() }
    }

    /// The bed, if there is one.
    pub fn bed(&self) -> Option<&Layer> {
        self.layers.iter().find(|l| l.role == Role::Bed)
    }

    /// Changes the level of a swell or dip by hand: `under_speech_db` is how far it lies under
    /// the speech from now on. Nothing else changes.
    ///
    /// # Errors
    /// [`NoSuchObject`] if object `index` of the bed is neither a swell nor a dip, or the level is
    /// not between 0 and 60 dB.
    pub fn set_level_by_hand(&mut self, index: usize, under_speech: f64) -> Result<(), NoSuchObject> {
        let bed = self.layers.iter_mut().find(|l| l.role == Role::Bed).ok_or(NoSuchObject)?;
        match bed.levels.get_mut(index) {
            Some(LevelObject::Dip { gain_db, under_speech_db, by_hand, .. } | LevelObject::Swell { gain_db, under_speech_db, by_hand, .. })
                if (0.0..=60.0).contains(&under_speech) =>
            {
                *gain_db += *under_speech_db - under_speech;
                *under_speech_db = under_speech;
                *by_hand = true;
                Ok(())
            }
            _ => Err(NoSuchObject),
        }
    }
}

/// There is no swell or dip of that number, or no such level.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("there is no such swell or dip, or the level is not between 0 and 60 dB under the speech")]
pub struct NoSuchObject;

/// A bed with its fitting and its samples.
#[derive(Clone, Copy)]
pub struct BedInput<'a> {
    /// Name of the sound.
    pub sound: &'a str,
    /// Its samples.
    pub source: &'a dyn Source,
    /// The chosen fitting.
    pub fitting: &'a Fitting,
}

/// A piece of the narration with the reading and the samples of its take.
#[derive(Clone, Copy)]
pub struct PieceInput<'a> {
    /// What is heard and where.
    pub piece: &'a Piece,
    /// Samples of the take.
    pub source: &'a dyn Source,
    /// Phrases of the take.
    pub reading: &'a SpeechReading,
}

/// Everything that a plan is made from.
#[derive(Clone, Copy, Default)]
pub struct Inputs<'a> {
    /// Length of the cut.
    pub length_samples: u64,
    /// The bed.
    pub bed: Option<BedInput<'a>>,
    /// The narration.
    pub narration: &'a [PieceInput<'a>],
    /// Known words of the narration.
    pub lines: &'a [Line],
    /// Name of the film's own sound, when it is to be heard.
    pub film: Option<&'a str>,
}

/// Proposes the plan of a cut: the fitted bed, the narration, and the bed's levels under it.
///
/// `before` are the bed's level objects so far, of which those set by hand are kept.
pub fn propose(inputs: Inputs<'_>, before: &[LevelObject]) -> Plan {
    let Inputs { length_samples, narration, .. } = inputs;
    let (scratch, real): (Vec<&PieceInput<'_>>, Vec<_>) = narration.iter().partition(|n| n.piece.scratch.is_some());
    let of = |pieces: &[&PieceInput<'_>]| -> Vec<Phrase> { pieces.iter().flat_map(|n| n.piece.phrases(&n.reading.phrases)).collect() };
    let mut phrases = of(&real);
    phrases.sort_by_key(|p| p.start_samples);
    // Lines that a machine speaks have their phrase already.
    let open: Vec<Line> = inputs.lines.iter().filter(|l| !scratch.iter().any(|n| n.piece.scratch.as_ref() == Some(&l.words))).cloned().collect();
    attach_words(&mut phrases, &open);
    phrases.extend(of(&scratch));
    phrases.sort_by_key(|p| p.start_samples);
    let mut layers = Vec::new();
    if let Some(bed) = inputs.bed {
        let fitted = FittedBed::new(bed.source, bed.fitting);
        let bed_energies = loudness::block_energies(&fitted);
        let pieces = narration.iter().map(|n| Placed { source: n.source, piece: n.piece }).collect();
        let speech_energies = if narration.is_empty() { Vec::new() } else { loudness::block_energies(&Narration { pieces, length_samples }) };
        let measured = Measured { bed: &bed_energies, speech: &speech_energies };
        let ring_out = bed.fitting.last_hit_samples.map(|hit| length_samples.saturating_sub(hit));
        let levels = shape::propose_bed(measured, &phrases, length_samples, ring_out, before);
        layers.push(Layer { role: Role::Bed, sound: bed.sound.to_owned(), fitting: Some(bed.fitting.clone()), piece: None, levels });
    }
    let layer = |role, sound: &str, piece| Layer { role, sound: sound.to_owned(), fitting: None, piece, levels: Vec::new() };
    layers.extend(narration.iter().map(|n| layer(Role::Narration, &n.piece.sound, Some(n.piece.clone()))));
    layers.extend(inputs.film.map(|sound| layer(Role::Film, sound, None)));
    Plan { length_samples, layers, phrases, fitted_under: String::new() }
}
