//! A cut as one file: what was put in comes out, and what strangers make of such a file is refused.

use jaunty_exchange::archive::{ArchiveError, ArchivedRevision, ArchivedSound, Contents, Documents, FORMAT, Opened, VERSION, hash_of, write};
use proptest::prelude::*;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::{NamedTempFile, TempDir};

const SETUP: &[u8] = br#"{"title":"Kettle"}"#;
const PLAN: &[u8] = br#"{"lengthSamples":48000}"#;
const SOUND: &[u8] = b"a sound of some bytes";

fn scratch() -> std::fs::File {
    tempfile::tempfile().unwrap()
}

fn revision(number: u32, parent: Option<u32>) -> ArchivedRevision {
    ArchivedRevision {
        revision: number,
        parent,
        base: None,
        planned_for: None,
        what: jaunty_core::message!("cut.new"),
        said: None,
        setup: hash_of(SETUP),
        plan: hash_of(PLAN),
        fittings: hash_of(b"[]"),
        chosen: 0,
        created_at: "2026-11-29T10:00:00.000".into(),
    }
}

fn contents() -> Contents {
    let sound = ArchivedSound { hash: hash_of(SOUND), name: "bed.wav".into(), extension: "wav".into(), kind: None, kind_confidence: None };
    Contents {
        format: FORMAT.into(),
        version: VERSION,
        cut: "01a228dd-96c5-7113-a5b6-4327e07acd79".into(),
        mother: None,
        shown: 2,
        revisions: vec![revision(1, None), revision(2, Some(1))],
        sounds: vec![sound],
        readings: Vec::new(),
        licences: Vec::new(),
    }
}

/// An archive of `contents` and `documents` in a file.
fn archive(contents: &Contents, documents: &[&[u8]]) -> NamedTempFile {
    let mut all = Documents::new(scratch()).unwrap();
    for text in documents {
        all.add(text).unwrap();
    }
    let mut packed = all.finish().unwrap();
    packed.seek(SeekFrom::Start(0)).unwrap();
    let (mut sound, to) = (NamedTempFile::new().unwrap(), NamedTempFile::new().unwrap());
    sound.write_all(SOUND).unwrap();
    write(to.as_file(), contents, &mut packed, &[], &[(hash_of(SOUND), sound.path())], &mut |_| true).unwrap();
    to
}

fn open(bytes: &[u8]) -> Result<Opened, ArchiveError> {
    let mut file = scratch();
    file.write_all(bytes).unwrap();
    Opened::open(file, scratch())
}

fn bytes(file: &NamedTempFile) -> Vec<u8> {
    std::fs::read(file.path()).unwrap()
}

const ALL: [&[u8]; 3] = [SETUP, PLAN, b"[]"];

/// Why an archive of `contents` is refused.
fn refused(contents: &Contents, documents: &[&[u8]]) -> String {
    open(&bytes(&archive(contents, documents))).err().expect("it is refused").to_string()
}

#[test]
fn what_was_put_in_comes_out_and_other_programs_see_it() {
    let file = archive(&contents(), &ALL);
    assert_eq!(bytes(&file), bytes(&archive(&contents(), &ALL)), "the same cut gives the same bytes");
    let mut opened = open(&bytes(&file)).unwrap();
    assert_eq!(opened.contents, contents());
    assert_eq!(opened.document(&hash_of(PLAN)).unwrap(), PLAN);
    let mut sound = NamedTempFile::new().unwrap();
    opened.sound(&hash_of(SOUND), sound.as_file_mut()).unwrap();
    assert_eq!((bytes(&sound).as_slice(), opened.sound_bytes().unwrap()), (SOUND, SOUND.len() as u64));

    // Info-ZIP and the reference program of RFC 8878 (Debian: unzip, zstd) read it.
    let folder = TempDir::new().unwrap();
    let run = |program: &str, arguments: &[&str]| {
        let out = Command::new(program).args(arguments).current_dir(folder.path()).output();
        out.unwrap_or_else(|_| panic!("{program} is installed by ./test"))
    };
    let unpacked = run("unzip", &["-q", file.path().to_str().unwrap()]);
    assert!(unpacked.status.success(), "{}", String::from_utf8_lossy(&unpacked.stderr));
    assert_eq!(std::fs::read(folder.path().join("sounds").join(hash_of(SOUND))).unwrap(), SOUND);
    assert_eq!(run("zstd", &["-dc", "documents.jsonl.zst"]).stdout, [SETUP, b"\n", PLAN, b"\n[]\n"].concat());
}

#[test]
fn a_history_that_does_not_hold_together_is_refused() {
    let with = |change: &dyn Fn(&mut Contents)| {
        let mut made = contents();
        change(&mut made);
        refused(&made, &ALL)
    };
    assert!(with(&|c| c.shown = 7).contains("is missing"));
    assert!(with(&|c| c.revisions[1].parent = Some(9)).contains("history"));
    assert!(with(&|c| c.revisions[1].revision = 1).contains("history"));
    assert!(with(&|c| c.revisions[0].parent = Some(2)).contains("history"), "none is made from a later one");
    assert!(with(&|c| c.revisions[1].plan = "../../etc/passwd".into()).contains("no hash"));
    assert!(with(&|c| c.sounds[0].hash = "X".repeat(64)).contains("no hash"));
    assert!(with(&|c| c.sounds[0].extension = "../wav".into()).contains("name"));
    assert!(with(&|c| c.version = VERSION + 1).contains("newer"));
    assert!(with(&|c| c.format = "something-else".into()).contains("no cut"));
    // A version waits for its plan from its first revision on, and plays itself meanwhile.
    let mut waits = contents();
    waits.revisions[0].base = Some(1);
    assert!(open(&bytes(&archive(&waits, &ALL))).is_ok());
}

#[test]
fn documents_that_are_missing_or_make_no_sense_are_refused() {
    assert!(refused(&contents(), &ALL[..2]).contains("missing"));
    let with = |text: &[u8]| refused(&contents(), &[ALL[0], ALL[1], ALL[2], text]);
    assert!(with(br#"{"samples":18014398509481984}"#).contains("too large"));
    assert!(with(br#"{"gain":1e300}"#).contains("too large"));
    assert!(with(br#"{"broken":"#).contains("document"));
    assert!(with("[".repeat(100_000).as_bytes()).contains("recursion"));
    assert!(with(format!("\"{}\"", "x".repeat(70 << 20)).as_bytes()).contains("too large"));
}

#[test]
fn a_sound_that_is_another_one_is_refused() {
    let mut made = bytes(&archive(&contents(), &ALL));
    let at = made.windows(SOUND.len()).position(|w| w == SOUND).unwrap();
    made[at] ^= 1;
    let mut opened = open(&made).unwrap();
    assert!(opened.sound(&hash_of(SOUND), &mut scratch()).is_err());
}

/// Every file of the case studies beside it is no cut.
#[test]
fn other_files_are_no_cuts() {
    let cases: Vec<PathBuf> = std::fs::read_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/cases")).unwrap().map(|e| e.unwrap().path()).collect();
    assert!(!cases.is_empty());
    for case in cases {
        assert!(matches!(open(&std::fs::read(&case).unwrap()), Err(ArchiveError::NoArchive(_))), "{}", case.display());
    }
    assert!(open(b"").is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn broken_archives_are_refused_or_hold_what_they_say(at in any::<prop::sample::Index>(), to in any::<u8>(), cut in any::<bool>()) {
        let mut made = bytes(&archive(&contents(), &ALL));
        let at = at.index(made.len());
        if cut { made.truncate(at) } else { made[at] = to }
        let Ok(mut opened) = open(&made) else { return Ok(()) };
        let mut sound = scratch();
        if opened.sound(&hash_of(SOUND), &mut sound).is_ok() {
            let mut whole = Vec::new();
            sound.seek(SeekFrom::Start(0)).unwrap();
            sound.read_to_end(&mut whole).unwrap();
            prop_assert_eq!(whole, SOUND);
        }
        for line in opened.contents.revisions.clone() {
            prop_assert_eq!(hash_of(&opened.document(&line.setup).unwrap()), line.setup);
        }
    }
}
