//! Reading music with known beats, and speech with known phrases.

use super::metrics::{amlt, cmlt, f_measure};
use super::music::{Piece, voice};
use jaunty_core::fit::{FitRequest, quick_fitting};
use jaunty_core::picture::Line;
use jaunty_core::reading::{Cancelled, Correction, EndingKind, keep_going, read_bed, read_corrected};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::{attach_words, gaps, read_speech};
use jaunty_core::units::seconds_from_samples;
use proptest::prelude::*;
use std::sync::LazyLock;

#[test]
fn beats_downbeats_and_tempo_are_found() {
    let pop = |bpm| Piece::pop(bpm, 24);
    for (piece, name) in [
        (pop(104.0), "104 in four"),
        (pop(92.0), "92 in four"),
        (pop(132.0), "132 in four"),
        (Piece { metre: 3, bars: 32, ..pop(126.0) }, "126 in three"),
        (Piece { metre: 2, compound: true, bars: 40, ..pop(66.0) }, "six eighths"),
        (Piece { swing: 0.64, ..pop(112.0) }, "swung"),
        (Piece { drift: 0.03, ..pop(108.0) }, "drifting by 3 %"),
        (Piece { pickup: 2, ..pop(100.0) }, "with a pickup"),
        (Piece { drums: false, ..pop(96.0) }, "without drums"),
        (Piece { head_s: 4.0, ..pop(118.0) }, "after four seconds of nothing"),
    ] {
        let made = piece.make();
        let read = read_bed(&made.sound, &mut keep_going()).unwrap().reading;
        let beats: Vec<f64> = read.beats_samples.iter().map(|&s| seconds_from_samples(s)).collect();
        let downbeats: Vec<f64> = read.bar_lines_samples().into_iter().map(seconds_from_samples).collect();
        // +-70 ms: the window of the MIREX beat tracking task.
        let (f, df) = (f_measure(&made.beats_s, &beats, 0.07), f_measure(&made.downbeats_s, &downbeats, 0.07));
        let (same, any) = (cmlt(&made.beats_s, &beats), amlt(&made.beats_s, &beats));
        println!("{name}: F {f:.3} CMLt {same:.3} AMLt {any:.3} downbeats {df:.3}, {:.1} BPM in {}", read.tempo_bpm, read.metre);
        assert!((read.tempo_bpm / piece.bpm - 1.0).abs() < 0.04, "{name}: {} BPM", read.tempo_bpm);
        // Whether two dotted beats make a bar or four is for the writer to say (6/8 or 12/8): no
        // bar may begin elsewhere.
        let written = piece.compound && read.metre as usize == 2 * piece.metre;
        assert!(written || read.metre as usize == piece.metre, "{name}: {} in a bar", read.metre);
        assert!(f > 0.95 && same > 0.9 && any >= same, "{name}: beats {f:.3} {same:.3}");
        let begins = |d: &&f64| made.downbeats_s.iter().any(|t| (t - **d).abs() <= 0.07);
        let precision = downbeats.iter().filter(begins).count() as f64 / downbeats.len() as f64;
        assert!(if written { precision > 0.95 } else { df > 0.95 }, "{name}: downbeats {df:.3}, precision {precision:.3}");
        // The grid itself: under 10 ms from the truth.
        let near = |b: &f64| made.beats_s.iter().map(|t| (t - b).abs()).fold(f64::MAX, f64::min);
        let errors: Vec<f64> = beats.iter().map(near).filter(|e| *e < 0.07).collect();
        let mean = errors.iter().sum::<f64>() / errors.len() as f64;
        assert!(mean < 0.010, "{name}: {:.1} ms", mean * 1000.0);
    }
}

#[test]
fn the_grid_is_not_in_the_level_and_moves_with_the_sound() {
    let made = Piece::pop(110.0, 16).make();
    let read = |sound: &jaunty_core::sound::Sound| read_bed(sound, &mut keep_going()).unwrap().reading;
    let first = read(&made.sound);
    let scaled = |gain: f32| jaunty_core::sound::Sound::new(made.sound.channels().iter().map(|c| c.iter().map(|s| s * gain).collect()).collect());
    for gain in [0.5, 0.05] {
        let other = read(&scaled(gain));
        assert_eq!(other.downbeats, first.downbeats);
        assert!(other.beats_samples.iter().zip(&first.beats_samples).all(|(a, b)| a.abs_diff(*b) < 48), "at {gain}: within a millisecond");
    }
    // Later by a whole number of hops of every spectrum, everything is later by just as much.
    const LATER: usize = 48_000;
    let later = jaunty_core::sound::Sound::new(made.sound.channels().iter().map(|c| [vec![0.0; LATER], c.clone()].concat()).collect());
    let moved = read(&later);
    // Silence before the music may hold beats of its own.
    let lines: Vec<u64> = moved.bar_lines_samples().into_iter().filter(|s| *s + 2400 > LATER as u64 + first.bar_lines_samples()[0]).collect();
    for (a, b) in first.bar_lines_samples().iter().zip(&lines) {
        assert!((a + LATER as u64).abs_diff(*b) < 240, "{a} and {b}");
    }
}

#[test]
fn a_bar_that_comes_sixteen_times_is_sixteen_like_bars() {
    let made = Piece { ring_s: 0.0, head_s: 0.0, ..Piece::pop(120.0, 1) }.make();
    let once = &made.sound.channels()[0][..96_000];
    let sound = jaunty_core::sound::Sound::new(vec![once.repeat(16)]);
    let read = read_bed(&sound, &mut keep_going()).unwrap();
    assert!(read.reading.bar_count() >= 14, "{} bars", read.reading.bar_count());
    let inner = 1..read.reading.bar_count() - 1;
    assert!(inner.clone().all(|a| inner.clone().all(|b| read.likeness.of(a, b) > 0.9)));
    assert!(read.reading.repeats[2..].iter().all(|r| *r <= 1), "{:?}", read.reading.repeats);
    assert!(!read.reading.loops.is_empty());
}

#[test]
fn corrections_are_kept_by_a_second_reading() {
    let made = Piece::pop(110.0, 16).make();
    let all = [Correction::ShiftBars { beats: 1 }, Correction::Nudge { samples: 480 }, Correction::LastHit { at_samples: 480_000 }];
    let plain = read_bed(&made.sound, &mut keep_going()).unwrap().reading;
    let once = read_corrected(&made.sound, &all, &mut keep_going()).unwrap();
    assert_eq!(once, read_corrected(&made.sound, &all, &mut keep_going()).unwrap());
    assert_eq!(once.reading.downbeats[0], (plain.downbeats[0] + 1) % 4);
    assert!(once.reading.beats_samples.iter().zip(&plain.beats_samples).all(|(a, b)| a.abs_diff(b + 480) <= 1));
    assert_eq!((once.reading.ending.kind, once.reading.ending.last_hit_samples), (EndingKind::OwnEnding, 480_000));
    // Tapping every second beat halves the tempo, wherever the taps fall by 20 ms.
    let taps = plain.beats_samples.iter().skip(8).step_by(2).take(8).enumerate().map(|(k, s)| s + if k % 2 == 0 { 960 } else { 0 }).collect();
    let tapped = read_corrected(&made.sound, &[Correction::Taps { at_samples: taps }], &mut keep_going()).unwrap().reading;
    assert!((tapped.tempo_bpm / plain.tempo_bpm - 0.5).abs() < 0.02, "{} after {}", tapped.tempo_bpm, plain.tempo_bpm);
    // Eight taps beside the beats, always a third of one late, move the beats of the whole piece there.
    let beat = |k: usize| (plain.beats_samples[k + 1] - plain.beats_samples[k]) as f64;
    let beside = |k: usize| plain.beats_samples[k] + (beat(k) / 3.0) as u64;
    let taps = (8..16).map(|k| beside(k) + if k % 2 == 0 { 720 } else { 0 }).collect();
    let moved = read_corrected(&made.sound, &[Correction::Taps { at_samples: taps }], &mut keep_going()).unwrap().reading;
    let last = plain.beats_samples.len() - 4;
    for k in 4..last {
        let off = moved.beats_samples.iter().map(|b| b.abs_diff(beside(k))).min().unwrap();
        assert!((off as f64) < 0.12 * beat(k), "beat {k} is {off} samples off");
    }
}

#[test]
fn first_sound_and_ending_are_found() {
    let made = Piece { head_s: 1.5, ..Piece::pop(110.0, 16) }.make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap().reading;
    assert!((seconds_from_samples(read.music_start_samples) - 1.5).abs() < 0.05);
    assert_eq!(read.ending.kind, EndingKind::OwnEnding);
    assert!((seconds_from_samples(read.ending.last_hit_samples) - made.last_hit_s).abs() < 0.05);

    let loop_bed = Piece { ring_s: 0.0, head_s: 0.0, ..Piece::pop(120.0, 8) }.make();
    assert_ne!(read_bed(&loop_bed.sound, &mut keep_going()).unwrap().reading.ending.kind, EndingKind::FadesOut);

    let mut faded = Piece::pop(110.0, 24).make().sound;
    let len = faded.channels()[0].len();
    for plane in faded.channels_mut() {
        for (n, sample) in plane.iter_mut().enumerate() {
            *sample *= ((len - n) as f32 / (len / 4) as f32).min(1.0).powi(3);
        }
    }
    assert_eq!(read_bed(&faded, &mut keep_going()).unwrap().reading.ending.kind, EndingKind::FadesOut);
}

#[test]
fn bars_that_return_are_alike() {
    let made = Piece::pop(104.0, 24).make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    // The chords return every eight bars, and bars 1 and 2 of them differ.
    let same = read.likeness.of(2, 10);
    let other = read.likeness.of(2, 11);
    assert!(same > 0.9 && other < 0.7, "same {same}, other {other}");
    assert!(read.likeness.could_follow(10, 18) > 0.9);
}

#[test]
fn reading_can_be_cancelled() {
    let made = Piece::pop(104.0, 8).make();
    let mut calls = 0;
    let result = read_bed(&made.sound, &mut |_, _| {
        calls += 1;
        calls < 3
    });
    assert_eq!(result.err(), Some(Cancelled));
    assert_eq!(calls, 3);
}

#[test]
fn phrases_and_gaps_are_found() {
    let truth = [(1.0, 3.2), (4.5, 6.0), (6.12, 7.0), (10.0, 12.5)];
    let read = read_speech(&voice(15.0, &truth, 0.2), &mut keep_going()).unwrap();
    // A pause of 0.12 s is inside a phrase.
    let wanted = [(1.0, 3.2), (4.5, 7.0), (10.0, 12.5)];
    let found: Vec<(f64, f64)> = read.phrases.iter().map(|p| (seconds_from_samples(p.start_samples), seconds_from_samples(p.end_samples))).collect();
    assert_eq!(found.len(), wanted.len(), "{found:?}");
    for (f, w) in found.iter().zip(wanted) {
        assert!((f.0 - w.0).abs() < 0.05 && (f.1 - w.1).abs() < 0.08, "{f:?} for {w:?}");
    }
    let spaces = gaps(&read.phrases, 15 * 48_000);
    assert_eq!(spaces.len(), 4, "before, two between, after");
    assert_eq!(spaces.last().unwrap().end_samples, 15 * 48_000);

    let mut phrases = read.phrases;
    let line = |start_samples, words: &str| Line { start_samples, words: words.into() };
    attach_words(&mut phrases, &[line(48_000, "One"), line(216_000, "two"), line(300_000, "three"), line(720_000, "said elsewhere")]);
    assert_eq!(phrases[0].words.as_deref(), Some("One"));
    assert_eq!(phrases[1].words.as_deref(), Some("two three"));
    assert_eq!(phrases[2].words, None);
}

#[test]
fn phrases_are_found_over_music_that_plays_under_them() {
    let truth = [(1.0, 3.2), (4.5, 7.0), (10.0, 12.5), (14.0, 15.5), (18.0, 21.0), (23.0, 25.5)];
    let mut sound = voice(28.0, &truth, 0.2);
    let music = Piece::pop(104.0, 16).make().sound;
    let power = |plane: &[f32]| plane.iter().map(|x| x * x).sum::<f32>() / plane.len() as f32;
    let spoken: Vec<f32> = truth.iter().flat_map(|(from, to)| sound.channels()[0][(from * 48e3) as usize..(to * 48e3) as usize].to_vec()).collect();
    // A note that the music strikes at the end of a phrase is taken for its last syllable.
    for (under_db, end_s) in [(22.0, 0.15), (16.0, 0.3)] {
        let gain = (power(&spoken) / power(&music.channels()[0][..28 * 48_000])).sqrt() * 10f32.powf(-under_db / 20.0);
        let mut mixed = sound.clone();
        mixed.channels_mut()[0].iter_mut().zip(&music.channels()[0]).for_each(|(x, m)| *x += gain * m);
        let found: Vec<(f64, f64)> = read_speech(&mixed, &mut keep_going())
            .unwrap()
            .phrases
            .iter()
            .map(|p| (seconds_from_samples(p.start_samples), seconds_from_samples(p.end_samples)))
            .collect();
        assert_eq!(found.len(), truth.len(), "{under_db} dB under: {found:?}");
        for (f, w) in found.iter().zip(truth) {
            assert!((f.0 - w.0).abs() < 0.1 && (f.1 - w.1).abs() < end_s, "{under_db} dB under: {f:?} for {w:?}");
        }
    }
    sound.channels_mut()[0].fill(0.0);
    assert!(read_speech(&sound, &mut keep_going()).unwrap().phrases.is_empty());
}

#[test]
fn clicks_and_breaths_are_no_phrases() {
    let mut sound = voice(8.0, &[(1.0, 3.0), (5.5, 7.0)], 0.2);
    let plane = &mut sound.channels_mut()[0];
    plane[4 * 48_000..4 * 48_000 + 240].fill(0.5);
    for (n, sample) in plane[230_000..240_000].iter_mut().enumerate() {
        *sample += 0.004 * ((n * 7919) % 101) as f32 / 101.0;
    }
    assert_eq!(read_speech(&sound, &mut keep_going()).unwrap().phrases.len(), 2);
}

/// What a person may say, sensible or not, from three numbers.
fn any_correction(kind: usize, a: u64, b: u64) -> Correction {
    let (at, to) = (a * 24_011, b * 24_007);
    match kind {
        0 => Correction::DoubleTempo,
        1 => Correction::HalfTempo,
        2 => Correction::OffBeats,
        3 => Correction::Tempo { bpm: 20.0 + 4.1 * a as f64 },
        4 => Correction::Metre { beats: 1 + (a % 12) as u32 },
        5 => Correction::ShiftBars { beats: a as i32 % 25 - 12 },
        6 => Correction::Nudge { samples: (a as i64 - 50) * 977 },
        7 => Correction::Taps { at_samples: (0..a % 12).map(|k| at / 2 + k * (9_000 + 300 * b)).collect() },
        8 => Correction::Given {
            beats_samples: (0..8 + a).map(|k| b * 480 + k * 23_000).collect(),
            downbeats: (0..8 + a as usize).step_by(1 + (b % 5) as usize).collect(),
            sections: if b.is_multiple_of(2) { Vec::new() } else { vec![(b * 480, "verse".into()), (b * 480 + 230_000, String::new())] },
        },
        9 => Correction::MoveBoundary { from_samples: at, to_samples: to },
        10 => Correction::Split { at_samples: at },
        11 => Correction::Join { at_samples: at },
        12 => Correction::Name { at_samples: at, name: "<b>bridge</b>".chars().take(b as usize % 14).collect() },
        13 => Correction::Letter { at_samples: at, label: ["A", "C", "Z", "AB"][b as usize % 4].into() },
        14 => Correction::Singing { start_samples: at.min(to), end_samples: at.max(to) + 1, sings: b.is_multiple_of(2) },
        15 => Correction::FadesFrom { at_samples: at },
        _ => Correction::LastHit { at_samples: at },
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]
    /// Whatever is said of a bed, in whatever order: what is refused changes nothing, and the reading stays one that
    /// everything else can stand on.
    #[test]
    fn any_corrections_leave_a_whole_reading(said in prop::collection::vec((0usize..17, 0u64..100, 0u64..100), 1..7), metre in 2usize..5) {
        static MADE: LazyLock<[Sound; 3]> = LazyLock::new(|| [2, 3, 4].map(|metre| Piece { metre, ..Piece::pop(126.0, 22) }.make().sound));
        let sound = &MADE[metre - 2];
        let all: Vec<Correction> = said.iter().map(|&(kind, a, b)| any_correction(kind, a, b)).filter(|c| c.check().is_ok()).collect();
        let read = read_corrected(sound, &all, &mut keep_going()).unwrap();
        let (reading, bars) = (&read.reading, read.reading.bar_count());
        let inside = |at: u64| at <= sound.len_samples();
        prop_assert!(reading.beats_samples.windows(2).all(|w| w[0] < w[1]) && reading.beats_samples.iter().all(|b| inside(*b)), "{:?}", reading.beats_samples);
        prop_assert!(reading.downbeats.windows(2).all(|w| w[0] < w[1]) && reading.downbeats.iter().all(|d| *d < reading.beats_samples.len()));
        prop_assert!((1..=12).contains(&reading.metre) && reading.tempo_bpm.is_finite() && reading.tempo_bpm >= 0.0);
        prop_assert_eq!((reading.bar_levels_db.len(), reading.bars.len(), reading.repeats.len(), read.likeness.bar_count()), (bars, bars, bars, bars));
        prop_assert!(reading.repeats.iter().enumerate().all(|(k, r)| *r <= k));
        let sections = &reading.sections;
        prop_assert!(sections.windows(2).all(|w| w[0].end_bar == w[1].start_bar && w[0].end_samples == w[1].start_samples), "{sections:?}");
        prop_assert!(sections.iter().all(|s| s.start_bar < s.end_bar && s.end_bar <= bars && !s.label.is_empty()), "{sections:?}");
        let ends = sections.first().zip(sections.last()).map(|(a, b)| (a.start_bar, b.end_bar));
        prop_assert!(ends == Some((0, bars)) || ends.is_none() && bars < 8, "{sections:?} of {bars} bars");
        prop_assert!(reading.singing.windows(2).all(|w| w[0].end_samples <= w[1].start_samples) && reading.singing.iter().all(|s| s.start_samples < s.end_samples));
        let ending = reading.ending;
        prop_assert!(inside(ending.last_hit_samples) && inside(ending.music_end_samples) && ending.last_hit_samples <= ending.music_end_samples, "{ending:?}");
        prop_assert!(reading.loops.iter().all(|l| l.start_bar < l.end_bar && l.end_bar <= bars));
        prop_assert!(reading.phrases.windows(2).all(|w| w[0] < w[1]) && reading.phrases.iter().all(|p| *p < bars.max(1)));
        // And it can be fitted.
        for length_s in [7, 31, 95] {
            let fitting = quick_fitting(sound, reading, &read.likeness, &FitRequest::of_length(length_s * 48_000));
            prop_assert_eq!(fitting.end_samples(), length_s * 48_000);
            let lines = fitting.bar_lines(&reading.bar_lines_samples());
            prop_assert!(lines.windows(2).all(|w| w[0].0 < w[1].0), "{lines:?}");
        }
    }
}
