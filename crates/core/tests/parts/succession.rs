//! Beds one after another: the level through a handover, beds that end by themselves, and objects
//! that two beds share.

use jaunty_core::fit::{EndWish, FitRequest, Fitting, FittingEnd, Passage, Wishes, fittings, quick_fitting};
use jaunty_core::mix::{Hear, outline, render};
use jaunty_core::plan::{BedInput, Inputs, PieceInput, Plan, propose};
use jaunty_core::reading::{BedRead, keep_going, read_bed};
use jaunty_core::shape::{LevelChange, LevelName, LevelObject};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::read_speech;
use jaunty_core::voice::Piece as VoicePiece;

use super::music::{Piece, voice};

const S: u64 = 48_000;
const LENGTH: u64 = 60 * S;

/// Noise of one level, not alike in any two seeds.
fn noise(seconds: u64, seed: u32) -> Sound {
    let mut state = seed;
    let plane = (0..seconds * S).map(|_| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        0.2 * (state as f32 / u32::MAX as f32 - 0.5)
    });
    Sound::new(vec![plane.collect()])
}

fn fit_to(bed: &Sound, read: &BedRead, from_s: u64, to_s: u64, end: EndWish) -> Fitting {
    let place = Some(Passage { start_samples: from_s * S, end_samples: to_s * S });
    let request = FitRequest { wishes: Wishes { place, end, ..Wishes::default() }, ..FitRequest::of_length(LENGTH) };
    quick_fitting(bed, &read.reading, &read.likeness, &request)
}

fn made<'a>(beds: &[(&'a str, &'a Sound, &'a Fitting)]) -> Plan {
    let beds: Vec<BedInput<'_>> =
        beds.iter().map(|&(sound, source, fitting)| BedInput { sound, source, fitting, bar_lines_samples: &[], before: &[] }).collect();
    propose(Inputs { length_samples: LENGTH, beds: &beds, ..Inputs::default() })
}

fn fades(plan: &Plan, sound: &str) -> (u64, u64) {
    let levels = &plan.beds().find(|b| b.sound == sound).unwrap().levels;
    let of = |out: bool| {
        levels.iter().find_map(|o| match *o {
            LevelObject::FadeIn { length_samples, .. } if !out => Some(length_samples),
            LevelObject::FadeOut { length_samples, .. } if out => Some(length_samples),
            _ => None,
        })
    };
    (of(false).unwrap(), of(true).unwrap())
}

/// Two unlike sounds keep their power while one gives over to the other: that is what equal power
/// means. A linear crossfade would sag by 3 dB in its middle (common practice, no source).
#[test]
fn a_handover_of_unlike_sounds_neither_sags_nor_bumps() {
    let (first, second) = (noise(40, 1), noise(60, 77));
    let read = |sound: &Sound| read_bed(sound, &mut keep_going()).unwrap();
    let (a, b) = (fit_to(&first, &read(&first), 0, 22, EndWish::Fade), fit_to(&second, &read(&second), 18, 60, EndWish::Free));
    // The bed at hand comes first in the plan wherever it lies on the cut.
    let plan = made(&[("second", &second, &b), ("first", &first, &a)]);
    assert_eq!((fades(&plan, "first").1, fades(&plan, "second").0), (4 * S, 4 * S));
    let sound = render(&plan, &|name| Some(if name == "first" { &first as &dyn Source } else { &second }), 0..LENGTH, Hear::Bed).unwrap();
    let level = |from: u64| {
        let part = &sound.channels()[0][from as usize..(from + S / 4) as usize];
        10.0 * (part.iter().map(|x| f64::from(x * x)).sum::<f64>() / part.len() as f64).log10()
    };
    let outside = level(15 * S);
    for k in 0..28 {
        let at = 17 * S + k * S / 4;
        assert!((level(at) - outside).abs() < 0.5, "{:.2} dB at {:.2} s, {outside:.2} outside", level(at), at as f64 / S as f64);
    }
    // Before it only the one is heard, after it only the other.
    let alone = render(&made(&[("first", &first, &a)]), &|_| Some(&first as &dyn Source), 0..LENGTH, Hear::Bed).unwrap();
    let same = |range: std::ops::Range<u64>| range.map(|k| k as usize).all(|k| (sound.channels()[0][k] - alone.channels()[0][k]).abs() < 1e-6);
    assert!(same(2 * S..18 * S) && !same(19 * S..20 * S), "the first bed is the same until the second begins");
    assert!(alone.channels()[0][22 * S as usize..].iter().all(|x| *x == 0.0), "nothing of it after its place");
}

#[test]
fn a_bed_that_ends_by_itself_is_not_faded_into_the_next() {
    let (first, second) = (Piece::pop(104.0, 24).make().sound, Piece::pop(120.0, 40).make().sound);
    let read = |sound: &Sound| read_bed(sound, &mut keep_going()).unwrap();
    let (read_first, read_second) = (read(&first), read(&second));
    let stop = fit_to(&first, &read_first, 0, 24, EndWish::Stop { ring_out_samples: None });
    assert_eq!(stop.end, FittingEnd::Stop, "it can stop");
    let next = fit_to(&second, &read_second, 22, 60, EndWish::Free);
    let plan = made(&[("first", &first, &stop), ("second", &second, &next)]);
    assert!(fades(&plan, "first").1 <= 24 * S - stop.last_hit_samples.unwrap_or(0), "its last beat is not faded");
    assert!(fades(&plan, "second").0 < 2 * S, "and the next one enters by itself");
    let faded = fit_to(&first, &read_first, 0, 24, EndWish::Fade);
    assert_eq!(fades(&made(&[("first", &first, &faded), ("second", &second, &next)]), "first").1, 2 * S);
}

#[test]
fn a_swell_that_two_beds_share_is_one() {
    let (first, second) = (noise(60, 3), noise(60, 5));
    let read = |sound: &Sound| read_bed(sound, &mut keep_going()).unwrap();
    let (a, b) = (fit_to(&first, &read(&first), 0, 31, EndWish::Fade), fit_to(&second, &read(&second), 29, 60, EndWish::Free));
    let voice = voice(60.0, &[(4.0, 24.0), (36.0, 55.0)], 0.12);
    let speech = read_speech(&voice, &mut keep_going()).unwrap();
    let piece = VoicePiece::whole("voice", voice.len_samples());
    let narration = [PieceInput { piece: &piece, source: &voice, reading: &speech }];
    let beds = [("first", &first, &a), ("second", &second, &b)].map(|(sound, source, fitting): (_, &Sound, _)| BedInput {
        sound,
        source,
        fitting,
        bar_lines_samples: &[],
        before: &[],
    });
    let mut plan = propose(Inputs { length_samples: LENGTH, beds: &beds, narration: &narration, ..Inputs::default() });
    let swell = |bed: &str, plan: &Plan| {
        let levels = &plan.beds().find(|b| b.sound == bed).unwrap().levels;
        let found = levels.iter().position(|o| matches!(o, LevelObject::Swell { start_samples, .. } if (20 * S..30 * S).contains(start_samples)));
        (found.unwrap(), levels[found.unwrap()].clone())
    };
    let (_, before) = swell("first", &plan);
    assert!(before.is_twin_of(&swell("second", &plan).1), "both beds rise in the same gap");
    let untouched = plan.beds().flat_map(|b| b.levels.clone()).collect::<Vec<_>>();
    plan.change_level(LevelName::of(&before).unwrap(), &LevelChange { under_speech_db: Some(3.0), ..LevelChange::default() }).unwrap();
    for bed in ["first", "second"] {
        assert!(matches!(swell(bed, &plan).1, LevelObject::Swell { under_speech_db, by_hand: true, .. } if under_speech_db == 3.0), "{bed}");
    }
    let changed = plan.beds().flat_map(|b| b.levels.clone()).zip(untouched).filter(|(a, b)| a != b).count();
    assert_eq!(changed, 2, "nothing else changed");
}

#[test]
fn what_no_machine_can_plan_is_played_once_and_says_so() {
    let bed = Piece::pop(120.0, 16).make().sound;
    let read = read_bed(&bed, &mut keep_going()).unwrap();
    let all = fittings(&bed, &read.reading, &read.likeness, &FitRequest::of_length(13 * 3600 * S));
    assert_eq!(all[0].length_samples, 13 * 3600 * S);
    assert!(all[0].notes[0].to_string().contains("up to 12 hours"), "{:?}", all[0].notes);
}

/// What is drawn is what is heard: the oracle is the rendered bed itself.
#[test]
fn the_outline_is_that_of_the_rendered_bed() {
    const SPAN: u64 = 480;
    let first = Piece::pop(104.0, 24).make().sound;
    let second = Piece::pop(120.0, 32).make().sound;
    let read = |sound: &Sound| read_bed(sound, &mut keep_going()).unwrap();
    let (one, other) = (read(&first), read(&second));
    for (until, from) in [(60, 60), (32, 28)] {
        // A length that no whole bars make, so that the speed changes; a stop that rings out.
        let a = fit_to(&first, &one, 0, until, if until == 60 { EndWish::Stop { ring_out_samples: None } } else { EndWish::Fade });
        let b = (from < 60).then(|| fit_to(&second, &other, from, 60, EndWish::Free));
        let mut beds = vec![("first", &first, &a)];
        beds.extend(b.iter().map(|b| ("second", &second, b)));
        let plan = made(&beds);
        let sounds = |name: &str| Some(if name == "first" { &first as &dyn Source } else { &second });
        let drawn = outline(&plan, &sounds, SPAN).unwrap();
        let sound = render(&plan, &sounds, 0..LENGTH, Hear::Bed).unwrap();
        let mut block = vec![0.0; SPAN as usize];
        let heard: Vec<f32> = (0..LENGTH / SPAN)
            .map(|k| {
                sound.read_mono((k * SPAN) as i64, &mut block);
                block.iter().fold(0.0f32, |top, s| top.max(s.abs()))
            })
            .collect();
        assert_eq!(drawn.len(), heard.len());
        let top = heard.iter().copied().fold(0.0, f32::max);
        let off: Vec<f32> = drawn.iter().zip(&heard).map(|(d, h)| (d - h).abs() / top).collect();
        let mean = off.iter().sum::<f32>() / off.len() as f32;
        let far = off.iter().filter(|o| **o > 0.15).count();
        assert!(mean < 0.01 && far < off.len() / 100, "{mean} of the top on average, {far} of {} far off", off.len());
    }
}
