//! Lanes of the sheet by mouse and by keyboard: a passage of an ambience lowered, its edge moved by arrows, a moment dragged
//! that takes along what lies on it; the rendered ambience measured.

use super::files::{FILES, Stand, idle};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::elements::Element;
use jaunty_core::sound::{Sound, Source};
use jaunty_e2e::Browser;
use jaunty_media::{decode_to_sound, write_wav};
use serde_json::{Value, json};
use std::time::Duration;

/// Takes the mouse from one share of an element's width to another.
pub async fn drag(browser: &Browser, on: &Element, from: f64, to_px: f64) {
    browser.client().execute("arguments[0].scrollIntoView({ block: 'center' })", vec![serde_json::to_value(on).unwrap()]).await.unwrap();
    let (x, y, width, height) = on.rectangle().await.unwrap();
    let to = |px: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(120)), x: (x + width * from + px).round(), y: (y + height / 2.0).round() };
    let moves = MouseActions::new("mouse".into())
        .then(to(0.0))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(to(to_px / 2.0))
        .then(to(to_px))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    browser.client().perform_actions(moves).await.unwrap();
}

fn passage(cut: &Value) -> Option<Value> {
    cut["plan"]["lanes"][0]["levels"].as_array()?.iter().find(|l| l["kind"] == "sweep").cloned()
}

fn level_db(sound: &Sound) -> f64 {
    let power: f64 = sound.channels().iter().flatten().map(|x| f64::from(x * x)).sum();
    10.0 * (power / (sound.channels().len() as f64 * sound.len_samples() as f64) + 1e-20).log10()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lane_is_lowered_in_one_passage_and_what_lies_on_a_moment_goes_with_it() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed_and_voice("Lanes", "60").await;
    let mut state = 5u32;
    let noise = (0..9 * 48_000).map(|_| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        0.05 * (state as f32 / u32::MAX as f32 - 0.5)
    });
    let file = FILES.path("wind.wav");
    write_wav(&file, &Sound::new(vec![noise.collect()])).unwrap();
    stand.upload(&cut, "ambiences", &file, "Wind.wav").await;
    let with = stand.cut_when(&cut, |c| idle(c) && c["plan"]["lanes"][0]["levels"].as_array().is_some_and(|l| !l.is_empty())).await;
    let sound = with["plan"]["ambiences"][0]["hash"].clone();
    let untouched = json!({ "do": "ambience", "sound": sound, "rule": "untouched", "startSamples": 2 * 48_000 });
    assert_eq!(stand.say(&cut, "levels", untouched).await.0, 200);
    // A moment at two seconds, where the wind begins.
    let mark = json!({ "do": "markMoment", "frame": 50, "kind": "other", "name": "gust" });
    assert_eq!(stand.say(&cut, "picture", mark).await.0, 200);

    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/shape"))).await.unwrap();
    let lane = browser.find("lane").await.unwrap();
    let before = stand.cut(&cut).await;
    // From the middle of the line on, 150 px of the lane; twice a decibel lower by key.
    drag(&browser, &lane, 0.5, 150.0).await;
    browser.find("sweep-down").await.unwrap().click().await.unwrap();
    stand.cut_when(&cut, |c| passage(c).is_some()).await;
    browser.find("sweep-down").await.unwrap().click().await.unwrap();
    let lowered = stand.cut_when(&cut, |c| passage(c).is_some_and(|p| p["gainDb"] == -2.0)).await;
    assert_eq!(lowered["plan"]["levels"], before["plan"]["levels"], "the bed is as it was");
    let swept = passage(&lowered).unwrap();
    let part = async |revision: &Value| {
        let from = ((swept["startS"].as_f64().unwrap() + 0.4) * 48_000.0) as u64;
        let until = ((swept["endS"].as_f64().unwrap() - 0.4) * 48_000.0) as u64;
        let url = format!("/api/cuts/{cut}/revisions/{revision}/sound?fromSamples={from}&lengthSamples={}&hear=ambiences", until - from);
        decode_to_sound(&FILES.with(&format!("wind-{revision}.wav"), &stand.bytes(&url).await)).unwrap()
    };
    let fell = level_db(&part(&before["plan"]["revision"]).await) - level_db(&part(&lowered["plan"]["revision"]).await);
    assert!((fell - 2.0).abs() < 0.05, "2 dB asked, {fell:.2} measured");

    // Its end by arrow keys: a second and two tenths later, a decibel lower still.
    let end = browser.css("[aria-label^='Wind, passage'][aria-label$=', to']").await.unwrap();
    // What has the focus at the time: the element is drawn anew while its words change.
    browser.client().execute("arguments[0].focus()", vec![serde_json::to_value(&end).unwrap()]).await.unwrap();
    end.send_keys("\u{e008}\u{e014}\u{e008}\u{e014}\u{e014}").await.unwrap();
    let was = swept["endS"].as_f64().unwrap();
    stand.cut_when(&cut, |c| passage(c).is_some_and(|p| (p["endS"].as_f64().unwrap() - was - 1.2).abs() < 0.02)).await;

    // The moment is dragged: the wind begins where it lies then.
    let moment = browser.css("[aria-label='moment gust']").await.unwrap();
    drag(&browser, &moment, 0.5, 120.0).await;
    let moved = stand.cut_when(&cut, |c| idle(c) && c["moments"][0]["frame"].as_u64().is_some_and(|f| f > 60)).await;
    let (at, begins) = (moved["moments"][0]["atS"].as_f64().unwrap(), moved["plan"]["lanes"][0]["startS"].as_f64().unwrap());
    assert!((at - begins).abs() < 1e-6 && at > 3.0, "the moment is at {at} s, the wind begins at {begins} s");
    assert_eq!(stand.go(&cut, "undo").await.0, 200);
    let back = stand.cut(&cut).await;
    assert_eq!((&back["plan"]["lanes"][0]["startS"], &back["moments"][0]["frame"]), (&json!(2.0), &json!(50)));
    browser.close().await.unwrap();
}
