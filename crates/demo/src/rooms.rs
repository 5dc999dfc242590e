//! The two ambiences of the scenario, made of noise and small sounds: the workshop with its clock on
//! trial, and the square outside.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::Sound;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::f32::consts::TAU;

/// An ambience of the scenario.
pub struct Room {
    /// Its name.
    pub title: &'static str,
    /// Its sound.
    pub sound: Sound,
}

const RATE: f32 = SAMPLE_RATE_HZ as f32;

/// One channel that is being painted.
struct Canvas {
    plane: Vec<f32>,
    chance: SmallRng,
}

impl Canvas {
    fn new(seconds: f32, seed: u64) -> Self {
        Self { plane: vec![0.0; (seconds * RATE) as usize], chance: SmallRng::seed_from_u64(seed) }
    }

    fn at(&self, seconds: f32) -> usize {
        (seconds * RATE) as usize
    }

    /// Noise between two corner frequencies, swelling slowly by `breathing` (0 to 1).
    fn air(&mut self, from_hz: f32, to_hz: f32, level: f32, breathing: f32) {
        let pole = |hz: f32| (-TAU * hz / RATE).exp();
        let (low, high) = (pole(to_hz), pole(from_hz));
        let phase: f32 = self.chance.random_range(0.0..TAU);
        let (mut smooth, mut floor) = (0.0, 0.0);
        let seconds = self.plane.len() as f32 / RATE;
        for (k, cell) in self.plane.iter_mut().enumerate() {
            let white: f32 = self.chance.random_range(-1.0..1.0);
            smooth = low * smooth + (1.0 - low) * white;
            floor = high * floor + (1.0 - high) * smooth;
            // Whole turns over the length, so that its end meets its beginning.
            let turn = TAU * k as f32 / RATE / seconds;
            let swell = 1.0 - breathing * (0.5 + 0.3 * (2.0 * turn + phase).sin() + 0.2 * (5.0 * turn).cos());
            *cell += level * swell * (smooth - floor) / (1.0 - low).sqrt();
        }
    }

    /// Something struck: partials that die away.
    fn strike(&mut self, at_s: f32, partials_hz: &[f32], decay_s: f32, level: f32) {
        let start = self.at(at_s);
        let length = self.at(decay_s * 6.0);
        for (order, hz) in partials_hz.iter().enumerate() {
            let (gain, decay) = (level / (1.0 + order as f32), decay_s / (1.0 + 0.6 * order as f32));
            for (k, cell) in self.plane.iter_mut().skip(start).take(length).enumerate() {
                let t = k as f32 / RATE;
                *cell += gain * (-t / decay).exp() * (TAU * hz * t).sin();
            }
        }
    }

    /// Something rubbed: a breath of noise about a frequency.
    fn rub(&mut self, at_s: f32, length_s: f32, hz: f32, level: f32) {
        let (start, length) = (self.at(at_s), self.at(length_s).max(1));
        let (r, w) = (0.985f32, TAU * hz / RATE);
        let (mut one, mut two) = (0.0f32, 0.0f32);
        for (k, cell) in self.plane.iter_mut().skip(start).take(length).enumerate() {
            let white: f32 = self.chance.random_range(-1.0..1.0);
            let next = white * (1.0 - r) + 2.0 * r * w.cos() * one - r * r * two;
            (two, one) = (one, next);
            *cell += level * (std::f32::consts::PI * k as f32 / length as f32).sin() * next;
        }
    }

    /// A bird: a short tone that slides.
    fn chirp(&mut self, at_s: f32, from_hz: f32, to_hz: f32, length_s: f32, level: f32) {
        let (start, length) = (self.at(at_s), self.at(length_s).max(1));
        let mut phase = 0.0f32;
        for (k, cell) in self.plane.iter_mut().skip(start).take(length).enumerate() {
            let share = k as f32 / length as f32;
            phase += TAU * (from_hz + (to_hz - from_hz) * share) / RATE;
            *cell += level * (std::f32::consts::PI * share).sin().powi(2) * phase.sin();
        }
    }
}

fn both(paint: impl Fn(&mut Canvas, f32), seconds: f32, seed: u64) -> Sound {
    let side = |seed: u64, pan: f32| {
        let mut canvas = Canvas::new(seconds, seed);
        paint(&mut canvas, pan);
        canvas.plane
    };
    Sound::new(vec![side(seed, 0.35), side(seed + 1, 0.65)])
}

/// The workshop: a quiet room, a movement that ticks on trial, somebody filing.
pub fn workshop() -> Room {
    const SECONDS: f32 = 22.0;
    let paint = |canvas: &mut Canvas, pan: f32| {
        canvas.air(60.0, 500.0, 0.016, 0.2);
        canvas.air(900.0, 5000.0, 0.0015, 0.1);
        // The same in both ears, a little to one side: not from the canvas' own chance.
        let mut chance = SmallRng::seed_from_u64(7);
        let mut at_s = 0.3;
        while at_s < SECONDS - 0.6 {
            let loud: f32 = chance.random_range(0.7..1.0);
            canvas.strike(at_s, &[2650.0, 4130.0, 6200.0], 0.006, 0.05 * loud * pan);
            canvas.strike(at_s + 0.46, &[2200.0, 3600.0], 0.005, 0.035 * loud * pan);
            at_s += 0.92;
        }
        for (at_s, strokes) in [(3.2, 4), (9.6, 6), (16.1, 3)] {
            for k in 0..strokes {
                let stroke: f32 = chance.random_range(0.26..0.36);
                canvas.rub(at_s + 0.42 * k as f32, stroke, 2300.0, 0.6 * (1.0 - pan));
            }
        }
        for at_s in [7.4, 13.8, 14.3, 20.2] {
            canvas.strike(at_s, &[1130.0, 2810.0, 4420.0], 0.09, 0.03 * (1.0 - pan));
        }
    };
    Room { title: "Workshop", sound: both(paint, SECONDS, 11) }
}

/// The square: wind between houses, sparrows, somebody walking across.
pub fn square() -> Room {
    const SECONDS: f32 = 26.0;
    let paint = |canvas: &mut Canvas, pan: f32| {
        canvas.air(80.0, 900.0, 0.03, 0.7);
        canvas.air(1500.0, 7000.0, 0.003, 0.6);
        let mut chance = SmallRng::seed_from_u64(23);
        let mut at_s = 0.8;
        while at_s < SECONDS - 1.2 {
            let side = if chance.random_bool(0.5) { pan } else { 1.0 - pan };
            for k in 0..chance.random_range(1..5) {
                let high: f32 = chance.random_range(3400.0..4600.0);
                canvas.chirp(at_s + 0.13 * k as f32, high, high * 0.8, 0.07, 0.018 * side);
            }
            at_s += chance.random_range(0.9..3.4);
        }
        for k in 0..14 {
            let (at_s, near) = (8.0 + 0.56 * k as f32, 1.0 - (k as f32 - 6.5).abs() / 8.0);
            canvas.strike(at_s, &[95.0, 210.0, 1400.0], 0.018, 0.05 * near * pan);
        }
    };
    Room { title: "Square", sound: both(paint, SECONDS, 31) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_core::kind::{Kind, recognise};
    use jaunty_core::sound::Source;

    #[test]
    fn both_are_rooms_and_nothing_clips() {
        for room in [workshop(), square()] {
            let peak = room.sound.channels().iter().flatten().fold(0.0f32, |peak, x| peak.max(x.abs()));
            assert!((0.02..0.9).contains(&peak), "{}: {peak}", room.title);
            let told = recognise(&room.sound, &mut |_, _| true).unwrap();
            assert_eq!(told.kind, Kind::Room, "{} ({:.2} sure)", room.title, told.confidence);
            assert!(room.sound.len_samples() > 20 * u64::from(SAMPLE_RATE_HZ));
        }
    }
}
