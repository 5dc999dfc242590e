//! Several lengths of one cut: what a version takes over, and what it says that it does not.

use jaunty_core::cut::{Arrival, Candidate, Cut, Effect, Film, Laid, Readings, Setup, Take, UsedSound};
use jaunty_core::fit::{EndWish, Passage, Pin, StartWish, Wishes};
use jaunty_core::picture::{MomentKind, Picture};
use jaunty_core::plan::AmbienceWish;
use jaunty_core::splice::SpliceAt;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_core::voice::Piece;

const S: u64 = 48_000;

fn rate() -> FrameRate {
    FrameRate::new(25, 1, false).unwrap()
}

fn seconds(seconds: u64) -> CutLength {
    CutLength::new(rate(), 25 * seconds).unwrap()
}

/// A cut of a minute with something of everything.
fn minute() -> Setup {
    let mut picture = Picture::new(seconds(60));
    picture.begin_shot(250, "harbour").unwrap();
    picture.mark_moment(1450, MomentKind::Hit, "the sign").unwrap();
    let mut setup = Setup::new("Kettle spot", picture);
    setup.add_candidate("bed", "Warm Engine.wav", None);
    setup.bed = Some(UsedSound { hash: "bed".into(), name: "Warm Engine.wav".into() });
    setup.candidates[0].wishes = Wishes {
        keep: vec![Passage { start_samples: 0, end_samples: 4 * S }],
        pins: vec![Pin { bed_samples: 9 * S, cut_samples: 58 * S }],
        splices: vec![SpliceAt { leave_samples: 8 * S, enter_samples: 40 * S }],
        no_splices: vec![SpliceAt { leave_samples: 16 * S, enter_samples: 32 * S }],
        start: StartWish::Cold { at_samples: Some(2 * S) },
        end: EndWish::OwnEnding { hit_samples: Some(57 * S) },
        ..Wishes::default()
    };
    let place = Some(Passage { start_samples: 45 * S, end_samples: Passage::OPEN_END });
    setup.laid = vec![Laid { bed: UsedSound { hash: "late".into(), name: "Late.wav".into() }, wishes: Wishes { place, ..Wishes::default() } }];
    setup.ambiences = vec![AmbienceWish::new("sea", "sea.wav", 14.0)];
    setup.takes = vec![Take::new("voice", "take 1.wav")];
    setup.pieces = vec![Piece { sound: "voice".into(), source_start_samples: 0, source_end_samples: 20 * S, cut_start_samples: 2 * S, scratch: None }];
    setup.shape.under_speech_db = 23.0;
    setup
}

fn film() -> Film {
    let json = serde_json::json!({ "hash": "film", "name": "film.mp4", "rate": rate(), "lengthFrames": 1500, "firstFrame": null, "sound": null,
        "soundOn": true, "widthPx": 640, "heightPx": 360 });
    serde_json::from_value(json).unwrap()
}

#[test]
fn a_version_takes_over_what_still_makes_sense_and_says_what_does_not() {
    let mut mother = minute();
    mother.film = Some(film());
    let version = Cut::new(mother.clone()).version("mother", seconds(30)).setup;
    assert_eq!((version.title.as_str(), version.picture.length_samples()), ("Kettle spot, 30 s", 30 * S));
    // The bed, what was said of its own passages, the figures and what fits of the rest.
    let wishes = version.wishes("bed").unwrap();
    assert_eq!((wishes.keep.len(), wishes.no_splices.len(), wishes.start), (1, 1, StartWish::Cold { at_samples: Some(2 * S) }));
    assert_eq!((&version.bed, &version.shape, &version.ambiences), (&mother.bed, &mother.shape, &mother.ambiences));
    assert_eq!(version.pieces, mother.pieces, "the narration ends at 0:22");
    // What is tied to the other's time or picture is gone, and said.
    assert!(wishes.pins.is_empty() && wishes.splices.is_empty() && wishes.end == EndWish::OwnEnding { hit_samples: None });
    assert!(version.film.is_none() && version.laid.is_empty() && version.picture.shots.is_empty() && version.picture.moments.is_empty());
    let left_out = version.version.unwrap().left_out;
    for said in ["the film", "2 shots", "1 moment", "1 pin", "1 splice by hand", "where the last hit falls", "the bed \"Late.wav\", which begins later"] {
        assert!(left_out.iter().any(|l| l.to_string() == *said), "{said} in {left_out:?}");
    }
    assert_eq!(left_out.len(), 7, "{left_out:?}");
    // Half of a narration is none.
    let short = mother.version("mother", seconds(15));
    assert!(short.pieces.is_empty() && short.takes.is_empty());
    assert!(short.version.unwrap().left_out.iter().any(|l| l.to_string() == "the narration, which ends at 0:22.0"));
    // Lengths are called as people call them.
    for (frames, called) in [(150, "6 s"), (2500, "1:40"), (751, "00:00:30:01")] {
        assert_eq!(mother.version("m", CutLength::new(rate(), frames).unwrap()).title, format!("Kettle spot, {called}"));
    }
}

#[test]
fn a_version_knows_when_the_first_one_has_changed_and_takes_that_over() {
    let mother = minute();
    let mut version = Cut::new(mother.version("mother", seconds(30)));
    let is_behind = |cut: &Cut, mother: &Setup| cut.setup.version.as_ref().unwrap().taken != mother.shared();
    assert!(!is_behind(&version, &mother));
    // Its title and picture are its own: nothing to take over.
    let mut later = mother.clone();
    later.title = "Kettle spot, second round".into();
    later.picture.begin_shot(700, "street").unwrap();
    assert!(!is_behind(&version, &later));
    later.shape.under_speech_db = 18.0;
    later.candidates[0].wishes.most_plays = Some(2);
    later.candidates[0].wishes.pins.clear();
    assert!(is_behind(&version, &later));
    // What the version has of its own stays.
    version.setup.film = Some(film());
    version.setup.title = "Short one".into();
    version.setup.add_candidate("own", "own.wav", None);
    let effect = Arrival::Mother(Box::new(later.clone())).apply(&mut version, &Readings::default()).unwrap();
    assert!(matches!(effect, Effect::Replan));
    let setup = &version.setup;
    assert_eq!((setup.shape.under_speech_db, setup.wishes("bed").unwrap().most_plays), (18.0, Some(2)));
    assert_eq!((setup.title.as_str(), setup.film.is_some(), setup.picture.length_samples()), ("Short one", true, 30 * S));
    let names: Vec<&str> = setup.candidates.iter().map(|c: &Candidate| c.name.as_str()).collect();
    assert_eq!(names, ["Warm Engine.wav", "own.wav"]);
    assert!(!is_behind(&version, &later));
    assert!(!setup.version.as_ref().unwrap().left_out.iter().any(|l| l.to_string().contains("pin")));
}
