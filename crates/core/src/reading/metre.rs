//! Beats in a bar, and which beat begins it.

use super::features::BeatFeatures;

/// Bars of a bed as groups of beats.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Bars {
    /// Beats in a bar; 4 when nothing tells.
    pub metre: u32,
    /// Indices of the beats that begin a bar.
    pub downbeats: Vec<usize>,
    /// 0 to 1.
    pub confidence: f32,
}

/// Groups beats into bars of three or four.
///
/// The metre is the one at whose multiples beats resemble each other more than at others; the
/// downbeat is where bass and harmony change and the low drum falls.
pub fn find(beats_s: &[f64], features: &[BeatFeatures]) -> Bars {
    let count = beats_s.len();
    if count < 4 {
        return Bars { metre: 4, downbeats: Vec::new(), confidence: 0.0 };
    }
    let accent = accents(features);
    let (metre, phase, confidence) = [3usize, 4]
        .into_iter()
        .filter(|&m| count >= 2 * m)
        .map(|m| {
            let (phase, margin) = best_phase(&accent, m);
            (m, phase, margin, periodicity(features, m) + 0.5 * margin)
        })
        .max_by(|a, b| a.3.total_cmp(&b.3))
        .map_or((4, 0, 0.0), |(m, phase, margin, _)| (m, phase, margin));
    let downbeats = (phase..count).step_by(metre).collect();
    Bars { metre: metre as u32, downbeats, confidence: confidence.clamp(0.0, 1.0) }
}

/// How much each beat speaks for being the first of a bar, freed of its mean and scaled to deviation 1.
fn accents(features: &[BeatFeatures]) -> Vec<f32> {
    let column = |of: &dyn Fn(usize) -> f32| {
        let raw: Vec<f32> = (0..features.len()).map(of).collect();
        standardise(&raw)
    };
    let harmony = column(&|k| if k == 0 { 0.0 } else { distance(&features[k - 1].chroma, &features[k].chroma) });
    let bass = column(&|k| if k == 0 { 0.0 } else { distance(&features[k - 1].bass, &features[k].bass) });
    let low = column(&|k| features[k].attack[0]);
    let high = column(&|k| features[k].attack[2]);
    let loud = column(&|k| features[k].loudness_db);
    let mixed: Vec<f32> = (0..features.len()).map(|k| 1.0 * harmony[k] + 0.7 * bass[k] + 0.5 * low[k] - 0.15 * high[k] + 0.2 * loud[k]).collect();
    standardise(&mixed)
}

fn standardise(values: &[f32]) -> Vec<f32> {
    let mean = values.iter().sum::<f32>() / values.len() as f32;
    let variance = values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / values.len() as f32;
    let scale = 1.0 / variance.sqrt().max(1e-6);
    // Clipped, so that one crash cymbal does not outvote a hundred bars.
    values.iter().map(|v| ((v - mean) * scale).clamp(-2.5, 2.5)).collect()
}

pub(super) fn distance(a: &[f32], b: &[f32]) -> f32 {
    a.iter().zip(b).map(|(x, y)| (x - y).powi(2)).sum::<f32>().sqrt()
}

/// The phase with the highest mean accent, and by how much it leads the next.
fn best_phase(accent: &[f32], metre: usize) -> (usize, f32) {
    let mut means: Vec<(usize, f32)> = (0..metre)
        .map(|phase| {
            let of: Vec<f32> = accent.iter().skip(phase).step_by(metre).copied().collect();
            (phase, of.iter().sum::<f32>() / of.len().max(1) as f32)
        })
        .collect();
    means.sort_by(|a, b| b.1.total_cmp(&a.1));
    (means[0].0, means[0].1 - means[1].1)
}

/// Likeness of beats at multiples of `metre`, against that at other distances.
fn periodicity(features: &[BeatFeatures], metre: usize) -> f32 {
    let likeness = |lag: usize| {
        let pairs = features.len().saturating_sub(lag);
        if pairs == 0 {
            return 0.0;
        }
        let sum: f32 = (0..pairs)
            .map(|k| {
                let (a, b) = (&features[k], &features[k + lag]);
                (-(distance(&a.onset, &b.onset) / 1.2)).exp() + (-(distance(&a.chroma, &b.chroma) / 0.7)).exp()
            })
            .sum();
        sum / pairs as f32
    };
    let longest = (4 * metre).min(features.len() / 2);
    let mean = |wanted: &dyn Fn(usize) -> bool| {
        let of: Vec<f32> = (2..=longest).filter(|&lag| wanted(lag)).map(likeness).collect();
        of.iter().sum::<f32>() / of.len().max(1) as f32
    };
    8.0 * (mean(&|lag| lag % metre == 0) - mean(&|lag| lag % metre != 0))
}
