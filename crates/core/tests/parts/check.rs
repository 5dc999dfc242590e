//! What the check finds, and that it finds nothing where all is well.

use super::music::propose;
use super::music::{Piece, voice};
use jaunty_core::check::{Weight, findings};
use jaunty_core::fit::{FitRequest, fittings};
use jaunty_core::plan::{BedInput, Plan};
use jaunty_core::reading::{BedRead, keep_going, read_bed};
use jaunty_core::shape::{Change, LevelObject};
use jaunty_core::sound::Sound;
use jaunty_core::speech::read_speech;

/// Four eight-bar phrases of a piece that has six, with its own ending.
fn stand() -> (Sound, BedRead, Plan) {
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
    (bed, read, plan)
}

#[test]
fn a_good_plan_has_nothing_to_look_at() {
    let (_, read, plan) = stand();
    let found = findings(&plan, Some(&read.reading), &[]);
    assert!(found.iter().all(|f| f.weight < Weight::Look), "{found:?}");
}

#[test]
fn each_fault_is_found_at_its_place_with_a_way_to_mend_it() {
    let (_, read, plan) = stand();
    let look = |plan: &Plan| -> Vec<(u64, String)> {
        let found = findings(plan, Some(&read.reading), &[]);
        assert!(found.iter().all(|f| !f.mend.is_empty()));
        found.into_iter().filter(|f| f.weight == Weight::Look).map(|f| (f.at_samples, f.text)).collect()
    };
    let without_bed = Plan { layers: Vec::new(), ..plan.clone() };
    assert!(look(&without_bed)[0].1.contains("no bed"));

    let mut too_loud = plan.clone();
    let dip = too_loud.bed().unwrap().levels.iter().position(|o| matches!(o, LevelObject::Dip { .. })).unwrap();
    too_loud.change_level(dip, &Change { under_speech_db: Some(10.0), ..Change::default() }).unwrap();
    let LevelObject::Dip { start_samples, .. } = too_loud.bed().unwrap().levels[dip] else { unreachable!() };
    assert_eq!(look(&too_loud), [(start_samples, "The bed lies only 10 dB under the voice here.".to_owned())]);

    let mut cut_off = plan.clone();
    cut_off.phrases[1].end_samples = plan.length_samples + 1;
    assert!(look(&cut_off)[0].1.contains("cut off by the end"));
}
