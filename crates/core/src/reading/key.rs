//! The key of a bed, from how long each pitch class sounds.
//!
//! Krumhansl and Kessler 1982, "Tracing the dynamic changes in perceived tonal organization": the
//! mean pitch classes are correlated with the probe-tone profiles of all 24 keys (values from
//! memory of the published tables).

use super::features::BeatFeatures;
use serde::{Deserialize, Serialize};

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Key {
    /// Pitch class of the tonic: 0 is C.
    pub tonic: u8,
    /// Whether it is minor.
    pub minor: bool,
    /// How far it stands out of the next best key, 0 to 1.
    pub confidence: f32,
}

const MAJOR: [f32; 12] = [6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88];
const MINOR: [f32; 12] = [6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17];
const NAMES: [&str; 12] = ["C", "D♭", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

impl Key {
    /// Names of the pitch classes, C first.
    pub const PITCHES: [&str; 12] = NAMES;

    /// Its name, such as `B minor`.
    pub fn name(self) -> String {
        format!("{} {}", NAMES[usize::from(self.tonic % 12)], if self.minor { "minor" } else { "major" })
    }

    /// The key of the beats of a bed; `None` when nothing in them is tonal.
    ///
    /// The bass and the last sounding beats speak for the tonic more than the middle of the
    /// texture does: pieces end on it (common practice, no source).
    pub(super) fn of(beats: &[BeatFeatures]) -> Option<Self> {
        let sum = |of: &dyn Fn(&BeatFeatures) -> [f32; 12], beats: &[BeatFeatures]| -> [f32; 12] {
            std::array::from_fn(|k| beats.iter().map(|f| of(f)[k]).sum::<f32>() / beats.len().max(1) as f32)
        };
        let (chroma, bass) = (sum(&|f| f.chroma, beats), sum(&|f| f.bass, beats));
        let heard: Vec<&BeatFeatures> = beats.iter().filter(|f| f.bass.iter().sum::<f32>() > 0.3).collect();
        let last = heard.last().map_or([0.0; 12], |f| f.bass);
        let classes: [f32; 12] = std::array::from_fn(|k| chroma[k] + BASS_WEIGHT * bass[k]);
        let mut all: Vec<(f32, u8, bool)> = Vec::new();
        for tonic in 0..12u8 {
            let rotated: [f32; 12] = std::array::from_fn(|k| classes[(k + usize::from(tonic)) % 12]);
            let end = LAST_WEIGHT * last[usize::from(tonic)];
            all.push((correlation(&rotated, &MAJOR) + end, tonic, false));
            all.push((correlation(&rotated, &MINOR) + end, tonic, true));
        }
        all.sort_by(|a, b| b.0.total_cmp(&a.0));
        let (top, tonic, minor) = all[0];
        (top > 0.35).then(|| Self { tonic, minor, confidence: ((top - all[1].0) * 6.0).clamp(0.0, 1.0) })
    }
}

/// How much the bass counts beside everything.
const BASS_WEIGHT: f32 = 0.6;
/// How much the bass of the last sounding beat speaks for the tonic.
const LAST_WEIGHT: f32 = 0.15;

fn correlation(a: &[f32; 12], b: &[f32; 12]) -> f32 {
    let mean = |v: &[f32; 12]| v.iter().sum::<f32>() / 12.0;
    let (ma, mb) = (mean(a), mean(b));
    let dot: f32 = a.iter().zip(b).map(|(x, y)| (x - ma) * (y - mb)).sum();
    let norm = |v: &[f32; 12], m: f32| v.iter().map(|x| (x - m) * (x - m)).sum::<f32>().sqrt();
    let length = norm(a, ma) * norm(b, mb);
    if length > 1e-6 { dot / length } else { 0.0 }
}
