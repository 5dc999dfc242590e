//! A bed at another tempo: what was said about it keeps its meaning, and the file as it came is found again.

use super::music::Piece;
use jaunty_core::cut::{Arrival, BedChange, Change, Cut, Effect, Readings, Setup, UsedSound, Work};
use jaunty_core::fit::{Passage, Pin, StartWish, Wishes};
use jaunty_core::picture::Picture;
use jaunty_core::reading::{Correction, Reading, keep_going, read_bed, read_corrected};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::splice::SpliceAt;
use jaunty_core::units::{CutLength, FrameRate};

const S: u64 = 48_000;

fn cut(corrections: Vec<Correction>) -> Cut {
    let length = CutLength::from_seconds(FrameRate::new(25, 1, false).unwrap(), 60.0).unwrap();
    let mut setup = Setup::new("Faster", Picture::new(length));
    setup.add_candidate("file", "Warm Engine.wav", None);
    setup.bed = Some(UsedSound { hash: "file".into(), name: "Warm Engine.wav".into() });
    setup.candidates[0].corrections = corrections;
    setup.candidates[0].wishes = Wishes {
        start: StartWish::Cold { at_samples: Some(11 * S) },
        keep: vec![Passage { start_samples: 22 * S, end_samples: Passage::OPEN_END }],
        pins: vec![Pin { bed_samples: 33 * S, cut_samples: 20 * S }],
        splices: vec![SpliceAt { leave_samples: 11 * S, enter_samples: 44 * S }],
        ..Wishes::default()
    };
    Cut::new(setup)
}

fn readings(hash: &str, reading: &Reading) -> Readings {
    Readings { beds: [(hash.to_owned(), reading.clone())].into(), ..Readings::default() }
}

fn tempo(sound: &str, faster_percent: Option<f64>, bpm: Option<f64>) -> Change {
    Change::Bed(BedChange::Tempo { sound: sound.into(), faster_percent, bpm })
}

fn retimed(sound: &str, tempo: f64) -> Arrival {
    Arrival::Retimed { original: "file".into(), sound: sound.into(), tempo }
}

/// Music of a pulse, and the same a tenth faster as a stand-in for what a stretcher makes.
fn both() -> (Reading, Sound) {
    let plain = Piece::pop(100.0, 32).make().sound;
    let reading = read_bed(&plain, &mut keep_going()).unwrap().reading;
    let count = (plain.len_samples() as f64 / 1.1).round() as usize;
    let faster = |plane: &Vec<f32>| (0..count).map(|n| plane[((n as f64 * 1.1) as usize).min(plane.len() - 1)]).collect();
    (reading, Sound::new(plain.channels().iter().map(faster).collect()))
}

#[test]
fn what_was_said_about_a_bed_keeps_its_meaning_at_another_tempo() {
    let (reading, sound) = both();
    let said = vec![Correction::Singing { start_samples: 11 * S, end_samples: 22 * S, sings: true }];
    let mut cut = cut(said.clone());
    assert_eq!(
        tempo("file", Some(10.0), None).apply(&mut cut, &readings("file", &reading)),
        Ok(Effect::Unchanged(Some(Work::Retime { original: "file".into(), tempo: 1.1 })))
    );
    assert_eq!(retimed("quick", 1.1).apply(&mut cut, &readings("file", &reading)), Ok(Effect::Replan));
    let candidate = cut.setup.candidates[0].clone();
    assert_eq!(
        (candidate.hash.as_str(), candidate.name.as_str(), candidate.original(), candidate.tempo()),
        ("quick", "Warm Engine, 10 % faster.wav", "file", 1.1)
    );
    assert_eq!(cut.setup.bed, Some(UsedSound { hash: "quick".into(), name: "Warm Engine, 10 % faster.wav".into() }));
    let w = &candidate.wishes;
    assert_eq!((w.start, w.pins[0]), (StartWish::Cold { at_samples: Some(10 * S) }, Pin { bed_samples: 30 * S, cut_samples: 20 * S }));
    assert_eq!((w.keep[0].start_samples, w.keep[0].end_samples), (20 * S, Passage::OPEN_END));
    assert_eq!(w.splices, [SpliceAt { leave_samples: 10 * S, enter_samples: 40 * S }]);
    // The new sound is counted as the old one was: every beat at its place, the same bars and letters.
    let quick = read_corrected(&sound, &candidate.corrections, &mut keep_going()).unwrap().reading;
    assert!((quick.tempo_bpm / reading.tempo_bpm - 1.1).abs() < 0.002, "{} became {}", reading.tempo_bpm, quick.tempo_bpm);
    let off = quick.beats_samples.iter().zip(&reading.beats_samples).map(|(q, r)| (*q as f64 * 1.1 - *r as f64).abs()).fold(0.0, f64::max);
    assert!(quick.beats_samples.len() == reading.beats_samples.len() && off < 1.0, "beats are {off} samples off");
    let letters = |r: &Reading| r.sections.iter().map(|s| (s.start_bar, s.label.clone())).collect::<Vec<_>>();
    assert_eq!((quick.downbeats.clone(), letters(&quick)), (reading.downbeats.clone(), letters(&reading)));
    assert!(candidate.corrections.contains(&Correction::Singing { start_samples: 10 * S, end_samples: 20 * S, sings: true }));

    // By a figure of beats a minute: of the file, not of what is heard now.
    let asked = tempo("quick", None, Some(reading.tempo_bpm * 1.05)).apply(&mut cut, &readings("quick", &quick)).unwrap();
    let Effect::Unchanged(Some(Work::Retime { original, tempo: to })) = asked else { panic!("{asked:?}") };
    assert!(original == "file" && (to - 1.05).abs() < 0.002, "{original} {to}");
    // At once back to the file, with what had been said about it, to the sample.
    assert_eq!(tempo("quick", Some(0.0), None).apply(&mut cut, &readings("quick", &quick)), Ok(Effect::Replan));
    let back = &cut.setup.candidates[0];
    assert_eq!((back.hash.as_str(), back.name.as_str(), &back.corrections, &back.retimed), ("file", "Warm Engine.wav", &said, &None));
    assert_eq!(back.wishes, self::cut(Vec::new()).setup.candidates[0].wishes);
}

#[test]
fn what_is_corrected_at_another_tempo_is_not_lost_on_the_way_back() {
    let (reading, sound) = both();
    let mut cut = cut(Vec::new());
    retimed("quick", 1.1).apply(&mut cut, &readings("file", &reading)).unwrap();
    cut.setup.candidates[0].corrections.push(Correction::HalfTempo);
    let quick = read_corrected(&sound, &cut.setup.candidates[0].corrections, &mut keep_going()).unwrap().reading;
    // Also by way of another tempo, at which nothing more is said.
    retimed("quicker", 1.2).apply(&mut cut, &readings("quick", &quick)).unwrap();
    tempo("quicker", Some(0.0), None).apply(&mut cut, &readings("quicker", &quick)).unwrap();
    let Some(Correction::Given { beats_samples, .. }) = cut.setup.candidates[0].corrections.first() else { panic!("a grid") };
    assert_eq!(beats_samples.len(), quick.beats_samples.len());
    assert!(beats_samples.len() < reading.beats_samples.len() * 6 / 10);
}

#[test]
fn a_tempo_that_is_none_is_refused_with_what_is_allowed() {
    let (reading, _) = both();
    let mut cut = cut(Vec::new());
    let mut said = |change: Change| change.apply(&mut cut, &readings("file", &reading));
    for wrong in [Some(31.0), Some(-31.0), Some(f64::NAN), Some(f64::INFINITY)] {
        let told = said(tempo("file", wrong, None)).unwrap_err().to_string();
        assert!(told.contains("at most 30 %"), "{told}");
    }
    assert!(said(tempo("file", None, None)).is_err() && said(tempo("file", Some(1.0), Some(100.0))).is_err());
    assert!(said(tempo("nobody", Some(1.0), None)).is_err());
    assert_eq!(said(tempo("file", Some(0.0), None)), Ok(Effect::Unchanged(None)));
    // Work that was asked for before the bed went finds nothing to do.
    cut.setup.forget("file");
    assert_eq!(retimed("quick", 1.1).apply(&mut cut, &readings("file", &reading)), Ok(Effect::Unchanged(None)));
}
