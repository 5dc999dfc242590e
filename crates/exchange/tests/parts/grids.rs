//! Beats and bars in and out, against pretty_midi, mido, jams and wavinfo.

use super::reference::ask;
use jaunty_exchange::grid::{Bed, Grid, GridError, cues, jams, midi, read};
use proptest::prelude::*;
use serde_json::Value;

fn numbers(value: &Value) -> Vec<f64> {
    value.as_array().unwrap().iter().filter_map(Value::as_f64).collect()
}

fn close(a: &[f64], b: &[f64], within_s: f64) -> bool {
    a.len() == b.len() && a.iter().zip(b).all(|(x, y)| (x - y).abs() < within_s)
}

fn downbeats_s(grid: &Grid) -> Vec<f64> {
    grid.downbeats.iter().map(|&k| grid.beats_s[k]).collect()
}

/// A drifting grid with a pickup of one beat, a bar cut short, and two sections.
fn sample() -> Grid {
    let mut beats_s = vec![0.731];
    for k in 0..41 {
        beats_s.push(beats_s[k] + 0.5 + 0.03 * (k as f64 / 5.0).sin());
    }
    let downbeats = vec![1, 5, 9, 13, 15, 19, 23, 27, 31, 35, 39];
    let sections = vec![(beats_s[1], "A".to_owned()), (beats_s[19], "the lift".to_owned())];
    Grid { beats_s, downbeats, sections }
}

#[test]
fn a_tempo_map_is_heard_as_pretty_midi_hears_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("map.mid");
    let truth = ask("make-midi", &[&path]);
    let beats = numbers(&truth["beats"]);
    let grid = read(&std::fs::read(&path).unwrap(), Bed { length_s: beats[beats.len() - 1] + 1e-6, metre: 4 }).unwrap();
    assert!(close(&grid.beats_s, &beats, 1e-6), "{:?}", &grid.beats_s[..4]);
    // pretty_midi counts a bar that would begin with the end of the file.
    let bars = numbers(&truth["downbeats"]);
    let ours = downbeats_s(&grid);
    assert!(close(&ours[..bars.len().min(ours.len())], &bars[..bars.len().min(ours.len())], 1e-6) && ours.len().abs_diff(bars.len()) <= 1);
}

#[test]
fn a_tempo_map_that_is_written_plays_on_the_beats() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ours.mid");
    let grid = sample();
    std::fs::write(&path, midi::write(&grid)).unwrap();
    let seen = ask("read-midi", &[&path]);
    // Three beats of lead come before the pickup.
    let quarters = numbers(&seen["quarters"]);
    assert!(close(&quarters[3..3 + grid.beats_s.len()], &grid.beats_s, 1e-4), "{quarters:?}");
    let again = read(&std::fs::read(&path).unwrap(), Bed { length_s: 21.5, metre: 4 }).unwrap();
    assert!(close(&downbeats_s(&again)[1..12], &downbeats_s(&grid), 1e-4));
    let markers = seen["markers"].as_array().unwrap();
    assert_eq!(markers[1][1], "the lift");
    assert!((markers[1][0].as_f64().unwrap() - grid.sections[1].0).abs() < 1e-4);
}

#[test]
fn jams_is_valid_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ours.jams");
    let grid = sample();
    std::fs::write(&path, jams::write(&grid, "Bed <b>", 30.0)).unwrap();
    let seen = ask("read-jams", &[&path]);
    let beats = seen["beats"].as_array().unwrap();
    assert_eq!(beats.len(), grid.beats_s.len());
    assert_eq!((beats[0][1].as_f64(), beats[1][1].as_f64(), beats[4][1].as_f64()), (Some(4.0), Some(1.0), Some(4.0)), "a pickup is the last beat of a bar");
    assert_eq!(seen["sections"][1][2], "the lift");
    let again = read(&std::fs::read(&path).unwrap(), Bed { length_s: 30.0, metre: 4 }).unwrap();
    assert!(close(&again.beats_s, &grid.beats_s, 1e-9));
    assert_eq!((again.downbeats, again.sections.len()), (grid.downbeats, 2));
}

#[test]
fn cue_points_are_read_by_others_and_come_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ours.wav");
    let grid = Grid { sections: vec![(2.0, "B".into())], beats_s: (0..17).map(|k| 0.5 * f64::from(k)).collect(), downbeats: vec![0, 4, 8, 12, 16] };
    // A second of silence at 48 kHz and 16 bits.
    let mut wav = b"WAVEfmt \x10\0\0\0\x01\0\x01\0\x80\xbb\0\0\0\x77\x01\0\x02\0\x10\0data".to_vec();
    wav.extend_from_slice(&96_000u32.to_le_bytes());
    wav.extend(vec![0; 96_000]);
    wav.extend(cues::chunks_of(&grid, 48_000));
    let mut file = b"RIFF".to_vec();
    file.extend_from_slice(&(wav.len() as u32).to_le_bytes());
    file.extend(wav);
    std::fs::write(&path, &file).unwrap();
    let seen = ask("read-cues", &[&path]);
    assert_eq!(seen[1][0], 96_000, "{seen}");
    assert_eq!(seen[1][1], "bar 2, B");
    let again = read(&file, Bed { length_s: 9.0, metre: 4 }).unwrap();
    assert_eq!((again.downbeats.len(), &again.sections), (5, &grid.sections));
    assert!(close(&again.beats_s, &grid.beats_s, 1e-4));
}

#[test]
fn what_is_no_grid_says_what_to_do() {
    let bed = Bed { length_s: 60.0, metre: 4 };
    assert_eq!(read(b"Dear editor", bed), Err(GridError::Unknown));
    assert_eq!(read(b"", bed), Err(GridError::Unknown));
    for (bytes, told) in [(&b"MThd\0\0"[..], "MIDI"), (b"{\"a\": 1}", "annotations"), (b"RIFF\0\0\0\0WAVE", "sample rate"), (b"{\"annotations\": []}", "beats")]
    {
        let text = read(bytes, bed).unwrap_err().to_string();
        assert!(text.contains(told) && text.contains("Export it"), "{text}");
    }
}

proptest! {
    /// Damaged files end in messages or in grids that are in order, never in a crash.
    #[test]
    fn damage_does_no_harm(at in 0..4000usize, value: u8, cut in 0..4000usize, which in 0..3usize) {
        let grid = sample();
        let mut bytes = match which {
            0 => midi::write(&grid),
            1 => jams::write(&grid, "x", 30.0).into_bytes(),
            _ => [b"RIFF\0\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0\x80\xbb\0\0\0\x77\x01\0\x02\0\x10\0".to_vec(), cues::chunks_of(&grid, 48_000)].concat(),
        };
        let length = bytes.len();
        bytes[at % length] = value;
        bytes.truncate(length - cut % length / 2);
        if let Ok(read) = read(&bytes, Bed { length_s: 30.0, metre: 4 }) {
            prop_assert!(read.beats_s.windows(2).all(|w| w[0] < w[1]) && read.beats_s.iter().all(|b| (0.0..=30.0).contains(b)));
            prop_assert!(read.downbeats.windows(2).all(|w| w[0] < w[1]) && read.downbeats.iter().all(|d| *d < read.beats_s.len()));
        }
    }
}
