//! Timelines and edit lists, against opentimelineio and its CMX 3600 adapter.

use super::reference::ask;
use jaunty_core::picture::{ListChange, Marks, MomentKind, Origin, Picture, Shot};
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_exchange::{For, Format, List, cmx3600, otio, read};
use serde_json::{Value, json};
use std::path::Path;

fn pal() -> FrameRate {
    FrameRate::new(25, 1, false).unwrap()
}

fn at(rate: FrameRate) -> For {
    For { rate: Some(rate), first_frame: 0 }
}

fn shots_of(list: &List) -> Value {
    json!(list.marks.shots.iter().map(|s| json!([s.name, s.start_frame, s.end_frame])).collect::<Vec<_>>())
}

fn moments_of(list: &List) -> Value {
    json!(list.marks.moments.iter().map(|m| json!([m.name, m.frame])).collect::<Vec<_>>())
}

fn read_file(path: &Path, cut: For) -> List {
    read(&std::fs::read(path).unwrap(), cut).unwrap()
}

/// Six lists of up to forty items, with gaps, dissolves, drop-frame, markers, layers and compounds, seen as the
/// packages opentimelineio and otio-cmx3600-adapter see them.
#[test]
fn lists_are_seen_as_the_reference_packages_see_them() {
    let folder = tempfile::tempdir().unwrap();
    let truth = ask("make", &[folder.path()]);
    for name in ["made.otio", "ntsc.otio", "layers.otio", "nested.otio"] {
        let list = read_file(&folder.path().join(name), For::default());
        assert_eq!(list.format, Format::OpenTimelineIo);
        assert_eq!(shots_of(&list), truth[name]["shots"], "{name}");
        if truth[name]["markers"].is_array() {
            assert_eq!(moments_of(&list), truth[name]["markers"], "{name}");
            assert_eq!(json!(list.length_frames), truth[name]["length"], "{name}");
        }
        if name == "layers.otio" {
            assert!(list.unused.iter().all(|u| u.reason.contains("another shot")) && !list.unused.is_empty());
        } else {
            let first_frame = if name == "nested.otio" { 0 } else { 90_000 };
            assert_eq!((list.unused.len(), list.first_frame), (0, Some(first_frame)), "{name}");
        }
    }
    // A dissolve of the adapter begins in_offset before the boundary; ours were made with none.
    let list = read_file(&folder.path().join("made.edl"), at(pal()));
    assert_eq!(shots_of(&list), truth["made.edl"]["shots"]);
    let upper: Vec<Value> = truth["made.edl"]["markers"].as_array().unwrap().iter().map(|m| json!([m[0], m[1]])).collect();
    assert_eq!(moments_of(&list), json!(upper), "the adapter writes the source time of its markers");
    let list = read_file(&folder.path().join("drop.edl"), For::default());
    assert_eq!(shots_of(&list), truth["drop.edl"]["shots"]);
    assert_eq!((list.rate.num(), list.rate.is_drop_frame()), (30_000, true));
    assert_eq!(list.first_frame, Some(107_892), "SMPTE ST 12-1: one hour of drop-frame labels is 107892 frames");
}

fn sample(rate: FrameRate) -> Picture {
    let mut picture = Picture::new(CutLength::new(rate, 1000).unwrap());
    picture.first_frame = rate.frame_from_timecode("01:00:00:00").unwrap();
    for (frame, name) in [(0, "tower"), (120, "hall \"wide\", <b>"), (333, "gears"), (700, "noon")] {
        picture.begin_shot(frame, name).unwrap();
    }
    picture.shots[2].still = true;
    picture.mark_moment(340, MomentKind::Hit, "LID LIFTED").unwrap();
    picture.mark_moment(705, MomentKind::Title, "TITLE").unwrap();
    picture
}

#[test]
fn what_is_written_the_reference_packages_read() {
    let folder = tempfile::tempdir().unwrap();
    for (num, den, drop_frame) in [(25, 1, false), (24_000, 1001, false), (30_000, 1001, true)] {
        let picture = sample(FrameRate::new(num, den, drop_frame).unwrap());
        let shots = json!(picture.shots.iter().map(|s| json!([s.name, s.start_frame, s.end_frame])).collect::<Vec<_>>());
        let path = folder.path().join("ours.otio");
        std::fs::write(&path, otio::write("Clock", &picture)).unwrap();
        let seen = ask("read-otio", &[&path]);
        assert_eq!(seen["shots"], shots);
        assert_eq!(seen["markers"], json!([["LID LIFTED", 340], ["TITLE", 705]]));
        assert_eq!((&seen["length"], &seen["stills"]), (&json!(1000), &json!(["gears"])));
        assert_eq!(seen["start"].as_f64(), Some(picture.first_frame as f64));

        let path = folder.path().join("ours.edl");
        std::fs::write(&path, cmx3600::write("Clock", &picture)).unwrap();
        let rate = format!("{}", picture.rate.as_f64());
        let seen = ask("read-edl", &[&path, Path::new(&rate)]);
        let lengths = |v: &Value| v.as_array().unwrap().iter().map(|s| s[2].as_u64().unwrap() - s[1].as_u64().unwrap()).collect::<Vec<_>>();
        assert_eq!(lengths(&seen["shots"]), lengths(&shots), "the adapter counts from the first timecode");
    }
}

#[test]
fn what_is_written_comes_back() {
    for (num, den, drop_frame) in [(25, 1, false), (24_000, 1001, false), (30_000, 1001, true), (60_000, 1001, true)] {
        let picture = sample(FrameRate::new(num, den, drop_frame).unwrap());
        for text in [otio::write("Clock", &picture), cmx3600::write("Clock", &picture)] {
            let list = read(text.as_bytes(), For::cut(&picture)).unwrap();
            let mut again = Picture {
                length_frames: list.length_frames.unwrap(),
                first_frame: list.first_frame.unwrap(),
                ..Picture::new(CutLength::new(list.rate, 1).unwrap())
            };
            again.take_list(list.marks);
            let mut wanted = picture.clone();
            wanted.shots.iter_mut().for_each(|s| s.origin = Origin::List);
            wanted.moments.iter_mut().for_each(|m| m.origin = Origin::List);
            assert_eq!((again, list.unused), (wanted, vec![]));
        }
    }
}

/// One list with everything that goes wrong; layout of CMX 3600 (from memory).
#[test]
fn every_line_that_is_not_used_says_why() {
    let text = "TITLE: ROUGH\nFCM: NON-DROP FRAME\n\
        001  A001     V     C        00:00:10:00 00:00:14:00 01:00:00:00 01:00:04:00\n\
        * FROM CLIP NAME: TOWER.MOV\n\
        * a remark\n\
        002  A001     AA    C        00:00:10:00 00:00:14:00 01:00:00:00 01:00:04:00\n\
        003  A002     V     C        00:00:00:00 00:00:00:00 01:00:04:00 01:00:04:00\n\
        003  A003     V     D    025 00:00:05:00 00:00:08:00 01:00:04:00 01:00:07:00\n\
        * FROM CLIP NAME: HALL.MOV\n\
        * TO CLIP NAME: BENCH.MOV\n\
        004  BL       V     C        00:00:00:00 00:00:01:00 01:00:07:00 01:00:08:00\n\
        005  A004     V     C        00:00:00:00 00:00:04:00 01:00:08:00 01:00:12:00\n\
        M2   A004     000.0          00:00:00:00\n\
        006  A005     V     C        00:00:00:00 00:00:02:00 01:00:11:00 01:00:13:00\n\
        007  A006     V     C        00:00:00:00 00:00:02:27 01:00:13:00 01:00:15:27\n\
        008  A007     V     C        00:00:00:00 00:00:02:00 01:00:15:00\n\
        009  A007     V     C        00:00:00:00 00:00:02:00 01:00:19:00 01:00:17:00\n\
        SOMETHING ELSE\n\
        * LOC: 01:00:05:10 RED     STRIKE OF NOON\n";
    let list = read(text.as_bytes(), at(pal())).unwrap();
    let shots: Vec<_> = list.marks.shots.iter().map(|s| (s.name.as_str(), s.start_frame, s.end_frame, s.still)).collect();
    assert_eq!(shots, [("TOWER.MOV", 0, 100, false), ("BENCH.MOV", 100, 175, false), ("A004", 200, 275, true), ("A005", 275, 325, false)]);
    assert_eq!(list.marks.moments[0].frame, 135);
    assert_eq!(list.marks.moments[0].name, "STRIKE OF NOON");
    let told: Vec<_> = list.unused.iter().map(|u| (u.line.unwrap(), u.reason.as_str())).collect();
    let lines: Vec<usize> = told.iter().map(|t| t.0).collect();
    assert_eq!(lines, [6, 11, 12, 15, 16, 17, 18], "{told:#?}");
    for (k, part) in
        ["sound only", "black", "another shot covers a part of it (25 frames)", "frames must be below 25", "four timecodes", "ends before", "not understood"]
            .iter()
            .enumerate()
    {
        assert!(told[k].1.contains(part), "{:?}", told[k]);
    }
}

#[test]
fn a_table_of_moments_takes_commas_semicolons_and_tabs() {
    let rate = pal();
    let wanted = [(592, "lid lifted", MomentKind::Hit), (1395, "first tick; again", MomentKind::Other), (1960, "credits roll", MomentKind::Credits)];
    let tables = [
        "time,name,kind\n00:00:23:17,lid lifted,hit\n55.8,\"first tick; again\",sound\n1:18.4,credits roll,\n",
        "name;kind;timecode\nlid lifted;hit;00:00:23:17\n\"first tick; again\";sound;00:00:55:20\ncredits roll;;00:01:18:10\n",
        "592\tlid lifted\thit\n",
    ];
    for (k, table) in tables.iter().enumerate().take(2) {
        let list = read(table.as_bytes(), at(rate)).unwrap();
        let seen: Vec<_> = list.marks.moments.iter().map(|m| (m.frame, m.name.as_str(), m.kind)).collect();
        assert_eq!(seen, wanted, "table {k}");
    }
    let list = read(b"frame\tname\n592\tlid lifted\n-4\tbefore\nnever\tno\n", at(rate)).unwrap();
    assert_eq!((list.marks.moments.len(), list.unused.len()), (1, 2));
    // Timecodes count from the cut's first timecode.
    let list = read(b"01:00:02:00,hit\n", For { rate: Some(rate), first_frame: 90_000 }).unwrap();
    assert_eq!(list.marks.moments[0].frame, 50);
}

#[test]
fn a_changed_list_says_what_moved_and_keeps_what_was_made_by_hand() {
    let shot = |name: &str, start_frame, end_frame| Shot { name: name.into(), start_frame, end_frame, still: false, origin: Origin::List };
    let marks = |shots: Vec<Shot>| Marks { shots, moments: Vec::new() };
    let mut picture = Picture::new(CutLength::new(pal(), 500).unwrap());
    assert_eq!(picture.take_list(marks(vec![shot("a", 0, 100), shot("b", 100, 200), shot("b", 200, 300)])), []);
    picture.mark_moment(42, MomentKind::Hit, "mine").unwrap();
    picture.shots[1].still = true;
    picture.begin_shot(400, "by hand").unwrap();
    let changes = picture.take_list(marks(vec![shot("a", 0, 80), shot("b", 80, 180), shot("new", 180, 300)]));
    let told = [
        ListChange::Moved { name: "a".into(), from_frame: 0, to_frame: 0, longer_frames: -20 },
        ListChange::Moved { name: "b".into(), from_frame: 100, to_frame: 80, longer_frames: 0 },
        ListChange::Added { name: "new".into(), to_frame: 180 },
        ListChange::Gone { name: "b".into(), from_frame: 200 },
    ];
    assert_eq!(changes, told);
    assert_eq!(picture.moments[0].name, "mine");
    assert!(picture.shots.iter().any(|s| s.name == "by hand" && s.start_frame == 400));
    assert!(picture.shots.iter().any(|s| s.name == "b" && s.still));
}
