//! A cut that arrives as an edit list and a film: what is seen, played, marked and changed.

use super::files::{FILES, Stand, idle};
use fantoccini::Locator;
use fantoccini::key::Key;
use jaunty_e2e::{Browser, eventually};
use serde_json::json;
use std::time::Duration;

/// Three shots of the film's first ten seconds, one of them black, one line that is sound only.
const LIST: &str = "TITLE: CLOCK\nFCM: NON-DROP FRAME\n\
    001  A001     V     C        00:00:00:00 00:00:04:00 01:00:00:00 01:00:04:00\n\
    * FROM CLIP NAME: TOWER\n\
    002  A002     V     C        00:00:00:00 00:00:03:00 01:00:04:00 01:00:07:00\n\
    * FROM CLIP NAME: HALL <B>\n\
    003  A002     AA    C        00:00:00:00 00:00:03:00 01:00:04:00 01:00:07:00\n\
    004  A003     V     C        00:00:00:00 00:00:03:00 01:00:07:00 01:00:10:00\n\
    * FROM CLIP NAME: BENCH\n";

#[tokio::test(flavor = "multi_thread")]
async fn a_list_and_a_film_become_a_picture_in_step_with_its_sound() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let client = browser.client();
    client.goto(&stand.server.url("/")).await.unwrap();

    // A cut from the list: its title, shots, first timecode, and what was not used.
    browser.choose_file("from-file", &FILES.with("Clock_v1.edl", LIST.as_bytes())).await.unwrap();
    assert_eq!(browser.find("title").await.unwrap().text().await.unwrap(), "Clock v1");
    browser.find("picture-lines").await.unwrap();
    assert_eq!(browser.count("shot-row").await.unwrap(), 3);
    let report = browser.find("list-report").await.unwrap().text().await.unwrap();
    assert!(report.contains("3 shots used") && report.contains("sound only") && report.contains("line 7"), "{report}");

    // The film: its own sound becomes a layer, its pictures stand at the shots.
    browser.choose_file("picture-upload", &FILES.path("film.webm")).await.unwrap();
    browser.find("film-sound").await.unwrap();
    let shown = async || {
        let image = client.find(Locator::Css("[data-test=picture-lines] image")).await.ok()?;
        image.attr("href").await.ok()?
    };
    let small = eventually(Duration::from_secs(20), shown).await.expect("a small picture");
    let jpeg = stand.bytes(&small).await;
    assert!(jpeg.starts_with(&[0xff, 0xd8, 0xff]), "JPEG begins with FF D8 FF (ITU-T T.81)");

    in_step(&browser).await;

    // Steps by pictures: the film shows the middle of the frame that the strip names.
    for (button, count) in [("frame-on", 3), ("frame-back", 1)] {
        for _ in 0..count {
            browser.find(button).await.unwrap().click().await.unwrap();
        }
    }
    let frame = async || browser.find("position").await.ok()?.attr("data-frame").await.ok()??.parse::<f64>().ok();
    let matches = async || {
        let wanted = (frame().await? + 0.5) / 25.0;
        let film: f64 = client.execute("return document.querySelector('video').currentTime", vec![]).await.ok()?.as_f64()?;
        Some(()).filter(|()| (film - wanted).abs() < 0.011)
    };
    assert!(eventually(Duration::from_secs(8), matches).await.is_some(), "the film does not stand on the frame");

    // A moment by key where the film stands, and a changed list that keeps it.
    client.find(Locator::Css("body")).await.unwrap().send_keys("h").await.unwrap();
    browser.find("mark-editor").await.unwrap();
    assert_eq!(browser.count("moment-row").await.unwrap(), 1);
    let changed = LIST.replace("01:00:04:00 01:00:07:00", "01:00:04:10 01:00:07:00").replace("01:00:00:00 01:00:04:00", "01:00:00:00 01:00:04:10");
    browser.choose_file("picture-upload", &FILES.with("Clock_v2.edl", changed.as_bytes())).await.unwrap();
    let told = async || Some(browser.find("list-report").await.ok()?.text().await.ok()?).filter(|t| t.contains("Clock_v2"));
    let report = eventually(Duration::from_secs(10), told).await.expect("a second report");
    assert!(report.contains("HALL <B> begins 10 frames later, 10 frames shorter"), "{report}");
    assert!(report.contains("TOWER stays where it was, 10 frames longer"), "{report}");
    assert_eq!(browser.count("moment-row").await.unwrap(), 1, "what was made by hand stays");
    browser.find("undo").await.unwrap().click().await.unwrap();
    let first = async || Some(browser.find("list-report").await.ok()?.text().await.ok()?).filter(|t| t.contains("Clock_v1"));
    assert!(eventually(Duration::from_secs(10), first).await.is_some(), "undo brings the first list back");
    let errors = browser.log("browser").await.unwrap();
    assert!(errors.is_empty(), "{errors:?}");
    browser.close().await.unwrap();
}

/// Plays, and watches picture by picture how far the film is from the sound clock, until it has kept step for a while. A machine that
/// stumbles may throw it out of step; the page has to bring it back.
async fn in_step(browser: &Browser) {
    /// Pictures one after the other that are within a frame of the sound.
    const KEPT: usize = 12;
    // The film is ten seconds long; then it is played again.
    const AGAIN: Duration = Duration::from_secs(8);
    let body = async || browser.client().find(Locator::Css("body")).await.ok();
    let mut begun = std::time::Instant::now();
    body().await.unwrap().send_keys(&char::from(Key::Home).to_string()).await.unwrap();
    browser.find("play").await.unwrap().click().await.unwrap();
    let watch = "const film = document.querySelector('[data-test=film]'); window.seen = []; let last = null;
        const look = () => { const off = film.dataset.offMs; if (off !== '' && off !== last) { window.seen.push([Number(off), Number(film.dataset.offFrames)]); last = off }
            requestAnimationFrame(look) };
        look()";
    browser.client().execute(watch, vec![]).await.unwrap();
    let kept = eventually(Duration::from_secs(120), async || {
        if begun.elapsed() > AGAIN {
            begun = std::time::Instant::now();
            body().await?.send_keys(&char::from(Key::Home).to_string()).await.ok()?;
            browser.client().execute("window.seen = []", vec![]).await.ok()?;
        }
        let seen = browser.client().execute("return window.seen", vec![]).await.ok()?;
        let column = |k: usize| -> Vec<f64> { seen.as_array().into_iter().flatten().filter_map(|one| one[k].as_f64().map(f64::abs)).collect() };
        let (ms, frames) = (column(0), column(1));
        let at = frames.windows(KEPT).position(|w| w.iter().all(|f| *f <= 1.0))?;
        let mut ms = ms[at..at + KEPT].to_vec();
        ms.sort_by(f64::total_cmp);
        Some(ms[KEPT / 2]).filter(|median| *median <= 20.0)
    });
    let median = kept.await.expect("the film keeps step with the sound");
    println!("film against sound: median {median} ms of {KEPT} pictures, a frame is 40 ms");
    browser.find("play").await.unwrap().click().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn pictures_that_make_no_sense_are_told() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Told", "10").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    for (place, bytes, said) in [
        ("picture/list", &b"hello"[..], "no list that can be read"),
        ("picture/list", b"", "empty"),
        ("film", b"", "no bytes"),
        ("film", b"this is no film", "no film that can be read"),
    ] {
        let (status, problem) = stand.upload(&cut, place, &FILES.with("odd.bin", bytes), "odd.bin").await;
        assert_eq!(status, 422, "{place}");
        assert!(problem["detail"].as_str().unwrap().contains(said), "{problem}");
    }
    let edit = async |revision: u64, edit: serde_json::Value| stand.say_at(&cut, &json!(revision), "picture", edit).await;
    assert_eq!(edit(1, json!({ "do": "beginShot", "frame": 250, "name": "" })).await.0, 422, "behind the end");
    let (status, view) = edit(1, json!({ "do": "beginShot", "frame": 100, "name": "second" })).await;
    assert_eq!((status, view["shots"].as_array().map(Vec::len)), (200, Some(2)), "the stretch before is a shot too");
    assert_eq!(edit(1, json!({ "do": "removeShot", "shot": 0 })).await.0, 409, "an old revision");
    assert_eq!(edit(2, json!({ "do": "beginShot", "frame": 100, "name": "again" })).await.0, 422);
    assert_eq!(edit(2, json!({ "do": "removeMoment", "moment": { "frame": 7, "kind": "hit" } })).await.0, 404);

    // Captions become lines; a film of another rate says how it differs and can be followed.
    let captions = "WEBVTT\n\n00:01.000 --> 00:02.000\nFirst line\n\n00:99.000 --> 00:03.000\nbroken\n";
    let (_, view) = stand.upload(&cut, "picture/list", &FILES.with("words.vtt", captions.as_bytes()), "words.vtt").await;
    assert_eq!((&view["lines"][0]["words"], view["list"]["unused"].as_array().map(Vec::len)), (&json!("First line"), Some(1)));
    let ntsc = json!({ "do": "describe", "title": "Told", "length": "8", "rate": { "num": 30000, "den": 1001, "dropFrame": true } });
    stand.say(&cut, "cut", ntsc).await;
    let (status, view) = stand.upload(&cut, "film", &FILES.path("film.webm"), "film.webm").await;
    assert_eq!(status, 200);
    assert!(view["film"]["differs"].as_str().unwrap().contains("runs at 25"), "{}", view["film"]);
    stand.say(&cut, "film", json!({ "do": "length" })).await;
    let view = stand.cut_when(&cut, |c| idle(c) && c["film"]["differs"].is_null()).await;
    assert_eq!((&view["lengthFrames"], &view["firstTimecode"], &view["film"]["hasSound"]), (&json!(250), &json!("01:00:00:00"), &json!(true)));
    assert_eq!(view["plan"]["lengthSamples"], 480_000);
    // Players ask for ranges (RFC 9110, 14): the very bytes, nothing behind the end, and all of it without one.
    let (bytes, hash) = (std::fs::read(FILES.path("film.webm")).unwrap(), view["film"]["hash"].as_str().unwrap());
    let ask = async |range: Option<&str>| {
        let asked = stand.server.client().get(stand.server.url(&path(&format!("/film/{hash}"))));
        let answer = range.into_iter().fold(asked, |asked, range| asked.header("range", range)).send().await.unwrap();
        let told = answer.headers().get("content-range").map(|told| told.to_str().unwrap().to_owned());
        (answer.status().as_u16(), told, answer.bytes().await.unwrap())
    };
    let all = bytes.len();
    for (asked, status, told, expected) in [
        (None, 200, None, &bytes[..]),
        (Some("bytes=0-0"), 206, Some(format!("bytes 0-0/{all}")), &bytes[..1]),
        (Some("bytes=1000-2999"), 206, Some(format!("bytes 1000-2999/{all}")), &bytes[1000..3000]),
        (Some("bytes=-500"), 206, Some(format!("bytes {}-{}/{all}", all - 500, all - 1)), &bytes[all - 500..]),
        (Some("bytes=1000-99999999999"), 206, Some(format!("bytes 1000-{}/{all}", all - 1)), &bytes[1000..]),
        (Some("bytes=99999999999-"), 416, Some(format!("bytes */{all}")), &[]),
        (Some("lines=1-2"), 200, None, &bytes[..]),
    ] {
        let answer = ask(asked).await;
        assert!((answer.0, &answer.1, &answer.2[..]) == (status, &told, expected), "{asked:?}: {} {:?}, {} bytes", answer.0, answer.1, answer.2.len());
    }
    let range = stand.server.get(&path("/revisions/1/sound?fromSamples=0&lengthSamples=48000&hear=film")).await.unwrap();
    assert_eq!(range.status(), 200);
    let out = stand.server.get(&path("/picture/shots.edl")).await.unwrap().text().await.unwrap();
    assert!(out.contains("* FROM CLIP NAME: second"), "{out}");
}
