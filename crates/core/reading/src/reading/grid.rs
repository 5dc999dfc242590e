//! The grid of a bed: its beats in bars.

use jaunty_units::SAMPLE_RATE_HZ;

/// One way to count a bed.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Grid {
    /// Beats in seconds, rising.
    pub beats_s: Vec<f64>,
    /// Median tempo in beats a minute; 0 without beats.
    pub tempo_bpm: f64,
    /// Beats in a bar.
    pub metre: u32,
    /// Indices of the beats that begin a bar.
    pub downbeats: Vec<usize>,
    /// The chance that nine in ten beats are right, 0 to 1: that of the level chosen.
    pub beat_confidence: f32,
    /// The chance that nine in ten bars begin where they are said to, 0 to 1.
    pub bar_confidence: f32,
}

impl Grid {
    /// The grid without the beats that corrections moved out of the sound.
    pub fn within(mut self, length_samples: u64) -> Self {
        let end_s = length_samples as f64 / f64::from(SAMPLE_RATE_HZ);
        let before = self.beats_s.partition_point(|s| *s < 0.0);
        let inside = self.beats_s.partition_point(|s| *s <= end_s).max(before) - before;
        self.beats_s.drain(..before);
        self.beats_s.truncate(inside);
        self.downbeats = self.downbeats.iter().filter_map(|d| d.checked_sub(before)).filter(|d| *d < inside).collect();
        self
    }

    /// The grid with a bar line at the end of a sound that ends with a whole bar, as loops do: there is
    /// no note to hear it by, and without it the last bar could not be played again.
    pub fn closed_at(mut self, length_samples: u64, music_end_samples: u64) -> Self {
        /// How far the end may lie from where the next beat would be, as a share of a beat.
        const OFF: f64 = 0.08;
        /// Sound up to this near the end sounds to the end: 50 ms.
        const NEAR_SAMPLES: u64 = 2400;
        let count = self.beats_s.len();
        let whole_bar = self.downbeats.last().is_some_and(|&d| count - d == self.metre as usize);
        if count < 4 || !whole_bar || music_end_samples + NEAR_SAMPLES < length_samples {
            return self;
        }
        let (end_s, last) = (length_samples as f64 / f64::from(SAMPLE_RATE_HZ), self.beats_s[count - 1]);
        let beat = (last - self.beats_s[count - 4]) / 3.0;
        if ((end_s - last) / beat - 1.0).abs() < OFF {
            self.downbeats.push(count);
            self.beats_s.push(end_s);
        }
        self
    }
}
