//! Any text as a length or a timecode that somebody types.
#![no_main]

use jaunty_core::units::{CutLength, FrameRate};

libfuzzer_sys::fuzz_target!(|text: &str| {
    for (num, den) in FrameRate::KNOWN {
        for drop_frame in [false, true] {
            let Ok(rate) = FrameRate::new(num, den, drop_frame) else { continue };
            if let Ok(frame) = rate.frame_from_timecode(text) {
                let label = rate.timecode(frame).to_string();
                assert_eq!(rate.frame_from_timecode(&label), Ok(frame), "{text} is {label}");
            }
            if let Ok(length) = CutLength::parse(rate, text) {
                assert!(length.frames() >= 1 && rate.samples_from_frames(length.frames()) <= CutLength::MOST_SAMPLES);
            }
        }
    }
});
