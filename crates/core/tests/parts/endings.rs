//! How beds end: what is composed as the last is told from what is faded out, in halls and over noise.

use super::music::{Made, Piece, RATE};
use jaunty_core::fit::{FitRequest, FittingEnd, FittingStart, fittings};
use jaunty_core::reading::{Correction, Ending, EndingKind, keep_going, read_bed, read_corrected};
use jaunty_core::sound::Sound;
use jaunty_core::units::seconds_from_samples;

fn ending_of(sound: &Sound) -> Ending {
    read_bed(sound, &mut keep_going()).unwrap().reading.ending
}

/// The sound with each sample times what `gain` says of its time in seconds.
fn scaled(sound: &Sound, gain: impl Fn(f64) -> f64) -> Sound {
    let plane = |samples: &Vec<f32>| samples.iter().enumerate().map(|(n, s)| s * gain(n as f64 / RATE) as f32).collect();
    Sound::new(sound.channels().iter().map(plane).collect())
}

fn gain(db: f64) -> f64 {
    10f64.powf(db / 20.0)
}

/// Music in a hall that takes `rt60_s` to become 60 dB quieter: four combs and two all-passes after M. R. Schroeder,
/// "Natural sounding artificial reverberation", J. Audio Eng. Soc. 10 (1962), delays from there.
fn in_a_hall(sound: &Sound, rt60_s: f64) -> Sound {
    let dry = &sound.channels()[0];
    let length = dry.len() + (rt60_s * RATE) as usize;
    let mut wet = vec![0.0f32; length];
    for delay_s in [0.0297, 0.0371, 0.0411, 0.0437] {
        let (delay, feedback) = ((delay_s * RATE) as usize, gain(-60.0 * delay_s / rt60_s) as f32);
        let mut comb = vec![0.0f32; length];
        for n in 0..length {
            let fed = if n >= delay { feedback * comb[n - delay] } else { 0.0 };
            comb[n] = dry.get(n).copied().unwrap_or(0.0) + fed;
            wet[n] += 0.05 * comb[n];
        }
    }
    for (delay_s, g) in [(0.005, 0.7f32), (0.0017, 0.7)] {
        let delay = (delay_s * RATE) as usize;
        let mut out = vec![0.0f32; length];
        for n in 0..length {
            let (late_in, late_out) = if n >= delay { (wet[n - delay], out[n - delay]) } else { (0.0, 0.0) };
            out[n] = -g * wet[n] + late_in + g * late_out;
        }
        wet = out;
    }
    let mixed: Vec<f32> = wet.iter().enumerate().map(|(n, w)| w + 0.7 * dry.get(n).copied().unwrap_or(0.0)).collect();
    Sound::new(vec![mixed.clone(), mixed])
}

fn is_own_ending(what: &str, sound: &Sound, made: &Made) -> Ending {
    let ending = ending_of(sound);
    let hit_s = seconds_from_samples(ending.last_hit_samples);
    assert_eq!(ending.kind, EndingKind::OwnEnding, "{what}: {ending:?}, the last hit is at {:.2} s", made.last_hit_s);
    assert!((hit_s - made.last_hit_s).abs() < 0.05, "{what}: {hit_s:.2} s in place of {:.2} s", made.last_hit_s);
    ending
}

#[test]
fn a_last_hit_is_found_however_long_it_rings() {
    for bpm in [72.0, 110.0, 150.0] {
        let made = Piece::pop(bpm, 16).make();
        for rt60_s in [1.5, 4.0, 8.0] {
            is_own_ending(&format!("{bpm} BPM in a hall of {rt60_s} s"), &in_a_hall(&made.sound, rt60_s), &made);
        }
    }
}

#[test]
fn a_soft_last_chord_is_an_ending_and_so_is_one_after_a_quiet_coda() {
    let made = Piece::pop(110.0, 20).make();
    is_own_ending("a soft last chord", &scaled(&made.sound, |t| if t > made.last_hit_s - 0.01 { gain(-12.0) } else { 1.0 }), &made);
    let coda_s = made.downbeats_s[14];
    is_own_ending("a quiet coda", &scaled(&made.sound, |t| if t > coda_s { gain(-16.0) } else { 1.0 }), &made);
}

#[test]
fn noise_after_the_music_is_no_music() {
    let made = Piece { ring_s: 3.0, ..Piece::pop(110.0, 16) }.make();
    let mut state = 7u32;
    let mut hiss = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        gain(-62.0) as f32 * ((state >> 8) as f32 / (1 << 23) as f32 - 1.0)
    };
    let length = made.sound.channels()[0].len() + (6.0 * RATE) as usize;
    let noisy: Vec<f32> = (0..length).map(|n| made.sound.channels()[0].get(n).copied().unwrap_or(0.0) + hiss()).collect();
    let ending = is_own_ending("over noise", &Sound::new(vec![noisy]), &made);
    let rings_s = seconds_from_samples(ending.music_end_samples - ending.last_hit_samples);
    assert!((1.0..3.2).contains(&rings_s), "rings {rings_s:.2} s");
}

#[test]
fn a_fade_is_a_fade_whatever_its_length_and_law() {
    let made = Piece { ring_s: 0.0, ..Piece::pop(110.0, 32) }.make();
    let end_s = made.last_hit_s;
    type Law = fn(f64) -> f64;
    // Of the share that is left: straight in amplitude, as a cosine, straight in dB.
    let laws: [(&str, Law); 3] = [("linear", |x| x), ("cosine", |x| 0.5 - 0.5 * (std::f64::consts::PI * x).cos()), ("dB", |x| gain(-60.0 * (1.0 - x)))];
    for fade_s in [3.0, 6.0, 12.0, 25.0] {
        for (law, left) in laws {
            let faded = scaled(&made.sound, |t| left(((end_s - t) / fade_s).clamp(0.0, 1.0)));
            let ending = ending_of(&faded);
            assert_eq!(ending.kind, EndingKind::FadesOut, "{law} over {fade_s} s: {ending:?}");
            let into = (seconds_from_samples(ending.last_hit_samples) - (end_s - fade_s)) / fade_s;
            assert!((-0.35..0.6).contains(&into), "{law} over {fade_s} s is heard at {into:.2} of it");
        }
    }
}

#[test]
fn a_bed_that_fades_by_itself_keeps_its_fade_where_good_splices_lead_there() {
    let made = Piece::pop(110.0, 64).make();
    let end_s = made.last_hit_s;
    let faded = scaled(&made.sound, |t| ((end_s - t) / 6.0).clamp(0.0, 1.0));
    let read = read_bed(&faded, &mut keep_going()).unwrap();
    assert_eq!(read.reading.ending.kind, EndingKind::FadesOut);
    // Four of its eight-bar phrases fewer.
    let best = &fittings(&faded, &read.reading, &read.likeness, &FitRequest::of_length(70 * 48_000))[0];
    assert_eq!((best.start, best.end), (FittingStart::Top, FittingEnd::OwnFade), "{}", best.name);
    assert!(!best.splices.is_empty() && best.last_hit_samples.is_none() && best.name.to_string().ends_with("own fade"), "{}", best.name);
    // A cut of which its fade would be too large a part is faded by us.
    let short = &fittings(&faded, &read.reading, &read.likeness, &FitRequest::of_length(15 * 48_000))[0];
    assert_ne!(short.end, FittingEnd::OwnFade);
}

#[test]
fn an_ending_that_was_heard_wrongly_is_put_right_by_hand() {
    let made = Piece::pop(110.0, 16).make();
    let bar = |k: usize| (made.downbeats_s[k] * RATE) as u64;
    let corrected = |all: &[Correction]| read_corrected(&made.sound, all, &mut keep_going()).unwrap();
    let (fades, hits) = (Correction::FadesFrom { at_samples: bar(12) }, Correction::LastHit { at_samples: bar(14) });
    let read = corrected(std::slice::from_ref(&fades));
    assert_eq!((read.reading.ending.kind, read.reading.ending.last_hit_samples), (EndingKind::FadesOut, bar(12)));
    // The fit gives the ending up with it: what was the bed's own is a fade, and nothing leaves from within it.
    let fitting = &fittings(&made.sound, &read.reading, &read.likeness, &FitRequest::of_length(25 * 48_000))[0];
    assert_ne!(fitting.end, FittingEnd::OwnEnding);
    assert!(fitting.splices.iter().all(|s| s.leave_samples <= bar(12)), "{:?}", fitting.splices);
    // The last word counts, and a place behind the music is its end.
    assert_eq!(corrected(&[fades.clone(), hits.clone()]).reading.ending.last_hit_samples, bar(14));
    assert_eq!(corrected(&[hits, fades]).reading.ending.kind, EndingKind::FadesOut);
    let late = corrected(&[Correction::FadesFrom { at_samples: u64::MAX }]).reading.ending;
    assert_eq!(late.last_hit_samples, late.music_end_samples);
}

#[test]
fn what_is_cut_off_while_it_is_loud_stops_dead() {
    let made = Piece { ring_s: 0.0, ..Piece::pop(110.0, 16) }.make();
    for at_s in [made.downbeats_s[15] + 0.4, made.downbeats_s[12] + 0.2, made.downbeats_s[13] + 1.0] {
        let cut = (at_s * RATE) as usize;
        let ending = ending_of(&Sound::new(made.sound.channels().iter().map(|c| c[..cut.min(c.len())].to_vec()).collect()));
        assert_eq!(ending.kind, EndingKind::StopsDead, "{ending:?}");
        assert_eq!(ending.last_hit_samples, ending.music_end_samples);
    }
}
