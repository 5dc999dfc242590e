//! Music, speech and room sounds that the model of `jaunty_core::kind` was not fitted on: the
//! demo's own music, voices in languages that its training did not have, and noises made here.

use jaunty_core::kind::{Kind, recognise};
use jaunty_core::reading::keep_going;
use jaunty_core::sound::Sound;
use jaunty_demo::{beds, shelf};
use jaunty_media::speak;
use std::f32::consts::TAU;

fn kind_of(sound: &Sound) -> (Kind, f32) {
    let found = recognise(sound, &mut keep_going()).unwrap();
    (found.kind, found.confidence)
}

#[test]
fn music_is_music() {
    // Every third piece: with and without drums, sung, in three.
    let mut scores: Vec<_> = shelf::pieces().into_iter().step_by(3).map(|p| p.score).collect();
    scores.extend([beds::bench_lamp(), beds::seven_lanterns()]);
    for score in scores {
        let (kind, confidence) = kind_of(&score.play().expect("the SoundFont").sound);
        assert_eq!(kind, Kind::Music, "{} ({confidence:.2})", score.title);
    }
}

/// The kind is not in the level, nor in the number of channels, nor in silence around the sound.
#[test]
fn level_and_layout_do_not_matter() {
    let music = beds::bench_lamp().play().expect("the SoundFont").sound;
    let speech = speak("The bench was cleared, and the lamp was lit. Nobody said a word.", "en").expect("espeak-ng");
    for (sound, kind) in [(&music, Kind::Music), (&speech, Kind::Speech)] {
        let plane = &sound.channels()[0];
        let quieter: Vec<f32> = plane.iter().map(|s| s * 0.1).collect();
        let mut framed = vec![0.0; 96_000];
        framed.extend_from_slice(plane);
        framed.extend(vec![0.0; 96_000]);
        for other in [Sound::new(vec![quieter]), Sound::new(vec![plane.clone(), plane.clone()]), Sound::new(vec![framed])] {
            assert_eq!(kind_of(&other).0, kind);
        }
    }
}

#[test]
fn speech_is_speech() {
    let texts = [
        ("it", "La torre era ferma da anni. Ogni giovedì salivamo le scale con gli attrezzi, e nessuno parlava."),
        ("pt", "O relógio parou num inverno. Ninguém tinha os desenhos, e o mestre já não estava entre nós."),
        ("da", "Klokken stod stille hele vinteren. Så begyndte vi forfra, tand for tand, på en gammel bænk."),
        ("fi", "Kello pysähtyi talvella. Kukaan ei muistanut, miten se oli tehty, joten aloitimme alusta."),
    ];
    let mut right = 0;
    for (voice, words) in texts {
        let spoken = speak(words, voice).expect("espeak-ng");
        // With pauses, in a quiet room.
        let mut samples = spoken.channels()[0].clone();
        samples.extend(vec![0.0; 40_000]);
        samples.extend_from_slice(&spoken.channels()[0]);
        let mut noise = noise(3);
        samples.iter_mut().for_each(|s| *s += 0.0005 * noise());
        right += usize::from(kind_of(&Sound::new(vec![samples])).0 == Kind::Speech);
    }
    assert_eq!(right, texts.len());
}

fn noise(mut state: u32) -> impl FnMut() -> f32 {
    move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 23) as f32 - 1.0
    }
}

#[test]
fn rooms_are_rooms() {
    let seconds = 12.0;
    let make = |each: &mut dyn FnMut(f32) -> f32| Sound::new(vec![(0..(seconds * 48_000.0) as usize).map(|n| each(n as f32 / 48_000.0)).collect()]);
    let mut white = noise(1);
    let mut low = 0.0f32;
    let mut surf = |t: f32| {
        low += 0.05 * (white() - low);
        0.3 * low * (1.2 + (TAU * 0.11 * t).sin())
    };
    let mut hiss = noise(5);
    let mut air = |_: f32| 0.02 * hiss();
    let mut click = noise(9);
    // Steps on gravel, a little uneven.
    let mut gravel = |t: f32| {
        let phase = (t + 0.03 * (5.0 * t).sin()) % 0.62;
        0.01 * click() + 0.25 * click() * (-phase * 28.0).exp()
    };
    let mut wind_noise = noise(13);
    let (mut a, mut b) = (0.0f32, 0.0f32);
    let mut wind = |t: f32| {
        a += (0.01 + 0.008 * (0.7 * t).sin()) * (wind_noise() - a);
        b += 0.03 * (a - b);
        2.0 * (a - 0.5 * b)
    };
    for (name, sound) in [("surf", make(&mut surf)), ("air", make(&mut air)), ("gravel", make(&mut gravel)), ("wind", make(&mut wind))] {
        let (kind, confidence) = kind_of(&sound);
        assert_eq!(kind, Kind::Room, "{name} ({confidence:.2})");
    }
    for nothing in [Sound::silence(1, 0), Sound::silence(2, 480_000), Sound::new(vec![vec![0.5; 100]])] {
        assert_eq!(kind_of(&nothing), (Kind::Room, 1.0 / 3.0), "silence says nothing");
    }
}
