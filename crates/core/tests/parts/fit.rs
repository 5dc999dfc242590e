//! Fitting: exact lengths, splices on downbeats, endings, and beds that cannot be re-cut.

use super::music::{Made, Piece, propose};
use jaunty_core::fit::FittedBed;
use jaunty_core::fit::{FitRequest, Fitting, FittingEnd, FittingStart, Splice, Wishes, fittings, quick_fitting};
use jaunty_core::message;
use jaunty_core::mix::{Hear, render};
use jaunty_core::plan::BedInput;
use jaunty_core::reading::{BarLikeness, BedRead, Span, keep_going, read_bed};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::splice::{LEAD_SAMPLES, SpliceAt, tail};
use jaunty_core::units::{CutLength, FrameRate};
use std::sync::LazyLock;

const S: u64 = 48_000;

static POP: LazyLock<(Made, BedRead)> = LazyLock::new(|| {
    let made = Piece::pop(104.0, 48).make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    (made, read)
});

fn fit(sound: &Sound, read: &BedRead, length_samples: u64) -> Vec<Fitting> {
    fittings(sound, &read.reading, &read.likeness, &FitRequest::of_length(length_samples))
}

#[test]
fn every_length_at_every_rate_is_exact_to_the_sample() {
    let (made, read) = &*POP;
    for (num, den) in FrameRate::KNOWN {
        let rate = FrameRate::new(num, den, false).unwrap();
        for seconds in [16.0, 33.3, 59.0, 60.0, 90.0, 111.0, 150.0, 200.0] {
            let length = rate.samples_from_frames(CutLength::from_seconds(rate, seconds).unwrap().frames());
            let all = fit(&made.sound, read, length);
            all.iter().for_each(|fitting| check_whole(fitting, length));
            for fitting in all.into_iter().take(1) {
                let plan =
                    propose(length, Some(BedInput { sound: "bed", source: &made.sound, fitting: &fitting, bar_lines_samples: &[], before: &[] }), None, &[]);
                // The last samples only: nothing hangs past the end, nothing is missing before it.
                let tail = render(&plan, &|_| Some(&made.sound as &dyn Source), length - 100..length + 5000, Hear::Everything).unwrap();
                assert_eq!(tail.len_samples(), 100);
            }
        }
    }
}

/// Pieces follow one another without a hole and fill the cut.
fn check_whole(fitting: &Fitting, length: u64) {
    assert_eq!(fitting.length_samples, length);
    assert_eq!(fitting.pieces.first().unwrap().cut_start_samples, 0);
    assert_eq!(fitting.pieces.last().unwrap().cut_end_samples, length);
    assert!(fitting.pieces.windows(2).all(|w| w[0].cut_end_samples == w[1].cut_start_samples));
    assert_eq!(fitting.splices.len() + 1, fitting.pieces.len());
    assert!((fitting.speed - 1.0).abs() <= 0.01 + 1e-9);
}

#[test]
fn shorter_and_longer_keep_the_opening_and_the_own_ending() {
    let (made, read) = &*POP;
    // Whole eight-bar phrases of the piece and its ring-out, off by up to what may be left over.
    for (phrases, off_s) in [(2, 0.0), (3, 0.4), (4, -0.5), (5, 0.2), (7, -0.8), (8, 1.2), (10, -1.5)] {
        let seconds = 2.0 + phrases as f64 * 8.0 * 4.0 * 60.0 / 104.0 + off_s;
        let best = &fit(&made.sound, read, (seconds * 48_000.0) as u64)[0];
        assert_eq!(best.end, FittingEnd::OwnEnding, "{seconds} s");
        assert_eq!(best.pieces[0].start_bar, 0);
        // The last hit lies its ring-out before the end, give or take what the limits allow.
        let hit = best.last_hit_samples.unwrap() as f64 / 48_000.0;
        let ring = (read.reading.ending.music_end_samples - read.reading.ending.last_hit_samples) as f64 / 48_000.0;
        assert!((seconds - hit - ring).abs() < 0.30, "{seconds} s: hit at {hit:.2}, ring-out {ring:.2}");
        let worst = best.splices.iter().map(|s| s.goodness).fold(1.0, f32::min);
        assert!(worst > 0.85, "{seconds} s: worst splice {worst}");
    }
}

/// Common practice, no source: a spot of half a minute opens and closes as its music does.
#[test]
fn a_spot_of_half_a_minute_has_both_the_opening_and_the_ending() {
    let (made, read) = &*POP;
    let first = &fit(&made.sound, read, 30 * S)[0];
    assert_eq!((first.start, first.end, first.pieces[0].start_bar), (FittingStart::Top, FittingEnd::OwnEnding, 0), "{}", first.why);
    assert!(first.splices.iter().all(|s| s.goodness >= 0.7));
}

#[test]
fn nothing_is_heard_three_times_in_a_row() {
    let (made, read) = &*POP;
    let own = made.sound.len_samples();
    for times in [1.3, 1.6, 2.0, 2.5, 3.1, 3.3] {
        let first = &fit(&made.sound, read, (own as f64 * times) as u64)[0];
        let joins: Vec<(usize, usize)> = first.splices.iter().map(|s| (s.leave_bar, s.enter_bar)).collect();
        assert!(!joins.is_empty() && joins.windows(2).all(|w| w[0] != w[1]), "{times}: {joins:?}");
    }
}

#[test]
fn a_sung_line_is_not_cut_where_another_splice_will_do() {
    let (made, read) = &*POP;
    // Four phrases of eight bars and the ring-out.
    let length = 75 * S + S / 3;
    let plain = &fit(&made.sound, read, length)[0];
    // Somebody sings across every bar line that the first fitting leaves, and nowhere else.
    let mut sung = read.clone();
    sung.reading.singing =
        plain.splices.iter().map(|s| Span { start_samples: s.leave_samples - S, end_samples: s.leave_samples + S, likelihood: 1.0 }).collect();
    let first = &fit(&made.sound, &sung, length)[0];
    let cut = |splice: &Splice| sung.reading.singing.iter().any(|s| splice.leave_samples > s.start_samples && splice.leave_samples < s.end_samples);
    assert!(!plain.splices.is_empty() && !first.splices.iter().any(cut), "{:?}", first.splices.iter().map(|s| s.leave_samples).collect::<Vec<_>>());
    assert_eq!((first.start, first.end), (plain.start, plain.end), "nothing is given up for it here");
    // Where it has to be, it says what it costs.
    sung.reading.singing = vec![Span { start_samples: 0, end_samples: made.sound.len_samples(), likelihood: 1.0 }];
    let term = fit(&made.sound, &sung, length)[0].splices[0].terms.iter().map(|t| (t.name.clone(), t.cost)).find(|t| t.0 == message!("splice.term.sungLine"));
    assert!(term.is_none_or(|(_, cost)| cost < 0.5), "the same line goes on in an exact repeat");
}

#[test]
fn a_pickup_that_is_sung_goes_with_its_phrase() {
    let (made, read) = &*POP;
    let lines = read.reading.bar_lines_samples();
    let length = without_16_bars(read);
    let (leave, enter) = (12, 28);
    // One splice is left to choose.
    let all = (1..lines.len()).flat_map(|from| (0..lines.len() - 1).map(move |to| (from, to)));
    let others = all.filter(|splice| *splice != (leave, enter)).map(|(from, to)| SpliceAt { leave_samples: lines[from], enter_samples: lines[to] });
    let wishes = Wishes { no_splices: others.collect(), ..Wishes::default() };
    let request = FitRequest { wishes, ..FitRequest::of_length(length) };
    let splice = |read: &BedRead| {
        let first = quick_fitting(&made.sound, &read.reading, &read.likeness, &request);
        let [splice] = &first.splices[..] else { panic!("{} splices", first.splices.len()) };
        assert_eq!((splice.leave_bar, splice.enter_bar), (leave, enter));
        splice.clone()
    };
    assert!(splice(read).join.later_samples >= 0, "nothing sounds before the line that would have to go along");
    // Somebody begins a second before the bar that is entered and sings on: what is left has no voice.
    let mut sung = read.clone();
    sung.reading.singing = vec![Span { start_samples: lines[enter] - S, end_samples: lines[enter] + 2 * S, likelihood: 1.0 }];
    let meets = splice(&sung);
    assert!(meets.join.later_samples < -(S as i64) / 2, "{} samples after the bar line", meets.join.later_samples);
    assert!(meets.why.to_string().contains("before the bar line"), "{}", meets.why);
}

/// Seconds from the nearest of some times to a sample.
fn off(times_s: &[f64], at: u64) -> f64 {
    let s = at as f64 / 48_000.0;
    times_s.iter().map(|t| s - t).min_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap()
}

fn off_halves(beats_s: &[f64], at: u64) -> f64 {
    let halves: Vec<f64> = beats_s.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1]), w[1]]).collect();
    off(&halves, at)
}

#[test]
fn both_sides_of_a_splice_are_at_one_beat_of_the_bar_within_five_milliseconds() {
    let (made, read) = &*POP;
    let mut seen = 0;
    for bars in (10..90).step_by(3) {
        let seconds = 2.0 + f64::from(bars) * 4.0 * 60.0 / 104.0;
        for fitting in fit(&made.sound, read, (seconds * 48_000.0) as u64) {
            for (k, splice) in fitting.splices.iter().enumerate() {
                seen += 1;
                let off = [splice.leave_samples, splice.enter_samples].map(|at| off(&made.downbeats_s, at));
                // What the ear hears is how far the two sides are apart.
                assert!((off[0] - off[1]).abs() < 0.005, "{seconds} s: the sides of a splice are {:.1} ms apart", (off[0] - off[1]) * 1000.0);
                assert!(off.iter().all(|o| o.abs() < 0.015), "{seconds} s: a splice {off:?} s off its downbeats");
                // They meet on that line or up to two beats beside it, on a beat or half-way between two.
                let meet = splice.leave_samples.saturating_add_signed(splice.join.later_samples);
                assert!(splice.join.later_samples.abs() < 2 * 27_692 + 480, "{} beside the line", splice.join.later_samples);
                assert!(off_halves(&made.beats_s, meet).abs() < 0.015, "{seconds} s: they meet {:.3} s off a half beat", off_halves(&made.beats_s, meet));
                // What is heard at the join in the cut is the downbeat that is entered.
                let piece = &fitting.pieces[k + 1];
                let source = piece.source_position(splice.at_samples);
                assert!((source - splice.enter_samples as f64).abs() < 10.0, "{source}");
                assert_eq!(piece.source_start_samples + LEAD_SAMPLES as i64, splice.enter_samples as i64 + splice.join.later_samples);
            }
        }
    }
    assert!(seen > 20, "only {seen} splices were seen");
}

/// The bed without two of the passages that come again.
fn without_16_bars(read: &BedRead) -> u64 {
    let lines = read.reading.bar_lines_samples();
    read.reading.length_samples - (lines[24] - lines[8])
}

#[test]
fn a_splice_between_repeats_is_not_heard_in_the_samples() {
    // The bed repeats exactly every eight bars, so a good splice leaves the sound as it would have gone on.
    let (made, read) = &*POP;
    let best = &fit(&made.sound, read, without_16_bars(read))[0];
    assert!(!best.splices.is_empty());
    let fitted = FittedBed::new(&made.sound, best);
    for splice in &best.splices {
        let mut around = vec![0.0f32; 9600];
        fitted.read(0, splice.at_samples as i64 - 4800, &mut around);
        let mut gone_on = vec![0.0f32; 9600];
        made.sound.read(0, splice.leave_samples as i64 - 4800, &mut gone_on);
        let power = |s: &[f32]| s.iter().map(|x| x * x).sum::<f32>();
        let level_db = 10.0 * (power(&around) / power(&gone_on)).log10();
        assert!(level_db.abs() < 0.7, "the level changes by {level_db:.2} dB");
    }
}

#[test]
fn a_tail_rings_where_it_is_wanted_and_nowhere_else() {
    let (made, read) = &*POP;
    let dry = &fit(&made.sound, read, without_16_bars(read))[0];
    assert!(dry.splices.iter().all(|s| !s.join.rings), "the same music goes on: nothing stops dead");
    // Into the silence after the bed: all is lacking there, and rings.
    let mut ringing = dry.clone();
    let join = ringing.pieces[0].cut_end_samples;
    ringing.pieces[1].source_start_samples = made.sound.len_samples() as i64;
    let mut cut_off = ringing.clone();
    (ringing.splices[0].join.rings, cut_off.splices[0].join.rings) = (true, false);
    let heard = |fitting: &Fitting, parts: &[usize]| {
        let source = FittedBed::new(&made.sound, fitting);
        let mut at = join as i64 - 10_000;
        let mut all = Vec::new();
        for &part in parts {
            let mut samples = vec![0.0f32; part];
            source.read(0, at, &mut samples);
            all.extend(samples);
            at += part as i64;
        }
        all
    };
    let (with, without) = (heard(&ringing, &[100_000]), heard(&cut_off, &[100_000]));
    let in_parts = heard(&ringing, &[1, 9_000, 999, 40_000, 50_000]);
    // Where the bed is played a hair faster, ranges round differently.
    assert_eq!((0..with.len()).find(|&k| (with[k] - in_parts[k]).abs() > 1e-6), None, "the same in whatever ranges it is read");
    let differ = |range: std::ops::Range<usize>| range.filter(|&k| with[k] != without[k]).count();
    assert_eq!(differ(0..10_000 - tail::JOINS_IN_SAMPLES as usize), 0, "before the join nothing rings");
    assert!(differ(10_000..20_000) > 9_000, "after it something does");
    assert_eq!(differ(10_000 + tail::TAIL_SAMPLES as usize..100_000), 0, "and is gone in time");
}

#[test]
fn a_bed_without_an_ending_loops_and_fades() {
    let made = Piece { ring_s: 0.0, head_s: 0.0, ..Piece::pop(120.0, 8) }.make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    let best = &fit(&made.sound, &read, 45 * 48_000)[0];
    check_whole(best, 45 * 48_000);
    assert_eq!(best.end, FittingEnd::Fade);
    assert!(best.splices.len() >= 2, "16 s last 45 only when bars are played again");
    assert_eq!(best.speed, 1.0, "a fade takes up what is left over");
}

#[test]
fn a_bed_of_two_seconds_says_what_it_did() {
    let made = Piece { ring_s: 0.0, head_s: 0.0, ..Piece::pop(120.0, 1) }.make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    let all = fit(&made.sound, &read, 90 * 48_000);
    assert_eq!((all.len(), all[0].end), (1, FittingEnd::Silence));
    assert!(all[0].notes[0].to_string().contains("played once") && all[0].notes[0].to_string().contains("longer bed"), "{:?}", all[0].notes);
    check_whole(&all[0], 90 * 48_000);
}

#[test]
fn a_longer_sound_without_bars_is_played_and_faded() {
    // Under two seconds no beat is looked for.
    let plane: Vec<f32> = (0..86_400).map(|n| 0.2 * (n as f32 * 0.03).sin()).collect();
    let sound = Sound::new(vec![plane]);
    let read = read_bed(&sound, &mut keep_going()).unwrap();
    let best = &fit(&sound, &read, 48_000)[0];
    assert_eq!((read.reading.bar_count(), best.end), (0, FittingEnd::Fade));
    assert!(best.notes[0].to_string().contains("faded"));
    check_whole(best, 48_000);
}

#[test]
fn any_range_gives_the_samples_of_the_whole() {
    let (made, read) = &*POP;
    let length = 61 * 48_000;
    for fitting in fit(&made.sound, read, length) {
        let plan = propose(length, Some(BedInput { sound: "bed", source: &made.sound, fitting: &fitting, bar_lines_samples: &[], before: &[] }), None, &[]);
        let sounds = |_: &str| Some(&made.sound as &dyn Source);
        let whole = render(&plan, &sounds, 0..length, Hear::Everything).unwrap();
        for (from, to) in [(0, 1), (1_000_001, 1_000_333), (12_345, 400_000), (length - 7, length)] {
            let part = render(&plan, &sounds, from..to, Hear::Everything).unwrap();
            for channel in 0..2 {
                let expected = &whole.channels()[channel][from as usize..to as usize];
                // At another speed the interpolation starts from a rounded position: 1 part in a million.
                let worst = part.channels()[channel].iter().zip(expected).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
                assert!(worst <= if fitting.speed == 1.0 { 0.0 } else { 1e-5 }, "{from}..{to}: {worst}");
            }
        }
    }
}

/// A file that was cut as a loop goes on at its beginning as it was meant to: to the sample, with no
/// hole at the seam and nothing faded.
#[test]
fn a_loop_goes_round_to_the_sample() {
    let whole = Piece { head_s: 0.0, ..Piece::pop(120.0, 9) }.make().sound;
    let bar = 2 * S as usize;
    let cut = Sound::new(whole.channels().iter().map(|c| c[..8 * bar].to_vec()).collect());
    let read = read_bed(&cut, &mut keep_going()).unwrap();
    assert!(read.reading.is_loop(), "{:?} of {}", read.reading.bar_lines_samples(), cut.len_samples());
    assert_eq!((read.reading.loops[0].start_bar, read.reading.loops[0].end_bar), (0, 8), "{:?}", read.reading.loops);
    let length = 50 * S;
    let fitting = quick_fitting(&cut, &read.reading, &read.likeness, &FitRequest::of_length(length));
    let seam = &fitting.splices[0];
    assert!((seam.leave_bar, seam.enter_bar) == (8, 0) && seam.why.to_string().contains("cut as a loop") && seam.hard_to_hear() > 85, "{seam:?}");
    // Up to a splice in the middle of a round, if there is one.
    let round = fitting.splices.iter().take_while(|s| s.enter_bar == 0).count();
    let until = fitting.splices.get(round).map_or(40 * S, |s| s.at_samples - 2 * S) as usize;
    let heard = FittedBed::new(&cut, &fitting);
    let mut out = vec![0.0f32; until];
    heard.read(0, 0, &mut out);
    let wrong = (200..out.len()).find(|k| (out[*k] - cut.channels()[0][*k % (8 * bar)]).abs() > 1e-4);
    assert_eq!(wrong, None, "the loop is heard as it is, again and again");
}

/// The likeness of a bed in which no bar comes again and a phrase of four bars could go on with any other.
fn through_composed(bars: usize) -> BarLikeness {
    let phrases: Vec<u32> = (4..bars as u32).step_by(4).collect();
    let mut bytes = (bars as u32).to_le_bytes().to_vec();
    (0..2 * bars * bars).for_each(|_| bytes.extend(0.05f32.to_le_bytes()));
    bytes.extend((phrases.len() as u32).to_le_bytes());
    phrases.iter().for_each(|phrase| bytes.extend(phrase.to_le_bytes()));
    (0..phrases.len().pow(2)).for_each(|_| bytes.extend(0.9f32.to_le_bytes()));
    BarLikeness::from_bytes(&bytes).expect("a whole likeness")
}

#[test]
fn a_splice_at_which_another_phrase_goes_on_says_so() {
    let (made, read) = &*POP;
    let other = BedRead { reading: read.reading.clone(), likeness: through_composed(read.reading.bar_count()) };
    // Whole phrases of four bars and the ring-out.
    let length = read.reading.ending.music_end_samples - (read.reading.bar_lines_samples()[36] - read.reading.bar_lines_samples()[8]);
    let first = fit(&made.sound, &other, length).remove(0);
    check_whole(&first, length);
    assert_eq!((first.end, first.splices.len()), (FittingEnd::OwnEnding, 1), "{}", first.why);
    let splice = &first.splices[0];
    assert!(splice.is_sequel && splice.leave_bar.is_multiple_of(4) && splice.enter_bar.is_multiple_of(4));
    assert!(
        splice.why.to_string().starts_with("another phrase goes on here, not a repeat: of the bed's own steps from phrase to phrase 90 in 100"),
        "{}",
        splice.why
    );
    assert!(
        splice.terms.iter().any(|t| t.name == message!("splice.term.otherPhrase")) && first.why.to_string().contains("another phrase goes on"),
        "{}",
        first.why
    );
    // The same length of the bed as it is: what would have come comes again.
    let same = fit(&made.sound, read, length).remove(0);
    assert!(same.splices.iter().all(|s| !s.is_sequel) && !same.why.to_string().contains("another phrase"), "{}", same.why);
}
