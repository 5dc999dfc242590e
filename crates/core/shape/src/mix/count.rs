//! Counting along: a tick on every beat, so that a wrong grid is heard at once.

use jaunty_reading::reading::Reading;
use jaunty_sound::sound::Sound;
use jaunty_units::SAMPLE_RATE_HZ;
use std::f32::consts::TAU;

/// How long a tick lasts: 30 ms.
const TICK_SAMPLES: usize = 1440;
/// Pitches of the first beat of a bar and of the others.
const TICK_HZ: (f32, f32) = (1800.0, 1200.0);

/// Adds the ticks of the beats to `sound`, which begins at sample `from` of the bed.
///
/// Ticks are as loud as `level` (linear, the peak of a tick); the sum is kept within full scale.
pub fn count_along(sound: &mut Sound, from: u64, reading: &Reading, level: f32) {
    let first = reading.beats_samples.partition_point(|beat| beat + TICK_SAMPLES as u64 <= from);
    for plane in sound.channels_mut() {
        for (index, &beat) in reading.beats_samples.iter().enumerate().skip(first) {
            let start = beat as i64 - from as i64;
            if start >= plane.len() as i64 {
                break;
            }
            let hz = if reading.downbeats.binary_search(&index).is_ok() { TICK_HZ.0 } else { TICK_HZ.1 };
            for n in (-start).max(0)..(TICK_SAMPLES as i64).min(plane.len() as i64 - start) {
                let t = n as f32 / SAMPLE_RATE_HZ as f32;
                let tick = level * (-t * 120.0).exp() * (TAU * hz * t).sin();
                let cell = &mut plane[(start + n) as usize];
                *cell = (*cell + tick).clamp(-1.0, 1.0);
            }
        }
    }
}
