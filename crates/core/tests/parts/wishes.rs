//! Wishes of a fitting: what is kept, left out, pinned, how it starts and stops, and what happens
//! when it cannot be.

use super::music::{Made, Piece};
use jaunty_core::fit::FittedBed;
use jaunty_core::fit::{
    EndWish, FitRequest, Fitting, FittingEnd, FittingStart, Liking, Likings, Passage, Pin, Scene, Standing, StartWish, Wish, Wishes, fittings, natural_lengths,
    quick_fitting, retouched,
};
use jaunty_core::message::Message;
use jaunty_core::picture::stills::hold;
use jaunty_core::picture::{Moment, MomentKind, Origin, Picture, Shot};
use jaunty_core::reading::{BedRead, Reading, Span, keep_going, read_bed};
use jaunty_core::sound::Source;
use jaunty_core::splice::{Law, SpliceAt, Touch};
use jaunty_core::units::{CutLength, FrameRate};
use proptest::prelude::*;
use std::sync::LazyLock;

const S: u64 = 48_000;

fn read(piece: Piece) -> (Made, BedRead) {
    let made = piece.make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    (made, read)
}

static POP: LazyLock<(Made, BedRead)> = LazyLock::new(|| read(Piece::pop(104.0, 48)));

fn best(length_samples: u64, wishes: &[Wish]) -> Fitting {
    with(length_samples, wishes, Scene::default())
}

fn with(length_samples: u64, wishes: &[Wish], scene: Scene) -> Fitting {
    let (made, read) = &*POP;
    let mut all = Wishes::default();
    wishes.iter().for_each(|w| all.say(w.clone()).unwrap());
    quick_fitting(&made.sound, &read.reading, &read.likeness, &FitRequest { length_samples, wishes: all, scene })
}

fn line(bar: usize) -> u64 {
    POP.1.reading.bar_lines_samples()[bar]
}

fn passage(from: usize, to: usize) -> Passage {
    Passage { start_samples: line(from), end_samples: line(to) }
}

/// Bars that are heard for most of their length.
fn bars_heard(fitting: &Fitting) -> Vec<usize> {
    let lines = POP.1.reading.bar_lines_samples();
    let share = |bar: usize| -> u64 {
        fitting.heard_passages().iter().map(|p| p.end_samples.min(lines[bar + 1]).saturating_sub(p.start_samples.max(lines[bar]))).max().unwrap_or(0)
    };
    (0..lines.len() - 1).filter(|&b| 10 * share(b) > 9 * (lines[b + 1] - lines[b])).collect()
}

#[test]
fn a_pinned_moment_sounds_at_its_moment_to_the_sample() {
    // The bed's chords return every eight bars: pins near such places can be met by good splices.
    for (bar, earlier, off_s, length_s) in [(17, 8, 0.2, 70), (9, 0, 0.1, 60), (33, 16, -0.2, 90), (13, 8, 0.05, 45), (20, 0, 0.3, 100)] {
        let at_s = (line(bar) - POP.1.reading.music_start_samples - (line(earlier) - line(0))) as f64 / S as f64 + off_s;
        let pin = Pin { bed_samples: line(bar) + 333, cut_samples: (at_s * S as f64) as u64 };
        let fitting = best(length_s * S, &[Wish::Pin(pin)]);
        assert!(fitting.notes.iter().all(|n| !n.to_string().contains("set aside")), "bar {bar} at {at_s}: {:?}", fitting.notes);
        let piece = fitting.pieces.iter().find(|p| (p.cut_start_samples..p.cut_end_samples).contains(&pin.cut_samples)).unwrap();
        assert_eq!(piece.source_position(pin.cut_samples), pin.bed_samples as f64, "bar {bar} at {at_s} s");
        assert!((fitting.speed - 1.0).abs() <= 0.0105, "{}", fitting.speed);
        assert_eq!(fitting.end_samples(), length_s * S);
    }
}

#[test]
fn two_pins_hold_together_and_the_music_between_is_smooth() {
    let pins = [Pin { bed_samples: line(9), cut_samples: line(9) + 4000 }, Pin { bed_samples: line(33), cut_samples: line(25) - 9000 }];
    let fitting = best(80 * S, &pins.map(Wish::Pin));
    for pin in pins {
        let piece = fitting.pieces.iter().find(|p| (p.cut_start_samples..p.cut_end_samples).contains(&pin.cut_samples)).unwrap();
        assert_eq!(piece.source_position(pin.cut_samples), pin.bed_samples as f64, "{:?}", fitting.notes);
        // No jump in the sound where the speed changes.
        let heard = FittedBed::new(&POP.0.sound, &fitting);
        let mut around = vec![0.0f32; 64];
        heard.read(0, pin.cut_samples as i64 - 32, &mut around);
        let mut there = vec![0.0f32; 64];
        POP.0.sound.read(0, pin.bed_samples as i64 - 32, &mut there);
        let worst = around.iter().zip(&there).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(worst < 0.05, "{worst} beside a pin");
    }
}

#[test]
fn what_is_left_out_never_sounds_and_what_is_kept_always_does() {
    for length_s in (30..130).step_by(7) {
        let fitting = best(length_s * S, &[Wish::LeaveOut(passage(8, 16)), Wish::Keep(passage(24, 28))]);
        let heard = bars_heard(&fitting);
        assert!(!heard.iter().any(|b| (8..16).contains(b)), "{length_s} s: {heard:?}");
        let set_aside = fitting.notes.iter().any(|n| n.to_string().contains("set aside"));
        assert!(set_aside || (24..28).all(|b| heard.contains(&b)), "{length_s} s: {heard:?} {:?}", fitting.notes);
        assert!(!set_aside || length_s < 40, "{length_s} s: {:?}", fitting.notes);
    }
}

#[test]
fn a_cold_start_is_at_full_level_at_once() {
    let fitting = best(40 * S, &[Wish::Start(StartWish::Cold { at_samples: Some(line(16)) })]);
    assert_eq!((fitting.start, fitting.pieces[0].start_bar), (FittingStart::Cold, 16));
    let heard = FittedBed::new(&POP.0.sound, &fitting);
    let mut first = vec![0.0f32; 4800];
    heard.read(0, 0, &mut first);
    let mut there = vec![0.0f32; 4800];
    POP.0.sound.read(0, line(16) as i64, &mut there);
    let level = |s: &[f32]| s.iter().map(|x| x * x).sum::<f32>();
    assert!(level(&first) > 0.8 * level(&there), "the first tenth of a second is there");
}

#[test]
fn a_stop_lands_on_a_downbeat_and_rings_to_the_end_without_a_gap() {
    let fitting = best(47 * S, &[Wish::End(EndWish::Stop { ring_out_samples: Some(3 * S) })]);
    assert_eq!(fitting.end, FittingEnd::Stop);
    let ring = fitting.ring_out.unwrap();
    let hit = fitting.last_hit_samples.unwrap();
    let lines = POP.1.reading.bar_lines_samples();
    let source = fitting.pieces.last().unwrap().source_position(hit);
    assert!(lines.iter().any(|l| (*l as f64 - source).abs() < 2.0), "the last hit is a downbeat");
    assert!((47 * S - hit).abs_diff(3 * S) < 3 * S / 2, "it rings for about as long as asked");
    let heard = FittedBed::new(&POP.0.sound, &fitting);
    let db = |from: u64, length: usize| {
        let mut samples = vec![0.0f32; length];
        heard.read(0, from as i64, &mut samples);
        10.0 * (samples.iter().map(|x| x * x).sum::<f32>() / length as f32 + 1e-12).log10()
    };
    // Common practice wants at least 2 s of room after the last beat; the tail dies away, it is not cut.
    let stop = ring.stop_samples();
    let levels: Vec<f32> = (0..8).map(|k| db(stop + k * 12_000, 12_000)).collect();
    assert!(levels[0] > db(stop - 12_000, 12_000) - 12.0, "the room takes over: {levels:?}");
    assert!(levels.windows(2).all(|w| w[1] < w[0] + 3.0) && levels[7] < levels[0] - 15.0, "{levels:?}");
    assert!(db(47 * S - 480, 480) < -60.0, "silent at the very end");
}

#[test]
fn the_own_last_hit_falls_on_the_frame_that_was_asked_for() {
    let rate = FrameRate::new(25, 1, false).unwrap();
    let hit = POP.1.reading.ending.last_hit_samples;
    for (bars, off_frames) in [(16, 3i64), (16, -5), (24, 0), (24, 7)] {
        let frame = (rate.frame_at_sample(hit - POP.1.reading.music_start_samples - (line(bars) - line(0))) as i64 + off_frames) as u64;
        let at = rate.samples_from_frames(frame);
        let fitting = best(90 * S, &[Wish::End(EndWish::OwnEnding { hit_samples: Some(at) })]);
        assert_eq!(fitting.end, FittingEnd::OwnEnding, "{:?}", fitting.notes);
        assert!(fitting.last_hit_samples.unwrap().abs_diff(at) <= 1, "frame {frame}: {:?} for {at}", fitting.last_hit_samples);
    }
}

#[test]
fn wishes_that_contradict_are_named_and_the_rest_holds() {
    // Both want other music at one moment.
    let pins = [Pin { bed_samples: line(9), cut_samples: 20 * S }, Pin { bed_samples: line(33), cut_samples: 21 * S }];
    let fitting = best(60 * S, &pins.map(Wish::Pin));
    let told: Vec<&Message> = fitting.notes.iter().filter(|n| n.to_string().contains("set aside")).collect();
    assert!(told.len() == 1 && told[0].to_string().contains("contradicts the pin"), "{:?}", fitting.notes);
    // In what is to be left out.
    let fitting = best(60 * S, &[Wish::LeaveOut(passage(8, 16)), Wish::Pin(Pin { bed_samples: line(12), cut_samples: 30 * S })]);
    assert!(fitting.notes.iter().any(|n| n.to_string().contains("set aside") && n.to_string().contains("to be left out")), "{:?}", fitting.notes);
    assert!(!bars_heard(&fitting).iter().any(|b| (8..16).contains(b)));
    // Longer than the cut; and an ending that is not there.
    let fitting = best(12 * S, &[Wish::Keep(passage(8, 24))]);
    assert!(fitting.notes.iter().any(|n| n.to_string().contains("longer than")), "{:?}", fitting.notes);
    let (made, read) = read(Piece { ring_s: 0.0, ..Piece::pop(120.0, 24) });
    let wishes = Wishes { end: EndWish::OwnEnding { hit_samples: None }, ..Wishes::default() };
    let request = FitRequest { wishes, ..FitRequest::of_length(30 * S) };
    let notes = quick_fitting(&made.sound, &read.reading, &read.likeness, &request).notes;
    assert!(notes.iter().any(|n| n.to_string().contains("this bed has none")), "{notes:?}");
}

#[test]
fn a_splice_is_moved_forbidden_and_changed_by_hand() {
    let top = Wish::Start(StartWish::Top);
    let length = line(28) + 2 * S;
    let first = best(length, std::slice::from_ref(&top));
    let splice = &first.splices[0];
    let (leave, enter) = (splice.leave_bar, splice.enter_bar);
    let moved = jaunty_core::splice::SpliceAt { leave_samples: line(leave + 1), enter_samples: line(enter + 1) };
    let second = best(length, &[top.clone(), Wish::Splice { splice: moved, instead: Some(splice.at) }]);
    assert!(second.splices.iter().any(|s| (s.leave_bar, s.enter_bar) == (leave + 1, enter + 1) && s.by_hand), "{:?}", second.notes);
    let third = best(length, &[top, Wish::NoSplice(splice.at)]);
    assert!(third.splices.iter().all(|s| (s.leave_bar, s.enter_bar) != (leave, enter)));
    // A change by hand moves no other sample than those about the splice.
    let (made, read) = &*POP;
    let mut wishes = Wishes { start: StartWish::Top, most_speed_change: 0.0, ..Wishes::default() };
    let request = FitRequest { wishes: wishes.clone(), ..FitRequest::of_length(length) };
    let first = retouched(&made.sound, &read.reading, &read.likeness, &request, &first, &first.splices.iter().map(|s| s.at).collect::<Vec<_>>());
    let splice = &first.splices[0];
    let touch = Touch {
        splice: splice.at,
        moved_samples: Some(splice.join.moved_samples + 7),
        later_samples: 480,
        fade_samples: Some(4800),
        law: Law::EqualPower,
        rings: None,
    };
    wishes.say(Wish::Touch(touch)).unwrap();
    let request = FitRequest { wishes, ..FitRequest::of_length(length) };
    let touched = retouched(&made.sound, &read.reading, &read.likeness, &request, &first, &[splice.at]);
    assert!(first.splices.iter().zip(&touched.splices).skip(1).all(|(a, b)| (a.join, a.surprise_rank) == (b.join, b.surprise_rank)), "the others stay");
    let join = touched.splices[0].join;
    assert_eq!((join.moved_samples, join.later_samples, join.fade_samples, join.law), (splice.join.moved_samples + 7, 480, 4800, Law::EqualPower));
    let heard = |fitting: &Fitting, from: u64| {
        let mut samples = vec![0.0f32; 4800];
        FittedBed::new(&made.sound, fitting).read(0, from as i64, &mut samples);
        samples
    };
    assert!(heard(&first, splice.at_samples - 3 * S) == heard(&touched, splice.at_samples - 3 * S));
    assert!(heard(&first, splice.at_samples - 4000) != heard(&touched, splice.at_samples - 4000));
}

#[test]
fn alternatives_differ_and_say_how() {
    let (made, read) = &*POP;
    for length_s in [30, 62, 90, 150] {
        let all = fittings(&made.sound, &read.reading, &read.likeness, &FitRequest::of_length(length_s * S));
        assert!((4..=8).contains(&all.len()), "{length_s} s: {} fittings", all.len());
        // Eight bars come again and again: only lengths that leave out whole eights of them can keep both ends unheard.
        let whole = (all[0].start, all[0].end) == (FittingStart::Top, FittingEnd::OwnEnding);
        assert!(all[0].why.to_string().contains(if whole { "it begins and ends as the bed does" } else { "left out" }), "{length_s} s: {}", all[0].why);
        assert!(all[1..].iter().all(|one| one.why.to_string().starts_with("Gives up") || one.why.to_string().starts_with("Keeps other passages")));
        assert!(all[1..].iter().filter(|one| whole && one.start != all[0].start).all(|one| one.why.to_string().contains("the opening")));
        for (k, one) in all.iter().enumerate() {
            assert!(!one.name.is_empty() && all[..k].iter().all(|o| o.name != one.name), "{length_s} s: {:?}", all.iter().map(|f| &f.name).collect::<Vec<_>>());
            let alike = |o: &Fitting| o.agreement(one) > 0.999 && o.end == one.end && o.start == one.start;
            assert!(!all[..k].iter().any(alike), "{length_s} s: {} comes twice", one.name);
        }
    }
}

#[test]
fn quiet_bars_lie_under_speech_and_strong_ones_in_the_gaps() {
    // Bars 0 to 23 without drums, 24 to 47 with them: the speech has the second half of the cut.
    let (made, read) = read(Piece { drums: false, ..Piece::pop(104.0, 24) });
    let quiet = made.sound;
    let loud = Piece::pop(104.0, 24).make().sound;
    let join = (made.downbeats_s[24.min(made.downbeats_s.len() - 1)] * 48_000.0) as usize;
    let planes = (0..2).map(|c| {
        let mut plane = quiet.channels()[c.min(quiet.channels().len() - 1)][..join].to_vec();
        plane.extend(&loud.channels()[c.min(loud.channels().len() - 1)][(0.3 * 48_000.0) as usize..]);
        plane
    });
    let bed = jaunty_core::sound::Sound::new(planes.collect());
    let whole = read_bed(&bed, &mut keep_going()).unwrap();
    drop(read);
    let half = whole.reading.bar_count() / 2;
    let level = |phrases: Vec<(u64, u64)>| {
        // With a start and a fade that may be anywhere: opening and ending are worth more than a quiet passage.
        let wishes = Wishes { start: StartWish::Cold { at_samples: None }, end: EndWish::Fade, ..Wishes::default() };
        let request = FitRequest { wishes, scene: Scene { phrases, ..Scene::default() }, ..FitRequest::of_length(50 * S) };
        let fitting = quick_fitting(&bed, &whole.reading, &whole.likeness, &request);
        let lines = fitting.bar_lines(&whole.reading.bar_lines_samples());
        // Share of strong bars in each half of the cut.
        let strong = |from: u64, to: u64| {
            let bars: Vec<usize> = lines.iter().filter(|l| (from..to).contains(&l.0)).map(|l| l.1).collect();
            bars.iter().filter(|b| **b >= half).count() as f32 / bars.len().max(1) as f32
        };
        (strong(0, 24 * S), strong(26 * S, 48 * S))
    };
    let (_, free) = level(vec![(S, 24 * S)]);
    let (_, spoken) = level(vec![(26 * S, 48 * S)]);
    assert!(free > spoken + 0.3, "strong bars in the second half: {free} when it is a gap, {spoken} under speech");
}

#[test]
fn every_second_from_ten_to_three_times_the_bed_is_exact_and_as_asked() {
    let beds = [
        Piece::pop(104.0, 24),
        Piece::pop(72.0, 16),
        Piece::pop(168.0, 40),
        Piece { metre: 3, ..Piece::pop(140.0, 30) },
        Piece { compound: true, metre: 2, ..Piece::pop(66.0, 24) },
        Piece { metre: 5, ..Piece::pop(150.0, 16) },
        Piece { metre: 6, ..Piece::pop(180.0, 16) },
        Piece { drums: false, ..Piece::pop(96.0, 20) },
        Piece { swing: 0.66, ..Piece::pop(132.0, 24) },
        Piece { pickup: 2, ..Piece::pop(110.0, 20) },
        Piece { drift: 0.03, ..Piece::pop(118.0, 32) },
        Piece { ring_s: 0.0, head_s: 0.0, ..Piece::pop(120.0, 8) },
    ];
    for (k, piece) in beds.into_iter().enumerate() {
        let (made, read) = read(piece);
        let longest = 3 * made.sound.len_samples() / S;
        let lines = read.reading.bar_lines_samples();
        let out = Passage { start_samples: lines[lines.len() / 2], end_samples: lines[(lines.len() / 2 + 2).min(lines.len() - 1)] };
        for length_s in (10..=longest).step_by(if k < 2 { 1 } else { 5 }) {
            for leave_out in [Vec::new(), vec![out]] {
                let wishes = Wishes { leave_out: leave_out.clone(), ..Wishes::default() };
                let request = FitRequest { wishes, ..FitRequest::of_length(length_s * S) };
                let fitting = quick_fitting(&made.sound, &read.reading, &read.likeness, &request);
                assert_eq!((fitting.start_samples, fitting.length_samples), (0, length_s * S));
                assert_eq!(fitting.pieces.last().unwrap().cut_end_samples, length_s * S);
                assert!(fitting.pieces.windows(2).all(|w| w[0].cut_end_samples == w[1].cut_start_samples));
                assert!((fitting.speed - 1.0).abs() <= 0.0105, "bed {k}, {length_s} s: {}", fitting.speed);
                if fitting.notes.iter().all(|n| !n.to_string().contains("set aside")) && fitting.end != FittingEnd::Silence {
                    let sounds = |p: &Passage| leave_out.iter().any(|o| p.end_samples.min(o.end_samples) > p.start_samples.max(o.start_samples) + S / 4);
                    assert!(!fitting.heard_passages().iter().any(sounds), "bed {k}, {length_s} s plays what was left out");
                }
            }
        }
    }
}

#[test]
fn the_bed_lies_where_it_was_put() {
    let place = Passage { start_samples: 12 * S + 7, end_samples: 53 * S + 11 };
    let fitting = best(80 * S, &[Wish::Place { start_samples: Some(place.start_samples), end_samples: Some(place.end_samples) }]);
    assert_eq!((fitting.start_samples, fitting.end_samples()), (place.start_samples, place.end_samples));
    let heard = FittedBed::new(&POP.0.sound, &fitting);
    let mut samples = vec![1.0f32; 4800];
    heard.read(0, place.start_samples as i64 - 4800, &mut samples);
    assert!(samples.iter().all(|s| *s == 0.0), "silence before");
    heard.read(0, place.end_samples as i64, &mut samples);
    assert!(samples.iter().all(|s| *s == 0.0), "silence after");
}

#[test]
fn stills_take_the_length_of_the_bed_up() {
    // Common practice, no source: 56 s of 8 stills at 7 s become 82 s at 10.25 s each.
    let rate = FrameRate::new(25, 1, false).unwrap();
    let mut picture = Picture::new(CutLength::new(rate, 56 * 25).unwrap());
    picture.shots =
        (0..8).map(|k| Shot { name: format!("still {k}"), start_frame: k * 175, end_frame: (k + 1) * 175, still: true, origin: Origin::Hand }).collect();
    picture.moments = vec![Moment { name: "bell".into(), frame: 350, kind: MomentKind::Hit, origin: Origin::Hand }];
    let held = hold(&picture, 82 * 25).unwrap();
    assert!((held.mean_hold_frames / 25.0 - 10.25).abs() < 1e-9 && held.advised);
    assert_eq!(held.shot_frames.iter().sum::<u64>(), 82 * 25, "exact to the frame");
    picture.take_holding(&held);
    assert_eq!((picture.length_frames, picture.shots[7].end_frame), (2050, 2050));
    assert_eq!(picture.moments[0].frame, picture.shots[2].start_frame, "a moment stays in its shot");
    assert!(!hold(&picture, 200 * 25).unwrap().advised, "2.4 times as long is no longer the same film");
    // Nothing to hold, or less room than a frame each.
    picture.shots.iter_mut().for_each(|s| s.still = false);
    assert_eq!(hold(&picture, 90 * 25), None);
}

#[test]
fn natural_lengths_need_neither_speed_nor_silence() {
    let (made, read) = &*POP;
    let own = read.reading.ending.music_end_samples - read.reading.music_start_samples;
    let lengths = natural_lengths(&read.reading, &read.likeness, &FitRequest::of_length(90 * S));
    assert!(lengths.iter().any(|l| l.abs_diff(own) < S / 2), "the bed's own {own}: {lengths:?}");
    for length in lengths {
        let wishes = Wishes { end: EndWish::OwnEnding { hit_samples: None }, most_speed_change: 0.0, ..Wishes::default() };
        let fitting = quick_fitting(&made.sound, &read.reading, &read.likeness, &FitRequest { wishes, ..FitRequest::of_length(length) });
        assert_eq!((fitting.end, fitting.speed), (FittingEnd::OwnEnding, 1.0), "{length}: {:?}", fitting.notes);
    }
}

#[test]
fn the_singing_is_left_out_as_one_wish_wherever_the_reading_hears_it() {
    let (made, read) = &*POP;
    let mut reading = read.reading.clone();
    let lines = reading.bar_lines_samples();
    reading.singing = vec![
        Span { start_samples: lines[8] + S / 4, end_samples: lines[12], likelihood: 0.9 },
        Span { start_samples: lines[30], end_samples: lines[34], likelihood: 0.8 },
    ];
    let fitted = |reading: &Reading, seconds: u64| {
        let mut wishes = Wishes::default();
        wishes.say(Wish::LeaveOutSinging { on: true }).unwrap();
        quick_fitting(&made.sound, reading, &read.likeness, &FitRequest { wishes, ..FitRequest::of_length(seconds * S) })
    };
    let fitting = fitted(&reading, 60);
    let heard = fitting.heard_passages();
    let sung = |p: &Passage| reading.singing.iter().any(|s| s.start_samples + 4800 < p.end_samples && p.start_samples + 4800 < s.end_samples);
    assert!(!heard.iter().any(sung) && fitting.notes.is_empty(), "{heard:?}, {:?}", fitting.notes);
    // Where all of it is sung there is nothing else, and that is said.
    reading.singing = vec![Span { start_samples: 0, end_samples: *lines.last().unwrap(), likelihood: 0.9 }];
    let all = fitted(&reading, 60);
    assert!(all.notes.iter().any(|n| n.to_string().contains("singing")), "{:?}", all.notes);
}

#[test]
fn what_cannot_hold_is_not_blamed_on_wishes_that_nobody_has() {
    let (made, read) = &*POP;
    let says = |wishes: &[Wish]| {
        let mut all = Wishes { most_speed_change: 0.0, ..Wishes::default() };
        wishes.iter().for_each(|w| all.say(w.clone()).unwrap());
        let fitting = quick_fitting(&made.sound, &read.reading, &read.likeness, &FitRequest { wishes: all, ..FitRequest::of_length(3 * S) });
        fitting.notes.iter().map(Message::to_string).collect::<Vec<_>>().join(" ")
    };
    let end = Wish::End(EndWish::OwnEnding { hit_samples: None });
    let alone = says(std::slice::from_ref(&end));
    assert!(alone.contains("own ending is set aside") && !alone.contains("other wishes") && alone.contains("0:03.0"), "{alone}");
}

/// A piece that is bare for its first half and full for its second.
fn growing() -> (jaunty_core::sound::Sound, BedRead) {
    let (bare, full) = (Piece { drums: false, ring_s: 0.0, ..Piece::pop(104.0, 24) }.make(), Piece { head_s: 0.0, ..Piece::pop(104.0, 24) }.make());
    let join = (bare.downbeats_s[24] * S as f64) as usize;
    let planes = (0..2).map(|c| [&bare.sound.channels()[c][..join.min(bare.sound.channels()[c].len())], &full.sound.channels()[c][..]].concat());
    let bed = jaunty_core::sound::Sound::new(planes.collect());
    let read = read_bed(&bed, &mut keep_going()).unwrap();
    (bed, read)
}

#[test]
fn likings_turn_the_balance_and_nothing_is_longer_for_it() {
    let (bed, read) = growing();
    let lines = read.reading.bar_lines_samples();
    let half = read.reading.bar_count() / 2;
    let of = |length_s: u64, likings: Likings| {
        let wishes = Wishes { likings, start: StartWish::Top, end: EndWish::OwnEnding { hit_samples: None }, ..Wishes::default() };
        quick_fitting(&bed, &read.reading, &read.likeness, &FitRequest { wishes, ..FitRequest::of_length(length_s * S) })
    };
    let backwards = |f: &Fitting| f.splices.iter().filter(|s| s.enter_bar < s.leave_bar).count();
    // Share of full bars in the last half of the cut, less that in the first.
    let growth = |f: &Fitting| {
        let all = f.bar_lines(&lines);
        let share = |part: &[(u64, usize)]| part.iter().filter(|l| l.1 >= half).count() as f32 / part.len().max(1) as f32;
        share(&all[all.len() / 2..]) - share(&all[..all.len() / 2])
    };
    let (mut fewer, mut forward, mut growing) = ((0, 0), (0, 0), (0.0, 0.0));
    for length_s in (25..170).step_by(9) {
        let plain = of(length_s, Likings::default());
        let few = of(length_s, Likings { few_splices: true, ..Likings::default() });
        let order = of(length_s, Likings { own_order: true, ..Likings::default() });
        let builds = of(length_s, Likings { builds: true, ..Likings::default() });
        for one in [&plain, &few, &order, &builds] {
            assert_eq!((one.end_samples(), one.pieces.last().unwrap().cut_end_samples), (length_s * S, length_s * S));
        }
        fewer = (fewer.0 + few.splices.len(), fewer.1 + plain.splices.len());
        forward = (forward.0 + backwards(&order), forward.1 + backwards(&plain));
        growing = (growing.0 + growth(&builds), growing.1 + growth(&plain));
        assert!(few.splices.len() <= plain.splices.len(), "{length_s} s: {} splices, {} without the wish", few.splices.len(), plain.splices.len());
        assert!(backwards(&order) <= backwards(&plain), "{length_s} s");
    }
    println!("splices {fewer:?}, backwards {forward:?}, growth {growing:?}");
    assert!(fewer.0 < fewer.1 && forward.0 < forward.1 && growing.0 > growing.1);
}

#[test]
fn a_bed_whose_tempo_drifts_is_spliced_on_its_own_bars() {
    // The tempo rises and falls by 4 % over 16 bars: a grid of one tempo would be a third of a beat off.
    let (made, read) = read(Piece { drift: 0.04, ..Piece::pop(112.0, 48) });
    let mut seen = 0;
    for length_s in (30..150).step_by(11) {
        let fitting = quick_fitting(&made.sound, &read.reading, &read.likeness, &FitRequest::of_length(length_s * S));
        assert_eq!(fitting.end_samples(), length_s * S);
        for splice in &fitting.splices {
            seen += 1;
            let halves = made.beats_s.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1]), w[1]]);
            let off = |line: u64| {
                let at = line.saturating_add_signed(splice.join.later_samples) as f64 / S as f64;
                halves.clone().map(|t| at - t).min_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap()
            };
            let (leave, enter) = (off(splice.leave_samples), off(splice.enter_samples));
            assert!((leave - enter).abs() < 0.015 && leave.abs() < 0.03, "{length_s} s: {leave:.3} and {enter:.3} s off the beats");
        }
    }
    assert!(seen > 8, "only {seen} splices were seen");
}

#[test]
fn every_wish_that_is_told_can_be_taken_back_by_what_it_is_about() {
    let pins = [Pin { bed_samples: line(9), cut_samples: line(9) }, Pin { bed_samples: line(20), cut_samples: line(12) }];
    let splice = SpliceAt { leave_samples: line(8), enter_samples: line(16) };
    let touch = Touch { splice, moved_samples: Some(9), later_samples: 0, fade_samples: None, law: Law::EqualGain, rings: None };
    let said = [
        Wish::Start(StartWish::Cold { at_samples: Some(line(4)) }),
        Wish::Pin(pins[0]),
        Wish::End(EndWish::OwnEnding { hit_samples: Some(50 * S) }),
        Wish::Splice { splice, instead: None },
        Wish::Keep(passage(2, 4)),
        Wish::Touch(touch),
        Wish::LeaveOut(passage(30, 34)),
        Wish::Pin(pins[1]),
        Wish::Place { start_samples: Some(S), end_samples: Some(70 * S) },
    ];
    let mut all = Wishes::default();
    said.iter().for_each(|wish| all.say(wish.clone()).unwrap());
    let standing = all.standing();
    let words: Vec<String> = standing.iter().map(|one| all.message_of(one).unwrap().to_string()).collect();
    assert_eq!(words.len(), said.len(), "{words:?}");
    assert!(words.iter().all(|w| !w.is_empty()) && words.iter().collect::<std::collections::HashSet<_>>().len() == words.len(), "{words:?}");
    for taken in &standing {
        let mut one = all.clone();
        assert!(one.take_back(taken));
        let left: Vec<Standing> = standing.iter().filter(|s| *s != taken).copied().collect();
        assert_eq!(one.standing(), left);
        assert_eq!((one.message_of(taken), one.clone().take_back(taken)), (None, false), "{taken:?} is gone");
    }
    assert_eq!(all.message_of(&Standing::Pin { cut_samples: 1 }), None);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]
    /// Pins anywhere, on bar lines and beside them, some of which no music can meet: what is not met is told, what is
    /// played follows in time.
    #[test]
    fn any_pins_are_met_to_the_sample_or_named(
        length_s in 20u64..140,
        pins in prop::collection::vec((2usize..46, prop::sample::select(vec![-900i64, -576, -300, -1, 0, 1, 40, 333, 6000, 20_000]), 0usize..46, -12_000i64..12_000), 1..4),
        out in prop::option::of((8usize..40, 1usize..6)),
        end in 0usize..4,
    ) {
        let (made, read) = &*POP;
        let mut wishes = Wishes::default();
        for &(bar, beside, at, off) in &pins {
            let (bed_samples, cut_samples) = (line(bar).saturating_add_signed(beside), line(at).saturating_add_signed(off));
            let _ = wishes.say(Wish::Pin(Pin { bed_samples, cut_samples }));
        }
        if let Some((from, bars)) = out {
            wishes.say(Wish::LeaveOut(passage(from, from + bars))).unwrap();
        }
        wishes.end = [EndWish::Free, EndWish::OwnEnding { hit_samples: None }, EndWish::Fade, EndWish::Stop { ring_out_samples: None }][end];
        let all = fittings(&made.sound, &read.reading, &read.likeness, &FitRequest { wishes: wishes.clone(), ..FitRequest::of_length(length_s * S) });
        for fitting in &all {
            prop_assert_eq!(fitting.end_samples(), length_s * S);
            prop_assert!(fitting.pieces.windows(2).all(|w| w[0].cut_end_samples == w[1].cut_start_samples && w[0].cut_start_samples <= w[0].cut_end_samples));
            let lines = fitting.bar_lines(&read.reading.bar_lines_samples());
            prop_assert!(lines.windows(2).all(|w| w[0].0 < w[1].0), "{lines:?}");
            let told = fitting.notes.iter().filter(|n| n.to_string().contains("set aside") || n.to_string().contains("cannot be met")).count();
            let met = |pin: &Pin| {
                // Within 25 ms of a join the moment may lie in what the join cuts off: it is kept all the same.
                let near = |p: &&jaunty_core::fit::Piece| (p.cut_start_samples.saturating_sub(1200)..p.cut_end_samples + 1200).contains(&pin.cut_samples);
                fitting.pieces.iter().filter(near).any(|p| (p.source_position(pin.cut_samples) - pin.bed_samples as f64).abs() <= 2.0)
            };
            let unmet = wishes.pins.iter().filter(|pin| !met(pin)).count();
            prop_assert!(fitting.end == FittingEnd::Silence || unmet == 0 || told > 0, "{unmet} pins are missed and nothing is said: {:?}", fitting.notes);
            prop_assert!((fitting.speed - 1.0).abs() <= 0.0125, "speed {}", fitting.speed);
        }
    }
}

/// A wish of any kind, mostly of a sort that people have, from three numbers.
fn any_wish(kind: usize, a: usize, b: usize, length: u64) -> Wish {
    let bar = |k: usize| line(k % POP.1.reading.bar_count());
    let span = |k: usize, bars: usize| passage(k % 40, (k % 40 + 1 + bars % 7).min(47));
    let splice = SpliceAt { leave_samples: bar(a + 1), enter_samples: bar(b) };
    let cut = |k: usize| (k as u64 * 7919 * 4800) % length;
    match kind {
        0 => Wish::Keep(span(a, b)),
        1 => Wish::LeaveOut(span(a, b)),
        2 => Wish::Free(span(a, b)),
        3 => Wish::Pin(Pin { bed_samples: bar(a), cut_samples: cut(b) }),
        4 => Wish::Splice { splice, instead: None },
        5 => Wish::NoSplice(splice),
        6 => Wish::Touch(Touch {
            splice,
            moved_samples: (a.is_multiple_of(2)).then_some(b as i64 * 31 - 900),
            later_samples: (a as i64 - 20) * 700,
            fade_samples: (b.is_multiple_of(2)).then_some(1 + b as u64 * 480),
            law: [Law::Measured, Law::EqualPower, Law::EqualGain][b % 3],
            rings: [None, Some(true), Some(false)][a % 3],
        }),
        7 => Wish::Start(match a % 4 {
            0 => StartWish::Free,
            1 => StartWish::Top,
            2 => StartWish::Cold { at_samples: (b.is_multiple_of(2)).then(|| bar(b)) },
            _ => StartWish::FadeIn { at_samples: (b.is_multiple_of(2)).then(|| bar(b)) },
        }),
        8 => Wish::End(match a % 4 {
            0 => EndWish::Free,
            1 => EndWish::OwnEnding { hit_samples: (b.is_multiple_of(2)).then(|| cut(b)) },
            2 => EndWish::Stop { ring_out_samples: (b.is_multiple_of(2)).then(|| 4800 * (b as u64 % 80)) },
            _ => EndWish::Fade,
        }),
        9 => {
            let placed = !b.is_multiple_of(3);
            let end = (placed && b % 3 != 1).then(|| length / 2 + cut(b) / 2 + 1);
            Wish::Place { start_samples: placed.then(|| cut(a) / 2), end_samples: end }
        }
        10 => Wish::LeastRun { bars: 1 + a % 12 },
        11 => Wish::MostPlays { times: (!b.is_multiple_of(4)).then(|| 1 + b as u32 % 3) },
        12 => Wish::SpeedChange { share: (a % 6) as f64 * 0.004 },
        _ => Wish::Liking { liking: Liking::ALL[a % 7], on: b.is_multiple_of(2) },
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]
    /// Whatever is wished for together, possible or not: the place is filled to the sample, what is left out is silent
    /// and what is kept is heard, or it is told that it could not be.
    #[test]
    fn any_wishes_give_a_whole_fitting(
        length_s in 1u64..160,
        wished in prop::collection::vec((0usize..14, 0usize..48, 0usize..48), 0..7),
        spoken in prop::collection::vec((0u64..150, 1u64..12), 0..4),
    ) {
        let (made, read) = &*POP;
        let length = length_s * S + 1234;
        let mut wishes = Wishes::default();
        for &(kind, a, b) in &wished {
            // Some mean nothing and are refused.
            let _ = wishes.say(any_wish(kind, a, b, length));
        }
        let mut phrases: Vec<(u64, u64)> = spoken.iter().map(|&(from, long)| (from * S, (from + long) * S)).collect();
        phrases.sort_unstable();
        phrases.dedup_by(|b, a| b.0 < a.1);
        let scene = Scene { phrases, cuts: vec![7 * S, 19 * S, 20 * S], hits: vec![12 * S] };
        let request = FitRequest { wishes: wishes.clone(), scene, ..FitRequest::of_length(length) };
        let place = request.place();
        for fitting in fittings(&made.sound, &read.reading, &read.likeness, &request) {
            prop_assert_eq!((fitting.start_samples, fitting.end_samples()), (place.start_samples, place.end_samples));
            prop_assert_eq!(fitting.pieces.last().map(|p| p.cut_end_samples), Some(place.end_samples));
            prop_assert!(fitting.pieces[0].cut_start_samples.abs_diff(place.start_samples) <= S / 4, "{:?}", fitting.pieces[0]);
            prop_assert!(fitting.pieces.windows(2).all(|w| w[0].cut_end_samples == w[1].cut_start_samples && w[0].cut_start_samples <= w[0].cut_end_samples));
            prop_assert_eq!(fitting.splices.len() + 1, fitting.pieces.len());
            let lines = fitting.bar_lines(&read.reading.bar_lines_samples());
            prop_assert!(lines.windows(2).all(|w| w[0].0 < w[1].0), "{lines:?}");
            let most = wishes.most_speed_change + 0.0025;
            prop_assert!((fitting.speed - 1.0).abs() <= most, "speed {} for {:?}", fitting.speed, wishes.pins);
            let told = fitting.notes.iter().any(|n| n.to_string().contains("set aside") || n.to_string().contains("cannot be met") || n.to_string().contains("played once"));
            if !told {
                // Beyond the crossfades nothing of it is heard.
                let sounds = |out: &Passage| fitting.heard_passages().iter().any(|p| p.end_samples.min(out.end_samples) > p.start_samples.max(out.start_samples) + S / 10);
                prop_assert!(!wishes.leave_out.iter().any(sounds), "{:?} of {:?}", fitting.heard_passages(), wishes.leave_out);
                let whole = |keep: &Passage| fitting.heard_passages().iter().any(|p| p.start_samples <= keep.start_samples + S / 10 && p.end_samples + S / 10 >= keep.end_samples);
                prop_assert!(wishes.keep.iter().all(whole), "{:?} of {:?}", fitting.heard_passages(), wishes.keep);
            }
            // It can be heard everywhere, and never with a broken number.
            let heard = FittedBed::new(&made.sound, &fitting);
            let mut out = vec![f32::NAN; 4800];
            for at in [place.start_samples, place.start_samples + (place.end_samples - place.start_samples) / 2, place.end_samples.saturating_sub(2400)] {
                heard.read(0, at as i64, &mut out);
                prop_assert!(out.iter().all(|x| x.is_finite() && x.abs() < 4.0), "at {at}");
            }
        }
    }
}
