//! No input makes anything panic, and every plan is as long as asked.

use super::music::propose;
use jaunty_core::check::findings;
use jaunty_core::fit::{FitRequest, fittings};
use jaunty_core::mix::{Hear, render};
use jaunty_core::plan::BedInput;
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::read_speech;
use proptest::prelude::*;

/// The whole way with one sound as bed and as narration.
fn whole_way(sound: &Sound, length_samples: u64) {
    let read = read_bed(sound, &mut keep_going()).unwrap();
    let speech = read_speech(sound, &mut keep_going()).unwrap();
    for fitting in fittings(sound, &read.reading, &read.likeness, &FitRequest::of_length(length_samples)) {
        let bed = BedInput { sound: "s", source: sound, fitting: &fitting, bar_lines_samples: &[], before: &[] };
        let plan = propose(length_samples, Some(bed), Some((sound, &speech)), &[]);
        let mix = render(&plan, &|_| Some(sound as &dyn Source), 0..length_samples, Hear::Everything).unwrap();
        assert_eq!(mix.len_samples(), length_samples);
        assert!(mix.channels().iter().flatten().all(|s| s.is_finite()));
        findings(&plan, Some(&read.reading), &[]);
    }
}

#[test]
fn odd_sounds_go_the_whole_way() {
    let second = 48_000;
    let sounds = [
        ("empty", Sound::new(vec![vec![]])),
        ("one sample", Sound::new(vec![vec![1.0]])),
        ("silence", Sound::silence(2, 10 * second)),
        ("NaN and infinity", Sound::new(vec![[f32::NAN, f32::INFINITY, f32::NEG_INFINITY, 0.5].repeat(second)])),
        ("direct current", Sound::new(vec![vec![0.7; 5 * second]])),
        ("far over full scale", Sound::new(vec![(0..4 * second).map(|n| 1e6 * (n as f32 * 0.1).sin()).collect()])),
        ("denormal", Sound::new(vec![vec![1e-40; 3 * second]])),
        ("clicks", Sound::new(vec![(0..8 * second).map(|n| if n % 24_000 == 0 { 1.0 } else { 0.0 }).collect()])),
    ];
    for (name, sound) in &sounds {
        println!("{name}");
        for length in [1, 100, 48_000, 30 * 48_000] {
            whole_way(sound, length);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn noise_of_any_length_goes_the_whole_way(seed: u32, len in 0usize..400_000, length in 1u64..700_000, every in 1usize..30_000) {
        let mut state = seed;
        let plane = (0..len).map(|n| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let noise = (state >> 8) as f32 / (1 << 23) as f32 - 1.0;
            if n % every < every / 4 { noise } else { 0.01 * noise }
        });
        whole_way(&Sound::new(vec![plane.collect()]), length);
    }
}
