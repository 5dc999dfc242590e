//! What the check finds, and that it finds nothing where all is well.

use super::music::propose;
use super::music::{Piece, voice};
use jaunty_core::check::{Weight, findings, picture_findings};
use jaunty_core::cut::{Cut, Film, Readings, Setup};
use jaunty_core::fit::{FitRequest, Fitting, FittingEnd, fittings};
use jaunty_core::message;
use jaunty_core::picture::Picture;
use jaunty_core::plan::{BedInput, Layer, Plan, Role};
use jaunty_core::reading::{BedRead, keep_going, read_bed};
use jaunty_core::shape::{LevelChange, LevelName, LevelObject};
use jaunty_core::speech::read_speech;
use jaunty_core::units::{CutLength, FrameRate};
use std::sync::LazyLock;

/// Four eight-bar phrases of a piece that has six, with its own ending.
static STAND: LazyLock<(BedRead, Plan)> = LazyLock::new(|| {
    let bed = Piece::pop(104.0, 48).make().sound;
    let read = read_bed(&bed, &mut keep_going()).unwrap();
    let length_samples = ((2.0 + 32.0 * 4.0 * 60.0 / 104.0) * 48_000.0) as u64;
    let speech_sound = voice(70.0, &[(6.0, 12.0), (20.0, 30.0)], 0.12);
    let speech = read_speech(&speech_sound, &mut keep_going()).unwrap();
    let fitting = fittings(&bed, &read.reading, &read.likeness, &FitRequest::of_length(length_samples)).remove(0);
    let plan = propose(
        length_samples,
        Some(BedInput { sound: "bed", source: &bed, fitting: &fitting, bar_lines_samples: &[], before: &[] }),
        Some((&speech_sound, &speech)),
        &[],
    );
    (read, plan)
});

#[test]
fn a_good_plan_has_nothing_to_look_at() {
    let (read, plan) = &*STAND;
    let found = findings(plan, Some(&read.reading), &[]);
    assert!(found.iter().all(|f| f.weight < Weight::Look), "{found:?}");
}

#[test]
fn each_fault_is_found_at_its_place_with_a_way_to_mend_it() {
    let (read, plan) = &*STAND;
    let look = |plan: &Plan| -> Vec<(u64, String)> {
        let found = findings(plan, Some(&read.reading), &[]);
        assert!(found.iter().all(|f| !f.mend.is_empty()));
        found.into_iter().filter(|f| f.weight == Weight::Look).map(|f| (f.at_samples, f.text)).collect()
    };
    let without_bed = Plan { layers: Vec::new(), ..plan.clone() };
    assert!(look(&without_bed)[0].1.contains("no bed"));

    let mut too_loud = plan.clone();
    let dip = too_loud.bed().unwrap().levels.iter().position(|o| matches!(o, LevelObject::Dip { .. })).unwrap();
    let name = LevelName::of(&too_loud.bed().unwrap().levels[dip]).unwrap();
    too_loud.change_level(name, &LevelChange { under_speech_db: Some(10.0), ..LevelChange::default() }).unwrap();
    let LevelObject::Dip { start_samples, .. } = too_loud.bed().unwrap().levels[dip] else { unreachable!() };
    assert_eq!(look(&too_loud), [(start_samples, "The bed lies only 10 dB under the voice here.".to_owned())]);

    let mut cut_off = plan.clone();
    cut_off.phrases[1].end_samples = plan.length_samples + 1;
    assert!(look(&cut_off)[0].1.contains("cut off by the end"));
}

/// What is found of a plan that somebody changed, with its weight.
fn found_with(change: impl FnOnce(&mut Plan)) -> Vec<(Weight, u64, String)> {
    let (read, mut plan) = STAND.clone();
    let before = findings(&plan, Some(&read.reading), &[]);
    change(&mut plan);
    let after = findings(&plan, Some(&read.reading), &[]);
    after.into_iter().filter(|f| !before.contains(f)).map(|f| (f.weight, f.at_samples, f.text)).collect()
}

fn fitting(plan: &mut Plan) -> &mut Fitting {
    let bed = plan.layers.iter_mut().find(|l| l.role == Role::Bed).unwrap();
    bed.fitting.as_mut().unwrap()
}

#[test]
fn a_cut_without_narration_is_noted_and_no_fault() {
    let found = found_with(|plan| plan.layers.retain(|l| l.role != Role::Narration));
    assert!(matches!(&found[..], [(Weight::Note, 0, text)] if text.contains("no narration")), "{found:?}");
}

#[test]
fn phrases_are_uneven_from_six_db_on() {
    // Common practice, no source: pieces of a voice that differ by more are evened.
    for (uneven_db, told) in [(None, false), (Some(3.0), false), (Some(6.0), false), (Some(6.1), true), (Some(14.0), true)] {
        let mut at = 0;
        let found = found_with(|plan| {
            plan.uneven_db = uneven_db;
            at = plan.phrases[0].start_samples;
        });
        assert_eq!(found.len(), usize::from(told), "{uneven_db:?}: {found:?}");
        assert!(found.iter().all(|f| (f.0, f.1) == (Weight::Note, at) && f.2.contains(&format!("{:.0} dB over", uneven_db.unwrap()))), "{found:?}");
    }
}

#[test]
fn a_phrase_that_ends_with_the_picture_is_whole() {
    for (over, told) in [(-1i64, 0), (0, 0), (1, 1), (480_000, 1)] {
        let found = found_with(|plan| plan.phrases[1].end_samples = plan.length_samples.saturating_add_signed(over));
        assert_eq!(found.len(), told, "{over}: {found:?}");
    }
    // One that begins behind the end is told at the end.
    let mut length = 0;
    let found = found_with(|plan| {
        length = plan.length_samples;
        (plan.phrases[1].start_samples, plan.phrases[1].end_samples) = (length + 480, length + 960);
    });
    assert_eq!((found[0].0, found[0].1), (Weight::Look, length));
}

#[test]
fn splices_are_told_by_how_hard_they_are_to_hear() {
    let mut seen = [false; 3];
    for share in 0..=20 {
        let (mut hard, mut bars, mut at) = (0, (0, 0), 0);
        let found = found_with(|plan| {
            let splice = &mut fitting(plan).splices[0];
            (splice.goodness, splice.surprise_rank) = (share as f32 / 20.0, 1.0 - share as f32 / 20.0);
            (hard, bars, at) = (splice.hard_to_hear(), (splice.leave_bar, splice.enter_bar + 1), splice.at_samples);
        });
        let weight = match hard {
            70.. => None,
            40.. => Some(Weight::Note),
            _ => Some(Weight::Look),
        };
        seen[weight.map_or(0, |w| 1 + usize::from(w == Weight::Look))] = true;
        assert_eq!(found.first().map(|f| f.0), weight, "{hard} of 100: {found:?}");
        let named = |f: &(Weight, u64, String)| {
            f.1 == at && f.2.contains(&format!("bar {} goes on at bar {}", bars.0, bars.1)) && f.2.contains(&format!("({hard} of 100"))
        };
        assert!(found.iter().all(named), "{found:?}");
    }
    assert_eq!(seen, [true; 3], "silent, worth a listen, heard");
}

#[test]
fn a_phrase_that_was_not_to_be_expected_is_listened_to_however_hard_it_is_to_hear() {
    let found = found_with(|plan| {
        let splice = &mut fitting(plan).splices[0];
        (splice.goodness, splice.surprise_rank, splice.is_sequel) = (0.8, 0.0, true);
    });
    assert!(matches!(&found[..], [(Weight::Note, _, text)] if text.contains("Another phrase goes on here")), "{found:?}");
}

#[test]
fn what_the_planner_doubts_is_told_where_the_bed_begins() {
    let found = found_with(|plan| {
        let fitting = fitting(plan);
        fitting.start_samples += 4800;
        fitting.length_samples -= 4800;
        fitting.notes.push(message!("fitting.note.beat"));
    });
    assert!(found.iter().any(|f| (f.0, f.1) == (Weight::Look, 4800) && f.2.contains("uncertain")), "{found:?}");
}

#[test]
fn a_fade_in_place_of_the_own_ending_is_noted_unless_another_bed_follows() {
    let faded = |plan: &mut Plan| fitting(plan).end = FittingEnd::Fade;
    let found = found_with(faded);
    assert!(matches!(&found[..], [(Weight::Note, _, text)] if text.contains("ending of its own")), "{found:?}");
    let gives_over = found_with(|plan| {
        faded(plan);
        fitting(plan).length_samples -= 48_000;
    });
    assert!(gives_over.iter().all(|f| !f.2.contains("ending of its own")), "{gives_over:?}");
    assert!(found_with(|plan| fitting(plan).end = FittingEnd::Stop).is_empty());
}

#[test]
fn dips_of_all_beds_are_looked_at_where_they_are_heard() {
    let low = |plan: &mut Plan, gain: f64| {
        for object in plan.layers.iter_mut().flat_map(|l| &mut l.levels) {
            if let LevelObject::Dip { under_speech_db, .. } = object {
                *under_speech_db = gain;
            }
        }
    };
    // The contrast ratio of WCAG 2.1, 1.4.7, is 20 dB; under 18 no plan goes unless somebody says so.
    for (under, dips) in [(20.0, 0), (18.0, 0), (17.9, 2), (3.0, 2)] {
        assert_eq!(found_with(|plan| low(plan, under)).len(), dips, "{under} dB");
    }
    // A second bed that lies elsewhere has dips, too, which nobody hears.
    let found = found_with(|plan| {
        let mut other: Layer = plan.bed().unwrap().clone();
        let end = plan.length_samples;
        other.fitting.as_mut().unwrap().start_samples = end - 480;
        other.fitting.as_mut().unwrap().splices.clear();
        plan.layers.push(other);
        low(plan, 10.0);
    });
    assert_eq!(found.iter().filter(|f| f.2.contains("only 10 dB")).count(), 2, "{found:?}");
}

#[test]
fn objections_come_first_and_are_passed_on_as_they_are() {
    let (read, plan) = &*STAND;
    let objection = "\"Paper Kites\" is for private use only.".to_owned();
    let found = findings(plan, Some(&read.reading), std::slice::from_ref(&objection));
    assert_eq!((found[0].weight, &found[0].text), (Weight::Look, &objection));
}

#[test]
fn a_film_of_another_length_or_rate_is_found_and_its_remedy_makes_them_alike() {
    let rate = |num, den| FrameRate::new(num, den, false).unwrap();
    let cut_with = |film_rate: FrameRate, length_frames: u64| {
        let mut setup = Setup::new("Film", Picture::new(CutLength::new(rate(25, 1), 1500).unwrap()));
        let json = serde_json::json!({ "hash": "film", "name": "film.mp4", "rate": film_rate, "lengthFrames": length_frames, "firstFrame": null,
            "sound": null, "soundOn": true, "widthPx": 640, "heightPx": 360 });
        setup.film = Some(serde_json::from_value::<Film>(json).unwrap());
        setup
    };
    assert!(picture_findings(&cut_with(rate(25, 1), 1500)).is_empty());
    for (film_rate, frames, said, at) in [
        (rate(25, 1), 1450, "The film is 2.0 s shorter than the cut.", 58 * 48_000),
        (rate(25, 1), 1503, "The film is 0.1 s longer than the cut.", 0),
        (rate(30_000, 1001), 1798, "The film has 29.970 frames a second, the cut counts 25.000.", 2_879_677),
    ] {
        let setup = cut_with(film_rate, frames);
        let found = picture_findings(&setup).remove(0);
        assert_eq!((found.text.as_str(), found.at_samples), (said, at));
        let mut cut = Cut::new(setup);
        found.remedy.unwrap().change.apply(&mut cut, &Readings::default()).unwrap();
        assert!(picture_findings(&cut.setup).is_empty(), "{said}");
    }
}
