//! Files of every supported kind, made by ffmpeg (Debian's), and files that are broken.

use jaunty_core::sound::{Sound, Source};
use jaunty_media::{DecodeError, PcmFile, decode_file, decode_to_sound, overview, wav_bytes, write_wav};
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// A second and a half of a 1 kHz tone that starts at a known place, stereo at 48 kHz.
fn tone() -> Sound {
    let plane: Vec<f32> =
        (0..72_000).map(|n| if n < 24_000 { 0.0 } else { 0.5 * ((n - 24_000) as f32 * 1000.0 * std::f32::consts::TAU / 48_000.0).sin() }).collect();
    Sound::new(vec![plane.clone(), plane])
}

fn converted(folder: &Path, name: &str, more: &[&str]) -> PathBuf {
    let (from, to) = (folder.join("tone.wav"), folder.join(name));
    write_wav(&from, &tone()).unwrap();
    let status = Command::new("ffmpeg").args(["-v", "error", "-y", "-i"]).arg(&from).args(more).arg(&to).status().expect("ffmpeg is installed by ./test");
    assert!(status.success(), "{name}");
    to
}

/// Where the tone starts.
fn onset(sound: &Sound) -> usize {
    sound.channels()[0].iter().position(|s| s.abs() > 0.1).unwrap_or(0)
}

#[test]
fn every_kind_comes_in_at_its_length_and_in_sync() {
    let folder = TempDir::new().unwrap();
    // (file, ffmpeg's options, samples that the onset may be off: lossy codecs smear an attack).
    for (name, options, slack) in [
        ("a.wav", &["-c:a", "pcm_s16le"][..], 8),
        ("b.wav", &["-c:a", "pcm_f32le", "-ar", "192000"], 8),
        ("c.wav", &["-c:a", "pcm_u8", "-ar", "8000", "-ac", "1"], 30),
        ("d.aiff", &["-c:a", "pcm_s24be"], 8),
        ("e.flac", &["-ar", "44100"], 8),
        ("f.mp3", &["-b:a", "192k"], 60),
        ("g.ogg", &["-c:a", "libvorbis", "-ar", "44100"], 60),
        ("h.m4a", &["-c:a", "aac", "-b:a", "192k"], 60),
    ] {
        let sound = decode_to_sound(&converted(folder.path(), name, options)).unwrap_or_else(|e| panic!("{name}: {e}"));
        let (length, start) = (sound.len_samples() as i64, onset(&sound) as i64);
        assert!((start - 24_000).abs() <= slack + 4, "{name}: the tone starts at {start}");
        // MP3 and AAC end on whole packets of 1152 and 1024 samples.
        assert!((0..=2400).contains(&(length - 72_000 + slack)), "{name}: {length} samples");
        assert_eq!(sound.channel_count(), if name == "c.wav" { 1 } else { 2 }, "{name}");
    }
}

#[test]
fn what_is_no_sound_is_refused_with_what_to_do() {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        path
    };
    let refused = |path: &Path| decode_to_sound(path).err().unwrap_or_else(|| panic!("{path:?} was taken"));
    assert!(matches!(refused(&write("empty.wav", b"")), DecodeError::Empty));
    let text = refused(&write("text.wav", b"Dear editor,\nthis is a letter, not a sound.\n"));
    assert!(matches!(text, DecodeError::Unsupported(_)) && text.to_string().contains("use WAV"), "{text}");
    let header_only = refused(&write("head.wav", &wav_bytes(&Sound::silence(2, 0)).unwrap()));
    assert!(matches!(header_only, DecodeError::NoSamples | DecodeError::Unsupported(_)), "{header_only}");
    let six = refused(&converted(folder.path(), "six.wav", &["-ac", "6"]));
    assert!(matches!(six, DecodeError::Channels(6)) && six.to_string().contains("mix it down"), "{six}");
}

#[test]
fn a_truncated_file_is_kept_as_far_as_it_goes_and_marked() {
    let folder = TempDir::new().unwrap();
    let mut bytes = wav_bytes(&tone()).unwrap();
    bytes.truncate(bytes.len() / 2);
    let (path, to) = (folder.path().join("half.wav"), folder.path().join("half.pcm"));
    std::fs::write(&path, bytes).unwrap();
    let info = decode_file(&path, Some("wav"), &to, &mut |_| true).unwrap();
    assert!(info.damaged);
    assert!((35_000..36_100).contains(&info.length_samples), "{}", info.length_samples);
    assert_eq!(PcmFile::open(&to).unwrap().len_samples(), info.length_samples);
}

#[test]
fn decoding_can_be_cancelled() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("tone.wav");
    write_wav(&path, &tone()).unwrap();
    let result = decode_file(&path, None, &folder.path().join("x.pcm"), &mut |_| false);
    assert!(matches!(result, Err(DecodeError::Cancelled)));
}

#[test]
fn twenty_four_bits_go_out_and_come_back() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("out.wav");
    let sound = Sound::new(vec![vec![0.0, 0.5, -0.5, 1.5, -1.5, 1e-8]]);
    write_wav(&path, &sound).unwrap();
    let mut reader = hound::WavReader::open(&path).unwrap();
    assert_eq!((reader.spec().bits_per_sample, reader.spec().sample_rate), (24, 48_000));
    let values: Vec<i32> = reader.samples().map(Result::unwrap).collect();
    // Beyond full scale is held at full scale, not wrapped.
    assert_eq!(values, [0, 4_194_304, -4_194_304, 8_388_607, -8_388_608, 0]);
}

#[test]
fn a_working_file_gives_any_range_as_the_sound_does() {
    let folder = TempDir::new().unwrap();
    let (path, to) = (folder.path().join("tone.wav"), folder.path().join("tone.pcm"));
    write_wav(&path, &tone()).unwrap();
    decode_file(&path, None, &to, &mut |_| true).unwrap();
    let (file, sound) = (PcmFile::open(&to).unwrap(), decode_to_sound(&path).unwrap());
    for (start, len) in [(0i64, 10), (-5, 20), (23_990, 40_000), (71_990, 20), (100_000, 5), (i64::MIN + 9, 5)] {
        let (mut a, mut b) = (vec![9.0; len], vec![9.0; len]);
        file.read(1, start, &mut a);
        sound.read(1, start, &mut b);
        assert_eq!(a, b, "{len} samples from {start}");
        file.read_mono(start, &mut a);
        sound.read_mono(start, &mut b);
        assert_eq!(a, b);
    }
    std::fs::write(&to, b"something else").unwrap();
    assert!(PcmFile::open(&to).is_err());
}

#[test]
fn an_overview_holds_the_peaks() {
    let mut plane = vec![0.0f32; 1000];
    plane[250] = -0.5;
    plane[999] = 2.0;
    let drawn = overview(&Sound::new(vec![plane]), 100);
    assert_eq!(drawn.peaks, [0, 0, 32_768, 0, 0, 0, 0, 0, 0, 65_535]);
}

/// A film made by ffmpeg itself: what it was told is what is read back.
#[test]
fn a_film_says_its_rate_length_and_timecode() {
    use jaunty_media::film;
    let folder = tempfile::tempdir().unwrap();
    for (rate, num, den, drop_frame, timecode, frames) in
        [("30000/1001", 30_000, 1001, true, "01:00:00;02", 90), ("25", 25, 1, false, "10:00:00:00", 50), ("24000/1001", 24_000, 1001, false, "00:59:59:00", 48)]
    {
        let path = folder.path().join("film.mp4");
        let made = std::process::Command::new("ffmpeg")
            .args([
                "-v",
                "error",
                "-nostdin",
                "-f",
                "lavfi",
                "-i",
                // Cut by the source, not by the output: ffmpeg drops sound when an output is full.
                &format!("testsrc=size=64x36:rate={rate},trim=end_frame={frames}"),
                "-f",
                "lavfi",
                "-i",
                "sine=frequency=440:sample_rate=44100:duration=1.9",
            ])
            .args(["-timecode", timecode, "-c:v", "libx264", "-pix_fmt", "yuv420p", "-y"])
            .arg(&path)
            .status()
            .expect("ffmpeg is installed by ./test");
        assert!(made.success());
        let facts = film::probe(&path).unwrap();
        assert_eq!((facts.rate.num(), facts.rate.den(), facts.rate.is_drop_frame()), (num, den, drop_frame));
        assert_eq!((facts.length_frames, facts.has_sound, facts.width_px, facts.height_px), (frames, true, 64, 36));
        assert_eq!(facts.first_frame, Some(facts.rate.frame_from_timecode(timecode).unwrap()));
        // Its own sound comes out at 48 kHz and as long as it was, to the nearest blocks of AAC.
        let wav = folder.path().join("own.wav");
        film::extract_sound(&path, &wav).unwrap();
        let own = jaunty_media::decode_to_sound(&wav).unwrap();
        assert!(jaunty_core::sound::Source::len_samples(&own).abs_diff(91_200) < 2500);
        let jpeg = folder.path().join("still.jpg");
        film::still(&path, 0.5, 32, &jpeg).unwrap();
        assert!(std::fs::read(&jpeg).unwrap().starts_with(&[0xff, 0xd8]));
    }
    let letter = folder.path().join("letter.mp4");
    std::fs::write(&letter, "Dear editor").unwrap();
    let told = film::probe(&letter).unwrap_err().to_string();
    assert!(told.contains("no film") && !told.contains(&folder.path().display().to_string()), "{told}");
}

#[test]
fn words_are_spoken_without_silence_around_them() {
    let spoken = jaunty_media::speak("At noon, it struck.", "en-gb").expect("espeak-ng is installed by ./test");
    let samples = &spoken.channels()[0];
    assert!((24_000..144_000).contains(&samples.len()), "{} samples", samples.len());
    assert!(samples[..480].iter().any(|s| s.abs() > 0.005) && samples[samples.len() - 480..].iter().any(|s| s.abs() > 0.002));
}
