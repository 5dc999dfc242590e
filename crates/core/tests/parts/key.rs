//! Keys, told by cadences that state them.

use super::music::{RATE, chord_of, tone_at};
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::sound::Sound;

/// Degrees of a cadence in semitones above the tonic, with their triads: I IV V I and i iv V i, as
/// textbooks of harmony write them; minor takes the raised leading note in V.
const MAJOR: [(i32, [i32; 3]); 4] = [(0, [0, 4, 7]), (5, [0, 4, 7]), (7, [0, 4, 7]), (0, [0, 4, 7])];
const MINOR: [(i32, [i32; 3]); 4] = [(0, [0, 3, 7]), (5, [0, 3, 7]), (7, [0, 4, 7]), (0, [0, 3, 7])];

fn cadences(tonic: i32, degrees: &[(i32, [i32; 3]); 4]) -> Sound {
    let (bars, beat_s) = (16, 0.55);
    let mut out = vec![0.0f32; ((bars * 4) as f64 * beat_s * RATE) as usize];
    for bar in 0..bars {
        let (root, triad) = degrees[bar % 4];
        for beat in 0..4 {
            let at_s = (bar * 4 + beat) as f64 * beat_s;
            chord_of(&mut out, at_s, beat_s, &triad.map(|t| tonic + root + t), 0.12);
            tone_at(&mut out, at_s, beat_s, tonic + root - 24, if beat == 0 { 0.3 } else { 0.15 });
        }
    }
    Sound::new(vec![out])
}

#[test]
fn a_cadence_tells_its_key_in_all_24() {
    for (minor, degrees) in [(false, MAJOR), (true, MINOR)] {
        for tonic in 0..12 {
            let key = read_bed(&cadences(tonic, &degrees), &mut keep_going()).unwrap().reading.key.expect("chords are tonal");
            // Pitches of the tests count from A, keys from C.
            assert_eq!((key.tonic, key.minor), (((tonic + 9) % 12) as u8, minor), "tonic {tonic}: {}", key.name());
        }
    }
}
