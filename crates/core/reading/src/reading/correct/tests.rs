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
