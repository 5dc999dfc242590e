//! A ring-out that the recording does not have: the last beat goes on sounding in a room.
//!
//! The [`room`] is convolved with the last beat, so that the tail has that beat's own chord and colour.

use super::room::{convolve, room};
use crate::sound::Source;
use jaunty_units::units::gain_from_db;
use serde::{Deserialize, Serialize};

/// The dry sound is gone this long after the stop: 60 ms.
pub const RELEASE_SAMPLES: u64 = 2880;
/// The room takes over this far under the level of the last beat, in dB.
const UNDER_DRY_DB: f64 = -3.0;

/// Where a bed stops and rings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct RingOut {
    /// The sample of the bed from which the room is fed: the last downbeat.
    pub fed_from_samples: u64,
    /// Length of the beat that feeds it.
    pub fed_samples: u64,
    /// The sample of the cut at which that beat begins.
    pub at_samples: u64,
    /// From there to the end of the tail.
    pub length_samples: u64,
}

impl RingOut {
    /// The sample of the cut at which the dry sound begins to stop.
    pub fn stop_samples(&self) -> u64 {
        self.at_samples + self.fed_samples
    }

    /// Gain of the dry sound at a sample of the cut.
    pub fn dry_gain(&self, at: u64) -> f32 {
        let since = at.saturating_sub(self.stop_samples());
        let x = (since as f32 / RELEASE_SAMPLES as f32).min(1.0);
        (std::f32::consts::FRAC_PI_2 * x).cos().max(0.0)
    }

    /// The tail of channel `channel`, from `at_samples` on.
    pub fn tail(&self, bed: &dyn Source, channel: usize) -> Vec<f32> {
        let mut fed = vec![0.0f32; self.fed_samples as usize];
        bed.read(channel.min(bed.channel_count() - 1), self.fed_from_samples as i64, &mut fed);
        let soft = (RELEASE_SAMPLES as usize).min(fed.len());
        let start = fed.len() - soft;
        for (k, sample) in fed[start..].iter_mut().enumerate() {
            *sample *= 1.0 - k as f32 / soft as f32;
        }
        let length = self.length_samples as usize;
        let mut tail = convolve(&fed, &room(length, channel as u64), length);
        // The room is as loud at the stop as the end of the beat is, less a little.
        let stop = (self.fed_samples as usize).min(length);
        let window = 9600.min(stop).min(length - stop);
        let level = |samples: &[f32]| (samples.iter().map(|x| f64::from(x * x)).sum::<f64>() / samples.len().max(1) as f64).sqrt();
        let dry = level(&fed[fed.len() - window.min(fed.len())..]).max(0.3 * level(&fed));
        let wet = level(&tail[stop..stop + window]);
        let gain = if wet > 1e-9 { (gain_from_db(UNDER_DRY_DB) * dry / wet) as f32 } else { 0.0 };
        // While the beat itself sounds, the room only joins in; at the very end it is silent for sure.
        let last = 4800.min(length);
        for (k, sample) in tail.iter_mut().enumerate() {
            let joins = (k as f32 / stop.max(1) as f32).min(1.0);
            let ends = ((length - k) as f32 / last as f32).min(1.0);
            *sample *= gain * joins * joins * ends;
        }
        tail
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sound::Sound;

    #[test]
    fn the_tail_takes_over_at_the_level_of_the_beat_and_dies_away() {
        let tone: Vec<f32> = (0..48_000).map(|n| 0.3 * (n as f32 * 0.05).sin()).collect();
        let bed = Sound::new(vec![tone]);
        let ring = RingOut { fed_from_samples: 0, fed_samples: 24_000, at_samples: 1000, length_samples: 144_000 };
        let tail = ring.tail(&bed, 0);
        let db = |from: usize, to: usize| 10.0 * (tail[from..to].iter().map(|x| x * x).sum::<f32>() / (to - from) as f32).log10();
        let dry = 10.0 * (0.3f32 * 0.3 / 2.0).log10();
        assert!((db(24_000, 33_000) - dry + 3.0).abs() < 1.5, "{} against {dry}", db(24_000, 33_000));
        assert!(db(72_000, 96_000) < db(24_000, 48_000) - 12.0, "it dies away");
        assert!(tail[143_999].abs() < 1e-4 && ring.dry_gain(25_000) == 1.0 && ring.dry_gain(28_000) < 1e-6);
    }
}
