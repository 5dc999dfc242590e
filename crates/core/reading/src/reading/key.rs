//! The key of a bed, from how long each pitch class sounds, alone and in the bass.
//!
//! As after Krumhansl and Kessler 1982 ("Tracing the dynamic changes in perceived tonal organization") the pitch classes
//! are held against a profile of each key. The profiles are not those of listeners' ratings: those take the key of the
//! fifth for it, since every low note sounds with the fifth above. `tools/reading/key.py` learned them from what the
//! reading hears of composed pieces; a softmax over the 24 keys says how likely each is.

mod weights;

use super::activations::INPUTS;
use super::features::norm;
use super::network::likelihoods;
use serde::{Deserialize, Serialize};
use weights::{BIAS, MAJOR, MINOR};

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Key {
    /// Pitch class of the tonic: 0 is C.
    pub tonic: u8,
    /// Whether it is minor.
    pub minor: bool,
    /// How likely it is, 0 to 1.
    pub confidence: f32,
}

/// How likely a key must be to be told.
const LEAST: f32 = 0.35;
const NAMES: [&str; 12] = ["C", "D♭", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

impl Key {
    /// Names of the pitch classes, C first.
    pub const PITCHES: [&str; 12] = NAMES;

    /// Its name, such as `B minor`.
    pub fn name(self) -> String {
        format!("{} {}", NAMES[usize::from(self.tonic % 12)], if self.minor { "minor" } else { "major" })
    }

    /// The key of what the network hears; `None` where nothing is tonal and where no key is likely enough.
    pub(super) fn of(inputs: &[f32]) -> Option<Self> {
        let classes = classes(inputs)?;
        let points = |tonic: usize, profile: &[[f32; 12]; 2]| -> f32 {
            (0..2).map(|part| (0..12).map(|k| profile[part][k] * classes[part][(k + tonic) % 12]).sum::<f32>()).sum()
        };
        let keys = (0..12).flat_map(|tonic| [(tonic, false, points(tonic, &MAJOR) + BIAS[0]), (tonic, true, points(tonic, &MINOR) + BIAS[1])]);
        let all: Vec<(usize, bool, f32)> = keys.collect();
        let likely = likelihoods(&all.iter().map(|key| key.2).collect::<Vec<f32>>());
        let (confidence, best) = likely.into_iter().zip(&all).max_by(|a, b| a.0.total_cmp(&b.0))?;
        (confidence >= LEAST).then_some(Self { tonic: best.0 as u8, minor: best.1, confidence })
    }
}

/// How long each pitch class sounds, of everything and in the bass, each of length 1; of the frames of `inputs` from the
/// first to the last that are tonal. `None` for less than a second of those.
pub fn classes(inputs: &[f32]) -> Option<[[f32; 12]; 2]> {
    const TONAL: f32 = 0.3;
    const LEAST_FRAMES: usize = 50;
    let rows: Vec<&[f32]> = inputs.as_chunks::<INPUTS>().0.iter().map(|row| &row[INPUTS - 24..]).collect();
    let tonal = |row: &&[f32]| row[..12].iter().map(|c| c * c).sum::<f32>() > TONAL * TONAL;
    if rows.iter().filter(|row| tonal(row)).count() < LEAST_FRAMES {
        return None;
    }
    let (first, last) = (rows.iter().position(tonal)?, rows.iter().rposition(tonal)?);
    let of = |from: usize| {
        let sum: [f32; 12] = std::array::from_fn(|k| rows[first..=last].iter().map(|row| row[from + k]).sum());
        let length = norm(&sum).max(1e-6);
        sum.map(|c| c / length)
    };
    Some([of(0), of(12)])
}
