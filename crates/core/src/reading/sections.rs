//! Sections: stretches of one character with boundaries on downbeats.
//!
//! Boundaries are peaks of the novelty of Foote (ICME 2000) over the likeness of bars; sections
//! are lettered by how alike their bars are in order.

use super::likeness::BarLikeness;
use serde::{Deserialize, Serialize};

/// A stretch of one character. Sections with one label are alike.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Section {
    /// First bar.
    pub start_bar: usize,
    /// The bar after the last.
    pub end_bar: usize,
    /// First sample.
    pub start_samples: u64,
    /// The sample after the last.
    pub end_samples: u64,
    /// A letter, or a letter and a number beyond Z.
    pub label: String,
}

/// Bars that the novelty looks at on either side.
const REACH_BARS: usize = 8;
/// The shortest section.
const LEAST_BARS: usize = 4;

/// The sections of a bed and how sure they are.
pub fn find(likeness: &BarLikeness, levels_db: &[f32], downbeats: &[usize], beats_samples: &[u64]) -> (Vec<Section>, f32) {
    let bars = likeness.bar_count();
    if bars < 2 {
        return (Vec::new(), 0.0);
    }
    let novelty: Vec<f32> = (0..bars).map(|bar| novelty(likeness, levels_db, bar)).collect();
    let boundaries = boundaries(&novelty);
    let mut sections: Vec<Section> = boundaries
        .windows(2)
        .map(|w| Section {
            start_bar: w[0],
            end_bar: w[1],
            start_samples: beats_samples[downbeats[w[0]]],
            end_samples: beats_samples[downbeats[w[1]]],
            label: String::new(),
        })
        .collect();
    letter(&mut sections, likeness, levels_db);
    let inner = &boundaries[1..boundaries.len() - 1];
    let confidence = inner.iter().map(|&b| novelty[b]).sum::<f32>() / inner.len().max(1) as f32;
    (sections, (confidence * 1.5).clamp(0.0, 1.0))
}

/// How much the bars before `bar` are alike among themselves, those after too, and the two not.
fn novelty(likeness: &BarLikeness, levels_db: &[f32], bar: usize) -> f32 {
    let reach = REACH_BARS.min(bar).min(likeness.bar_count() - bar);
    if reach < 2 {
        return 0.0;
    }
    let mean = |rows: std::ops::Range<usize>, columns: std::ops::Range<usize>| {
        let cells = (rows.len() * columns.len()) as f32;
        rows.flat_map(|a| columns.clone().map(move |b| likeness.of(a, b))).sum::<f32>() / cells
    };
    let (before, after) = (bar - reach..bar, bar..bar + reach);
    let level = |bars: std::ops::Range<usize>| bars.clone().map(|b| levels_db[b]).sum::<f32>() / bars.len() as f32;
    let near = 4.min(reach);
    let step = (level(bar..bar + near) - level(bar - near..bar)).abs().min(12.0) / 12.0;
    0.5 * (mean(before.clone(), before.clone()) + mean(after.clone(), after.clone())) - mean(before, after) + 0.5 * step
}

/// The boundaries with the highest sum of novelty, each charged, with sections of 4, 8, 12 … bars preferred.
fn boundaries(novelty: &[f32]) -> Vec<usize> {
    let bars = novelty.len();
    let typical = novelty.iter().sum::<f32>() / bars as f32;
    let charge = |length: usize| {
        let odd = match length % 8 {
            0 => 0.0,
            4 => 0.05,
            2 | 6 => 0.12,
            _ => 0.2,
        };
        1.4 * typical + 0.08 + odd
    };
    let mut best = vec![f32::NEG_INFINITY; bars + 1];
    let mut from = vec![0; bars + 1];
    best[0] = 0.0;
    for end in 1..=bars {
        let gain = novelty.get(end).copied().unwrap_or(0.0);
        for start in 0..end {
            let length = end - start;
            // The first and the last section may be short: an opening, a last hit.
            if length < LEAST_BARS && start != 0 && end != bars {
                continue;
            }
            let value = best[start] + gain - charge(length);
            if value > best[end] {
                best[end] = value;
                from[end] = start;
            }
        }
    }
    let mut all = vec![bars];
    while let Some(&last) = all.last().filter(|&&b| b > 0) {
        all.push(from[last]);
    }
    all.reverse();
    all
}

/// Gives one letter to sections whose bars are alike in order and level.
fn letter(sections: &mut [Section], likeness: &BarLikeness, levels_db: &[f32]) {
    let mut names = 0usize;
    for k in 0..sections.len() {
        let alike = |other: &Section| {
            let (a, b) = (&sections[k], other);
            let length = (a.end_bar - a.start_bar).min(b.end_bar - b.start_bar);
            let same: f32 = (0..length).map(|n| likeness.of(a.start_bar + n, b.start_bar + n)).sum::<f32>() / length as f32;
            let level = |s: &Section| levels_db[s.start_bar..s.end_bar].iter().sum::<f32>() / (s.end_bar - s.start_bar) as f32;
            same - 0.03 * (level(a) - level(b)).abs().min(10.0)
        };
        let best = sections[..k].iter().map(|s| (alike(s), s.label.clone())).max_by(|a, b| a.0.total_cmp(&b.0));
        sections[k].label = match best {
            Some((value, label)) if value > 0.62 => label,
            _ => {
                names += 1;
                label(names - 1)
            }
        };
    }
}

fn label(index: usize) -> String {
    let letter = (b'A' + (index % 26) as u8) as char;
    match index / 26 {
        0 => letter.to_string(),
        round => format!("{letter}{}", round + 1),
    }
}
