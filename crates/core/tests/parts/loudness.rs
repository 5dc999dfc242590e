//! Loudness against the signals of EBU Tech 3341 (2016), table 1, made here from their description.

use ebur128::{EbuR128, Mode};
use jaunty_core::sound::loudness::{LoudnessMeter, TruePeak, block_energies, lufs_from_energy, measure, measure_all, true_peak_dbtp};
use jaunty_core::sound::{Sound, Source};
use proptest::prelude::*;

/// A stereo sine of 1 kHz in steps of (peak level in dBFS, seconds).
fn sine(steps: &[(f64, f64)]) -> Sound {
    let mut plane = Vec::new();
    for &(dbfs, seconds) in steps {
        let gain = 10f64.powf(dbfs / 20.0);
        for _ in 0..(seconds * 48_000.0) as usize {
            let phase = plane.len() as f64 * 1000.0 * std::f64::consts::TAU / 48_000.0;
            plane.push((gain * phase.sin()) as f32);
        }
    }
    Sound::new(vec![plane.clone(), plane])
}

#[test]
fn integrated_loudness_is_that_of_tech_3341() {
    // Test signals 1 to 5 of table 1, tolerance +-0.1 LU as the document grants.
    let cases: [(&[(f64, f64)], f64); 5] = [
        (&[(-23.0, 20.0)], -23.0),
        (&[(-33.0, 20.0)], -33.0),
        (&[(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
        (&[(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
        (&[(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
    ];
    for (steps, wanted) in cases {
        let measured = measure(&sine(steps)).integrated_lufs.unwrap();
        assert!((measured - wanted).abs() <= 0.1, "{steps:?}: {measured}");
    }
}

#[test]
fn short_term_loudness_is_that_of_tech_3341() {
    // Test signal 9: 1.34 s at -20 and 1.66 s at -30, over and over: constantly -23.0 +-0.1 LUFS.
    let steps: Vec<(f64, f64)> = (0..5).flat_map(|_| [(-20.0, 1.34), (-30.0, 1.66)]).collect();
    let measured = measure(&sine(&steps)).short_term_max_lufs.unwrap();
    assert!((measured + 23.0).abs() <= 0.1, "{measured}");
}

#[test]
fn the_range_is_that_of_tech_3342() {
    // Test signals 1 to 4 of EBU Tech 3342 (2016), tolerance +-1 LU as the document grants.
    let cases: [(&[(f64, f64)], f64); 4] = [
        (&[(-20.0, 20.0), (-30.0, 20.0)], 10.0),
        (&[(-20.0, 20.0), (-15.0, 20.0)], 5.0),
        (&[(-40.0, 20.0), (-20.0, 20.0)], 20.0),
        (&[(-50.0, 20.0), (-35.0, 20.0), (-20.0, 20.0), (-35.0, 20.0), (-50.0, 20.0)], 15.0),
    ];
    for (steps, wanted) in cases {
        let measured = measure(&sine(steps)).range_lu.unwrap();
        assert!((measured - wanted).abs() <= 1.0, "{steps:?}: {measured}");
    }
}

#[test]
fn clipping_is_counted_where_it_is() {
    let mut clean = sine(&[(-0.1, 1.0)]);
    assert_eq!(measure(&clean).clipped_count, 0);
    for plane in clean.channels_mut() {
        plane.iter_mut().for_each(|s| *s = (*s * 1.5).clamp(-1.0, 1.0));
    }
    // A sine of 1 kHz meets each side of full scale a thousand times a second, in two channels.
    let clipped = measure(&clean).clipped_count;
    assert!((3900..=4100).contains(&clipped), "{clipped}");
}

#[test]
fn true_peak_finds_what_lies_between_samples() {
    // Test signal 15: a sine of a quarter of the rate, 45 degrees off, -6 dBTP; +0.2/-0.4 dB granted.
    let plane: Vec<f32> = (0..48_000).map(|n| (0.5 * (n as f64 * std::f64::consts::FRAC_PI_2 + std::f64::consts::FRAC_PI_4).sin()) as f32).collect();
    let peak = true_peak_dbtp(&Sound::new(vec![plane])).unwrap();
    assert!((-6.4..=-5.8).contains(&peak), "{peak}");
}

#[test]
fn the_quick_true_peak_is_that_of_the_whole() {
    let music = super::music::Piece::pop(104.0, 12).make().sound;
    let measured = measure(&music);
    let (quick, whole) = (measured.true_peak_dbtp.unwrap(), true_peak_dbtp(&music).unwrap());
    assert!((quick - whole).abs() < 0.05, "{quick} for {whole}");
    // A value a second, each of the three seconds before it.
    let seconds = music.channels()[0].len().div_ceil(48_000);
    assert_eq!(measured.short_term_lufs.len(), seconds);
    let top = measured.short_term_lufs.iter().copied().fold(f32::MIN, f32::max);
    assert!((f64::from(top) - measured.short_term_max_lufs.unwrap()).abs() < 1.0);
    assert_eq!(measure(&Sound::silence(1, 96_000)).true_peak_dbtp, None);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// What is not interpolated because it cannot be the highest changes nothing: the crate `ebur128` over all of it says the same.
    #[test]
    fn the_true_peak_is_that_of_every_sample(levels in prop::collection::vec(0.0f32..1.0, 1..40), pieces in prop::collection::vec(1usize..3000, 1..30), seed in any::<u32>()) {
        let mut chance = seed | 1;
        let mut noise = || {
            chance ^= chance << 13;
            chance ^= chance >> 17;
            chance ^= chance << 5;
            chance as f32 / u32::MAX as f32 * 2.0 - 1.0
        };
        let planes: Vec<Vec<f32>> = (0..2).map(|_| levels.iter().flat_map(|&level| (0..700).map(|_| level.powi(3) * noise()).collect::<Vec<_>>()).collect()).collect();
        let mut whole = EbuR128::new(2, 48_000, Mode::TRUE_PEAK).unwrap();
        whole.add_frames_planar_f32(&[&planes[0], &planes[1]]).unwrap();
        let expected = whole.true_peak(0).unwrap().max(whole.true_peak(1).unwrap());
        let (mut peak, mut at) = (TruePeak::new(2), 0);
        for length in pieces.iter().cycle() {
            let to = planes[0].len().min(at + length);
            peak.add(&[&planes[0][at..to], &planes[1][at..to]]);
            at = to;
            if at == planes[0].len() {
                break;
            }
        }
        prop_assert!((peak.dbtp().unwrap() - 20.0 * expected.log10()).abs() < 1e-9);
    }
}

#[test]
fn a_meter_that_is_fed_piece_by_piece_says_what_one_says_of_the_whole() {
    let music = super::music::Piece::pop(104.0, 12).make().sound;
    let mut meter = LoudnessMeter::new(music.channels().len());
    for start in (0..music.len_samples()).step_by(144_000) {
        let planes: Vec<&[f32]> = music.channels().iter().map(|p| &p[start as usize..p.len().min(start as usize + 144_000)]).collect();
        meter.add(&planes);
    }
    let (pieces, whole) = (meter.end(), measure_all(&music));
    assert_eq!(pieces, whole);
    let mut louder = music.clone();
    louder.raise(0.5);
    let (measured, told) = (measure_all(&louder), whole.raised(20.0 * 0.5f64.log10()));
    for (is, says) in [
        (measured.integrated_lufs, told.integrated_lufs),
        (measured.true_peak_dbtp, told.true_peak_dbtp),
        (measured.short_term_max_lufs, told.short_term_max_lufs),
    ] {
        assert!((is.unwrap() - says.unwrap()).abs() < 0.01, "{is:?} {says:?}");
    }
}

#[test]
fn blocks_are_a_tenth_of_a_second_each() {
    let energies = block_energies(&sine(&[(-23.0, 2.0), (-100.0, 1.0)]));
    assert_eq!(energies.len(), 30);
    assert!((lufs_from_energy(energies[10]) + 23.0).abs() < 0.1);
    assert!(energies[25] < 1e-8);
}

#[test]
fn silence_has_no_loudness() {
    let measured = measure(&Sound::silence(2, 48_000));
    assert_eq!((measured.integrated_lufs, measured.short_term_max_lufs, measured.sample_peak_dbfs, measured.clipped_count), (None, None, None, 0));
    assert_eq!(true_peak_dbtp(&Sound::silence(1, 0)), None);
}
