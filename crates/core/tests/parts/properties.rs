//! What holds for any phrases, objects and lengths.

use super::music::{Made, Piece};
use jaunty_core::fit::{FitRequest, fittings};
use jaunty_core::reading::{BedRead, keep_going, read_bed};
use jaunty_core::shape::{FadeShape, Frame, GainCurve, LevelObject, Measured, ShapeWishes, Slope, propose_bed};
use jaunty_core::speech::{Phrase, gaps};
use proptest::prelude::*;
use std::sync::LazyLock;

const SECOND: u64 = 48_000;

/// Phrases in order from (pause, length) in tenths of a second.
fn phrases(steps: &[(u64, u64)]) -> Vec<Phrase> {
    let mut at = 0;
    steps
        .iter()
        .map(|&(pause, length)| {
            let start_samples = at + pause * SECOND / 10;
            at = start_samples + length * SECOND / 10;
            Phrase { start_samples, end_samples: at, words: None }
        })
        .collect()
}

/// A bed and a voice of steady loudness: a tenth of full scale, and full speech while a phrase lasts.
fn measured(phrases: &[Phrase], length: u64) -> (Vec<f64>, Vec<f64>) {
    let blocks = (length / 4800) as usize;
    let spoken = |k: usize| phrases.iter().any(|p| (p.start_samples..p.end_samples).contains(&(k as u64 * 4800)));
    ((0..blocks).map(|_| 1e-3).collect(), (0..blocks).map(|k| if spoken(k) { 1e-2 } else { 0.0 }).collect())
}

static STEPS: fn() -> BoxedStrategy<Vec<(u64, u64)>> = || prop::collection::vec((1u64..120, 3u64..80), 0..12).boxed();

proptest! {
    #[test]
    fn gaps_and_phrases_together_fill_the_cut(steps in STEPS(), length_s in 1u64..200) {
        let (phrases, length) = (phrases(&steps), length_s * SECOND);
        let spaces = gaps(&phrases, length);
        let silent: u64 = spaces.iter().map(|g| g.length_samples()).sum();
        let spoken: u64 = phrases.iter().map(|p| p.end_samples.min(length) - p.start_samples.min(length)).sum();
        prop_assert_eq!(silent + spoken, length);
        prop_assert!(spaces.windows(2).all(|w| w[0].end_samples <= w[1].start_samples));
    }

    #[test]
    fn no_swell_touches_speech_and_every_phrase_lies_in_a_dip(steps in STEPS(), length_s in 5u64..200) {
        let (phrases, length) = (phrases(&steps), length_s * SECOND);
        let (bed, speech) = measured(&phrases, length);
        let objects = propose_bed(Measured { bed: &bed, speech: &speech, film_lufs: None }, &phrases, &Frame::whole(length), &ShapeWishes::default(), &[]);
        let spans = |dips: bool| -> Vec<(u64, u64)> {
            objects
                .iter()
                .filter_map(|o| match *o {
                    LevelObject::Dip { start_samples, end_samples, .. } if dips => Some((start_samples, end_samples)),
                    LevelObject::Swell { start_samples, end_samples, .. } if !dips => Some((start_samples, end_samples)),
                    _ => None,
                })
                .collect()
        };
        let heard: Vec<(u64, u64)> = phrases.iter().map(|p| (p.start_samples.min(length), p.end_samples.min(length))).filter(|p| p.1 > p.0).collect();
        for &(start, end) in &heard {
            prop_assert!(spans(false).iter().all(|s| s.1 <= start || s.0 >= end), "a swell over speech");
            let speech_is_measured = (start / 4800) < speech.len() as u64;
            prop_assert!(!speech_is_measured || spans(true).iter().any(|d| d.0 <= start && end <= d.1), "a phrase without a dip");
        }
        // A swell is never rushed: 13 dB in 1.2 s at most.
        for object in &objects {
            if let LevelObject::Swell { rise_samples, fall_samples, under_speech_db, .. } = *object {
                for ease in [rise_samples, fall_samples].into_iter().filter(|&e| e > 0) {
                    prop_assert!((20.0 - under_speech_db) / (ease as f64 / SECOND as f64) <= 13.0 / 1.2 + 0.01);
                }
            }
        }
    }

    #[test]
    fn a_curve_stays_between_its_levels_and_silence(steps in STEPS(), at in prop::collection::vec(0.0f64..1.0, 40)) {
        let (phrases, length) = (phrases(&steps), 120 * SECOND);
        let (bed, speech) = measured(&phrases, length);
        let objects = propose_bed(Measured { bed: &bed, speech: &speech, film_lufs: None }, &phrases, &Frame::whole(length), &ShapeWishes::default(), &[]);
        let levels: Vec<f64> = objects
            .iter()
            .filter_map(|o| match *o {
                LevelObject::Base { gain_db } | LevelObject::Dip { gain_db, .. } | LevelObject::Swell { gain_db, .. } => Some(gain_db),
                _ => None,
            })
            .collect();
        let (low, high) = levels.iter().fold((f64::MAX, f64::MIN), |(l, h), &x| (l.min(x), h.max(x)));
        let curve = GainCurve::of(&objects);
        for share in at {
            let sample = (share * length as f64) as u64;
            let level = curve.level_db(sample);
            prop_assert!(level >= low - 1e-9 && level <= high + 1e-9, "{level} dB outside {low} to {high}");
            prop_assert!(curve.gain(sample) <= 10f64.powf(high / 20.0) + 1e-12);
        }
    }

    #[test]
    fn applying_a_curve_in_pieces_is_applying_it_at_once(cut in 1usize..9_999, start in 0u64..100_000) {
        let objects = [
            LevelObject::Dip { start_samples: 20_000, end_samples: 60_000, gain_db: -20.0, under_speech_db: 20.0, by_hand: false },
            LevelObject::Swell {
                start_samples: 61_000,
                end_samples: 90_000,
                rise_samples: 9000,
                fall_samples: 9000,
                gain_db: -7.0,
                under_speech_db: 7.0,
                rise_slope: Slope::One,
                fall_slope: Slope::One,
                by_hand: false,
            },
            LevelObject::FadeIn { start_samples: 0, length_samples: 15_000, shape: FadeShape::EqualPower, by_hand: false },
        ];
        let curve = GainCurve::of(&objects);
        let mut whole = vec![vec![1.0f32; 10_000]];
        curve.apply(start, &mut whole);
        let (mut left, mut right) = (vec![vec![1.0f32; cut]], vec![vec![1.0f32; 10_000 - cut]]);
        curve.apply(start, &mut left);
        curve.apply(start + cut as u64, &mut right);
        prop_assert_eq!(&whole[0][..cut], &left[0][..]);
        prop_assert_eq!(&whole[0][cut..], &right[0][..]);
    }
}

static BED: LazyLock<(Made, BedRead)> = LazyLock::new(|| {
    let made = Piece::pop(118.0, 32).make();
    let read = read_bed(&made.sound, &mut keep_going()).unwrap();
    (made, read)
});

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn any_length_is_filled_by_pieces_without_holes(length_samples in 1u64..10_000_000) {
        let (made, read) = &*BED;
        for fitting in fittings(&made.sound, &read.reading, &read.likeness, &FitRequest::of_length(length_samples)) {
            prop_assert_eq!(fitting.pieces[0].cut_start_samples, 0);
            prop_assert_eq!(fitting.pieces.last().map(|p| p.cut_end_samples), Some(length_samples));
            prop_assert!(fitting.pieces.windows(2).all(|w| w[0].cut_end_samples == w[1].cut_start_samples && w[0].cut_start_samples < w[0].cut_end_samples));
            prop_assert_eq!(fitting.splices.len() + 1, fitting.pieces.len());
            prop_assert!(fitting.splices.iter().all(|s| s.at_samples < length_samples && (0.0..=1.0).contains(&s.goodness)));
            prop_assert!((fitting.speed - 1.0).abs() <= 0.01 + 1e-9);
            let bars = fitting.bar_lines(&read.reading.bar_lines_samples());
            prop_assert!(bars.windows(2).all(|w| w[0].0 < w[1].0) && bars.iter().all(|b| b.0 < length_samples));
        }
    }
}
