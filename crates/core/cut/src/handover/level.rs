//! By how much a mix is raised or lowered on its way out.

use jaunty_sound::sound::limiter::Limiter;
use jaunty_sound::sound::loudness::integrated_and_range;
use jaunty_units::units::gain_from_db;
use serde::{Deserialize, Serialize};

/// EBU R 128: the highest true peak of a programme.
pub const MOST_DBTP: f64 = -1.0;

/// What happens to the level of a mix on its way out.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Level {
    /// The gain in dB.
    pub gain_db: f64,
    /// Whether the true peak kept it from being louder.
    pub is_held_back: bool,
    /// By how much a limiter lowers its highest peaks at most, in dB.
    #[serde(default)]
    pub limited_db: f64,
}

impl Level {
    /// What is said of it: by how much and why; nothing where nothing happens.
    pub fn words(&self) -> Option<String> {
        /// What is less is heard by nobody and told to nobody, in dB.
        const LEAST_DB: f64 = 0.05;
        let by = self.gain_db.abs();
        let limited = (self.limited_db >= LEAST_DB).then(|| format!("its peaks limited by at most {:.1} dB, to {MOST_DBTP:.0} dBTP", self.limited_db));
        let moved = match (self.gain_db, self.is_held_back) {
            (g, _) if g.abs() < 0.005 => None,
            (g, true) if g < 0.0 => Some(format!("lowered by {by:.1} dB, so that it peaks at {MOST_DBTP:.0} dBTP")),
            (_, true) => Some(format!("raised by {by:.1} dB only, so that it peaks at {MOST_DBTP:.0} dBTP")),
            (g, false) => Some(format!("{} by {by:.1} dB to its loudness", if g < 0.0 { "lowered" } else { "raised" })),
        };
        match (moved, limited) {
            (Some(moved), Some(limited)) => Some(format!("{moved}, {limited}")),
            (moved, limited) => moved.or(limited),
        }
    }
}

/// The level of a mix that measures `lufs` and `peak_dbtp` when it is to have `wanted_lufs`; never so that its true peak
/// passes -1 dBTP, but where what it is written to `holds_more` than full scale and no loudness is wanted.
pub fn level(lufs: Option<f64>, peak_dbtp: Option<f64>, wanted_lufs: Option<f64>, holds_more: bool) -> Level {
    let wanted_db = wanted_lufs.zip(lufs).map_or(0.0, |(wanted, is)| wanted - is);
    let room_db = peak_dbtp.map_or(f64::INFINITY, |peak| MOST_DBTP - peak);
    // Where nothing is asked for, a mix that has room keeps its level.
    if wanted_lufs.is_none() && (holds_more || room_db >= 0.0) {
        return Level { gain_db: 0.0, is_held_back: false, limited_db: 0.0 };
    }
    Level { gain_db: wanted_db.min(room_db), is_held_back: room_db < wanted_db, limited_db: 0.0 }
}

/// The level of a mix whose peaks are limited to -1 dBTP, so that nothing keeps it from `wanted_lufs`; without one it stays.
/// `energies` are its [`jaunty_sound::sound::loudness::block_energies`], `peaks` those of its [`jaunty_sound::sound::limiter::BlockPeaks`].
pub fn limited(energies: &[f64], peaks: &[f32], wanted_lufs: Option<f64>) -> (Level, Limiter) {
    /// What the bending gain adds to a peak, in dB.
    const MARGIN_DB: f64 = 0.05;
    /// Each time it comes nearer to the loudness that limiting takes away.
    const TIMES: usize = 12;
    /// What would have to be raised by more is silence with a click in it, in dB.
    const MOST_DB: f64 = 40.0;
    let ceiling = gain_from_db(MOST_DBTP - MARGIN_DB);
    let mut gain_db = 0.0;
    let mut limiter = Limiter::new(peaks, 1.0, ceiling);
    for _ in 0..TIMES {
        let Some((wanted, is)) = wanted_lufs.zip(integrated_and_range(&limiter.energies(energies, peaks)).0) else { break };
        gain_db = (wanted - is).min(MOST_DB);
        limiter = Limiter::new(peaks, gain_from_db(gain_db), ceiling);
    }
    (Level { gain_db, is_held_back: false, limited_db: limiter.most_db() }, limiter)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mix_is_lowered_where_it_would_clip_and_kept_where_it_would_not() {
        assert_eq!(level(Some(-20.0), Some(-3.0), None, false), Level { gain_db: 0.0, is_held_back: false, limited_db: 0.0 });
        let hot = level(Some(-9.0), Some(0.4), None, false);
        assert!((hot.gain_db + 1.4).abs() < 1e-12 && hot.is_held_back);
        assert_eq!(hot.words().unwrap(), "lowered by 1.4 dB, so that it peaks at -1 dBTP");
        assert_eq!(level(Some(-9.0), Some(0.4), None, true).gain_db, 0.0);
    }

    #[test]
    fn a_loudness_is_reached_as_far_as_the_peak_allows() {
        assert!((level(Some(-20.0), Some(-9.0), Some(-16.0), false).gain_db - 4.0).abs() < 1e-12);
        let held = level(Some(-20.0), Some(-3.0), Some(-14.0), true);
        assert!((held.gain_db - 2.0).abs() < 1e-12 && held.is_held_back);
        assert_eq!(level(None, None, Some(-14.0), false).gain_db, 0.0, "silence");
    }

    #[test]
    fn with_a_limiter_a_loudness_is_reached_whatever_peaks() {
        // Speech-like: tenths of a second of two loudnesses, and a peak every second.
        let energies: Vec<f64> = (0..300).map(|k| if k % 10 < 6 { 0.01 } else { 0.003 }).collect();
        let peaks: Vec<f32> = (0..300 * 75).map(|k| if k % 750 < 3 { 0.9 } else { 0.2 }).collect();
        let (level, limiter) = limited(&energies, &peaks, Some(-12.0));
        let raised: Vec<f64> = limiter.energies(&energies, &peaks).iter().map(|e| e * 10f64.powf(level.gain_db / 10.0)).collect();
        assert!((integrated_and_range(&raised).0.unwrap() + 12.0).abs() < 0.05);
        assert!(level.limited_db > 3.0 && level.words().unwrap().contains("its peaks limited by at most"));
        let (kept, _) = limited(&energies, &peaks, None);
        assert_eq!(kept.gain_db, 0.0);
        assert!(kept.limited_db < 0.2, "0.9 lies just over -1 dBTP");
    }
}
