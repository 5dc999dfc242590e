//! Captions against webvtt-py and pysrt.

use super::reference::ask;
use jaunty_core::units::seconds_from_samples;
use jaunty_exchange::{For, Format, read};

#[test]
fn captions_are_read_as_the_reference_packages_read_them() {
    let folder = tempfile::tempdir().unwrap();
    let truth = ask("captions", &[folder.path()]);
    for (name, format) in [("vtt", Format::WebVtt), ("srt", Format::SubRip)] {
        let list = read(&std::fs::read(folder.path().join(format!("made.{name}"))).unwrap(), For::default()).unwrap();
        assert_eq!(list.format, format);
        let wanted = truth[name].as_array().unwrap();
        assert_eq!(list.lines.len(), wanted.len());
        for (line, cue) in list.lines.iter().zip(wanted) {
            assert!((seconds_from_samples(line.start_samples) - cue[0].as_f64().unwrap()).abs() < 1e-3, "{line:?} {cue}");
            let plain = cue[1].as_str().unwrap().replace('\n', " ").replace("<i>", "").replace("</i>", "").replace("&amp;", "&");
            assert_eq!(line.words, plain);
        }
        assert!(list.unused.is_empty());
    }
}

#[test]
fn damaged_captions_give_what_they_can() {
    let text = "\u{feff}1\r\n00:00:01,000 --> 00:00:02,500\r\nOne <b>and</b> only\r\n\r\n2\r\n00:00:03,000 --> 00:00:02,000\r\nbackwards\r\n\r\n\
        3\r\n00:00:aa,000 --> 00:00:05,000\r\nno time\r\n\r\n4\r\n00:00:06,000 --> 00:00:07,000\r\n\r\n5\r\n00:00:08,000 --> 00:00:09,000\r\n5 < 6 & so on\r\n";
    let list = read(text.as_bytes(), For::default()).unwrap();
    let words: Vec<&str> = list.lines.iter().map(|l| l.words.as_str()).collect();
    assert_eq!(words, ["One and only", "5 < 6 & so on"]);
    assert_eq!(list.unused.iter().map(|u| u.line.unwrap()).collect::<Vec<_>>(), [6, 10, 14]);
    // The same in UTF-16 and in Windows-1252.
    let wide: Vec<u8> = [0xff, 0xfe].into_iter().chain("WEBVTT\n\n00:01.000 --> 00:02.000\ncafé\n".encode_utf16().flat_map(u16::to_le_bytes)).collect();
    assert_eq!(read(&wide, For::default()).unwrap().lines[0].words, "café");
    assert_eq!(read(b"1\n00:00:01,000 --> 00:00:02,000\ncaf\xe9\n", For::default()).unwrap().lines[0].words, "café");
}
