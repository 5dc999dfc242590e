//! What a person says about a reading, on top of what was read.
//!
//! Corrections are kept as what was said, in order, and applied to whatever the automatic reading
//! is at the time: a better reading keeps them. Places are samples of the bed; those that mean a
//! bar line take the nearest one.

use super::correction::Correction;
use super::grid::Grid;
use super::sections::{Section, label, sections_between};
use super::{Ending, EndingKind, Span};
use jaunty_units::units::{samples_from_seconds, seconds_from_samples};

/// What the grid corrections need besides the grid: how to count again.
pub(super) trait Recount {
    /// The grid near a tempo; `taps_s` says where somebody tapped.
    fn near(&self, bpm: f64, taps_s: &[f64]) -> Option<Grid>;
    /// The grid with so many beats in a bar, its bars where they are likeliest.
    fn in_bars_of(&self, grid: Grid, beats: u32) -> Grid;
}

/// Applies what was said about beats and bars.
pub(super) fn correct_grid(mut grid: Grid, corrections: &[Correction], recount: &dyn Recount) -> Grid {
    for correction in corrections {
        match correction {
            Correction::DoubleTempo => double(&mut grid),
            Correction::HalfTempo => halve(&mut grid),
            Correction::OffBeats => grid.beats_s = half_way(&grid.beats_s),
            Correction::Tempo { bpm } => grid = recount.near(*bpm, &[]).unwrap_or(grid),
            Correction::Metre { beats } => grid = recount.in_bars_of(grid, *beats),
            Correction::ShiftBars { beats } => shift(&mut grid, *beats),
            Correction::Nudge { samples } => {
                let by_s = seconds_from_samples(samples.unsigned_abs()) * if *samples < 0 { -1.0 } else { 1.0 };
                grid.beats_s.iter_mut().for_each(|s| *s += by_s);
            }
            Correction::Taps { at_samples } => {
                let taps_s: Vec<f64> = at_samples.iter().map(|&s| seconds_from_samples(s)).collect();
                let bpm = super::beats::tempo(&taps_s);
                grid = recount.near(bpm, &taps_s).unwrap_or(grid);
            }
            Correction::Given { beats_samples, downbeats, .. } => {
                grid.beats_s = beats_samples.iter().map(|&s| seconds_from_samples(s)).collect();
                grid.downbeats.clone_from(downbeats);
                grid.metre = commonest_step(downbeats).unwrap_or(grid.metre);
            }
            _ => continue,
        }
        grid.tempo_bpm = super::beats::tempo(&grid.beats_s);
        // Somebody who heard it said so.
        (grid.beat_confidence, grid.bar_confidence) = (1.0, 1.0);
    }
    grid
}

/// Each beat half-way to the next one, and the last as far on.
fn half_way(beats_s: &[f64]) -> Vec<f64> {
    let step = |k: usize| beats_s.get(k + 1).map_or_else(|| k.checked_sub(1).map_or(0.0, |before| beats_s[k] - beats_s[before]), |next| next - beats_s[k]);
    (0..beats_s.len()).map(|k| beats_s[k] + step(k) / 2.0).collect()
}

/// Beats between bar lines, mostly.
fn commonest_step(downbeats: &[usize]) -> Option<u32> {
    let steps: Vec<usize> = downbeats.windows(2).map(|w| w[1] - w[0]).collect();
    steps.iter().max_by_key(|s| steps.iter().filter(|t| t == s).count()).map(|s| *s as u32)
}

fn double(grid: &mut Grid) {
    let old = std::mem::take(&mut grid.beats_s);
    for (k, &beat) in old.iter().enumerate() {
        grid.beats_s.push(beat);
        if let Some(next) = old.get(k + 1) {
            grid.beats_s.push((beat + next) / 2.0);
        }
    }
    let metre = grid.metre.max(1) as usize;
    let halves = |d: &usize| [2 * d, 2 * d + metre];
    let old_downbeats = std::mem::take(&mut grid.downbeats);
    for (k, d) in old_downbeats.iter().enumerate() {
        let end = old_downbeats.get(k + 1).map_or(grid.beats_s.len(), |next| 2 * next);
        grid.downbeats.extend(halves(d).into_iter().filter(|b| *b < end));
    }
}

fn halve(grid: &mut Grid) {
    let parity = grid.downbeats.first().copied().unwrap_or(0) % 2;
    grid.beats_s = grid.beats_s.iter().skip(parity).step_by(2).copied().collect();
    let first = grid.downbeats.first().map_or(0, |d| (d - parity) / 2);
    grid.downbeats = (first % grid.metre.max(1) as usize..grid.beats_s.len()).step_by(grid.metre.max(1) as usize).collect();
}

fn shift(grid: &mut Grid, beats: i32) {
    let metre = grid.metre.max(1) as usize;
    let moved = grid.downbeats.iter().map(|&d| d as i64 + i64::from(beats)).filter(|d| (0..grid.beats_s.len() as i64).contains(d)).map(|d| d as usize);
    let mut all: Vec<usize> = moved.collect();
    // A whole bar may have come free at either end.
    while let Some(&first) = all.first().filter(|f| **f >= metre) {
        all.insert(0, first - metre);
    }
    while let Some(&last) = all.last().filter(|l| **l + metre < grid.beats_s.len()) {
        all.push(last + metre);
    }
    grid.downbeats = all;
}

/// Applies what was said about sections.
pub(super) fn correct_sections(sections: Vec<Section>, bar_lines_samples: &[u64], corrections: &[Correction]) -> Vec<Section> {
    if sections.is_empty() {
        return sections;
    }
    let nearest = |at: &u64| (0..bar_lines_samples.len()).min_by_key(|&k| bar_lines_samples[k].abs_diff(*at)).unwrap_or(0);
    let mut marks: Vec<(usize, String, Option<String>)> = sections.into_iter().map(|s| (s.start_bar, s.label, s.name)).collect();
    let within = |marks: &[(usize, String, Option<String>)], at: &u64| {
        let bar = bar_lines_samples.partition_point(|line| line <= at).saturating_sub(1);
        marks.iter().rposition(|m| m.0 <= bar).unwrap_or(0)
    };
    for correction in corrections {
        match correction {
            Correction::Given { sections, .. } if !sections.is_empty() => marks = given_sections(sections, nearest, bar_lines_samples.len() - 1),
            Correction::MoveBoundary { from_samples, to_samples } => {
                let (from, to) = (nearest(from_samples), nearest(to_samples));
                let Some(index) = (1..marks.len()).min_by_key(|&k| marks[k].0.abs_diff(from)) else { continue };
                // It cannot pass its neighbours.
                let low = marks[index - 1].0 + 1;
                let high = marks.get(index + 1).map_or(bar_lines_samples.len() - 1, |m| m.0);
                if low < high {
                    marks[index].0 = to.clamp(low, high - 1);
                }
            }
            Correction::Split { at_samples } => {
                let bar = nearest(at_samples);
                let index = within(&marks, at_samples);
                if bar > 0 && bar + 1 < bar_lines_samples.len() && marks.iter().all(|m| m.0 != bar) {
                    let (label, place) = (marks[index].1.clone(), marks.partition_point(|m| m.0 < bar));
                    marks.insert(place, (bar, label, None));
                }
            }
            Correction::Join { at_samples } => {
                let bar = nearest(at_samples);
                if let Some(index) = (1..marks.len()).min_by_key(|&k| marks[k].0.abs_diff(bar)) {
                    marks.remove(index);
                }
            }
            Correction::Name { at_samples, name } => {
                let index = within(&marks, at_samples);
                marks[index].2 = Some(name.trim().to_owned()).filter(|n| !n.is_empty());
            }
            Correction::Letter { at_samples, label } => {
                let index = within(&marks, at_samples);
                marks[index].1 = label.trim().to_owned();
            }
            _ => {}
        }
    }
    sections_between(&marks, bar_lines_samples)
}

/// Sections of a file as marks on bars before `end_bar`. What is as short as a letter is one; a longer
/// name stays, and equal names share a letter.
fn given_sections(given: &[(u64, String)], nearest: impl Fn(&u64) -> usize, end_bar: usize) -> Vec<(usize, String, Option<String>)> {
    const LETTER: usize = 2;
    const NAME: usize = 60;
    let is_letter = |called: &str| (1..=LETTER).contains(&called.chars().count());
    // What comes before the first of them is a section too.
    let before = given.first().filter(|(at, _)| nearest(at) > 0).map(|_| (0, ""));
    let all = given.iter().map(|(at, called)| (nearest(at), called.trim()));
    let mut letters: Vec<(&str, String)> = given.iter().map(|g| g.1.trim()).filter(|c| is_letter(c)).map(|c| (c, c.to_owned())).collect();
    let mut marks: Vec<(usize, String, Option<String>)> = Vec::new();
    for (bar, called) in before.into_iter().chain(all) {
        if bar >= end_bar || marks.last().is_some_and(|m| bar <= m.0) {
            continue;
        }
        let known = letters.iter().find(|l| l.0 == called).map(|l| l.1.clone());
        let letter = known.unwrap_or_else(|| {
            let free = (0..).map(label).find(|letter| letters.iter().all(|l| l.1 != *letter)).unwrap_or_default();
            letters.push((called, free.clone()));
            free
        });
        let name = (!is_letter(called) && !called.is_empty()).then(|| called.chars().take(NAME).collect());
        marks.push((bar, letter, name));
    }
    marks
}

/// Applies what was said about singing to spans in order.
pub(super) fn correct_singing(spans: Vec<Span>, corrections: &[Correction]) -> Vec<Span> {
    let mut all = spans;
    for correction in corrections {
        let &Correction::Singing { start_samples, end_samples, sings } = correction else { continue };
        all = all
            .into_iter()
            .flat_map(|s| {
                let before = Span { end_samples: s.end_samples.min(start_samples), ..s };
                let after = Span { start_samples: s.start_samples.max(end_samples), ..s };
                [before, after]
            })
            .filter(|s| s.start_samples < s.end_samples)
            .collect();
        if sings {
            all.push(Span { start_samples, end_samples, likelihood: 1.0 });
        }
        all.sort_by_key(|s| s.start_samples);
    }
    all
}

/// Applies what was said about the ending.
pub(super) fn correct_ending(mut ending: Ending, corrections: &[Correction]) -> Ending {
    for correction in corrections {
        let (kind, at_samples) = match correction {
            Correction::LastHit { at_samples } => (EndingKind::OwnEnding, *at_samples),
            Correction::FadesFrom { at_samples } => (EndingKind::FadesOut, *at_samples),
            _ => continue,
        };
        ending = Ending { kind, last_hit_samples: at_samples.min(ending.music_end_samples), ..ending };
    }
    ending
}

/// The place of a beat in samples.
pub(super) fn beat_samples(beats_s: &[f64]) -> Vec<u64> {
    let mut last = None;
    beats_s
        .iter()
        .map(|&s| {
            let at = samples_from_seconds(s.max(0.0)).max(last.map_or(0, |l: u64| l + 1));
            last = Some(at);
            at
        })
        .collect()
}

#[cfg(test)]
mod tests;
