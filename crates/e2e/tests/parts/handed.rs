//! What is handed over: every form, read by others and measured.

use super::files::{FILES, Stand, fitted, mix_as};
use jaunty_core::sound::loudness::{measure, true_peak_dbtp};
use jaunty_core::sound::{Sound, Source};
use jaunty_e2e::{Browser, eventually};
use jaunty_media::decode_to_sound;
use serde_json::{Value, json};
use std::io::Read;
use std::path::Path;
use std::process::Command;

/// A minute.
const LENGTH: u64 = 60 * 48_000;

/// What ffprobe (Debian's ffmpeg) says of the streams of a file.
fn probed(file: &Path) -> Vec<Value> {
    let out = Command::new("ffprobe").args(["-v", "error", "-show_streams", "-of", "json"]).arg(file).output().unwrap();
    serde_json::from_slice::<Value>(&out.stdout).unwrap()["streams"].as_array().unwrap().clone()
}

/// What ffmpeg decodes of a file: samples of each channel at its own rate.
fn decoded_samples(file: &Path) -> u64 {
    let stream = &probed(file)[0];
    let out = Command::new("ffmpeg").args(["-v", "error", "-i"]).arg(file).args(["-f", "f32le", "-c:a", "pcm_f32le", "-"]).output().unwrap();
    out.stdout.len() as u64 / 4 / stream["channels"].as_u64().unwrap()
}

/// The bytes of a film's moving picture, as they lie in it.
fn picture_of(file: &Path) -> Vec<u8> {
    let out = Command::new("ffmpeg").args(["-v", "error", "-i"]).arg(file).args(["-map", "0:v", "-c", "copy", "-f", "data", "-"]).output().unwrap();
    assert!(!out.stdout.is_empty());
    out.stdout
}

fn python(script: &str, arguments: &[&str]) -> String {
    let python = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.venv/bin/python");
    let python = std::env::var("JAUNTY_REFERENCE_PYTHON").map_or(python, Into::into);
    let out = Command::new(python).args(["-c", script]).args(arguments).output().expect("./test makes .venv with the reference packages");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap()
}

/// The steps of 24 bits of a WAV file.
fn steps(bytes: &[u8]) -> Vec<i32> {
    hound::WavReader::new(bytes).unwrap().into_samples::<i32>().map(Result::unwrap).collect()
}

/// Files in a zip, by name.
fn unzipped(bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    (0..archive.len())
        .map(|k| {
            let mut file = archive.by_index(k).unwrap();
            let mut inside = Vec::new();
            file.read_to_end(&mut inside).unwrap();
            (file.name().unwrap().into_owned(), inside)
        })
        .collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_coding_is_as_long_as_the_cut_and_says_what_it_measures() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed_and_voice("Handed", "60").await;
    let revision = view["plan"]["revision"].as_u64().unwrap();
    let mix = |coding: &str, rate_hz: u32, mono: bool, lufs: Value| json!({ "what": "mix", "sound": { "coding": coding, "rateHz": rate_hz, "mono": mono, "loudnessLufs": lufs } });
    for (coding, name, rate_hz, mono) in [
        ("wav24", "pcm_s24le", 48_000, false),
        ("wav16", "pcm_s16le", 44_100, false),
        ("wav32", "pcm_f32le", 96_000, true),
        ("flac", "flac", 96_000, false),
        ("mp3", "mp3", 44_100, false),
        ("aac", "aac", 48_000, false),
        ("opus", "opus", 48_000, true),
    ] {
        let (bytes, row) = stand.handed(&cut, revision, mix(coding, rate_hz, mono, Value::Null)).await;
        let file = FILES.with(&format!("handed-{coding}"), &bytes);
        let stream = &probed(&file)[0];
        assert_eq!((stream["codec_name"].as_str().unwrap(), stream["sample_rate"].as_str().unwrap()), (name, rate_hz.to_string().as_str()));
        assert_eq!(stream["channels"], if mono { 1 } else { 2 });
        let (has, wants) = (decoded_samples(&file), LENGTH * u64::from(rate_hz) / 48_000);
        // AAC comes in blocks of 1024 samples: what decodes past the end is said.
        let more = has - wants;
        assert!(more == 0 || (coding == "aac" && more < 1024 && row["told"].to_string().contains("more than the cut")), "{coding}: {more} samples more, {row}");
        // EBU R 128 by ffmpeg's own meter against what is told.
        let out = Command::new("ffmpeg").args(["-v", "info", "-nostats", "-i"]).arg(&file).args(["-af", "ebur128", "-f", "null", "-"]).output().unwrap();
        let log = String::from_utf8_lossy(&out.stderr).into_owned();
        let summary = log.rsplit("Integrated loudness:").next().unwrap();
        let lufs: f64 = summary.split("I:").nth(1).unwrap().split_whitespace().next().unwrap().parse().unwrap();
        let told: f64 = row["told"][0].as_str().unwrap().split(' ').next().unwrap().parse().unwrap();
        // A mono file is measured by ffmpeg as one loudspeaker, here as two: 3 dB (BS.1770-5, 2.1).
        let apart = if mono { 3.01 } else { 0.0 };
        assert!((lufs + apart - told).abs() < 0.25, "{coding}: {lufs} LUFS by ffmpeg, {told} told");
    }

    // A loudness is reached, and the true peak of -1 dBTP (EBU R 128) is kept where it would not be.
    for (wanted, reached) in [(-23.0, true), (-6.0, false)] {
        let (bytes, row) = stand.handed(&cut, revision, mix("wav24", 48_000, false, json!(wanted))).await;
        let sound = decode_to_sound(&FILES.with("handed-loud.wav", &bytes)).unwrap();
        let (lufs, peak) = (measure(&sound).integrated_lufs.unwrap(), true_peak_dbtp(&sound).unwrap());
        assert!(peak < -0.98 && ((lufs - wanted).abs() < 0.05) == reached, "{wanted}: {lufs} LUFS, {peak} dBTP, {row}");
    }

    // With a limiter it is reached, and the peak is kept all the same; where nothing peaks nothing is changed.
    let limited =
        |lufs: Value| json!({ "what": "mix", "sound": { "coding": "wav24", "rateHz": 48_000, "mono": false, "loudnessLufs": lufs, "limited": true } });
    let (bytes, row) = stand.handed(&cut, revision, limited(json!(-16.0))).await;
    let sound = decode_to_sound(&FILES.with("handed-limited.wav", &bytes)).unwrap();
    let (lufs, peak) = (measure(&sound).integrated_lufs.unwrap(), true_peak_dbtp(&sound).unwrap());
    assert!(peak < -0.95 && (lufs + 16.0).abs() < 0.3, "{lufs} LUFS, {peak} dBTP, {row}");
    assert!(row["told"].to_string().contains("its peaks limited by at most"), "{row}");
    assert_eq!(sound.len_samples(), LENGTH);

    // EBU Tech 3285, read by the package wavinfo: the first timecode of a cut that begins at 0 is midnight.
    let (bytes, _) = stand.handed(&cut, revision, mix("broadcast", 48_000, false, json!(-23.0))).await;
    let file = FILES.with("handed-broadcast.wav", &bytes);
    assert_eq!(decoded_samples(&file), LENGTH);
    let script = "import sys, wavinfo; b = wavinfo.WavInfoReader(sys.argv[1]).bext; print(b.description, '|', b.version, b.time_reference, b.loudness_value, b.max_true_peak)";
    let said = python(script, &[file.to_str().unwrap()]);
    assert!(said.starts_with("Handed | 2 0 -23.0"), "{said}");

    // Asked again, it is there at once, and is the same file; a form that makes no sense is refused.
    let path = format!("/api/cuts/{cut}/handed");
    let (status, again) = stand.send("POST", &path, Some(json!({ "revision": revision, "form": mix_as("wav24") }))).await;
    let (first, row) = stand.handed(&cut, revision, mix_as("wav24")).await;
    assert_eq!((status, &again["id"]), (200, &row["id"]));
    assert_eq!(stand.bytes(&format!("{path}/{}/file", again["id"].as_str().unwrap())).await, first);
    assert_eq!(stand.send("POST", &path, Some(json!({ "revision": revision, "form": mix("opus", 44_100, false, Value::Null) }))).await.0, 422);
    assert_eq!(stand.send("POST", &path, Some(json!({ "revision": 9999, "form": mix_as("wav24") }))).await.0, 404);
    let film = json!({ "what": "film", "container": "mkv", "keepsOldSound": false });
    assert_eq!(stand.send("POST", &path, Some(json!({ "revision": revision, "form": film }))).await.0, 422, "there is no film");

    // A loop is of whole bars (104 BPM in four: 2.3077 s, 110,769 samples, where the bed keeps its speed), and its last sample
    // goes on in its first: the step there is none that the sound would not make.
    let about =
        json!({ "what": "passage", "sound": mix_as("wav24")["sound"], "startSamples": 960_000, "endSamples": 1_400_000, "handleSamples": 0, "loops": true });
    let (bytes, row) = stand.handed(&cut, revision, about).await;
    let looped = steps(&bytes);
    let bars = looped.len() as f64 / 2.0 / 110_769.2;
    assert!((bars - bars.round()).abs() < 0.02 && bars > 2.9, "{bars} bars, {row}");
    let step = |a: usize, b: usize| (looped[2 * a] - looped[2 * b]).abs();
    let steepest = (1..4800).map(|k| step(k, k - 1)).max().unwrap();
    assert!(step(0, looped.len() / 2 - 1) <= steepest, "{} at the joint, {steepest} elsewhere", step(0, looped.len() / 2 - 1));
    assert!(row["told"].to_string().contains("goes round"), "{row}");

    // A passage with handles is a part of the mix.
    let whole = steps(&stand.mix(&cut, &json!(revision)).await);
    let passage = json!({ "what": "passage", "sound": mix_as("wav24")["sound"], "startSamples": 480_000, "endSamples": 528_000, "handleSamples": 24_000 });
    assert_eq!(steps(&stand.handed(&cut, revision, passage).await.0), whole[2 * 456_000..2 * 552_000]);
}

#[tokio::test(flavor = "multi_thread")]
async fn stems_are_the_mix_and_the_list_renders_to_it() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Stems", "60").await;
    // At its own speed, so that a small script can follow.
    let wish = json!({ "do": "wish", "wish": { "what": "speedChange", "share": 0.0 } });
    let (status, told) = stand.say(&cut, "fit", wish).await;
    assert_eq!(status, 200, "{told}");
    stand.upload(&cut, "takes", &FILES.path("voice.wav"), "voice.wav").await;
    let view = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["phrases"].as_array().is_some_and(|p| p.len() > 3)).await;
    let revision = view["plan"]["revision"].as_u64().unwrap();
    let fitting = &view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize];
    assert!(!fitting["splices"].as_array().unwrap().is_empty() && fitting["end"] == "ownEnding", "{}", fitting["name"]);
    let stretched = |p: &Value| {
        (p["cutEndS"].as_f64().unwrap() - p["cutStartS"].as_f64().unwrap()) - (p["sourceEndS"].as_f64().unwrap() - p["sourceStartS"].as_f64().unwrap())
    };
    assert!(fitting["pieces"].as_array().unwrap().iter().all(|p| stretched(p).abs() < 1e-6), "{}", fitting["pieces"]);

    let stems = unzipped(&stand.handed(&cut, revision, json!({ "what": "stems" })).await.0);
    let names: Vec<&str> = stems.iter().map(|s| s.0.as_str()).collect();
    assert_eq!(names, ["bed.wav", "voice.wav", "bed without levels.wav", "all but the voice.wav"]);
    let mix = steps(&stand.mix(&cut, &json!(revision)).await);
    let (bed, voice) = (steps(&stems[0].1), steps(&stems[1].1));
    assert!(bed.iter().any(|s| *s != 0) && voice.iter().any(|s| *s != 0));
    assert!(mix.iter().zip(bed.iter().zip(&voice)).all(|(m, (b, v))| *m == b + v), "together they are the mix, step by step");
    assert_eq!(steps(&stems[3].1).len(), mix.len());

    // The list, rendered by a script of its own with opentimelineio and numpy, sounds as the mix does.
    let (list, row) = stand.handed(&cut, revision, json!({ "what": "list", "list": "openTimelineIo" })).await;
    assert!(row["told"].as_array().unwrap().is_empty(), "nothing is left unsaid: {row}");
    let list = FILES.with("handed.otio", &list);
    let out = FILES.path("handed-rendered.wav");
    let script = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/render_otio.py")).unwrap();
    let sources = FILES.path("voice.wav").parent().unwrap().display().to_string();
    python(&script, &[list.to_str().unwrap(), &sources, out.to_str().unwrap(), &LENGTH.to_string()]);
    let (rendered, wanted) =
        (decode_to_sound(&out).unwrap(), decode_to_sound(&FILES.with("handed-mix.wav", &stand.handed(&cut, revision, mix_as("wav32")).await.0)).unwrap());
    let apart_db = apart_db(&rendered, &wanted);
    assert!(apart_db < -80.0, "the list sounds {apart_db:.1} dB beside the mix");

    // The other lists, read by the packages that the formats have.
    let edl = FILES.with("handed.edl", &stand.handed(&cut, revision, json!({ "what": "list", "list": "cmx3600" })).await.0);
    let events = python(
        "import sys, opentimelineio as o; t = o.adapters.read_from_file(sys.argv[1], rate=25); print([c.name for c in t.find_clips()])",
        &[edl.to_str().unwrap()],
    );
    assert_eq!(events.matches("bed.wav").count(), fitting["pieces"].as_array().unwrap().len(), "{events}");
    let midi = FILES.with("handed.mid", &stand.handed(&cut, revision, json!({ "what": "list", "list": "midi" })).await.0);
    let tempo = python(
        "import sys, mido; print([round(mido.tempo2bpm(m.tempo), 1) for t in mido.MidiFile(sys.argv[1]).tracks for m in t if m.type == 'set_tempo'][1:-1])",
        &[midi.to_str().unwrap()],
    );
    assert!(tempo.contains("104.0"), "{tempo}");
    let pieces = String::from_utf8(stand.handed(&cut, revision, json!({ "what": "list", "list": "pieces" })).await.0).unwrap();
    assert_eq!(pieces.lines().count(), 1 + fitting["pieces"].as_array().unwrap().len() + 1, "{pieces}");

    // All in one: the same revision gives the same bytes, and the manifest knows every file.
    let all = json!({ "what": "everything", "sound": mix_as("flac")["sound"] });
    let files = unzipped(&stand.handed(&cut, revision, all).await.0);
    let manifest: Value = serde_json::from_slice(&files[0].1).unwrap();
    let listed: Vec<&str> = manifest["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap()).collect();
    assert_eq!(listed, files[1..].iter().map(|f| f.0.as_str()).collect::<Vec<_>>());
    for ending in ["mix.flac", "what was done.otio", "music cue sheet.csv", "report.html"] {
        assert!(listed.iter().any(|name| name.ends_with(ending)), "{ending}: {listed:?}");
    }
}

/// How far two sounds are apart, against the level of the second, in dB.
fn apart_db(a: &Sound, b: &Sound) -> f64 {
    assert_eq!(a.len_samples(), b.len_samples());
    let pairs = || (0..2).flat_map(|c| a.channels()[c].iter().zip(&b.channels()[c]));
    let apart: f64 = pairs().map(|(x, y)| f64::from(x - y).powi(2)).sum();
    let level: f64 = pairs().map(|(_, y)| f64::from(*y).powi(2)).sum();
    10.0 * (apart / level).log10()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_film_gets_its_sound_in_five_clicks_and_its_picture_stays() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Film", "10").await;
    stand.upload(&cut, "film", &FILES.path("film.webm"), "film.webm").await;
    let view = stand.cut_when(&cut, |c| fitted(c) && c["film"].is_object()).await;
    let browser = Browser::start_in(&stand.server).await.unwrap();
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/hand-over"))).await.unwrap();
    // One click, and the browser saves it as soon as it is made.
    browser.find("make-film").await.unwrap().click().await.unwrap();
    let saved = browser.saved_file().await.unwrap();
    assert!(saved.extension().is_some_and(|e| e == "mkv"), "{saved:?}");
    assert!(picture_of(&saved) == picture_of(&FILES.path("film.webm")), "the picture is copied bit for bit");
    let streams = probed(&saved);
    assert_eq!(streams.iter().filter(|s| s["codec_type"] == "audio").count(), 1);
    // In step: its sound is the mix from its first sample on.
    let mix = decode_to_sound(&FILES.with("film-mix.wav", &stand.mix(&cut, &view["plan"]["revision"]).await)).unwrap();
    let wav = FILES.path("film-sound.wav");
    assert!(
        Command::new("ffmpeg").args(["-v", "error", "-y", "-i"]).arg(&saved).args(["-map", "0:a:0", "-c:a", "pcm_f32le"]).arg(&wav).status().unwrap().success()
    );
    let sound = decode_to_sound(&wav).unwrap();
    assert_eq!(sound.len_samples(), mix.len_samples());
    assert!(apart_db(&sound, &mix) < -80.0, "{}", apart_db(&sound, &mix));
    assert_eq!(browser.count("handed").await.unwrap(), 1, "it is listed");
    browser.close().await.unwrap();
}

/// A bed that begins with the credits and runs on for three seconds behind the picture: a file is as long as the picture, and
/// with what runs on where that is asked for; the fade ends with the sound, not with the picture.
#[tokio::test(flavor = "multi_thread")]
async fn the_bed_runs_on_behind_the_picture_and_is_handed_over_so_where_that_is_asked_for() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed("Credits", "60").await;
    assert_eq!(stand.say(&cut, "fit", json!({ "do": "runOn", "frames": 75 })).await.0, 200);
    let longer = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["lengthSamples"] == LENGTH + 3 * 48_000).await;
    assert_eq!((&longer["tailS"], &longer["lengthFrames"], &longer["lengthTimecode"]), (&json!(3.0), &json!(1500), &first["lengthTimecode"]));
    let end = longer["plan"]["parts"][0]["endS"].as_f64().unwrap();
    assert!((end - 63.0).abs() < 1e-6, "the bed is fitted to {end} s");
    let revision = longer["plan"]["revision"].as_u64().unwrap();
    let with_tail = json!({ "what": "mix", "sound": { "coding": "wav24", "rateHz": 48_000, "mono": false, "loudnessLufs": null, "withTail": true } });
    let (short, long) = (stand.mix(&cut, &longer["plan"]["revision"]).await, stand.handed(&cut, revision, with_tail).await.0);
    let (short, long) = (steps(&short), steps(&long));
    assert_eq!((short.len() as u64, long.len() as u64), (2 * LENGTH, 2 * (LENGTH + 3 * 48_000)));
    assert!(short[..] == long[..short.len()], "the shorter one is the beginning of the longer one");
    let stems = json!({ "what": "stems", "withTail": true });
    let (zip, _) = stand.handed(&cut, revision, stems).await;
    assert!(unzipped(&zip).iter().all(|(_, bytes)| steps(bytes).len() == long.len()));
    // Asked for in the page, by a number at Fit and a box at Hand over.
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/fit"))).await.unwrap();
    let field = browser.css("[data-test=run-on] input, input[data-test=run-on]").await.unwrap();
    field.send_keys("\u{e009}a\u{e009}2\u{e007}").await.unwrap();
    stand.cut_when(&cut, |c| fitted(c) && c["tailS"] == 2.0).await;
    browser.find("step-hand-over").await.unwrap().click().await.unwrap();
    browser.find("with-tail").await.unwrap().click().await.unwrap();
    browser.find("export").await.unwrap().click().await.unwrap();
    let saved = browser.saved_file().await.unwrap();
    assert_eq!(decoded_samples(&saved), LENGTH + 2 * 48_000);
    browser.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_whole_cut_goes_out_as_one_file_and_comes_in_again() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed_and_voice("Whole", "60").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/hand-over"))).await.unwrap();
    browser.find("make-cut").await.unwrap().click().await.unwrap();
    let (bytes, row) = stand.handed(&cut, view["plan"]["revision"].as_u64().unwrap(), json!({ "what": "cut" })).await;
    assert!(row["name"].as_str().unwrap().ends_with(".zip") && row["told"].to_string().contains("another Jaunty Bar opens it"), "{row}");

    // Python's own zipfile and hashlib: all that is named by a hash has it.
    let file = FILES.with("whole.zip", &bytes);
    let script = "import sys, zipfile, hashlib; z = zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; n = [i for i in z.namelist() if '/' in i]; \
        print(len(n), all(hashlib.sha256(z.read(i)).hexdigest() == i.split('/')[1] for i in n))";
    let said = python(script, &[file.to_str().unwrap()]);
    assert!(said.trim().ends_with("True") && !said.starts_with('0'), "{said}");

    // Taken in where it is already, it lies beside it and sounds the same.
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    browser.choose_file("from-file", &file).await.unwrap();
    let opened = eventually(std::time::Duration::from_secs(60), async || {
        let url = browser.client().current_url().await.ok()?;
        url.path().strip_prefix("/cuts/").map(|rest| rest.split('/').next().unwrap_or_default().to_owned())
    });
    let copy = opened.await.expect("it opens");
    assert_ne!(copy, cut);
    let again = stand.cut_when(&copy, |c| fitted(c) && super::files::idle(c)).await;
    let mix = async |cut: &str, view: &Value| stand.mix(cut, &view["plan"]["revision"]).await;
    assert!(mix(&copy, &again).await == mix(&cut, &view).await, "it sounds otherwise");

    // A zip of something else says what it is not.
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    browser.choose_file("from-file", &FILES.with("other.zip", b"PK\x03\x04 holiday pictures")).await.unwrap();
    let said = eventually(std::time::Duration::from_secs(20), async || {
        let text = browser.client().find(fantoccini::Locator::Css(".ant-message")).await.ok()?.text().await.ok()?;
        text.contains("no cut that was handed over").then_some(())
    });
    said.await.expect("it is said");
    browser.close().await.unwrap();
}
