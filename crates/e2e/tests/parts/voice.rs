//! The voice: recorded in the page with the stand-in microphone, never lost, and spoken by a
//! machine until then.

use super::files::{FILES, Stand, idle};
use jaunty_core::units::samples_from_seconds;
use jaunty_e2e::{Browser, eventually};
use serde_json::{Value, json};
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn a_recording_lands_where_it_began_and_survives_a_reload() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Spoken", "30").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let client = browser.client();
    let url = stand.server.url(&format!("/cuts/{cut}/voice"));
    client.goto(&url).await.unwrap();

    // The page goes away in the middle of a recording.
    record(&browser, 2.5).await;
    client.refresh().await.unwrap();
    let view = stand.cut_when(&cut, |c| c["takes"].as_array().is_some_and(|t| t.len() == 1) && idle(c)).await;
    assert!(view["takes"][0]["name"].as_str().unwrap().starts_with("Recovered take"), "{}", view["takes"]);
    let length = view["takes"][0]["lengthS"].as_f64().unwrap();
    assert!((2.0..9.0).contains(&length), "{length} s were kept");

    // A whole one, from five seconds on.
    browser.find("take").await.unwrap();
    let strip = browser.css("body").await.unwrap();
    for _ in 0..5 {
        strip.send_keys("\u{e014}").await.unwrap();
    }
    record(&browser, 5.0).await;
    browser.find("record").await.unwrap().click().await.unwrap();
    let view = stand.cut_when(&cut, |c| c["takes"].as_array().is_some_and(|t| t.len() == 2 && t[1]["phrases"].is_array()) && idle(c)).await;
    let take = &view["takes"][1];
    assert_eq!(take["origin"], "recorded");
    let at = take["atS"].as_f64().unwrap();
    assert!((at - 5.0).abs() < 0.35, "it began at five seconds and lies at {at}");
    assert!(take["used"] == true && !take["phrases"].as_array().unwrap().is_empty(), "{take}");
    // The narration carries what was recorded: its loudest second stands out of silence.
    let revision = &view["plan"]["revision"];
    let path = format!("/api/cuts/{cut}/revisions/{revision}/sound?fromSamples=240000&lengthSamples=240000&hear=voice");
    let heard = stand.bytes(&path).await;
    let heard = jaunty_media::decode_to_sound(&FILES.with("heard.wav", &heard)).unwrap();
    assert!(heard.channels()[0].iter().fold(0.0f32, |p, s| p.max(s.abs())) > 0.05);
    let errors = browser.log("browser").await.unwrap();
    assert!(errors.is_empty(), "{errors:?}");
    browser.close().await.unwrap();
}

/// The way of a real microphone: the browser is asked for one, and its level and sound arrive.
#[tokio::test(flavor = "multi_thread")]
async fn a_microphone_of_the_browser_is_recorded() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Microphone", "20").await;
    let browser = Browser::start_with_microphone(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/voice"))).await.unwrap();
    let real = async || Some(browser.find("device").await.ok()?.text().await.ok()?).filter(|t| !t.contains("Stand-in"));
    assert!(eventually(Duration::from_secs(10), real).await.is_some(), "a real microphone comes first");
    record(&browser, 3.0).await;
    browser.find("record").await.unwrap().click().await.unwrap();
    let view = stand.cut_when(&cut, |c| c["takes"].as_array().is_some_and(|t| t.len() == 1 && t[0]["phrases"].is_array()) && idle(c)).await;
    let hash = view["takes"][0]["hash"].as_str().unwrap();
    let waveform = stand.send("GET", &format!("/api/cuts/{cut}/sounds/{hash}/waveform"), None).await.1;
    let top = waveform["peaks"].as_array().unwrap().iter().filter_map(Value::as_u64).max().unwrap();
    assert!(top > 1000, "the beeps were heard: {top} of 65535");
    browser.close().await.unwrap();
}

/// Starts recording and waits until `seconds` are in.
async fn record(browser: &Browser, seconds: f64) {
    browser.find("record").await.unwrap().click().await.unwrap();
    let counted = async || browser.find("count-in").await.ok()?.text().await.ok().filter(|t| ["3", "2", "1"].contains(&t.as_str()));
    assert!(eventually(Duration::from_secs(30), counted).await.is_some(), "it counts in");
    let enough = async || {
        let text = browser.find("recorded").await.ok()?.text().await.ok()?;
        text.rsplit(':').next()?.parse::<f64>().ok().filter(|s| *s >= seconds)
    };
    assert!(eventually(Duration::from_secs(25), enough).await.is_some(), "nothing is recorded");
}

#[tokio::test(flavor = "multi_thread")]
async fn written_lines_are_spoken_until_somebody_does() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Scratch", "60").await;
    let speak = async || stand.say(&cut, "voice", json!({ "do": "speak" })).await.0;
    assert_eq!(speak().await, 422, "there are no lines yet");
    let lines = json!({ "do": "lines", "lines": [
        { "startSamples": 288_000, "words": "For ninety years the market hall told the town what time it was." },
        { "startSamples": 336_000, "words": "This one has to wait for the first." },
        { "startSamples": 1_862_400, "words": "-v is a word here, not an option" },
    ] });
    assert_eq!(stand.say(&cut, "voice", lines).await.0, 200);
    assert_eq!(speak().await, 200);
    let view = stand.cut_when(&cut, |c| idle(c) && c["pieces"].as_array().is_some_and(|p| p.len() == 3)).await;
    let start = |k: usize| view["pieces"][k]["startS"].as_f64().unwrap();
    assert_eq!((start(0), start(2)), (6.0, 38.8));
    assert!(start(1) > view["pieces"][0]["endS"].as_f64().unwrap() + 0.2, "lines do not speak over each other");
    assert_eq!(view["plan"]["phrases"][0]["words"], "For ninety years the market hall told the town what time it was.");

    // The real narrator comes: scratch lines that are spoken over go, as whole lines; the file has phrases until 0:54.
    stand.upload(&cut, "takes", &FILES.path("voice.wav"), "voice.wav").await;
    let view = stand.cut_when(&cut, |c| idle(c) && c["takes"].as_array().is_some_and(|t| t.len() == 2)).await;
    let scratch = |v: &Value| v["pieces"].as_array().unwrap().iter().filter(|p| p["scratch"] == true).count();
    let left = scratch(&view);
    assert!(left < 3 && view["pieces"].as_array().unwrap().iter().any(|p| p["scratch"] == false), "{}", view["pieces"]);
    // One phrase of the scratch take cannot push the narrator away again; undo brings the lines back.
    let (_, undone) = stand.go(&cut, "undo").await;
    assert_eq!(scratch(&undone), 3);
    // Phrase by phrase: one phrase of the real take is laid, and only the line under it goes.
    let (hash, phrase) = (undone["takes"][1]["hash"].as_str().unwrap(), &undone["takes"][1]["phrases"][0]);
    let inside = samples_from_seconds((phrase["startS"].as_f64().unwrap() + phrase["endS"].as_f64().unwrap()) / 2.0);
    let take = async |hash: &str, phrase: Value| stand.say(&cut, "voice", json!({ "do": "useTake", "take": hash, "phrase": phrase })).await.0;
    assert_eq!(take(hash, json!(inside)).await, 200);
    let view = stand.cut_when(&cut, |c| idle(c) && c["pieces"].as_array().is_some_and(|p| p.iter().any(|x| x["scratch"] == false))).await;
    assert_eq!(scratch(&view), 2);
    assert_eq!(take(hash, json!(3_000_000)).await, 404);
    assert_eq!(take("0000", json!(null)).await, 404, "no digest, no take");
    assert_eq!(take(hash, json!("first")).await, 400);
}
