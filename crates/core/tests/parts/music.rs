//! Music whose beats are known because it is made here: drums, a bass and chords from plain sums
//! of sines, in bars that return.

use jaunty_core::plan::{self, BedInput, Inputs, PieceInput, Plan};
use jaunty_core::shape::LevelObject;
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::SpeechReading;
use jaunty_core::voice;
use std::f32::consts::TAU;

pub const RATE: f64 = 48_000.0;

/// A piece to make.
pub struct Piece {
    pub bpm: f64,
    pub metre: usize,
    pub bars: usize,
    /// Silence before the first downbeat.
    pub head_s: f64,
    /// A last hit that rings out for this long; none for 0.
    pub ring_s: f64,
    pub drums: bool,
    /// Where the second half of a beat falls: 0.5 straight, 2/3 a triplet's last.
    pub swing: f64,
    /// Three parts to a beat, as in 6/8 felt in two.
    pub compound: bool,
    /// Beats before the first bar line.
    pub pickup: usize,
    /// How much the tempo rises and falls over 16 bars, as a share.
    pub drift: f64,
}

/// A piece with the truth about it.
pub struct Made {
    pub sound: Sound,
    pub beats_s: Vec<f64>,
    pub downbeats_s: Vec<f64>,
    pub last_hit_s: f64,
}

/// Eight bars of chords (as roots in semitones from A) that return.
const ROOTS: [i32; 8] = [0, 7, -4, 3, 0, 7, 5, -2];

impl Piece {
    pub fn pop(bpm: f64, bars: usize) -> Self {
        Self { bpm, metre: 4, bars, head_s: 0.3, ring_s: 2.0, drums: true, swing: 0.5, compound: false, pickup: 0, drift: 0.0 }
    }

    pub fn make(&self) -> Made {
        let beat_s = 60.0 / self.bpm;
        // The integral of a tempo that swings about its mean.
        let per_beat = TAU as f64 / (16 * self.metre) as f64;
        let first = self.pickup as f64;
        let at = |beat: f64| self.head_s + beat_s * (beat + first + self.drift / per_beat * (1.0 - (per_beat * (beat + first)).cos()));
        let beats = self.bars * self.metre;
        let length_s = at(beats as f64) + if self.ring_s > 0.0 { self.ring_s } else { 0.0 };
        let mut out = vec![0.0f32; (length_s * RATE) as usize];
        for beat in -(self.pickup as i64)..0 {
            tone(&mut out, at(beat as f64), beat_s * 0.8, pitch(7), 0.2);
        }
        for bar in 0..self.bars {
            let root = ROOTS[bar % 8];
            let first = (bar * self.metre) as f64;
            chord(&mut out, at(first), beat_s * self.metre as f64, root, 0.10);
            for beat in 0..self.metre {
                let start = at(first + beat as f64);
                tone(&mut out, start, beat_s * 0.8, pitch(root - 24), if beat == 0 { 0.30 } else { 0.16 });
                let parts: &[f64] = if self.compound { &[1.0 / 3.0, 2.0 / 3.0] } else { &[self.swing] };
                for (k, part) in parts.iter().enumerate() {
                    let inside = at(first + beat as f64 + part);
                    tone(&mut out, inside, beat_s * 0.3, pitch(root + [4, 7][k]), 0.07);
                    if self.drums {
                        noise(&mut out, inside, 0.02, 0.05);
                    }
                }
                if self.drums {
                    if beat == 0 || (self.metre == 4 && beat == 2) {
                        kick(&mut out, start, if beat == 0 { 0.6 } else { 0.4 });
                    } else {
                        noise(&mut out, start, 0.08, 0.22);
                    }
                    noise(&mut out, start, 0.02, 0.08);
                }
            }
        }
        let last_hit_s = at(beats as f64);
        if self.ring_s > 0.0 {
            chord(&mut out, last_hit_s, self.ring_s, 0, 0.25);
            kick(&mut out, last_hit_s, 0.6);
        }
        let beats_s: Vec<f64> = (-(self.pickup as i64)..=beats as i64).map(|b| at(b as f64)).collect();
        let downbeats_s = beats_s.iter().skip(self.pickup).step_by(self.metre).copied().collect();
        Made { sound: Sound::new(vec![out.clone(), out]), beats_s, downbeats_s, last_hit_s }
    }
}

fn pitch(semitones: i32) -> f32 {
    220.0 * 2f32.powf(semitones as f32 / 12.0)
}

fn add(out: &mut [f32], start_s: f64, length_s: f64, mut sample: impl FnMut(f32) -> f32) {
    let first = (start_s * RATE).round() as usize;
    let count = (length_s * RATE) as usize;
    for (n, cell) in out.iter_mut().skip(first).take(count).enumerate() {
        *cell += sample(n as f32 / RATE as f32);
    }
}

fn tone(out: &mut [f32], start_s: f64, length_s: f64, hz: f32, level: f32) {
    add(out, start_s, length_s, |t| {
        let decay = (-2.5 * t).exp() * (t / 0.003).min(1.0) * ((length_s as f32 - t) / 0.01).clamp(0.0, 1.0);
        level * decay * ((TAU * hz * t).sin() + 0.4 * (TAU * 2.0 * hz * t).sin() + 0.2 * (TAU * 3.0 * hz * t).sin())
    });
}

/// A tone at so many semitones above A3.
pub fn tone_at(out: &mut [f32], start_s: f64, length_s: f64, semitones: i32, level: f32) {
    tone(out, start_s, length_s, pitch(semitones), level);
}

/// Several at once.
pub fn chord_of(out: &mut [f32], start_s: f64, length_s: f64, semitones: &[i32], level: f32) {
    for &note in semitones {
        tone_at(out, start_s, length_s, note, level);
    }
}

fn chord(out: &mut [f32], start_s: f64, length_s: f64, root: i32, level: f32) {
    chord_of(out, start_s, length_s, &[root, root + 4, root + 7], level);
}

fn kick(out: &mut [f32], start_s: f64, level: f32) {
    add(out, start_s, 0.2, |t| level * (-22.0 * t).exp() * (TAU * (45.0 * t + 90.0 * (1.0 - (-30.0 * t).exp()) / 30.0)).sin());
}

fn noise(out: &mut [f32], start_s: f64, length_s: f64, level: f32) {
    let mut state = 12_345u32;
    add(out, start_s, length_s * 3.0, |t| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        level * (-t / length_s as f32 * 2.0).exp() * ((state >> 8) as f32 / (1 << 23) as f32 - 1.0)
    });
}

/// Speech-like noise bursts at the given (start, end) seconds over a quiet room.
pub fn voice(length_s: f64, phrases: &[(f64, f64)], level: f32) -> Sound {
    let mut out = vec![0.0f32; (length_s * RATE) as usize];
    noise_floor(&mut out, 1e-4);
    for &(start, end) in phrases {
        // Syllables of 200 ms: a voiced buzz under an envelope that never falls silent.
        add(&mut out, start, end - start, |t| {
            let syllable = 0.35 + 0.65 * (std::f32::consts::PI * (t / 0.2).fract()).sin();
            let edge = (t / 0.01).min(1.0) * (((end - start) as f32 - t) / 0.01).clamp(0.0, 1.0);
            let buzz: f32 = (1..12).map(|k| (TAU * 140.0 * k as f32 * t).sin() / k as f32).sum();
            level * syllable * edge * buzz
        });
    }
    Sound::new(vec![out])
}

fn noise_floor(out: &mut [f32], level: f32) {
    let mut state = 99u32;
    for cell in out {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        *cell += level * ((state >> 8) as f32 / (1 << 23) as f32 - 1.0);
    }
}

/// The plan of a bed under one take that starts with the cut.
pub fn propose(length_samples: u64, bed: Option<BedInput<'_>>, narration: Option<(&dyn Source, &SpeechReading)>, before: &[LevelObject]) -> Plan {
    let piece = voice::Piece::whole("voice", narration.map_or(0, |n| n.0.len_samples()));
    let pieces: Vec<PieceInput<'_>> = narration.iter().map(|&(source, reading)| PieceInput { piece: &piece, source, reading }).collect();
    let beds: Vec<BedInput<'_>> = bed.into_iter().map(|bed| BedInput { before, ..bed }).collect();
    plan::propose(Inputs { length_samples, beds: &beds, narration: &pieces, ..Inputs::default() })
}
