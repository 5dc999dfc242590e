//! Crossfade laws and the alignment of joins.

use super::music::Piece;
use jaunty_core::splice::{FADE_SAMPLES, align, crossfade_gains};
use proptest::prelude::*;

fn db(power: f32) -> f32 {
    10.0 * power.log10()
}

#[test]
fn unlike_sounds_cross_at_equal_power_and_like_ones_at_equal_gain() {
    for step in 0..=20 {
        let x = step as f32 / 20.0;
        let (a, b) = crossfade_gains(x, 0.0);
        assert!(db(a * a + b * b).abs() < 1e-4, "equal power at {x}");
        let (a, b) = crossfade_gains(x, 1.0);
        assert!((a + b - 1.0).abs() < 1e-5, "equal gain at {x}");
        assert!((a - (1.0 - x)).abs() < 1e-5, "which is linear");
    }
    // Common practice, no source: a linear crossfade of unlike sounds sags by 3 dB in its middle.
    assert!((db(0.5f32 * 0.5 + 0.5 * 0.5) + 3.01).abs() < 0.01);
    let (a, b) = crossfade_gains(0.5, 0.0);
    assert!((db(a * a) + 3.01).abs() < 0.01 && a == b);
}

proptest! {
    #[test]
    fn the_level_holds_for_any_correlation(x in 0.0f32..=1.0, rho in 0.0f32..=1.0) {
        let (a, b) = crossfade_gains(x, rho);
        prop_assert!((a * a + b * b + 2.0 * rho * a * b - 1.0).abs() < 1e-4);
    }
}

#[test]
fn an_entry_that_is_off_is_moved_until_the_attacks_meet() {
    let made = Piece::pop(120.0, 24).make();
    let bar = |b: usize| (made.downbeats_s[b] * 48_000.0).round() as u64;
    for off in [-600i64, -300, 0, 250, 500] {
        let join = align(&made.sound, bar(4), bar(12).checked_add_signed(off).unwrap(), None);
        assert!((join.moved_samples + off).abs() <= 48, "{off} off, moved {}", join.moved_samples);
        assert_eq!(join.fade_samples, FADE_SAMPLES);
        assert!(join.correlation > 0.9, "the same bar again: {}", join.correlation);
    }
}
