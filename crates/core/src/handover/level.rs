//! By how much a mix is raised or lowered on its way out.

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
}

impl Level {
    /// What is said of it: by how much and why; nothing where nothing happens.
    pub fn words(&self) -> Option<String> {
        let by = self.gain_db.abs();
        match (self.gain_db, self.is_held_back) {
            (g, _) if g.abs() < 0.005 => None,
            (g, true) if g < 0.0 => Some(format!("lowered by {by:.1} dB, so that it peaks at {MOST_DBTP:.0} dBTP")),
            (_, true) => Some(format!("raised by {by:.1} dB only, so that it peaks at {MOST_DBTP:.0} dBTP")),
            (g, false) => Some(format!("{} by {by:.1} dB to its loudness", if g < 0.0 { "lowered" } else { "raised" })),
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
        return Level { gain_db: 0.0, is_held_back: false };
    }
    Level { gain_db: wanted_db.min(room_db), is_held_back: room_db < wanted_db }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mix_is_lowered_where_it_would_clip_and_kept_where_it_would_not() {
        assert_eq!(level(Some(-20.0), Some(-3.0), None, false), Level { gain_db: 0.0, is_held_back: false });
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
}
