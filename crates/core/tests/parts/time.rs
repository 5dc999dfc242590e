//! Timecode and frame rates against SMPTE ST 12-1.

use jaunty_core::units::{CutLength, FrameRate, TimeError};
use proptest::prelude::*;

fn rate(num: u32, den: u32, drop: bool) -> FrameRate {
    FrameRate::new(num, den, drop).unwrap()
}

/// A length that is no whole number of frames is rounded, and says by how much.
#[test]
fn a_length_says_what_was_rounded() {
    let (pal, ntsc) = (FrameRate::new(25, 1, false).unwrap(), FrameRate::new(30000, 1001, true).unwrap());
    let off = |rate, text: &str| CutLength::parse(rate, text).unwrap().rounded_by_s(text);
    assert_eq!((off(pal, "90"), off(pal, "1:30,4"), off(pal, "00:01:30:00")), (None, None, None));
    assert!((off(pal, "1:30.5").unwrap() - 0.02).abs() < 1e-9, "2262.5 frames become 2263");
    assert!((off(pal, "61,23").unwrap() - 0.01).abs() < 1e-9, "61.23 s are 1530.75 frames of 25, so 1531");
    assert!((off(ntsc, "60").unwrap() + 0.0067).abs() < 0.0001, "1798 frames of 30000/1001 are 59.993 s");
    assert!(CutLength::parse(pal, "1:60").is_err() && CutLength::parse(pal, "a:10").is_err() && CutLength::parse(pal, "-1:10").is_err());
}

#[test]
fn drop_frame_labels_are_those_of_the_standard() {
    // SMPTE ST 12-1: at 29.97 the labels ;00 and ;01 are left out each minute but every tenth, so
    // an hour of labels is 107 892 frames; at 59.94 four labels, 215 784 frames.
    let df30 = rate(30_000, 1001, true);
    for (frame, label) in
        [(0, "00:00:00;00"), (1799, "00:00:59;29"), (1800, "00:01:00;02"), (17_981, "00:09:59;29"), (17_982, "00:10:00;00"), (107_892, "01:00:00;00")]
    {
        assert_eq!(df30.timecode(frame).to_string(), label);
        assert_eq!(df30.frame_from_timecode(label), Ok(frame), "{label}");
    }
    let df60 = rate(60_000, 1001, true);
    assert_eq!(df60.timecode(3600).to_string(), "00:01:00;04");
    assert_eq!(df60.timecode(215_784).to_string(), "01:00:00;00");
    assert_eq!(df30.frame_from_timecode("00:01:00;01"), Err(TimeError::Dropped("00:01:00;01".into())));
    assert_eq!(rate(30_000, 1001, false).timecode(1800).to_string(), "00:01:00:00");
}

#[test]
fn an_hour_of_drop_frame_is_an_hour_on_the_clock() {
    // ST 12-1 states the remaining error as about 3.6 ms in an hour.
    let samples = rate(30_000, 1001, true).samples_from_frames(107_892);
    assert!((samples as f64 / 48_000.0 - 3600.0).abs() < 0.004);
}

#[test]
fn lengths_in_samples_are_exact() {
    for (num, den, frames, samples) in
        [(25, 1, 2250, 4_320_000), (24_000, 1001, 24, 48_048), (30_000, 1001, 30, 48_048), (60_000, 1001, 60, 48_048), (24, 1, 1, 2000), (50, 1, 1, 960)]
    {
        assert_eq!(rate(num, den, false).samples_from_frames(frames), samples);
    }
}

#[test]
fn lengths_are_read_as_editors_write_them() {
    let pal = rate(25, 1, false);
    for (text, frames) in [("00:01:30:00", 2250), ("1:30", 2250), ("90", 2250), ("90.5", 2263), ("0:00:10;12", 262), (" 1:02.4 ", 1560)] {
        assert_eq!(CutLength::parse(pal, text).map(CutLength::frames), Ok(frames), "{text}");
    }
    for text in ["", "0", "-3", "NaN", "inf", "00:00:00:00", "1:75", "00:00:10:25", "ninety", "1e9", "00:61:00:00", "99999999999:00", "<b>"] {
        assert!(CutLength::parse(pal, text).is_err(), "{text}");
    }
    assert_eq!(FrameRate::new(23, 1, false), Err(TimeError::Rate { num: 23, den: 1 }));
    assert_eq!(FrameRate::new(25, 1, true), Err(TimeError::NoDropFrame));
}

proptest! {
    #[test]
    fn a_label_leads_back_to_its_frame(frame in 0u64..5_000_000, which in 0usize..8, drop: bool) {
        let (num, den) = FrameRate::KNOWN[which];
        let Ok(rate) = FrameRate::new(num, den, drop) else { return Ok(()) };
        prop_assert_eq!(rate.frame_from_timecode(&rate.timecode(frame).to_string()), Ok(frame));
        prop_assert_eq!(rate.frame_at_sample(rate.samples_from_frames(frame)), frame);
    }
}

#[test]
fn a_cut_lasts_from_one_frame_to_twelve_hours_at_every_rate() {
    for (num, den) in FrameRate::KNOWN {
        let rate = rate(num, den, false);
        // 12 h are 43 200 s; whole frames of them.
        let most = 43_200 * u64::from(num) / u64::from(den);
        for (frames, fine) in [(0, false), (1, true), (most, true), (most + 1, false), (120 * 3600 * 60, false), (u64::MAX, false)] {
            assert_eq!(CutLength::new(rate, frames).is_ok(), fine, "{num}/{den}: {frames}");
        }
        assert!(rate.samples_from_frames(most) <= CutLength::MOST_SAMPLES);
        for text in ["12:00:00:00", "11:59:59:00"] {
            let parsed = CutLength::parse(rate, text);
            // At 29.97 the label comes 43 s after 12 h are over (SMPTE ST 12-1: it counts 30 a second).
            assert_eq!(parsed.is_ok(), den == 1, "{num}/{den}: {text}");
        }
        for text in ["43201", "120:00:00:00", "721:00", "1e300", "-1e300"] {
            assert!(CutLength::parse(rate, text).is_err(), "{text}");
        }
    }
    assert_eq!(CutLength::samples_from_seconds(43_200.0), Ok(CutLength::MOST_SAMPLES));
    for wrong in [0.0, 0.01, -1.0, 43_200.1, 1e300, f64::NAN, f64::INFINITY] {
        assert!(CutLength::samples_from_seconds(wrong).is_err(), "{wrong}");
    }
}
