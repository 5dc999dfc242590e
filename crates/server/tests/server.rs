//! The server's own parts on a MariaDB that all tests share, a database each, and the command line as
//! scripts use it. That this test needs the binary also makes `cargo test --workspace` build it for the
//! tests that drive the server.

mod parts {
    mod archive;
    mod doors;
    mod edits;
    mod floors;
    mod history;
    mod house;
    mod lists;
    mod migration;
    mod queue;
    mod rights;
    mod storage;
    mod undo;
    mod versions;
    mod ways_in;
}

use jaunty_core::sound::loudness::measure_all;
use jaunty_demo::{LINES, beds, narration};
use jaunty_media::{decode_to_sound, write_wav};
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

fn jaunty(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_jaunty")).args(arguments).output().expect("cargo builds it")
}

fn told(arguments: &[&str]) -> Value {
    let output = jaunty(arguments);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).expect("JSON")
}

fn samples(path: &Path) -> u32 {
    hound::WavReader::open(path).expect("a WAV file").duration()
}

#[test]
fn a_pipe_that_closes_early_is_no_failure() {
    let out = Command::new("bash").args(["-c", "set -o pipefail; \"$0\" openapi | head -c 10", env!("CARGO_BIN_EXE_jaunty")]).output().unwrap();
    assert!(out.status.success() && out.stderr.is_empty(), "{}", String::from_utf8_lossy(&out.stderr));
}

#[test]
fn read_fit_and_mix_say_what_scripts_ask_for() {
    let folder = TempDir::new().unwrap();
    let path = |name: &str| folder.path().join(name).display().to_string();
    write_wav(Path::new(&path("bed.wav")), &beds::copper_escapement().play().expect("the SoundFont").sound).unwrap();
    write_wav(Path::new(&path("voice.wav")), &narration(&LINES[..4], 40.0).expect("espeak-ng")).unwrap();

    let read = told(&["read", &path("bed.wav"), "--json"]);
    assert!((read["tempo_bpm"].as_f64().unwrap() - 104.0).abs() < 1.0);
    assert_eq!(read["metre"], 4);
    let count = |key: &str| read[key].as_array().map_or(0, Vec::len);
    assert!(count("beats") > 280 && count("downbeats") > 70 && count("sections") >= 3, "{read}");
    assert!(read["sections"][0]["label"].is_string() && read["sections"][0]["start"].is_number() && read["sections"][0]["end"].is_number());
    assert!(read["confidence"]["beats"].as_f64().unwrap() > 0.5);

    let speech = told(&["read", &path("voice.wav"), "--as", "narration", "--json"]);
    assert!(speech["speech"].as_array().unwrap().len() >= 4 && speech["speech"][0]["start"].as_f64().unwrap() > 6.0);

    // 90.5 s are 4 344 000 samples at 48 kHz, and so long is the file.
    let fit = told(&["fit", &path("bed.wav"), "--length", "90.5", "--out", &path("fit.wav"), "--json"]);
    assert_eq!(samples(Path::new(&path("fit.wav"))), 4_344_000);
    for splice in fit["splices"].as_array().unwrap() {
        let near = |key: &str| {
            // Both sides meet so far beside their bar lines.
            let at = splice[key].as_f64().unwrap() - splice["later_s"].as_f64().unwrap();
            read["downbeats"].as_array().unwrap().iter().map(|d| (d.as_f64().unwrap() - at).abs()).fold(f64::MAX, f64::min)
        };
        assert!(near("from_s") < 0.001 && near("to_s") < 0.021, "{splice}");
        assert!((0.0..90.5).contains(&splice["at_s"].as_f64().unwrap()));
    }

    let mix = told(&["mix", "--bed", &path("bed.wav"), "--narration", &path("voice.wav"), "--length", "40", "--out", &path("mix.wav"), "--json"]);
    assert_eq!(samples(Path::new(&path("mix.wav"))), 1_920_000);
    assert!(mix["levels"].as_array().unwrap().iter().any(|l| l["kind"] == "swell"));

    // The same in another form, as loud as asked whatever peaks.
    let (bed, voice, loud) = (path("bed.wav"), path("voice.wav"), path("mix.flac"));
    let files = ["mix", "--bed", &bed, "--narration", &voice, "--length", "40", "--out", &loud, "--json"];
    let loudly = told(&[&files[..], &["--coding", "flac", "--rate", "44100", "--loudness", "-16", "--limited"]].concat());
    assert!(loudly["level"]["words"].as_str().unwrap().contains("to its loudness"), "{}", loudly["level"]);
    let sound = decode_to_sound(Path::new(&loud)).unwrap();
    let measured = measure_all(&sound);
    assert!((measured.integrated_lufs.unwrap() + 16.0).abs() < 0.3 && measured.true_peak_dbtp.unwrap() < -0.9, "{measured:?}");
    let refused = jaunty(&[&files[..], &["--coding", "broadcast"]].concat());
    assert!(!refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains("jaunty hand-over"));
}

#[test]
fn what_cannot_be_done_is_said_and_ends_with_a_failure() {
    let folder = TempDir::new().unwrap();
    let letter = folder.path().join("letter.wav");
    std::fs::write(&letter, "Dear editor").unwrap();
    let letter = letter.display().to_string();
    for (arguments, said) in [
        (vec!["read", letter.as_str()], "Use WAV"),
        (vec!["read", "nowhere.wav"], "nowhere.wav"),
        (vec!["fit", letter.as_str(), "--length", "0", "--out", "x.wav"], "from one frame to 12 hours"),
        (vec!["fit", letter.as_str(), "--length", "NaN", "--out", "x.wav"], "from one frame to 12 hours"),
    ] {
        let output = jaunty(&arguments);
        let text = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && text.contains(said) && output.stdout.is_empty(), "{arguments:?}: {text}");
    }
}

#[test]
fn shots_and_kind_say_what_scripts_ask_for() {
    let folder = TempDir::new().unwrap();
    let path = |name: &str| folder.path().join(name).display().to_string();
    let list = "TITLE: X\nFCM: DROP FRAME\n001 A V C 00:00:00:00 00:00:02;00 01:00:00;00 01:00:02;00\n* FROM CLIP NAME: ONE\nodd line\n";
    std::fs::write(path("x.edl"), list).unwrap();
    let shots = told(&["shots", &path("x.edl"), "--json"]);
    assert_eq!((&shots["rate"], &shots["drop"], &shots["length_frames"]), (&"30000/1001".into(), &true.into(), &60.into()));
    assert_eq!(shots["shots"][0]["label"], "ONE");
    assert_eq!((&shots["shots"][0]["start_frame"], &shots["shots"][0]["end_frame"]), (&0.into(), &60.into()));
    assert_eq!(shots["unused"][0]["line"], 5);
    let at_25 = told(&["shots", &path("x.edl"), "--rate", "59.94df", "--json"]);
    assert_eq!((&at_25["rate"], &at_25["length_frames"]), (&"60000/1001".into(), &120.into()));
    for (arguments, said) in [(["shots", "nowhere.edl"], "nowhere.edl"), (["kind", "nowhere.wav"], "nowhere.wav")] {
        let output = jaunty(&arguments);
        assert!(!output.status.success() && String::from_utf8_lossy(&output.stderr).contains(said));
    }
    let output = jaunty(&["shots", &path("x.edl"), "--rate", "12"]);
    assert!(String::from_utf8_lossy(&output.stderr).contains("no frame rate"));
    write_wav(Path::new(&path("loop.wav")), &beds::bench_lamp().play().expect("the SoundFont").sound).unwrap();
    let kind = told(&["kind", &path("loop.wav"), "--json"]);
    assert_eq!(kind["kind"], "music");
    assert!(kind["confidence"].as_f64().unwrap() > 0.5);
}
