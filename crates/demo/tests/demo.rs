//! The scenario: what is composed is what is read, and it can be fitted without audible splices.

mod parts {
    pub mod joins;
    pub mod kinds;
    pub mod measured;
}

use jaunty_core::fit::FittedBed;
use jaunty_core::fit::{Audible, EndWish, FitRequest, FittingEnd, StartWish, Wishes, fittings};
use jaunty_core::reading::{EndingKind, keep_going, read_bed};
use jaunty_core::sound::loudness::measure;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::read_speech;
use jaunty_core::units::seconds_from_samples;
use jaunty_demo::score::{Played, Score};
use jaunty_demo::{CUT, LINES, beds, film, narration, shelf};
use jaunty_media::write_wav;
use parts::measured::{f_measure, python};

use std::path::Path;
use std::process::Command;

fn played(score: &Score) -> Played {
    score.play().expect("the SoundFont is installed by ./test")
}

/// Beats by librosa 0.11 from PyPI (beat_track with its defaults), installed by ./test.
fn beats_by_librosa(file: &Path) -> Vec<f64> {
    let script = "import sys, json, librosa\ny, sr = librosa.load(sys.argv[1])\nprint(json.dumps([float(t) for t in librosa.frames_to_time(librosa.beat.beat_track(y=y, sr=sr)[1], sr=sr)]))";
    serde_json::from_value(python(script, &[&file.display().to_string()])).unwrap()
}

/// Integrated loudness by ffmpeg's meter of EBU R 128, told to a tenth.
fn lufs_by_ffmpeg(file: &Path) -> f64 {
    let out = Command::new("ffmpeg").args(["-nostats", "-hide_banner", "-i"]).arg(file).args(["-af", "ebur128", "-f", "null", "-"]).output();
    let text = String::from_utf8_lossy(&out.expect("ffmpeg is installed by ./test").stderr).into_owned();
    let summary = text.rsplit("Integrated loudness:").next().unwrap();
    summary.split("I:").nth(1).and_then(|rest| rest.split_whitespace().next()).and_then(|lufs| lufs.parse().ok()).unwrap_or_else(|| panic!("{text}"))
}

/// What is spliced goes on as evenly as what is not, for somebody else's ear.
#[test]
fn others_hear_a_re_cut_bed_as_even_as_the_bed_and_as_loud_as_we_do() {
    /// librosa counts in frames of 512 samples at 22.05 kHz.
    const FRAME_S: f64 = 512.0 / 22_050.0;
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("cut.wav");
    for (score, shares) in [(beds::copper_escapement(), [0.55, 1.4]), (beds::seven_lanterns(), [0.6, 1.5])] {
        let played = played(&score);
        let read = read_bed(&played.sound, &mut keep_going()).unwrap();
        for share in shares {
            let length_samples = (share * played.sound.len_samples() as f64) as u64;
            // From the top to its own last hit: that takes splices.
            let wishes = Wishes { start: StartWish::Top, end: EndWish::OwnEnding { hit_samples: None }, ..Wishes::default() };
            let request = FitRequest { wishes, ..FitRequest::of_length(length_samples) };
            let best = &fittings(&played.sound, &read.reading, &read.likeness, &request)[0];
            assert!(!best.splices.is_empty(), "{} to {share}", score.title);
            let bed = FittedBed::new(&played.sound, best);
            let planes = (0..2).map(|channel| {
                let mut plane = vec![0.0; length_samples as usize];
                bed.read(channel, 0, &mut plane);
                plane
            });
            let cut = Sound::new(planes.collect());
            write_wav(&file, &cut).unwrap();

            let beats = beats_by_librosa(&file);
            let mut all: Vec<f64> = beats.windows(2).map(|w| w[1] - w[0]).collect();
            all.sort_by(f64::total_cmp);
            let typical = all[all.len() / 2];
            for splice in &best.splices {
                let at = seconds_from_samples(splice.at_samples);
                let near = beats.windows(2).filter(|w| w[1] > at - 4.0 * typical && w[0] < at + 4.0 * typical);
                let worst = near.map(|w| (w[1] - w[0] - typical).abs()).fold(0.0, f64::max);
                println!("{} to {share}: {:.0} ms off {typical:.3} s at {at:.1} s", score.title, 1000.0 * worst);
                assert!(worst < 1.5 * FRAME_S, "{} to {share}: a beat {:.0} ms off at {at:.1} s", score.title, 1000.0 * worst);
            }
            let (ours, theirs) = (measure(&cut).integrated_lufs.unwrap(), lufs_by_ffmpeg(&file));
            assert!((ours - theirs).abs() < 0.11, "{}: {ours:.2} LUFS, {theirs} by ffmpeg", score.title);
        }
    }
}

#[test]
fn the_beds_read_as_they_were_composed_and_no_worse_than_librosa_reads_them() {
    let folder = tempfile::tempdir().unwrap();
    for score in [beds::copper_escapement(), beds::seven_lanterns(), beds::bench_lamp()] {
        let played = played(&score);
        let read = read_bed(&played.sound, &mut keep_going()).unwrap().reading;
        let beats: Vec<f64> = read.beats_samples.iter().map(|&s| seconds_from_samples(s)).collect();
        let downbeats: Vec<f64> = read.bar_lines_samples().into_iter().map(seconds_from_samples).collect();
        assert_eq!(read.metre as usize, score.metre, "{}", score.title);
        let ours = f_measure(&played.beats_s, &beats, 0.07);
        assert!(ours > 0.95, "{}: beats {ours:.3}", score.title);
        assert!(f_measure(&played.downbeats_s, &downbeats, 0.07) > 0.95, "{}: downbeats", score.title);

        let file = folder.path().join("bed.wav");
        write_wav(&file, &played.sound).unwrap();
        let theirs = f_measure(&played.beats_s, &beats_by_librosa(&file), 0.07);
        println!("{}: beats F {ours:.3}, librosa {theirs:.3}", score.title);
        assert!(ours >= theirs - 0.005, "{}: ours {ours:.3}, librosa {theirs:.3}", score.title);
    }
}

#[test]
fn the_main_bed_fits_the_cut_with_its_own_ending_and_silent_splices() {
    let played = played(&beds::copper_escapement());
    let read = read_bed(&played.sound, &mut keep_going()).unwrap();
    assert_eq!(read.reading.ending.kind, EndingKind::OwnEnding);
    let length_samples = CUT.length_frames * 48_000 / u64::from(CUT.frames_per_second);
    let best = &fittings(&played.sound, &read.reading, &read.likeness, &FitRequest::of_length(length_samples))[0];
    assert_eq!(best.end, FittingEnd::OwnEnding);
    assert!(best.splices.iter().all(|s| s.audible == Audible::Silent), "{:?}", best.splices);
}

#[test]
fn the_narration_has_the_phrases_that_were_written() {
    let voice = narration(&LINES, 90.0).expect("espeak-ng is installed by ./test");
    assert_eq!(voice.len_samples(), 90 * 48_000);
    let read = read_speech(&voice, &mut keep_going()).unwrap();
    // Every line starts a phrase; long ones may pause at a comma.
    for line in LINES {
        let near = read.phrases.iter().map(|p| (seconds_from_samples(p.start_samples) - line.start_s).abs()).fold(f64::MAX, f64::min);
        assert!(near < 0.1, "\"{}\" is {near:.2} s away from a phrase", line.words);
    }
    assert!((12..=20).contains(&read.phrases.len()), "{}", read.phrases.len());
}

#[test]
fn playing_twice_gives_the_same_samples() {
    assert!(played(&beds::bench_lamp()).sound == played(&beds::bench_lamp()).sound);
}

#[test]
fn the_cut_is_in_order() {
    assert!(CUT.shots.windows(2).all(|w| w[0].start_frame < w[1].start_frame));
    assert!(CUT.shots.last().unwrap().start_frame < CUT.length_frames && CUT.moments.iter().all(|m| m.frame < CUT.length_frames));
    assert!(LINES.windows(2).all(|w| w[0].start_s < w[1].start_s));
}

#[test]
fn the_shelf_has_music_of_clearly_different_kinds() {
    let pieces = shelf::pieces();
    let ids: std::collections::HashSet<_> = pieces.iter().map(|p| p.id).collect();
    assert!(pieces.len() >= 12 && ids.len() == pieces.len());
    let styles: std::collections::HashSet<_> = pieces.iter().map(|p| p.style).collect();
    assert_eq!(styles.len(), pieces.len());
    assert!(pieces.iter().any(|p| p.singing) && pieces.iter().any(|p| p.style.contains("no drums")) && pieces.iter().any(|p| p.style.contains("build")));
    assert!(pieces.iter().any(|p| p.score.metre == 3));
    let terms: std::collections::HashSet<_> = pieces.iter().map(|p| p.terms.name()).collect();
    assert_eq!(terms.len(), 4, "terms of every kind");
    for piece in &pieces {
        assert!((50.0..180.0).contains(&piece.score.length_s()) && !piece.moods.is_empty(), "{}", piece.id);
    }
}

/// The film shows the moments that one hears: the picture changes most at them.
#[test]
fn the_film_shows_its_moments() {
    let (width, height) = film::SIZE_PX;
    let mut canvas = tiny_skia::Pixmap::new(width, height).unwrap();
    let mut drawn = |frame: u64| {
        film::draw(&mut canvas, frame);
        canvas.data().to_vec()
    };
    // Without the burnt-in counter at the foot.
    let seen = (width * 240 * 4) as usize;
    let mut change = |a: u64, b: u64| {
        let (a, b) = (drawn(a), drawn(b));
        a[..seen].iter().zip(&b[..seen]).map(|(x, y)| u64::from(x.abs_diff(*y))).sum::<u64>()
    };
    for moment in CUT.moments {
        assert!(change(moment.frame - 1, moment.frame + 2) > 3 * change(moment.frame - 5, moment.frame - 2), "{}", moment.name);
    }
    for shot in &CUT.shots[1..] {
        assert!(change(shot.start_frame - 1, shot.start_frame) > 1_000_000, "{}", shot.name);
    }
}
