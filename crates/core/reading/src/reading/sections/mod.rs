//! Sections: stretches of one character with boundaries on downbeats.
//!
//! A small network (one hidden layer, `weights`, trained by `tools/reading/sections.py`) says how
//! likely a section begins at each bar line, from what [`features`] tells of it; the boundaries are
//! those with the highest sum of log-odds, with sections of 4, 8, 12 … bars preferred. Sections
//! are lettered by how alike their bars are in order.

pub mod features;
mod weights;

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
    /// What somebody calls it.
    #[serde(default)]
    pub name: Option<String>,
}

/// The sections of a bed and how sure they are, from what the network of the reading hears
/// (`inputs`), the likeness and level of bars, and the bar lines.
pub fn find(inputs: &[f32], likeness: &BarLikeness, levels_db: &[f32], bar_lines_samples: &[u64]) -> (Vec<Section>, f32) {
    let bars = likeness.bar_count();
    if bars < 2 {
        return (Vec::new(), 0.0);
    }
    let bar_lines_s: Vec<f64> = bar_lines_samples.iter().map(|&s| jaunty_units::units::seconds_from_samples(s)).collect();
    let begins: Vec<f32> = features::of_bar_lines(inputs, &bar_lines_s).iter().map(begins).collect();
    let boundaries = boundaries(&begins, bars);
    let marks: Vec<_> = boundaries[..boundaries.len() - 1].iter().map(|&bar| (bar, String::new(), None)).collect();
    let mut sections = sections_between(&marks, bar_lines_samples);
    letter(&mut sections, likeness, levels_db);
    let inner = &boundaries[1..boundaries.len() - 1];
    let confidence = inner.iter().filter_map(|&b| begins.get(b - 1)).fold(0.0, |sum, p| sum + p) / inner.len().max(1) as f32;
    (sections, confidence)
}

/// Sections that begin at the bars of `marks`, with label and name; the last goes to the last bar line.
pub(super) fn sections_between(marks: &[(usize, String, Option<String>)], bar_lines_samples: &[u64]) -> Vec<Section> {
    let end = bar_lines_samples.len() - 1;
    let one = |k: usize| {
        let (start_bar, label, name) = marks[k].clone();
        let end_bar = marks.get(k + 1).map_or(end, |m| m.0);
        Section { start_bar, end_bar, start_samples: bar_lines_samples[start_bar], end_samples: bar_lines_samples[end_bar], label, name }
    };
    (0..marks.len()).map(one).collect()
}

/// How likely a section begins at a bar line.
fn begins(features: &[f32; features::FEATURES]) -> f32 {
    let scaled: [f32; features::FEATURES] = std::array::from_fn(|k| (features[k] - weights::MEAN[k]) / weights::SCALE[k]);
    let hidden = weights::HIDDEN.iter().map(|(row, bias)| (scaled.iter().zip(row).map(|(x, w)| x * w).sum::<f32>() + bias).max(0.0));
    let odds = hidden.zip(weights::OUT).map(|(h, w)| h * w).sum::<f32>() + weights::OUT_BIAS;
    1.0 / (1.0 + (-odds).exp())
}

/// What a boundary earns of itself: most bar lines are none, so their odds are low.
const EACH: f32 = 2.15;
/// What a section of an unusual length costs.
fn length_cost(bars: usize) -> f32 {
    let odd = match bars % 8 {
        0 => 0.0,
        4 => 0.75,
        2 | 6 => 1.75,
        _ => 2.5,
    };
    let short = if bars < 4 { 1.5 } else { 0.0 };
    odd + short + 0.05 * bars.saturating_sub(16) as f32
}

/// The boundaries with the highest sum, from 0 to the number of bars. `begins[b - 1]` belongs to bar line `b`.
fn boundaries(begins: &[f32], bars: usize) -> Vec<usize> {
    /// Sections longer than this are not sought.
    const LONGEST_BARS: usize = 96;
    let gain = |bar: usize| begins.get(bar - 1).map_or(0.0, |p| (p.clamp(1e-4, 0.9999) / (1.0 - p.clamp(1e-4, 0.9999))).ln() + EACH);
    let mut best = vec![f32::NEG_INFINITY; bars + 1];
    let mut from = vec![0; bars + 1];
    best[0] = 0.0;
    for end in 1..=bars {
        let gain = if end == bars { 0.0 } else { gain(end) };
        for start in end.saturating_sub(LONGEST_BARS)..end {
            // The first and the last section may be of any length: an opening, a last hit.
            let weight = if start == 0 || end == bars { 0.4 } else { 1.0 };
            let value = best[start] + gain - weight * length_cost(end - start);
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

pub(super) fn label(index: usize) -> String {
    let letter = (b'A' + (index % 26) as u8) as char;
    match index / 26 {
        0 => letter.to_string(),
        round => format!("{letter}{}", round + 1),
    }
}
