//! Shots and moments by hand, and pieces of takes.

use jaunty_core::check::picture_findings;
use jaunty_core::cut::{Change, Cut, Effect, FitChange, Readings, Setup};
use jaunty_core::picture::{MOST_MARKS, Marks, MomentKind, Origin, Picture, PictureError, Shot, tidy_name};
use jaunty_core::plan::Lane;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::Phrase;
use jaunty_core::terms::{Purpose, Terms, objection};
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_core::voice::{Narration, Piece, Placed, lay};
use proptest::prelude::*;

fn picture(length_frames: u64) -> Picture {
    Picture::new(CutLength::new(FrameRate::new(25, 1, false).unwrap(), length_frames).unwrap())
}

fn spans(picture: &Picture) -> Vec<(u64, u64)> {
    picture.shots.iter().map(|s| (s.start_frame, s.end_frame)).collect()
}

#[test]
fn shots_split_move_and_join() {
    let mut one = picture(100);
    one.begin_shot(40, "second").unwrap();
    assert_eq!(spans(&one), [(0, 40), (40, 100)]);
    assert_eq!(one.shots[0].name, "shot 1");
    one.begin_shot(60, "").unwrap();
    assert_eq!((spans(&one), one.shots[2].name.as_str()), (vec![(0, 40), (40, 60), (60, 100)], "shot 3"));
    assert_eq!(one.begin_shot(60, "again"), Err(PictureError::Taken("shot")));
    assert_eq!(one.begin_shot(100, "behind"), Err(PictureError::Outside { frame: 100, length_frames: 100 }));
    one.move_shot(1, 10).unwrap();
    assert_eq!(spans(&one), [(0, 10), (10, 60), (60, 100)]);
    assert!(one.move_shot(1, 60).is_err() && one.move_shot(1, 0).is_err() && one.move_shot(9, 5).is_err());
    one.remove_shot(1).unwrap();
    assert_eq!(spans(&one), [(0, 60), (60, 100)]);
    one.mark_moment(10, MomentKind::Title, " \n ").unwrap();
    assert_eq!(one.moments[0].name, "title");
    assert_eq!(one.mark_moment(10, MomentKind::Title, "x"), Err(PictureError::Taken("moment")));
    one.mark_moment(10, MomentKind::Hit, "x").unwrap();
    assert_eq!(tidy_name(&"é".repeat(500), "x").chars().count(), 120);
}

/// Common practice, no source: the bed waits until the title is gone, and comes a little before the credits.
#[test]
fn a_bed_begins_when_the_titles_shot_ends() {
    let mut one = picture(100);
    one.mark_moment(0, MomentKind::Title, "").unwrap();
    one.mark_moment(80, MomentKind::Title, "").unwrap();
    let from = |one: &Picture, k: usize| one.bed_from_samples(&one.moments[k]);
    let frame = |frame: u64| one.rate.samples_from_frames(frame);
    assert_eq!((from(&one, 0), from(&one, 1)), (None, Some(frame(80))), "without shots nobody knows how long it stands");
    let mut shots = one.clone();
    shots.begin_shot(40, "second").unwrap();
    assert_eq!((from(&shots, 0), from(&shots, 1)), (Some(frame(40)), None), "and behind the last shot there is nothing");
}

/// What runs on behind the picture is sound: shots and moments end with the picture, and so does the film's own sound.
#[test]
fn the_sound_runs_on_behind_the_picture_where_that_is_asked_for() {
    let mut cut = Cut::new(Setup::new("Credits", picture(100)));
    let run_on = |frames| Change::Fit(FitChange::RunOn { frames });
    assert_eq!(run_on(75).apply(&mut cut, &Readings::default()), Ok(Effect::Replan));
    assert_eq!(run_on(75).apply(&mut cut, &Readings::default()), Ok(Effect::Unchanged(None)));
    let one = &cut.setup.picture;
    assert_eq!((one.picture_samples(), one.length_samples(), one.length_frames), (4 * 48_000, 7 * 48_000, 100));
    assert_eq!(one.clone().mark_moment(100, MomentKind::Hit, "behind"), Err(PictureError::Outside { frame: 100, length_frames: 100 }));
    cut.setup.film = Some(super::shape::film());
    assert_eq!(cut.setup.lane_heard(&Lane::Film), Some((0, 4 * 48_000)));
    assert!(run_on(60 * 25 + 1).apply(&mut cut, &Readings::default()).is_err());
    let found = picture_findings(&cut.setup);
    assert_eq!((found[0].at_samples, found[0].text.as_str()), (4 * 48_000, "The sound runs on for 3.0 s behind the picture."));
    found[0].remedy.as_ref().unwrap().change.apply(&mut cut, &Readings::default()).unwrap();
    assert_eq!(cut.setup.picture.length_samples(), 4 * 48_000);
    // Cuts of before end with their picture, and are written as they were.
    let old = serde_json::to_string(&cut.setup.picture).unwrap();
    assert!(!old.contains("tail") && serde_json::from_str::<Picture>(&old).unwrap() == cut.setup.picture);
}

#[test]
fn a_list_leaves_out_what_lies_behind_the_end_and_says_so() {
    let shot = |start_frame, end_frame| Shot { name: format!("s{start_frame}"), start_frame, end_frame, still: false, origin: Origin::List };
    let list = Marks { shots: vec![shot(0, 50), shot(50, 200), shot(200, 300)], moments: Vec::new() };
    assert_eq!(list.outside(100), [("s200".to_owned(), 200)]);
    let mut one = picture(100);
    one.take_list(list);
    assert_eq!(spans(&one), [(0, 50), (50, 100)]);
    let many = Marks { shots: (0..MOST_MARKS as u64 + 10).map(|k| shot(k, k + 1)).collect(), moments: Vec::new() };
    let mut long = picture(1_000_000);
    long.take_list(many);
    assert_eq!(long.shots.len(), MOST_MARKS);
    assert_eq!(long.begin_shot(900_000, "one more"), Err(PictureError::TooMany));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    /// However shots are begun, moved and removed: they stay in order, touch, and cover the cut from the first one on.
    #[test]
    fn shots_stay_in_order(steps in proptest::collection::vec((0u8..3, 0u64..300, 0usize..8), 1..40)) {
        let mut one = picture(300);
        for (what, frame, index) in steps {
            let _ = match what {
                0 => one.begin_shot(frame, ""),
                1 => one.move_shot(index, frame),
                _ => one.remove_shot(index).map(|_| ()),
            };
            for pair in one.shots.windows(2) {
                prop_assert!(pair[0].start_frame < pair[0].end_frame && pair[0].end_frame == pair[1].start_frame, "{:?}", spans(&one));
            }
            if let Some(last) = one.shots.last() {
                prop_assert!(last.start_frame < last.end_frame && last.end_frame <= 300);
            }
        }
    }

    /// A real piece takes exactly the place it covers from others; scratch pieces never speak over anybody.
    #[test]
    fn pieces_never_overlap(laid in proptest::collection::vec((0u64..1000, 1u64..300, any::<bool>()), 1..30)) {
        let mut pieces: Vec<Piece> = Vec::new();
        for (at, length, scratch) in laid {
            let piece = Piece {
                sound: format!("{at}"), source_start_samples: 7, source_end_samples: 7 + length, cut_start_samples: at,
                scratch: scratch.then(|| "words".to_owned()),
            };
            let spoken = Phrase { start_samples: 7, end_samples: 7 + length, words: None };
            let range = piece.on_cut();
            let before = pieces.clone();
            if lay(&mut pieces, piece.clone(), &[spoken]) {
                prop_assert!(pieces.contains(&piece));
            } else {
                prop_assert!(scratch && pieces == before);
            }
            let mut sorted = pieces.clone();
            sorted.sort_by_key(|p| p.cut_start_samples);
            prop_assert_eq!(&sorted, &pieces, "in order");
            for pair in pieces.windows(2) {
                prop_assert!(pair[0].on_cut().end <= pair[1].on_cut().start);
            }
            // What lies outside of the new piece sounds as before, but for scratch lines that it sent away.
            for old in before.iter().filter(|p| p.scratch.is_none()) {
                for at in old.on_cut().filter(|at| !range.contains(at)) {
                    let same = |p: &&Piece| p.on_cut().contains(&at) && p.sound == old.sound;
                    prop_assert!(pieces.iter().any(|p| same(&p)));
                }
            }
        }
    }
}

#[test]
fn a_piece_is_heard_where_it_lies_and_does_not_click() {
    let take = Sound::new(vec![vec![1.0; 10_000]]);
    let piece = Piece { sound: "t".into(), source_start_samples: 2000, source_end_samples: 6000, cut_start_samples: 500, scratch: None };
    let placed = Placed { source: &take, piece: &piece };
    let mut out = vec![9.0; 6000];
    placed.read(0, 0, &mut out);
    assert!(out[..500].iter().all(|s| *s == 0.0) && out[4500..].iter().all(|s| *s == 0.0));
    assert!(out[2000] == 1.0 && out[500] < 0.01 && out[4499] < 0.01, "the edges inside a take are eased");
    assert!(out.windows(2).all(|w| (w[1] - w[0]).abs() < 0.006));
    // A whole take keeps its own edges, and any range equals the same part of the whole.
    let whole = Piece::whole("t", 10_000);
    let all = Narration { pieces: vec![Placed { source: &take, piece: &whole }], length_samples: 12_000 };
    let mut part = vec![0.0; 100];
    all.read(0, 9950, &mut part);
    assert!(part[..50].iter().all(|s| *s == 1.0) && part[50..].iter().all(|s| *s == 0.0));
}

#[test]
fn terms_hold_for_every_purpose() {
    let all = [Terms::FreeWithCredit, Terms::NonCommercialOnly, Terms::PaidPlan, Terms::OneProject];
    for commercial in [false, true] {
        for paid_plan in [false, true] {
            for elsewhere in [false, true] {
                let refused: Vec<bool> = all.iter().map(|t| objection(*t, Purpose { commercial, paid_plan }, elsewhere).is_some()).collect();
                assert_eq!(refused, [false, commercial, !paid_plan, elsewhere]);
            }
        }
    }
}
