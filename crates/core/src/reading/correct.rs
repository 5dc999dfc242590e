//! What a person says about a reading, on top of what was read.
//!
//! Corrections are kept as what was said, in order, and applied to whatever the automatic reading
//! is at the time: a better reading keeps them. Places are samples of the bed; those that mean a
//! bar line take the nearest one.

use super::correction::Correction;
use super::grid::Grid;
use super::sections::{Section, label, sections_between};
use super::{Ending, EndingKind, Span};
use crate::units::{samples_from_seconds, seconds_from_samples};

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
mod tests {
    use super::*;
    use proptest::prelude::*;

    struct Nobody;
    impl Recount for Nobody {
        fn near(&self, _: f64, _: &[f64]) -> Option<Grid> {
            None
        }
        fn in_bars_of(&self, grid: Grid, beats: u32) -> Grid {
            let first = grid.downbeats.first().copied().unwrap_or(0);
            Grid { metre: beats, downbeats: (first..grid.beats_s.len()).step_by(beats as usize).collect(), ..grid }
        }
    }

    /// Beats every half second, with a pickup of `first` beats.
    fn grid(count: usize, metre: usize, first: usize) -> Grid {
        Grid {
            beats_s: (0..count).map(|k| 0.25 + 0.5 * k as f64).collect(),
            tempo_bpm: 120.0,
            metre: metre as u32,
            downbeats: (first..count).step_by(metre).collect(),
            beat_confidence: 0.5,
            bar_confidence: 0.5,
        }
    }

    fn corrected(grid: Grid, corrections: &[Correction]) -> Grid {
        correct_grid(grid, corrections, &Nobody)
    }

    #[test]
    fn twice_and_half_as_many_beats_are_each_others_inverse() {
        for metre in [2, 3, 4] {
            let once = grid(8 * metre + 1, metre, 0);
            let twice = corrected(once.clone(), &[Correction::DoubleTempo]);
            assert!((twice.tempo_bpm - 240.0).abs() < 1e-6);
            assert_eq!(twice.beats_s.len(), 2 * once.beats_s.len() - 1);
            assert!(twice.downbeats.windows(2).all(|w| w[1] - w[0] == metre), "bars keep their number of beats");
            let back = corrected(twice, &[Correction::HalfTempo]);
            assert_eq!((back.beats_s, back.downbeats), (once.beats_s, once.downbeats));
        }
    }

    #[test]
    fn bars_begin_on_another_beat_and_fill_what_comes_free() {
        let later = corrected(grid(17, 4, 0), &[Correction::ShiftBars { beats: 1 }]);
        assert_eq!(later.downbeats, [1, 5, 9, 13]);
        let earlier = corrected(grid(17, 4, 1), &[Correction::ShiftBars { beats: -1 }]);
        assert_eq!(earlier.downbeats, [0, 4, 8, 12, 16]);
        assert_eq!(corrected(grid(17, 4, 0), &[Correction::ShiftBars { beats: -1 }]).downbeats, [3, 7, 11, 15]);
        assert_eq!((later.beat_confidence, later.bar_confidence), (1.0, 1.0), "somebody who heard it said so");
    }

    #[test]
    fn off_beats_become_beats_and_keep_their_bars() {
        let once = grid(9, 4, 1);
        let moved = corrected(once.clone(), &[Correction::OffBeats]);
        assert!(moved.beats_s.iter().zip(&once.beats_s).all(|(a, b)| (a - b - 0.25).abs() < 1e-9));
        assert_eq!(moved.downbeats, once.downbeats);
        // Said twice they are whole beats later.
        let twice = corrected(once.clone(), &[Correction::OffBeats, Correction::OffBeats]);
        assert!(twice.beats_s[..8].iter().zip(&once.beats_s[1..]).all(|(a, b)| (a - b).abs() < 1e-9));
        assert!(half_way(&[]).is_empty() && half_way(&[1.0]) == [1.0]);
    }

    #[test]
    fn a_grid_from_elsewhere_is_taken_as_it_is() {
        let given = Correction::Given { beats_samples: (0..10).map(|k| 30_000 * k).collect(), downbeats: vec![1, 4, 7], sections: vec![] };
        let taken = corrected(grid(17, 4, 0), &[given]);
        assert_eq!((taken.metre, taken.downbeats), (3, vec![1, 4, 7]));
        assert!((taken.tempo_bpm - 96.0).abs() < 1e-6);
    }

    fn sections() -> Vec<Section> {
        let marks = [(0, "A".into(), None), (4, "B".into(), None), (8, "A".into(), None)];
        sections_between(&marks, &lines())
    }

    /// Thirteen bar lines, two seconds apart.
    fn lines() -> Vec<u64> {
        (0..13).map(|k| 96_000 * k).collect()
    }

    fn told(corrections: &[Correction]) -> Vec<(usize, usize, String, Option<String>)> {
        correct_sections(sections(), &lines(), corrections).into_iter().map(|s| (s.start_bar, s.end_bar, s.label, s.name)).collect()
    }

    #[test]
    fn sections_are_moved_split_joined_named_and_lettered() {
        let moved = told(&[Correction::MoveBoundary { from_samples: 4 * 96_000 + 900, to_samples: 6 * 96_000 - 900 }]);
        assert_eq!(moved[0].1, 6, "to the nearest bar line");
        let stopped = told(&[Correction::MoveBoundary { from_samples: 4 * 96_000, to_samples: 11 * 96_000 }]);
        assert_eq!((stopped.len(), stopped[1].0), (3, 7), "never past its neighbour");
        assert_eq!(told(&[Correction::Split { at_samples: 6 * 96_000 }])[2], (6, 8, "B".into(), None));
        assert_eq!(told(&[Correction::Join { at_samples: 8 * 96_000 }])[1], (4, 12, "B".into(), None));
        let named =
            told(&[Correction::Name { at_samples: 5 * 96_000, name: " the lift ".into() }, Correction::Letter { at_samples: 5 * 96_000, label: "C".into() }]);
        assert_eq!(named[1], (4, 8, "C".into(), Some("the lift".into())));
    }

    #[test]
    fn sections_of_a_file_replace_what_was_read_and_can_be_corrected_further() {
        let given = |sections: &[(u64, &str)]| Correction::Given {
            beats_samples: lines(),
            downbeats: (0..13).collect(),
            sections: sections.iter().map(|(bar, name)| (bar * 96_000 + 700, (*name).to_owned())).collect(),
        };
        let named = given(&[(0, "verse"), (4, "B"), (4, "again"), (6, "verse"), (12, "beyond")]);
        let all = [(0, 4, "A".into(), Some("verse".into())), (4, 6, "B".into(), None), (6, 12, "A".into(), Some("verse".into()))];
        assert_eq!(told(&[Correction::Split { at_samples: 2 * 96_000 }, named.clone()]), all);
        assert_eq!(told(&[named, Correction::Join { at_samples: 4 * 96_000 }]).len(), 2);
        assert_eq!(told(&[given(&[(0, "B"), (4, "solo"), (8, "verse")])])[2].2, "C", "letters of the file are not given twice");
        assert_eq!(told(&[given(&[(3, "C")])]), [(0, 3, "A".into(), None), (3, 12, "C".into(), None)]);
        assert_eq!(told(&[given(&[])]).len(), 3, "a file without sections leaves what was read");
    }

    #[test]
    fn singing_is_said_and_unsaid() {
        let span = |start_samples, end_samples, likelihood| Span { start_samples, end_samples, likelihood };
        let said = |start_samples, end_samples, sings| Correction::Singing { start_samples, end_samples, sings };
        let all = correct_singing(vec![span(100, 500, 0.7)], &[said(200, 300, false), said(600, 700, true)]);
        assert_eq!(all, [span(100, 200, 0.7), span(300, 500, 0.7), span(600, 700, 1.0)]);
    }

    #[test]
    fn what_makes_no_sense_is_refused_with_what_is_allowed() {
        for (nonsense, allowed) in [
            (Correction::Tempo { bpm: f64::NAN }, "20 and 400"),
            (Correction::Metre { beats: 0 }, "1 to 12"),
            (Correction::Taps { at_samples: vec![1, 2, 3] }, "four"),
            (Correction::Taps { at_samples: vec![4, 3, 2, 1] }, "four"),
            (Correction::Given { beats_samples: vec![0, 10], downbeats: vec![2], sections: vec![] }, "beyond"),
            (Correction::Letter { at_samples: 0, label: "long".into() }, "1 to 3"),
            (Correction::Singing { start_samples: 5, end_samples: 5, sings: true }, "after it begins"),
        ] {
            assert!(nonsense.check().unwrap_err().to_string().contains(allowed), "{nonsense:?}");
        }
    }

    fn any_correction() -> impl Strategy<Value = Correction> {
        let place = 0..13 * 96_000u64;
        prop_oneof![
            Just(Correction::DoubleTempo),
            Just(Correction::HalfTempo),
            Just(Correction::OffBeats),
            (1..13u32).prop_map(|beats| Correction::Metre { beats }),
            (-12..13i32).prop_map(|beats| Correction::ShiftBars { beats }),
            (-96_000..96_000i64).prop_map(|samples| Correction::Nudge { samples }),
            (place.clone(), place.clone()).prop_map(|(from_samples, to_samples)| Correction::MoveBoundary { from_samples, to_samples }),
            place.clone().prop_map(|at_samples| Correction::Split { at_samples }),
            place.clone().prop_map(|at_samples| Correction::Join { at_samples }),
            place.prop_map(|at_samples| Correction::Name { at_samples, name: "x".into() }),
        ]
    }

    proptest! {
        /// Whatever is said, in whatever order: beats rise, bars begin on them, sections fill the bars.
        #[test]
        fn nothing_that_is_said_breaks_the_grid(all in prop::collection::vec(any_correction(), 0..12), metre in 2..5usize, first in 0..4usize) {
            let grid = corrected(grid(49, metre, first), &all);
            prop_assert!(grid.beats_s.windows(2).all(|w| w[0] < w[1]));
            prop_assert!(grid.downbeats.windows(2).all(|w| w[0] < w[1]));
            prop_assert!(grid.downbeats.iter().all(|d| *d < grid.beats_s.len()));
            let sections = correct_sections(sections(), &lines(), &all);
            prop_assert_eq!((sections[0].start_bar, sections.last().unwrap().end_bar), (0, 12));
            prop_assert!(sections.windows(2).all(|w| w[0].end_bar == w[1].start_bar && w[0].start_bar < w[0].end_bar));
        }

        /// What is said survives being kept.
        #[test]
        fn corrections_come_back_from_json(all in prop::collection::vec(any_correction(), 0..6)) {
            let kept = serde_json::to_string(&all).unwrap();
            prop_assert_eq!(serde_json::from_str::<Vec<Correction>>(&kept).unwrap(), all);
        }
    }
}
