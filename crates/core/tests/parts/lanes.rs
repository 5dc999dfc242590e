//! The film's own sound and ambiences as lanes: what is set by hand is heard where it was said and nowhere else, and whatever
//! lies on a moment goes with it.

use super::shape::{LENGTH, S, SCENE, cut_of, film, hear, level_db, plan};
use jaunty_core::cut::{Arrival, Change, Cut, Effect, LevelsChange, ListFile, MomentName, PictureChange, Readings, Refusal};
use jaunty_core::fit::Passage;
use jaunty_core::mix::Hear;
use jaunty_core::picture::{Marks, Moment, MomentKind, Origin};
use jaunty_core::plan::{AmbienceInput, AmbienceWish, FilmInput, FilmWish, Inputs, Lane, Plan, SpeechRule, propose};
use jaunty_core::shape::{LevelChange, LevelKind, LevelName, LevelObject, ShapeWishes};
use jaunty_core::sound::Sound;

fn wind() -> Lane {
    Lane::Ambience { sound: "room".into() }
}

/// A cut with the film's own sound and an ambience, both as they are.
fn cut() -> Cut {
    let mut cut = cut_of(Plan::empty(LENGTH));
    cut.setup.film = Some(jaunty_core::cut::Film { sound_on: true, ..film() });
    cut.setup.ambiences = vec![AmbienceWish { rule: SpeechRule::Untouched, ..AmbienceWish::new("room", "wind", 14.0) }];
    replan(&mut cut);
    cut
}

/// What the server does after a change of levels.
fn replan(cut: &mut Cut) {
    let film = cut.setup.film.clone().unwrap();
    let ambiences: Vec<AmbienceInput<'_>> = cut.setup.ambiences.iter().map(|wish| AmbienceInput { wish, source: &SCENE.room }).collect();
    // The room is shorter than the cut; the voice of the scene is as long as it.
    let film = FilmInput { sound: "voice", wish: &film.wish, source: &SCENE.voice, talk: None, until_samples: LENGTH };
    cut.plan = propose(Inputs { length_samples: LENGTH, film: Some(film), ambiences: &ambiences, ..Inputs::default() });
}

fn say(cut: &mut Cut, change: LevelsChange) -> Result<Effect, Refusal> {
    let effect = Change::Levels(change).apply(cut, &Readings::default())?;
    replan(cut);
    Ok(effect)
}

fn heard(cut: &Cut, lane: &Lane) -> Sound {
    hear(&cut.plan, if *lane == Lane::Film { Hear::Film } else { Hear::Ambiences })
}

fn named(cut: &Cut, lane: &Lane, kind: LevelKind) -> LevelName {
    let layer = cut.plan.layers.iter().find(|l| lane.is(l)).unwrap();
    let objects = jaunty_core::plan::lane::settable(layer, cut.setup.lane_heard(lane).unwrap());
    objects.iter().find(|o| o.kind() == Some(kind)).and_then(LevelName::of).unwrap()
}

fn sweep(lane: &Lane, from_s: u64, to_s: u64, by_db: f64) -> LevelsChange {
    LevelsChange::Sweep { lane: Some(lane.clone()), start_samples: from_s * S, end_samples: to_s * S, by_db }
}

#[test]
fn a_passage_of_a_lane_changes_by_what_was_typed_and_nothing_outside_of_it() {
    for lane in [Lane::Film, wind()] {
        let mut cut = cut();
        let before = heard(&cut, &lane);
        assert_eq!(say(&mut cut, sweep(&lane, 17, 23, -4.0)), Ok(Effect::Reshape));
        say(&mut cut, sweep(&lane, 17, 23, -2.0)).unwrap();
        let after = heard(&cut, &lane);
        let fell = level_db(&before, 17.5, 22.5) - level_db(&after, 17.5, 22.5);
        assert!((fell - 6.0).abs() < 0.01, "{lane:?}: 6 dB asked, {fell:.3} measured");
        for (a, b) in before.channels().iter().zip(after.channels()) {
            let (from, to) = ((17 * S) as usize, (23 * S) as usize);
            assert!(a[..from] == b[..from] && a[to..] == b[to..], "{lane:?}: something else changed");
        }
        // Also where it begins and ends between the points that the curve is computed at.
        let odd = LevelsChange::Sweep { lane: Some(lane.clone()), start_samples: 40 * S + 17, end_samples: 41 * S + 45, by_db: -12.0 };
        let swept = after.clone();
        say(&mut cut, odd).unwrap();
        let after = heard(&cut, &lane);
        for (a, b) in swept.channels().iter().zip(after.channels()) {
            let (from, to) = ((40 * S + 17) as usize, (41 * S + 45) as usize);
            assert!(a[..from] == b[..from] && a[to..] == b[to..] && a[from..to] != b[from..to], "{lane:?}: something beside the passage changed");
        }
        let odd = LevelName { kind: LevelKind::Sweep, start_samples: 40 * S + 17, end_samples: 41 * S + 45 };
        say(&mut cut, LevelsChange::GiveBack { lane: Some(lane.clone()), level: odd }).unwrap();
        let after = heard(&cut, &lane);
        // The other lane is as it was, and what is given back sounds as before.
        let other = if lane == Lane::Film { wind() } else { Lane::Film };
        assert!(heard(&cut, &other).channels() == heard(&self::cut(), &other).channels());
        let passage = named(&cut, &lane, LevelKind::Sweep);
        // Moved to where nothing was changed before, and back.
        let to = |from_s: u64, to_s: u64| LevelChange { start_samples: Some(from_s * S), end_samples: Some(to_s * S), ..LevelChange::default() };
        say(&mut cut, LevelsChange::Set { lane: Some(lane.clone()), levels: vec![passage], change: to(35, 36) }).unwrap();
        let moved = heard(&cut, &lane);
        let fell = level_db(&before, 35.3, 35.7) - level_db(&moved, 35.3, 35.7);
        assert!((fell - 6.0).abs() < 0.01 && level_db(&before, 17.5, 22.5) == level_db(&moved, 17.5, 22.5), "{lane:?}: {fell:.3} dB there");
        let passage = named(&cut, &lane, LevelKind::Sweep);
        let none = LevelsChange::Set { lane: Some(lane.clone()), levels: vec![passage], change: to(23, 17) };
        assert!(say(&mut cut, none).is_err(), "a passage does not end before it begins");
        say(&mut cut, LevelsChange::Set { lane: Some(lane.clone()), levels: vec![passage], change: to(17, 23) }).unwrap();
        let passage = named(&cut, &lane, LevelKind::Sweep);
        say(&mut cut, LevelsChange::Step { lane: Some(lane.clone()), level: passage, by_db: 1.0 }).unwrap();
        let louder = level_db(&heard(&cut, &lane), 17.5, 22.5) - level_db(&after, 17.5, 22.5);
        assert!((louder - 1.0).abs() < 0.01, "{lane:?}: one step is {louder:.3} dB");
        say(&mut cut, LevelsChange::GiveBack { lane: Some(lane.clone()), level: passage }).unwrap();
        assert!(heard(&cut, &lane).channels() == before.channels());
    }
}

#[test]
fn the_fades_of_a_lane_last_as_long_as_asked() {
    for (lane, steady) in [(Lane::Film, false), (wind(), true)] {
        let mut cut = cut();
        let before = heard(&cut, &lane);
        let lasts = |s| LevelChange { rise_s: Some(s), fall_s: Some(s), ..LevelChange::default() };
        for kind in [LevelKind::FadeIn, LevelKind::FadeOut] {
            let levels = vec![named(&cut, &lane, kind)];
            say(&mut cut, LevelsChange::Set { lane: Some(lane.clone()), levels, change: lasts(8.0) }).unwrap();
        }
        let after = heard(&cut, &lane);
        if steady {
            // Half-way through a fade of equal power: 3 dB down.
            for at in [4.0, 56.0] {
                let down = level_db(&before, at - 0.1, at + 0.1) - level_db(&after, at - 0.1, at + 0.1);
                assert!((down - 3.01).abs() < 0.1, "{down:.2} dB down at {at} s");
            }
        }
        let middle = (8 * S) as usize..(52 * S) as usize;
        assert!(before.channels()[0][middle.clone()] == after.channels()[0][middle]);
        assert!(level_db(&after, 0.0, 0.01) < level_db(&before, 0.0, 0.01).max(-100.0));
        let fade = named(&cut, &lane, LevelKind::FadeIn);
        assert!(say(&mut cut, LevelsChange::Set { lane: Some(lane.clone()), levels: vec![fade], change: lasts(99.0) }).is_err());
        assert!(say(&mut cut, LevelsChange::Step { lane: Some(lane.clone()), level: fade, by_db: 1.0 }).is_err(), "a fade has no level");
    }
    let nobody = Lane::Ambience { sound: "nobody".into() };
    assert_eq!(say(&mut cut(), sweep(&nobody, 1, 2, -1.0)), Err(Refusal::Unknown("ambience")));
}

/// The edges of lanes and of passages that lie on a moment go with it; what lies a frame beside it stays.
#[test]
fn what_lies_on_a_moment_goes_with_it() {
    let mut cut = cut();
    let rate = cut.setup.picture.rate;
    cut.setup.picture.mark_moment(250, MomentKind::Other, "door").unwrap();
    let (door, beside) = (rate.samples_from_frames(250), rate.samples_from_frames(251));
    cut.setup.ambiences[0].end_samples = Some(door);
    cut.setup.film.as_mut().unwrap().wish.place = Some(Passage { start_samples: door, end_samples: Passage::OPEN_END });
    cut.setup.film.as_mut().unwrap().wish.by_hand = vec![];
    let passages = [(door, 20 * S), (beside, 20 * S + 10), (5 * S, door)];
    for (start_samples, end_samples) in passages {
        let change = LevelsChange::Sweep { lane: Some(Lane::Film), start_samples, end_samples, by_db: -3.0 };
        Change::Levels(change).apply(&mut cut, &Readings::default()).unwrap();
    }
    let moment = MomentName { frame: 250, kind: MomentKind::Other };
    let to = |frame| Change::Picture(PictureChange::ChangeMoment { moment, frame, kind: MomentKind::Other, name: String::new() });
    assert_eq!(to(300).apply(&mut cut, &Readings::default()), Ok(Effect::Replan));
    let moved = rate.samples_from_frames(300);
    assert_eq!((cut.setup.ambiences[0].end_samples, cut.setup.film.as_ref().unwrap().wish.place.unwrap().start_samples), (Some(moved), moved));
    let spans: Vec<_> = cut.setup.film.as_ref().unwrap().wish.by_hand.iter().filter_map(LevelObject::span).collect();
    assert_eq!(spans, [(moved, 20 * S), (beside, 20 * S + 10), (5 * S, moved)]);
    // Nothing lies on it: a note.
    let mut bare = self::cut();
    bare.setup.picture.mark_moment(250, MomentKind::Other, "door").unwrap();
    assert_eq!(to(300).apply(&mut bare, &Readings::default()), Ok(Effect::Note(None)));
    // A passage of the bed alone needs nothing but its levels anew.
    let mut shaped = cut_of(plan(&ShapeWishes::default(), &[], &[]));
    shaped.setup.picture.mark_moment(250, MomentKind::Other, "door").unwrap();
    Change::Levels(LevelsChange::Sweep { lane: None, start_samples: door, end_samples: 20 * S, by_db: -3.0 }).apply(&mut shaped, &Readings::default()).unwrap();
    assert_eq!(to(300).apply(&mut shaped, &Readings::default()), Ok(Effect::Reshape));
}

/// A new list that brings its moments later takes along what lies on them, each once.
#[test]
fn a_list_that_moves_moments_takes_along_what_lies_on_them() {
    let mut cut = cut();
    let moment = |name: &str, frame| Moment { name: name.into(), frame, kind: MomentKind::Other, origin: Origin::List };
    let list = |moments: Vec<Moment>| {
        let marks = Marks { moments, ..Marks::default() };
        Arrival::List(ListFile { file: "cut.edl".into(), format: "CMX 3600".into(), marks, ..ListFile::default() })
    };
    list(vec![moment("door", 100), moment("rain", 200)]).apply(&mut cut, &Readings::default()).unwrap();
    let at = |frame| cut_rate().samples_from_frames(frame);
    cut.setup.ambiences[0].start_samples = at(100);
    cut.setup.ambiences[0].end_samples = Some(at(200));
    let effect = list(vec![moment("door", 200), moment("rain", 300)]).apply(&mut cut, &Readings::default());
    assert_eq!((cut.setup.ambiences[0].start_samples, cut.setup.ambiences[0].end_samples), (at(200), Some(at(300))));
    assert_eq!(effect, Ok(Effect::Replan));
}

fn cut_rate() -> jaunty_core::units::FrameRate {
    cut().setup.picture.rate
}

/// What was set by hand of a film's wishes survives being written and read; plans of before have none.
#[test]
fn wishes_of_before_have_nothing_by_hand() {
    let old: FilmWish = serde_json::from_str(r#"{"gainDb":-3.0,"rule":"untouched","lowerDb":9.0,"place":null}"#).unwrap();
    assert!(old.by_hand.is_empty() && !serde_json::to_string(&old).unwrap().contains("byHand"));
}
