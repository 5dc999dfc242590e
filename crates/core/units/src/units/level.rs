//! Level as amplitude ratio, decibels and percent.

/// The amplitude ratio of `db` decibels; minus infinity gives 0.
pub fn gain_from_db(db: f64) -> f64 {
    10f64.powf(db / 20.0)
}

/// Decibels of an amplitude ratio; 0 or less gives minus infinity.
pub fn db_from_gain(gain: f64) -> f64 {
    if gain > 0.0 { 20.0 * gain.log10() } else { f64::NEG_INFINITY }
}

/// Percent of full level: `100 * 10^(dB/20)`.
pub fn percent_from_db(db: f64) -> f64 {
    100.0 * gain_from_db(db)
}

/// Decibels of a percentage of full level.
pub fn db_from_percent(percent: f64) -> f64 {
    db_from_gain(percent / 100.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn percent_and_decibels_agree_with_the_trades_pairs() {
        // Common practice, no source: ambiences at 13 to 17 % are about -17.7 to -15.4 dB and
        // 25 % is about -12 dB.
        for (percent, db) in [(13.0, -17.7), (17.0, -15.4), (25.0, -12.0), (100.0, 0.0)] {
            assert!((db_from_percent(percent) - db).abs() < 0.05, "{percent} %");
            assert!((percent_from_db(db) - percent).abs() < 0.2, "{db} dB");
        }
        assert_eq!(gain_from_db(f64::NEG_INFINITY), 0.0);
        assert_eq!(db_from_gain(0.0), f64::NEG_INFINITY);
    }
}
