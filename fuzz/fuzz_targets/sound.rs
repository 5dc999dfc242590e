//! Any bytes as a sound file: decoded or refused, within bounds.
#![no_main]

mod hook;

use jaunty_media::{PcmFile, decode_file};
use jaunty_core::sound::Source;
use std::io::Write;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    hook::ours_only();
    // The first byte says what the file is called.
    let Some((first, bytes)) = bytes.split_first() else { return };
    let endings = ["wav", "aiff", "flac", "mp3", "ogg", "m4a", "mkv", "caf", "x"];
    let ending = endings[usize::from(*first) % endings.len()];
    let mut file = tempfile::NamedTempFile::new().expect("a file");
    file.write_all(bytes).expect("room");
    let to = tempfile::NamedTempFile::new().expect("a file");
    let mut steps = 0;
    let decoded = decode_file(file.path(), Some(ending), to.path(), &mut |_| {
        steps += 1;
        steps < 3000
    });
    if let Ok(info) = decoded {
        let pcm = PcmFile::open(to.path()).expect("a working file");
        assert_eq!(pcm.len_samples(), info.length_samples);
        let mut some = vec![0.0; 4096];
        pcm.read(0, 0, &mut some);
        assert!(some.iter().all(|s| s.is_finite()));
    }
});
