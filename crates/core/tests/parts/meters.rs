//! What is measured and heard of a plan, against the package ebur128 (an implementation of EBU R 128 and its
//! Tech 3341) and against sounds whose levels are known.

use super::music::{Piece, propose, voice};
use ebur128::{EbuR128, Mode};
use jaunty_core::fit::{FitRequest, quick_fitting};
use jaunty_core::mix::{Hear, MissingSound, Sounds, count_along, master, meters, render};
use jaunty_core::plan::{BedInput, Layer, Master, Plan, Role};
use jaunty_core::reading::{Reading, keep_going, read_bed};
use jaunty_core::shape::{FadeShape, GainCurve, LevelObject, Slope};
use jaunty_core::sound::loudness::measure;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::{Phrase, read_speech};
use proptest::prelude::*;
use std::f32::consts::TAU;

const S: u64 = 48_000;

/// A stereo sine of 1 kHz with a peak of so many dBFS: as loud in LUFS (EBU Tech 3341, signal 1).
fn sine(dbfs: f64, seconds: u64) -> Sound {
    let level = 10f32.powf(dbfs as f32 / 20.0);
    let plane: Vec<f32> = (0..seconds * S).map(|n| level * (n as f32 * 1000.0 * TAU / S as f32).sin()).collect();
    Sound::new(vec![plane.clone(), plane])
}

fn layer(role: Role, sound: &str, gain_db: f64) -> Layer {
    Layer { role, sound: sound.into(), fitting: None, piece: None, levels: vec![LevelObject::Base { gain_db }], pocket: None, ambience: None }
}

fn phrase(start_s: f64, end_s: f64) -> Phrase {
    Phrase { start_samples: (start_s * S as f64) as u64, end_samples: (end_s * S as f64) as u64, words: None }
}

#[test]
fn the_curves_of_a_mix_are_those_that_ebur128_measures() {
    let bed = Piece::pop(104.0, 24).make().sound;
    let read = read_bed(&bed, &mut keep_going()).unwrap();
    let speech_sound = voice(40.0, &[(4.0, 9.0), (15.0, 24.0), (30.0, 33.5)], 0.12);
    let speech = read_speech(&speech_sound, &mut keep_going()).unwrap();
    let length = 40 * S;
    let fitting = quick_fitting(&bed, &read.reading, &read.likeness, &FitRequest::of_length(length));
    let input = BedInput { sound: "bed", source: &bed, fitting: &fitting, bar_lines_samples: &[], before: &[] };
    let plan = propose(length, Some(input), Some((&speech_sound, &speech)), &[]);
    let sounds: &Sounds<'_, '_> = &|name| Some(if name == "bed" { &bed as &dyn Source } else { &speech_sound });
    let told = meters(&plan, sounds).unwrap();
    let mix = render(&plan, sounds, 0..length, Hear::Everything).unwrap();

    let mut reference = EbuR128::new(2, 48_000, Mode::M | Mode::S).unwrap();
    let mut compared = 0;
    for block in 0..400 {
        let range = block * 4800..(block + 1) * 4800;
        reference.add_frames_planar_f32(&[&mix.channels()[0][range.clone()], &mix.channels()[1][range]]).unwrap();
        for (ours, theirs, full) in [
            (told.momentary_lufs[block], reference.loudness_momentary(), block >= 3),
            (told.short_term_lufs[block], reference.loudness_shortterm(), block >= 29),
        ] {
            let theirs = theirs.unwrap();
            // Where the window is not full yet ebur128 counts silence before the sound.
            if full && theirs > -60.0 {
                compared += 1;
                assert!((f64::from(ours.unwrap()) - theirs).abs() < 0.05, "{:.1} s: {ours:?} for {theirs:.2}", block as f64 / 10.0);
            }
        }
    }
    assert!(compared > 600, "only {compared} values");
}

#[test]
fn how_far_the_voice_lies_over_the_bed_is_told_while_somebody_speaks() {
    let (voice, bed) = (sine(-20.0, 20), sine(-18.0, 20));
    let plan = Plan {
        layers: vec![layer(Role::Bed, "bed", -25.0), layer(Role::Narration, "voice", 0.0)],
        phrases: vec![phrase(4.0, 9.0), phrase(16.0, 16.5)],
        ..Plan::empty(20 * S)
    };
    let sounds: &Sounds<'_, '_> = &|name| Some(if name == "bed" { &bed as &dyn Source } else { &voice });
    let told = meters(&plan, sounds).unwrap();
    for (block, db) in told.voice_over_bed_db.iter().enumerate() {
        // A value needs a second of speech within its three seconds.
        let end_s = (block + 1) as f64 / 10.0;
        let spoken: f64 =
            plan.phrases.iter().map(|p| (end_s.min(p.end_samples as f64 / 48e3) - (end_s - 3.0).max(p.start_samples as f64 / 48e3)).max(0.0)).sum();
        assert_eq!(db.is_some(), spoken > 0.95, "{end_s} s: {db:?} with {spoken:.1} s of speech");
        // -20 over -18 - 25.
        assert!(db.is_none_or(|db| (db - 23.0).abs() < 0.1), "{end_s} s: {db:?}");
    }
    // The whole by formula: 10 lg (10^-2.0 + 10^-4.3), for tones in step 20 lg (10^-1.0 + 10^-2.15).
    let in_step = 20.0 * (10f64.powf(-1.0) + 10f64.powf(-2.15)).log10();
    assert!((f64::from(told.momentary_lufs[100].unwrap()) - in_step).abs() < 0.1, "{:?} for {in_step:.2}", told.momentary_lufs[100]);
    assert!((told.true_peak_dbtp.unwrap() - in_step).abs() < 0.1, "{:?}", told.true_peak_dbtp);
}

#[test]
fn the_whole_is_brought_to_a_loudness_and_no_peak_beyond_one_db_under_full_scale() {
    let bed = sine(-20.0, 10);
    let sounds: &Sounds<'_, '_> = &|_| Some(&bed as &dyn Source);
    let plan = Plan { layers: vec![layer(Role::Bed, "bed", 0.0)], ..Plan::empty(10 * S) };
    // (wanted, gain, held back): a sine as loud as its peak can come to -1 LUFS at most.
    for (target_lufs, gain_db, held_back_db) in [(-23.0, -3.0, 0.0), (-16.0, 4.0, 0.0), (-14.0, 6.0, 0.0), (1.0, 19.0, 2.0)] {
        let made = master(&plan, sounds, target_lufs).unwrap().unwrap();
        assert!((made.gain_db - gain_db).abs() < 0.1 && (made.held_back_db - held_back_db).abs() < 0.1, "{target_lufs}: {made:?}");
        let mastered = Plan { master: Some(made), ..plan.clone() };
        let mix = render(&mastered, sounds, 0..10 * S, Hear::Everything).unwrap();
        let lufs = measure(&mix).integrated_lufs.unwrap();
        assert!((lufs - (target_lufs - held_back_db)).abs() < 0.1, "{target_lufs}: {lufs:.2}");
    }
    let silent = Plan { layers: vec![layer(Role::Bed, "bed", -300.0)], ..Plan::empty(10 * S) };
    assert_eq!(master(&silent, sounds, -23.0).unwrap(), None::<Master>, "silence has no loudness");
    let missing: &Sounds<'_, '_> = &|_| None;
    assert!(matches!(meters(&plan, missing), Err(MissingSound { .. })) && master(&plan, missing, -23.0).is_err());
}

#[test]
fn every_beat_has_a_tick_and_the_first_of_a_bar_a_higher_one() {
    let reading = Reading { beats_samples: (0..12).map(|k| 10_000 + k * 20_000).collect(), downbeats: vec![1, 4, 7, 10], metre: 3, ..Reading::default() };
    let mut whole = Sound::silence(2, 300_000);
    count_along(&mut whole, 0, &reading, 0.5);
    let plane = &whole.channels()[0];
    // Power of a tone in the 30 ms after a beat (Goertzel, American Mathematical Monthly 65, 1958).
    let power = |from: usize, hz: f32| {
        let (mut a, mut b) = (0.0f32, 0.0f32);
        for (n, x) in plane[from..from + 1440].iter().enumerate() {
            let angle = TAU * hz * n as f32 / S as f32;
            a += x * angle.cos();
            b += x * angle.sin();
        }
        a * a + b * b
    };
    for (k, &beat) in reading.beats_samples.iter().enumerate() {
        let (high, low) = (power(beat as usize, 1800.0), power(beat as usize, 1200.0));
        assert_eq!(high > 4.0 * low, reading.downbeats.contains(&k), "beat {k}: {high} and {low}");
        assert!(high.max(low) > 1.0);
        assert!(plane[beat as usize - 5000..beat as usize].iter().all(|x| *x == 0.0), "nothing before beat {k}");
        assert!(plane[beat as usize + 1440..beat as usize + 9000].iter().all(|x| *x == 0.0), "nothing long after it");
    }
    let top = plane.iter().fold(0.0f32, |top, x| top.max(x.abs()));
    assert!((0.35..=0.5).contains(&top), "{top}");
    // In ranges, also such as cut a tick in two, it is the same.
    for (from, to) in [(0, 9_999), (9_999, 10_700), (10_700, 10_701), (10_701, 131_000), (131_000, 300_000)] {
        let mut part = Sound::silence(2, to - from);
        count_along(&mut part, from as u64, &reading, 0.5);
        assert!(part.channels()[1][..] == plane[from..to], "{from} to {to}");
    }
    // A tick on full scale stays within it.
    let mut loud = Sound::new(vec![vec![1.0; 20_000]]);
    count_along(&mut loud, 0, &reading, 0.9);
    assert!(loud.channels()[0].iter().all(|x| x.abs() <= 1.0) && loud.channels()[0][10_010..11_000].iter().any(|x| *x < 1.0));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Blocks of the curve are straight between points of the true one: never more than a twentieth of a dB beside it
    /// but where it falls into silence.
    #[test]
    fn the_curve_that_is_applied_is_the_one_that_is_told(start in 0u64..150_000, rise in 9_600u64..40_000, gain_db in -30.0f64..6.0) {
        let objects = [
            LevelObject::Base { gain_db: -12.0 },
            LevelObject::Swell {
                start_samples: 30_000,
                end_samples: 120_000,
                rise_samples: rise,
                fall_samples: 40_000,
                gain_db,
                under_speech_db: 7.0,
                rise_slope: Slope::GentlyThenSharply,
                fall_slope: Slope::SharplyThenGently,
                by_hand: false,
            },
            LevelObject::FadeOut { end_samples: 180_000, length_samples: 96_000, shape: FadeShape::LinearDb, by_hand: false },
        ];
        let curve = GainCurve::of(&objects);
        let mut applied = vec![vec![1.0f32; 9_000]; 2];
        curve.apply(start, &mut applied);
        for (k, value) in applied[1].iter().enumerate() {
            let told = curve.gain(start + k as u64);
            let apart = (f64::from(*value) - told).abs();
            prop_assert!(apart < 0.006 * told + 1e-5, "{} samples in: {value} for {told}", start + k as u64);
        }
    }
}

#[test]
fn a_direct_current_is_measured_in_the_channel_that_has_it() {
    let clean = sine(-20.0, 2);
    let shifted = Sound::new(vec![clean.channels()[0].clone(), clean.channels()[1].iter().map(|s| s - 0.03).collect()]);
    let plan = Plan { layers: vec![layer(Role::Bed, "bed", 0.0)], ..Plan::empty(2 * S) };
    let told = |sound: &Sound| meters(&plan, &|_| Some(sound as &dyn Source)).unwrap().direct_current;
    assert!(told(&clean).abs() < 1e-4, "a sine swings around zero: {}", told(&clean));
    assert!((told(&shifted) + 0.03).abs() < 1e-4, "{}", told(&shifted));
}

#[test]
fn a_sound_of_the_film_that_the_bed_covers_is_found_where_it_is() {
    // A murmur of -50 LUFS with steps of -25 at 4 and at 9 s, and speech of -25 from 12 to 15 s; the bed lies at -23.
    let soft = sine(-50.0, 20);
    let loud = |n: usize| [(4.0, 4.3), (9.0, 9.6), (12.0, 15.0)].iter().any(|&(from, to)| (from..to).contains(&(n as f64 / S as f64)));
    let plane: Vec<f32> = soft.channels()[0].iter().enumerate().map(|(n, s)| s * if loud(n) { 10f32.powf(25.0 / 20.0) } else { 1.0 }).collect();
    let (film, bed) = (Sound::new(vec![plane.clone(), plane]), sine(-23.0, 20));
    let sounds: &Sounds<'_, '_> = &|name| Some(if name == "bed" { &bed as &dyn Source } else { &film });
    let with = |bed_db: f64| Plan {
        layers: vec![layer(Role::Bed, "bed", bed_db), layer(Role::Film, "film", 0.0)],
        phrases: vec![phrase(12.0, 15.0)],
        ..Plan::empty(20 * S)
    };
    let found = meters(&with(0.0), sounds).unwrap().masked;
    let places: Vec<(u64, u64)> = found.iter().map(|m| (m.start_samples / 4800, m.end_samples / 4800)).collect();
    assert_eq!(places, [(40, 43), (90, 96)]);
    assert!(found.iter().all(|m| (m.bed_under_db + 2.0).abs() < 0.3), "{found:?}");
    // Five decibels under them it covers nothing.
    assert!(meters(&with(-7.0), sounds).unwrap().masked.is_empty());
}
