//! Any bytes as a list of shots, moments or captions.
#![no_main]

use jaunty_core::picture::Picture;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_exchange::{For, cmx3600, otio, read};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some((first, bytes)) = bytes.split_first() else { return };
    let (num, den) = FrameRate::KNOWN[usize::from(*first) % FrameRate::KNOWN.len()];
    let rate = FrameRate::new(num, den, false).expect("a rate that is known");
    let wanted = For { rate: (first & 64 == 0).then_some(rate), first_frame: 0 };
    if let Ok(list) = read(bytes, wanted)
        && let Some(length) = list.length_frames.and_then(|frames| CutLength::new(list.rate, frames).ok())
    {
        let mut picture = Picture::new(length);
        picture.take_list(list.marks);
        // What was taken in can be written out.
        otio::write("fuzz", &picture);
        cmx3600::write("fuzz", &picture);
    }
});
