//! Damaged and hostile lists end in messages, not in hangs or panics.

use jaunty_core::picture::MOST_MARKS;
use jaunty_core::units::FrameRate;
use jaunty_exchange::grid::{self, Bed};
use jaunty_exchange::{ExchangeError, For, MOST_LINES, read};
use proptest::prelude::*;
use std::fmt::Write;

fn cut() -> For {
    For { rate: FrameRate::new(25, 1, false).ok(), first_frame: 0 }
}

#[test]
fn ten_times_as_many_events_as_a_cut_holds_are_read_and_the_first_ones_kept() {
    // All of them overlap: the case that a pairwise comparison would hang on.
    let mut text = String::from("TITLE: MANY\n");
    let timecode = |frame: u64| format!("{:02}:{:02}:{:02}:{:02}", frame / 90_000, frame / 1500 % 60, frame / 25 % 60, frame % 25);
    for k in 0..50_000u64 {
        writeln!(text, "{:06}  AX V C {} {} {} {}", k + 1, timecode(0), timecode(30), timecode(k), timecode(k + 30)).unwrap();
    }
    let list = read(text.as_bytes(), cut()).unwrap();
    assert_eq!(list.marks.shots.len(), MOST_MARKS);
    assert!(list.unused.iter().any(|u| u.reason.contains("at most")));
    // The same as one timeline.
    let items = r#"{"OTIO_SCHEMA":"Clip.1","name":"x","source_range":{"start_time":{"rate":25,"value":0},"duration":{"rate":25,"value":3}}}"#;
    let text = format!(r#"{{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[{}]}}"#, vec![items; 100_000].join(","));
    assert_eq!(read(text.as_bytes(), cut()).unwrap().marks.shots.len(), MOST_MARKS);
}

#[test]
fn lists_without_end_are_refused_before_they_are_read() {
    let rows = format!("time,name\n{}", "1,x\n".repeat(1_000_000));
    let events = format!("TITLE: MANY\n{}", "000001  AX V C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\n".repeat(200_000));
    let cues = format!("WEBVTT\n\n{}", "00:01.000 --> 00:02.000\nx\n\n".repeat(86_000));
    for text in [rows, events, cues] {
        let told = read(text.as_bytes(), cut()).unwrap_err();
        assert_eq!(told, ExchangeError::TooLong);
        assert!(told.to_string().contains("more than 60000 lines"), "{told}");
    }
    // As many as there may be are read.
    let most = format!("time,name\n{}", "1,x\n".repeat(MOST_LINES - 1));
    assert_eq!(read(most.as_bytes(), cut()).unwrap().marks.moments.len(), MOST_MARKS);
}

#[test]
fn numbers_beyond_sense_are_told() {
    let clip = |value: &str, rate: &str| {
        format!(
            r#"{{"OTIO_SCHEMA":"Timeline.1","tracks":{{"OTIO_SCHEMA":"Stack.1","children":[{{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[{{"OTIO_SCHEMA":"Clip.1","name":"x","source_range":{{"start_time":{{"rate":{rate},"value":0}},"duration":{{"rate":{rate},"value":{value}}}}}}}]}}]}}}}"#
        )
    };
    for (value, rate) in [("1e308", "25"), ("-5", "25"), ("10", "0"), ("10", "-25"), ("1e15", "25")] {
        let told = read(clip(value, rate).as_bytes(), cut()).unwrap_err();
        assert!(matches!(told, ExchangeError::NothingUsed { .. } | ExchangeError::Rate(_)), "{value} {rate}: {told}");
    }
    assert!(matches!(read(clip("10", "13").as_bytes(), For::default()), Err(ExchangeError::Rate(_))));
    assert!(matches!(read(clip("NaN", "25").as_bytes(), cut()), Err(ExchangeError::Damaged { .. })));
    let deep = "{\"OTIO_SCHEMA\":\"Stack.1\",\"children\":[".repeat(4000);
    assert!(read(deep.as_bytes(), cut()).is_err());
    let edl = "001 AX V C 99:99:99:99 00:00:01:00 99999999999999:00:00:00 00:00:01:00\n";
    assert!(read(edl.as_bytes(), cut()).is_err());
}

#[test]
fn what_is_no_list_says_so() {
    for (bytes, part) in [
        (&b""[..], "empty"),
        (b"   \n", "empty"),
        (b"RIFF\0\0\0\0WAVE", "not text"),
        (b"<?xml version=\"1.0\"?>", "XML"),
        (b"{\"a\":1}", "another kind"),
        (b"hello\nworld\n", "no row"),
    ] {
        let told = read(bytes, cut()).unwrap_err().to_string();
        assert!(told.contains(part), "{told}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn no_bytes_break_it(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = read(&bytes, cut());
    }

    /// Whatever a list says, shots follow each other and lie within it.
    #[test]
    fn shots_never_overlap(events in proptest::collection::vec((0u64..3000, 0u64..400, 0usize..3), 1..60)) {
        let timecode = |frame: u64| format!("01:{:02}:{:02}:{:02}", frame / 1500 % 60, frame / 25 % 60, frame % 25);
        let text: String = events
            .iter()
            .enumerate()
            .map(|(k, (start, length, layer))| format!("{:03} R{k} V{layer} C {} {} {} {}\n", k + 1, timecode(0), timecode(*length), timecode(*start), timecode(start + length)))
            .collect();
        if let Ok(list) = read(text.as_bytes(), cut()) {
            for pair in list.marks.shots.windows(2) {
                prop_assert!(pair[0].end_frame <= pair[1].start_frame);
            }
            let shown: u64 = list.marks.shots.iter().map(|s| s.end_frame - s.start_frame).sum();
            let covered = (0..3400u64).filter(|f| events.iter().any(|(start, length, _)| (*start..start + length).contains(f))).count() as u64;
            prop_assert_eq!(shown, covered);
        }
    }
}

/// What fuzzing found (`tools/fuzz.sh`), each named by what it is.
#[test]
fn what_once_broke_a_parser_ends_in_a_message() {
    let cases = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/cases");
    for case in std::fs::read_dir(cases).unwrap() {
        let path = case.unwrap().path();
        let bytes = std::fs::read(&path).unwrap();
        for bed in [Bed { length_s: 51.0, metre: 4 }, Bed { length_s: 0.0, metre: 0 }] {
            if let Err(cause) = grid::read(&bytes, bed) {
                assert!(cause.to_string().ends_with('.'), "{path:?}: {cause}");
            }
        }
        // Read or refused: that it ends is what counts.
        let _ = read(&bytes, cut());
    }
}
