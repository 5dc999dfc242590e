//! The reading of a bed, mended through the page.

use super::files::{FILES, Stand};
use fantoccini::Locator;
use jaunty_core::sound::Source;
use jaunty_e2e::{Browser, eventually};
use serde_json::{Value, json};
use std::time::Duration;

fn lines(cut: &Value) -> Vec<f64> {
    cut["bed"]["reading"]["barLinesS"].as_array().unwrap().iter().filter_map(Value::as_f64).collect()
}

fn starts(cut: &Value) -> Vec<u64> {
    cut["bed"]["reading"]["sections"].as_array().unwrap().iter().filter_map(|s| s["startBar"].as_u64()).collect()
}

/// Where sections begin, with their letters.
fn sections(cut: &Value) -> Vec<(f64, String)> {
    let all = cut["bed"]["reading"]["sections"].as_array().unwrap();
    all.iter().map(|s| (s["startS"].as_f64().unwrap(), s["label"].as_str().unwrap().to_owned())).collect()
}

fn said(cut: &Value) -> usize {
    cut["bed"]["corrections"].as_array().map_or(0, Vec::len)
}

async fn press(browser: &Browser, key: &str) {
    browser.client().find(Locator::Css("body")).await.unwrap().send_keys(key).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wrong_reading_is_mended_in_the_page_and_everything_can_be_undone() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed("Mended", "30").await;
    let revision = first["plan"]["revision"].clone();
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    // The page learns of a change a moment after the server, and of its reading a moment after that.
    let shown = async |revision: &Value| {
        let revision = revision.to_string();
        let there = async || {
            let told = browser.find("revision").await.ok()?.attr("data-revision").await.ok()??;
            (told == revision).then_some(())
        };
        eventually(Duration::from_secs(20), there).await.unwrap_or_else(|| panic!("the page shows revision {revision}"));
    };
    // Said and planned: the newest revision is shown and no job is left.
    let after = async |count: usize| {
        let cut = stand.cut_when(&cut, |c| said(c) == count && c["jobs"].as_array().unwrap().is_empty()).await;
        shown(&cut["plan"]["revision"]).await;
        cut
    };

    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/reading"))).await.unwrap();
    browser.find("bars").await.unwrap();
    assert_eq!(browser.count("bar").await.unwrap(), lines(&first).len() - 1);

    // Bars begin a beat later, by a click; and a beat earlier again, by its key.
    browser.find("later").await.unwrap().click().await.unwrap();
    let later = after(1).await;
    let beat_s = 60.0 / first["bed"]["reading"]["tempoBpm"].as_f64().unwrap();
    assert!((lines(&later)[0] - lines(&first)[0] - beat_s).abs() < 0.1 * beat_s, "{:?} after {:?}", &lines(&later)[..2], &lines(&first)[..2]);
    browser.find("corrections").await.unwrap();
    press(&browser, "[").await;
    assert_eq!(lines(&after(2).await)[..20], lines(&first)[..20]);

    // A section begins at bar 4, then a bar later.
    let bar = async |number: usize| browser.css(&format!("[data-bar='{number}']")).await.unwrap();
    bar(4).await.click().await.unwrap();
    browser.find("this-bar").await.unwrap();
    press(&browser, "s").await;
    assert!(starts(&after(3).await).contains(&4));
    press(&browser, ">").await;
    let moved = starts(&after(4).await);
    assert!(moved.contains(&5) && !moved.contains(&4), "{moved:?}");

    // The same section, dragged by its letter to bar 3.
    let middle = async |selector: &str| -> (f64, f64) {
        let script = "const b = document.querySelector(arguments[0]).getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]";
        let at = browser.client().execute(script, vec![json!(selector)]).await.unwrap();
        (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
    };
    let index = moved.iter().position(|s| *s == 5).unwrap();
    let script = "document.querySelectorAll('[data-test=letter]')[arguments[0]].id = 'grabbed'";
    browser.client().execute(script, vec![json!(index)]).await.unwrap();
    let (from, to) = (middle("#grabbed").await, middle("[data-bar='3']").await);
    for (kind, at) in [("mousePressed", from), ("mouseMoved", to), ("mouseMoved", to), ("mouseReleased", to)] {
        let event = json!({ "type": kind, "x": at.0, "y": at.1, "button": "left", "buttons": 1, "clickCount": 1 });
        browser.devtools("Input.dispatchMouseEvent", event).await.unwrap();
    }
    assert!(starts(&after(5).await).contains(&3), "dragged by its letter");

    // Tapping along: half as fast as the beat.
    let heard = async || browser.client().find(Locator::Css(".bar.heard")).await.ok()?.attr("data-bar").await.ok()?;
    browser.client().execute("document.querySelector('[data-bar=\"4\"]').click()", vec![]).await.unwrap();
    let on = eventually(Duration::from_secs(30), async || heard().await.filter(|bar| bar == "5")).await;
    on.expect("the bed plays on from bar 4");
    // By the clock of the sound itself, which stands still where a busy machine lets it stall.
    let script = "const step = arguments[0];
        const position = () => { const [m, s] = document.querySelector('[data-test=bed-position]').textContent.split(':'); return m * 60 + Number(s) };
        let next = position() + step, left = 7;
        const look = () => { if (position() >= next) { document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 't', bubbles: true })); next += step; left-- }
            if (left > 0) requestAnimationFrame(look) };
        look()";
    browser.client().execute(script, vec![json!(2.0 * beat_s)]).await.unwrap();
    let tapped = after(6).await;
    let bpm = tapped["bed"]["reading"]["tempoBpm"].as_f64().unwrap();
    assert!((bpm * beat_s * 2.0 / 60.0 - 1.0).abs() < 0.1, "{bpm} after tapping every second beat");

    // A reload finds everything; undo takes all of it back.
    browser.client().refresh().await.unwrap();
    shown(&tapped["plan"]["revision"]).await;
    assert!(browser.find("corrections").await.unwrap().text().await.unwrap().contains("as tapped"));
    for left in (0..6).rev() {
        // Not by the pointer: jobs that come and go move the button.
        browser.client().execute("document.querySelector('[data-test=undo]').click()", vec![]).await.unwrap();
        after(left).await;
    }
    let undone = stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1;
    assert_eq!((&undone["bed"]["reading"], &undone["plan"]["revision"]), (&first["bed"]["reading"], &revision));
}

#[tokio::test(flavor = "multi_thread")]
async fn counting_along_adds_ticks_on_the_beats_and_nonsense_is_refused() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed("Counted", "30").await;
    let path = |rest: &str| format!("/api/cuts/{cut}/bed/{rest}");
    // To compress sound takes a browser's every request longer than rendering does.
    let url = stand.server.url(&path("sound?fromSamples=0&lengthSamples=48000&count=false"));
    let answer = stand.server.client().get(url).header("accept-encoding", "gzip, deflate, br, zstd").send().await.unwrap();
    assert!(answer.headers().get("content-encoding").is_none_or(|coding| coding == "identity"), "{:?}", answer.headers());
    let heard = async |count: bool| {
        let place = path(&format!("sound?fromSamples=480000&lengthSamples=480000&count={count}"));
        let bytes = stand.server.get(&place).await.unwrap().bytes().await.unwrap();
        jaunty_media::decode_to_sound(&FILES.with(&format!("count-{count}.wav"), &bytes)).unwrap()
    };
    let (plain, counted) = (heard(false).await, heard(true).await);
    let difference: Vec<f32> = plain.channels()[0].iter().zip(&counted.channels()[0]).map(|(a, b)| (a - b).abs()).collect();
    for line in lines(&view).iter().filter(|s| (10.1..19.9).contains(*s)) {
        let at = ((line - 10.0) * 48_000.0) as usize;
        assert!(difference[at..at + 480].iter().copied().fold(0.0, f32::max) > 0.1, "a tick at {line}");
        assert!(difference[at - 2400..at - 480].iter().copied().fold(0.0, f32::max) < 0.01, "none before it");
    }
    let correct = |correction: Value| json!({ "do": "correct", "correction": correction });
    for (nonsense, told) in [
        (json!({ "what": "metre", "beats": 0 }), "1 to 12"),
        (json!({ "what": "tempo", "bpm": 1e9 }), "20 and 400"),
        (json!({ "what": "taps", "atSamples": [48_000, 96_000] }), "four"),
    ] {
        let (status, problem) = stand.say(&cut, "reading", correct(nonsense)).await;
        assert!(status == 422 && problem["detail"].as_str().unwrap().contains(told), "{problem}");
    }
    // The grid goes out in three formats and comes back as it was.
    for format in ["midi", "jams", "wav"] {
        let bytes = stand.bytes(&path(&format!("grid?format={format}"))).await;
        let file = FILES.with(&format!("grid.{format}"), &bytes);
        let before = said(&stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1);
        stand.upload(&cut, "bed/grid", &file, &format!("grid.{format}")).await;
        let again = stand.cut_when(&cut, |c| said(c) == before + 1 && c["jobs"].as_array().unwrap().is_empty()).await;
        let (ours, theirs) = (lines(&view), lines(&again));
        assert!(ours.len().abs_diff(theirs.len()) <= 1, "{format}: {} and {} bar lines", ours.len(), theirs.len());
        let shift = theirs.iter().position(|t| (t - ours[1]).abs() < 0.002).expect(format) as i64 - 1;
        for (k, line) in ours.iter().enumerate().skip(1).take(ours.len() - 2) {
            assert!((theirs[(k as i64 + shift) as usize] - line).abs() < 0.002, "{format}: bar {k}");
        }
        let (ours, theirs) = (sections(&view), sections(&again));
        for (at, label) in ours.iter().skip(1) {
            assert!(theirs.iter().any(|t| (t.0 - at).abs() < 0.002 && t.1 == *label), "{format}: {label} at {at} s in {theirs:?}");
        }
    }
    assert_eq!(
        jaunty_media::decode_to_sound(&FILES.path("grid.wav")).unwrap().len_samples(),
        jaunty_media::decode_to_sound(&FILES.path("bed.wav")).unwrap().len_samples()
    );
    assert_eq!(stand.say_at(&cut, &json!(1), "reading", correct(json!({ "what": "halfTempo" }))).await.0, 409);
    assert_eq!(stand.say(&cut, "reading", json!({ "do": "takeBack", "correction": "0123456789abcdef" })).await.0, 404);
}
