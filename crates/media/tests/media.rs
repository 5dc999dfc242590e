//! Files of every supported kind, made by ffmpeg (Debian's), and files that are broken.

use jaunty_core::sound::{Sound, Source};
use jaunty_media::{DecodeError, PcmFile, at_tempo, decode_file, decode_to_sound, film, overview, wav_bytes, write_wav};
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

/// Two seconds of chords, a rising tone and noise that is not the same in both channels, all under 7 kHz: what every
/// rate from 16 kHz on holds.
fn music() -> Sound {
    let mut state = 3u32;
    let mut rustle = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 23) as f32 - 1.0
    };
    let (mut left, mut right, mut low) = (Vec::new(), Vec::new(), [0.0f32; 8]);
    for n in 0..96_000 {
        let t = n as f32 / 48_000.0;
        let tone = |hz: f32| (std::f32::consts::TAU * hz * t).sin();
        let chord = 0.1 * (tone(220.0) + tone(277.2) + tone(329.6)) * (1.0 - (t - 0.5).fract().abs());
        let sweep = 0.1 * (std::f32::consts::TAU * (100.0 * t + 1500.0 * t * t)).sin();
        // Eight poles at 1.5 kHz: 100 dB down by 7 kHz.
        low.iter_mut().fold(rustle(), |input, pole| {
            *pole += 0.18 * (input - *pole);
            *pole
        });
        // In and out gently, so that nothing lies on the edge of the file.
        let edge = (t / 0.05).min((2.0 - t) / 0.05).min(1.0);
        left.push(edge * (chord + sweep + 0.8 * low[7]));
        right.push(edge * (chord - 0.5 * sweep - 0.5 * low[7]));
    }
    Sound::new(vec![left, right])
}

/// A file as ffmpeg hears it: 48 kHz, with its best resampler.
fn by_ffmpeg(file: &Path, channels: usize) -> Vec<Vec<f32>> {
    let out = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(file)
        .args(["-af", "aresample=48000:resampler=soxr:precision=28", "-f", "f32le", "-"])
        .output()
        .expect("ffmpeg is installed by ./test");
    let all: Vec<f32> = out.stdout.as_chunks::<4>().0.iter().map(|bytes| f32::from_le_bytes(*bytes)).collect();
    (0..channels).map(|channel| all.iter().skip(channel).step_by(channels).copied().collect()).collect()
}

#[test]
fn what_we_hear_in_a_file_is_what_ffmpeg_hears() {
    let folder = TempDir::new().unwrap();
    let from = folder.path().join("music.wav");
    write_wav(&from, &music()).unwrap();
    // (file, options, channels, how far the difference lies under the sound at least, in dB).
    for (name, options, channels, least_db) in [
        ("a.wav", &["-c:a", "pcm_s16le"][..], 2, 140.0),
        ("b.wav", &["-c:a", "pcm_s24le"], 2, 140.0),
        ("c.wav", &["-c:a", "pcm_f64le"], 2, 140.0),
        ("d.wav", &["-c:a", "pcm_s32le", "-ac", "1"], 1, 120.0),
        ("e.aiff", &["-c:a", "pcm_s16be"], 2, 140.0),
        ("f.flac", &[], 2, 140.0),
        ("g.m4a", &["-c:a", "alac"], 2, 140.0),
        ("h.caf", &["-c:a", "pcm_s16be"], 2, 140.0),
        ("i.wav", &["-ar", "44100", "-c:a", "pcm_s24le"], 2, 95.0),
        ("j.wav", &["-ar", "22050", "-c:a", "pcm_s24le"], 2, 95.0),
        ("k.flac", &["-ar", "96000"], 2, 85.0),
        ("l.wav", &["-ar", "192000", "-c:a", "pcm_s24le"], 2, 85.0),
        ("m.wav", &["-ar", "32000", "-ac", "1", "-c:a", "pcm_s16le"], 1, 85.0),
        ("n.mp3", &["-b:a", "160k"], 2, 100.0),
        ("o.mp3", &["-b:a", "128k", "-ar", "44100"], 2, 100.0),
        ("p.ogg", &["-c:a", "libvorbis", "-q:a", "5"], 2, 100.0),
        ("q.m4a", &["-c:a", "aac", "-b:a", "160k"], 2, 100.0),
    ] {
        let file = folder.path().join(name);
        let made = Command::new("ffmpeg").args(["-v", "error", "-y", "-i"]).arg(&from).args(options).arg(&file).status().expect("ffmpeg");
        assert!(made.success(), "{name}");
        let (ours, theirs) = (decode_to_sound(&file).unwrap_or_else(|e| panic!("{name}: {e}")), by_ffmpeg(&file, channels));
        assert_eq!(ours.channel_count(), channels, "{name}");
        for (channel, theirs) in theirs.iter().enumerate() {
            let ours = &ours.channels()[channel];
            assert!(ours.len().abs_diff(theirs.len()) <= 2400, "{name}: {} samples, {} by ffmpeg", ours.len(), theirs.len());
            let power = |all: &mut dyn Iterator<Item = f32>| all.map(|x| f64::from(x * x)).sum::<f64>() + 1e-12;
            let sound = power(&mut theirs.iter().copied());
            let apart = power(&mut ours.iter().zip(theirs).map(|(a, b)| a - b));
            let db = 10.0 * (sound / apart).log10();
            println!("{name}, channel {channel}: {db:.1} dB");
            assert!(db >= least_db, "{name}, channel {channel}: only {db:.1} dB under the sound");
        }
    }
}

/// From the highest rates to the lowest that music comes in: what can be heard stays, what would fold back is gone.
#[test]
fn resampling_keeps_what_can_be_heard_and_nothing_folds_back() {
    let folder = TempDir::new().unwrap();
    let file = folder.path().join("tone.wav");
    for rate in [44_100u32, 88_200, 96_000, 176_400, 192_000] {
        for hz in [40.0, 1000.0, 15_000.0, 20_000.0, 27_000.0, 30_000.0, 47_000.0f64] {
            if hz > 0.49 * f64::from(rate) {
                continue;
            }
            let spec = hound::WavSpec { channels: 1, sample_rate: rate, bits_per_sample: 32, sample_format: hound::SampleFormat::Float };
            let mut writer = hound::WavWriter::create(&file, spec).unwrap();
            for n in 0..rate {
                writer.write_sample(0.5 * (f64::from(n) * hz * std::f64::consts::TAU / f64::from(rate)).sin() as f32).unwrap();
            }
            writer.finalize().unwrap();
            let sound = decode_to_sound(&file).unwrap();
            assert_eq!(sound.len_samples(), 48_000, "a second is a second at {rate} Hz");
            // Without the edges, at which any tone rings.
            let middle = &sound.channels()[0][4_800..43_200];
            let level = (middle.iter().map(|x| f64::from(x * x)).sum::<f64>() / middle.len() as f64).sqrt();
            let db = 20.0 * (level / (0.5 / 2.0f64.sqrt()) + 1e-9).log10();
            println!("{hz} Hz of {rate}: {db:.2} dB");
            if hz <= 20_000.0 {
                assert!(db.abs() < 0.1, "{hz} Hz of {rate}: {db:.2} dB");
            } else {
                assert!(db < -80.0, "{hz} Hz of {rate} fold back at {db:.1} dB");
            }
        }
    }
}

/// Surround sound comes in as two channels, as ffmpeg mixes it down when nothing may go beyond full scale.
#[test]
fn more_channels_become_two_as_ffmpeg_makes_them_two() {
    let folder = TempDir::new().unwrap();
    for (name, layout, channels) in [("five.wav", "5.1", 6), ("five.flac", "5.1", 6), ("quad.wav", "quad", 4), ("three.wav", "3.0", 3), ("seven.wav", "7.1", 8)]
    {
        // A tone of its own in every channel.
        let tones: Vec<String> = (0..channels).map(|k| format!("0.5*sin(2*PI*{}*t)", 200 + 170 * k)).collect();
        let file = folder.path().join(name);
        let source = format!("aevalsrc={}:s=48000:d=0.5:c={layout}", tones.join("|"));
        let coding = if name.ends_with("flac") { "flac" } else { "pcm_s24le" };
        let mut ffmpeg = Command::new("ffmpeg");
        let made = ffmpeg.args(["-v", "error", "-y", "-f", "lavfi", "-i", &source, "-c:a", coding]).arg(&file);
        assert!(made.status().expect("ffmpeg").success(), "{name}");
        let out =
            Command::new("ffmpeg").args(["-v", "error", "-i"]).arg(&file).args(["-rematrix_maxval", "1", "-ac", "2", "-f", "f32le", "-"]).output().unwrap();
        let theirs: Vec<f32> = out.stdout.as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect();
        let ours = decode_to_sound(&file).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert_eq!((ours.channel_count(), 2 * ours.len_samples() as usize), (2, theirs.len()), "{name}");
        for side in 0..2 {
            let apart = ours.channels()[side].iter().zip(theirs.iter().skip(side).step_by(2)).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(apart < 2e-3, "{name}, side {side}: {apart}");
        }
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
    assert!(matches!(text, DecodeError::Unsupported(_)) && text.to_string().contains("Use WAV"), "{text}");
    let header_only = refused(&write("head.wav", &wav_bytes(&Sound::silence(2, 0)).unwrap()));
    assert!(matches!(header_only, DecodeError::NoSamples | DecodeError::Unsupported(_)), "{header_only}");
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

/// A WAV file with the head that is asked for, whatever its samples are.
fn wav_of(rate_hz: u32, channels: u16, samples: &[f32]) -> Vec<u8> {
    let data: Vec<u8> = samples.iter().flat_map(|s| s.to_le_bytes()).collect();
    let align = channels * 4;
    let mut out = b"RIFF".to_vec();
    out.extend((36 + data.len() as u32).to_le_bytes());
    out.extend(b"WAVEfmt ");
    out.extend(16u32.to_le_bytes());
    // Format 3 is floating point (Microsoft's multimedia registry).
    [3u16, channels].iter().for_each(|v| out.extend(v.to_le_bytes()));
    [rate_hz, rate_hz.wrapping_mul(u32::from(align))].iter().for_each(|v| out.extend(v.to_le_bytes()));
    [align, 32].iter().for_each(|v| out.extend(v.to_le_bytes()));
    out.extend(b"data");
    out.extend((data.len() as u32).to_le_bytes());
    out.extend(data);
    out
}

#[test]
fn what_no_sound_has_is_refused_before_it_is_planned_for() {
    let folder = TempDir::new().unwrap();
    let sine: Vec<f32> = (0..48_000).map(|n| 0.5 * (n as f32 * 0.05).sin()).collect();
    let decoded = |bytes: Vec<u8>| {
        let (path, to) = (folder.path().join("x.wav"), folder.path().join("x.pcm"));
        std::fs::write(&path, bytes).unwrap();
        decode_file(&path, Some("wav"), &to, &mut |_| true)
    };
    let with = |value: f32, count: usize| (0..48_000).map(|n| if n < count { value } else { sine[n] }).collect::<Vec<f32>>();
    for rate in [0, 1, 2, 100, 3_999, 768_001, u32::MAX] {
        let result = decoded(wav_of(rate, 1, &sine));
        assert!(matches!(result, Err(DecodeError::Rate(_) | DecodeError::Unsupported(_))), "{rate}: {result:?}");
    }
    for rate in [4_000, 47_999, 191_999, 768_000] {
        let length = decoded(wav_of(rate, 1, &sine)).unwrap_or_else(|e| panic!("{rate}: {e}")).length_samples;
        assert_eq!(length, (48_000.0 * 48_000.0 / f64::from(rate)).round() as u64, "{rate}");
    }
    for (name, samples) in [
        ("no number", vec![f32::NAN; 48_000]),
        ("hardly a number", with(f32::INFINITY, 30_000)),
        ("1e30", with(1e30, 1)),
        ("the highest float", with(f32::MAX, 3)),
        ("the lowest", with(f32::MIN, 3)),
    ] {
        let result = decoded(wav_of(44_100, 1, &samples));
        assert!(matches!(result, Err(DecodeError::NoSound)), "{name}: {result:?}");
    }
    for count in [0, 1, 1000] {
        let result = decoded(wav_of(48_000, 1, &sine[..count]));
        assert!(matches!(result, Err(DecodeError::NoSamples | DecodeError::Unsupported(_))), "{count}: {result:?}");
    }
    let some = decoded(wav_of(48_000, 1, &with(f32::NAN, 3))).unwrap();
    assert!(some.damaged, "three samples that are no numbers leave a sound, which says so");
    let many = decoded(wav_of(48_000, 255, &sine));
    assert!(matches!(many, Err(DecodeError::Channels(_) | DecodeError::Unsupported(_))), "{many:?}");
}

#[test]
fn a_sound_of_more_than_twelve_hours_is_refused_when_that_is_known() {
    // 12 h and 1 s of silence, 4 kHz, as FLAC: 400 kB that become 16 GB.
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("long.flac");
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-f", "lavfi", "-i", "anullsrc=r=8000:cl=mono", "-t", "43300", "-compression_level", "0"])
        .arg(&path)
        .status()
        .expect("ffmpeg is installed by ./test");
    assert!(made.success());
    let mut looks = 0;
    let result = decode_file(&path, Some("flac"), &folder.path().join("x.pcm"), &mut |_| {
        looks += 1;
        true
    });
    assert!(matches!(result, Err(DecodeError::TooLong)), "{result:?}");
    assert_eq!(looks, 0, "its head says how long it is");
}

/// Whatever stands in a message, no library and no path of ours does.
#[test]
fn what_is_said_of_a_bad_file_is_in_plain_words() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("x.mp4");
    for bytes in [&b"\0\0\0\x08ftyp"[..], b"#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n", b"RIFF\x10\0\0\0WAVEfmt ", b"fLaC\0\0\0\x22"] {
        std::fs::write(&path, bytes).unwrap();
        let told = [decode_to_sound(&path).unwrap_err().to_string(), film::probe(&path).unwrap_err().to_string()];
        for text in told {
            assert!(text.ends_with('.') && text.matches(". ").count() == 1, "two sentences, what is wrong and what to do: {text}");
            for jargon in ["core", "probe", "symphonia", "ffmpeg", "moov", "/", "EOF", "unwrap", "stream"] {
                assert!(!text.contains(jargon), "{text}");
            }
        }
    }
}

#[test]
fn a_playlist_that_says_it_is_a_film_opens_no_other_file() {
    let folder = TempDir::new().unwrap();
    let other = folder.path().join("other.mp4");
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-f", "lavfi", "-i", "testsrc=size=64x64:rate=25", "-t", "1", "-c:v", "libx264", "-pix_fmt", "yuv420p"])
        .arg(&other)
        .status()
        .expect("ffmpeg is installed by ./test");
    assert!(made.success());
    film::probe(&other).expect("the film itself is one");
    let at = other.display().to_string();
    // Forms of RFC 8216 and ISO/IEC 23009-1, of ffmpeg's own list of files, and of a session description (RFC 8866).
    let playlists = [
        format!("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{at}\n#EXT-X-ENDLIST\n"),
        format!("#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile://{at}\n"),
        format!("#EXTM3U\n#EXT-X-MEDIA-SEQUENCE:0\n#EXTINF:1,\nconcat:{at}|{at}\n#EXT-X-ENDLIST\n"),
        format!("ffconcat version 1.0\nfile '{at}'\n"),
        format!(
            "<?xml version=\"1.0\"?><MPD type=\"static\"><Period><AdaptationSet><Representation id=\"1\" mimeType=\"video/mp4\"><BaseURL>{at}</BaseURL></Representation></AdaptationSet></Period></MPD>"
        ),
        "v=0\no=- 0 0 IN IP4 127.0.0.1\nc=IN IP4 127.0.0.1\nm=video 5004 RTP/AVP 96\na=rtpmap:96 H264/90000\n".to_owned(),
    ];
    let jpeg = folder.path().join("still.jpg");
    for (k, text) in playlists.iter().enumerate() {
        for ending in ["mp4", "m3u8", "mkv"] {
            let path = folder.path().join(format!("list{k}.{ending}"));
            std::fs::write(&path, text).unwrap();
            let begun = std::time::Instant::now();
            assert!(film::probe(&path).is_err(), "{text}");
            assert!(film::still(&path, 0.1, 64, &jpeg).is_err() && !jpeg.exists(), "{text}");
            assert!(film::extract_sound(&path, &folder.path().join("x.wav")).is_err(), "{text}");
            assert!(begun.elapsed().as_secs() < 20, "it waits for nothing: {text}");
        }
    }
}

/// What fuzzing found (`tools/fuzz.sh`), each named by what it did.
#[test]
fn what_once_broke_a_decoder_is_refused_or_decoded() {
    let folder = TempDir::new().unwrap();
    let cases = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/cases");
    for case in std::fs::read_dir(cases).unwrap() {
        let path = case.unwrap().path();
        let ending = path.extension().and_then(|e| e.to_str());
        match decode_file(&path, ending, &folder.path().join("x.pcm"), &mut |_| true) {
            Ok(info) => assert!(info.length_samples > 0),
            Err(cause) => assert!(cause.blames_file(), "{path:?}: {cause:?}"),
        }
    }
}

/// Clicks come where the ratio puts them, a tone keeps its pitch, and the length is that of the ratio.
#[test]
fn another_tempo_keeps_the_pitch_and_puts_attacks_where_they_belong() {
    let folder = TempDir::new().unwrap();
    let click = |n: usize| if n % 24_000 < 400 && n >= 24_000 { 0.8 * (1.0 - (n % 24_000) as f32 / 400.0) * (0.3 * (n % 24_000) as f32).sin() } else { 0.0 };
    let tone = |n: usize| 0.05 * (n as f32 * 440.0 * std::f32::consts::TAU / 48_000.0).sin();
    let plane: Vec<f32> = (0..480_000).map(|n| click(n) + tone(n)).collect();
    let (from, to) = (folder.path().join("plain.wav"), folder.path().join("quick.wav"));
    write_wav(&from, &Sound::new(vec![plane.clone(), plane])).unwrap();
    for tempo in [1.08, 0.93] {
        at_tempo(&from, &to, tempo).unwrap();
        let made = decode_to_sound(&to).unwrap();
        assert!((made.len_samples() as f64 - 480_000.0 / tempo).abs() <= 1.0, "{} samples", made.len_samples());
        let samples = &made.channels()[0];
        // Attacks by the second difference, which leaves the tone out.
        let sharp: Vec<f32> = samples.windows(3).map(|w| (w[2] - 2.0 * w[1] + w[0]).abs()).collect();
        for k in 1..19 {
            let at = (k as f64 * 24_000.0 / tempo) as usize;
            let around = &sharp[at - 2400..at + 2400];
            let most = around.iter().fold(0.0f32, |a, b| a.max(*b));
            let first = around.iter().position(|s| *s > 0.3 * most).unwrap() as i64 - 2400;
            assert!(first.abs() < 48, "{tempo}: attack {k} is {first} samples off");
        }
        // Zero crossings of the tone between two attacks: 440 a second, both ways.
        let quiet = &samples[(4.6 * 24_000.0 / tempo) as usize..(4.95 * 24_000.0 / tempo) as usize];
        let crossings = quiet.windows(2).filter(|w| (w[0] < 0.0) != (w[1] < 0.0)).count() as f64;
        let hz = crossings / 2.0 * 48_000.0 / quiet.len() as f64;
        assert!((hz - 440.0).abs() < 12.0, "{tempo}: {hz:.0} Hz");
    }
}
