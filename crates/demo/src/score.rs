//! Notes, and playing them.

use crate::DemoError;
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::Sound;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use rustysynth::{SoundFont, Synthesizer, SynthesizerSettings};
use std::path::Path;
use std::sync::Arc;

/// Where Debian's package `timgm6mb-soundfont` puts its SoundFont.
pub const SOUND_FONT: &str = "/usr/share/sounds/sf2/TimGM6mb.sf2";

/// The drum channel of General MIDI.
pub const DRUMS: i32 = 9;

/// One note.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Note {
    /// MIDI channel.
    pub channel: i32,
    /// MIDI key, 60 is middle C; on the drum channel the instrument.
    pub key: i32,
    /// 1 to 127.
    pub velocity: i32,
    /// Start in beats from the first downbeat.
    pub start_beats: f64,
    /// Length in beats.
    pub length_beats: f64,
}

/// A piece: notes, their instruments and their time.
#[derive(Debug, Clone)]
pub struct Score {
    /// Name of the piece.
    pub title: &'static str,
    /// Beats a minute.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: usize,
    /// Length of the music in bars, without the ring-out.
    pub bars: usize,
    /// Silence before the first downbeat, in seconds.
    pub head_s: f64,
    /// Sound after the last bar, in seconds.
    pub tail_s: f64,
    /// (channel, General MIDI program, volume 0 to 127, pan 0 to 127).
    pub instruments: Vec<(i32, i32, i32, i32)>,
    /// All notes, in any order.
    pub notes: Vec<Note>,
    /// Bars with which the parts of its form begin, rising, the first bar among them.
    pub part_bars: Vec<usize>,
}

/// A played piece with what is true about it.
#[derive(Debug, Clone)]
pub struct Played {
    /// Stereo at 48 kHz.
    pub sound: Sound,
    /// All beats in seconds.
    pub beats_s: Vec<f64>,
    /// All downbeats in seconds.
    pub downbeats_s: Vec<f64>,
}

impl Score {
    /// Adds a note.
    pub fn note(&mut self, channel: i32, key: i32, velocity: i32, start_beats: f64, length_beats: f64) {
        self.notes.push(Note { channel, key, velocity: velocity.clamp(1, 127), start_beats, length_beats });
    }

    /// Its length in seconds, ring-out included.
    pub fn length_s(&self) -> f64 {
        self.seconds((self.bars * self.metre) as f64) + self.tail_s
    }

    fn seconds(&self, beats: f64) -> f64 {
        self.head_s + beats * 60.0 / self.tempo_bpm
    }

    /// Plays the piece with a light human touch, the same at every call.
    ///
    /// # Errors
    /// [`DemoError::SoundFont`] or [`DemoError::Player`].
    pub fn play(&self) -> Result<Played, DemoError> {
        let mut player = player(Path::new(SOUND_FONT))?;
        for &(channel, program, volume, pan) in &self.instruments {
            player.process_midi_message(channel, 0xC0, program, 0);
            player.process_midi_message(channel, 0xB0, 7, volume);
            player.process_midi_message(channel, 0xB0, 10, pan);
            player.process_midi_message(channel, 0xB0, 91, 40);
        }
        let mut random = SmallRng::seed_from_u64(7);
        let mut events: Vec<(u64, bool, Note)> = Vec::new();
        for note in &self.notes {
            let late_s = random.random_range(-0.004..0.006);
            let mut played = *note;
            played.velocity = (note.velocity + random.random_range(-5..=5)).clamp(1, 127);
            let sample = |s: f64| (s.max(0.0) * f64::from(SAMPLE_RATE_HZ)) as u64;
            let start = sample(self.seconds(note.start_beats) + late_s);
            let end = sample(self.seconds(note.start_beats + note.length_beats)).max(start + 480);
            events.push((start, true, played));
            events.push((end, false, played));
        }
        events.sort_by_key(|e| (e.0, e.1));
        let beats = self.bars * self.metre;
        let length = ((self.seconds(beats as f64) + self.tail_s) * f64::from(SAMPLE_RATE_HZ)) as usize;
        let (mut left, mut right) = (vec![0.0f32; length], vec![0.0f32; length]);
        let mut at = 0usize;
        for (sample, on, note) in events {
            let until = (sample as usize).min(length);
            player.render(&mut left[at..until], &mut right[at..until]);
            at = until;
            if on {
                player.note_on(note.channel, note.key, note.velocity);
            } else {
                player.note_off(note.channel, note.key);
            }
        }
        player.render(&mut left[at..], &mut right[at..]);
        finish(&mut left, &mut right, self.tail_s > 0.0);
        let times = |step: usize| (0..=beats).step_by(step).map(|b| self.seconds(b as f64)).collect();
        Ok(Played { sound: Sound::new(vec![left, right]), beats_s: times(1), downbeats_s: times(self.metre) })
    }
}

fn player(path: &Path) -> Result<Synthesizer, DemoError> {
    let mut file = std::fs::File::open(path).map_err(|_| DemoError::SoundFont(path.to_owned()))?;
    let font = SoundFont::new(&mut file).map_err(|cause| DemoError::Player(format!("{cause:?}")))?;
    let mut settings = SynthesizerSettings::new(SAMPLE_RATE_HZ as i32);
    settings.block_size = 32;
    Synthesizer::new(&Arc::new(font), &settings).map_err(|cause| DemoError::Player(format!("{cause:?}")))
}

/// Brings the loudest sample to -1 dBFS, as bought music is, and lets a ring-out end in silence.
fn finish(left: &mut [f32], right: &mut [f32], rings_out: bool) {
    let peak = left.iter().chain(right.iter()).fold(1e-6f32, |top, s| top.max(s.abs()));
    let gain = 0.891 / peak;
    let length = left.len();
    let fade = if rings_out { 24_000.min(length) } else { 0 };
    for plane in [left, right] {
        for (k, sample) in plane.iter_mut().enumerate() {
            let left_over = length - k;
            *sample *= gain * if left_over < fade { left_over as f32 / fade as f32 } else { 1.0 };
        }
    }
}
