//! Beds to choose from: recognised, compared, taken from the shelf with their terms.

use super::files::{FILES, Stand, fitted, idle};
use fantoccini::Locator;
use jaunty_e2e::{Browser, eventually};
use serde_json::{Value, json};
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn two_beds_are_compared_at_one_moment_and_the_shelf_says_what_may_be_used() {
    let stand = Stand::new(&[]).await;
    let body = json!({ "title": "Advert", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false }, "commercial": true });
    let cut = stand.send("POST", "/api/cuts", Some(body)).await.1["id"].as_str().unwrap().to_owned();
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let client = browser.client();
    client.goto(&stand.server.url(&format!("/cuts/{cut}/beds"))).await.unwrap();
    browser.choose_file("bed-upload", &FILES.path("bed.wav")).await.unwrap();
    browser.find("fit-figure").await.unwrap();
    browser.choose_file("bed-upload", &FILES.path("loop.wav")).await.unwrap();
    let two = async || browser.count("fit-figure").await.ok().filter(|n| *n == 2);
    assert!(eventually(Duration::from_secs(40), two).await.is_some(), "two candidates, both fitted");

    // Hear one, go to the other: the moment of the picture goes on, nothing starts anew.
    let position = async || -> f64 {
        let text = browser.find("position").await.unwrap().text().await.unwrap();
        let (minutes, seconds) = text.split_once(':').unwrap();
        minutes.parse::<f64>().unwrap() * 60.0 + seconds.parse::<f64>().unwrap()
    };
    browser.find("try").await.unwrap().click().await.unwrap();
    let running = eventually(Duration::from_secs(15), async || Some(position().await).filter(|p| *p > 1.5)).await;
    assert!(running.is_some(), "the candidate is heard");
    let (begun, at) = (std::time::Instant::now(), position().await);
    client.find(Locator::Css("body")).await.unwrap().send_keys("\u{e015}").await.unwrap();
    let other = eventually(Duration::from_secs(5), async || {
        Some(client.find(Locator::Css("li.tried")).await.ok()?.text().await.ok()?).filter(|t| t.starts_with("loop"))
    })
    .await;
    assert!(other.is_some(), "the other candidate is marked as heard");
    assert!(position().await >= at, "it goes on from there");
    // However busy the machine is: it gets there, and never before the clock on the wall does.
    let on = eventually(Duration::from_secs(30), async || Some(position().await).filter(|p| *p > at + 1.2)).await.expect("it goes on");
    let (moved, passed) = (on - at, begun.elapsed().as_secs_f64());
    assert!(moved < passed + 0.35, "{moved} s of the cut in {passed} s");
    client.find(Locator::Css("body")).await.unwrap().send_keys(" ").await.unwrap();

    // A mark and a note, undone.
    browser.find("opinion-maybe").await.unwrap().click().await.unwrap();
    let undo = async |part: &str| {
        let seen = async || Some(browser.find("undo").await.ok()?.text().await.ok()?).filter(|t| t.contains(part));
        assert!(eventually(Duration::from_secs(10), seen).await.is_some(), "undo never said {part}");
    };
    undo("say maybe").await;

    // The shelf: a piece that needs a plan says so before it is taken, and keeps the warning.
    browser.find("shelf-words").await.unwrap();
    let words = browser.css("input[data-test=shelf-words], [data-test=shelf-words] input").await.unwrap();
    words.send_keys("driving electronic").await.unwrap();
    let one = async || browser.count("shelf-piece").await.ok().filter(|n| *n == 1);
    assert!(eventually(Duration::from_secs(10), one).await.is_some(), "one piece is like that");
    browser.find("objection").await.unwrap();
    browser.find("shelf-take").await.unwrap().click().await.unwrap();
    // Its text is there once it has faded in.
    let title = async || Some(client.find(Locator::Css(".ant-modal-confirm-title")).await.ok()?.text().await.ok()?).filter(|t| t.contains("needs a paid plan"));
    assert!(eventually(Duration::from_secs(10), title).await.is_some(), "it says why not");
    // The dialog's own buttons lie over the page once it has faded in.
    tokio::time::sleep(Duration::from_millis(500)).await;
    browser.css(".ant-modal-confirm-btns .ant-btn-dangerous").await.unwrap().click().await.unwrap();
    let warned = browser.find("licence-warning").await.unwrap().text().await.unwrap();
    assert!(warned.contains("paid plan"), "{warned}");
    let errors = browser.log("browser").await.unwrap();
    assert!(errors.is_empty(), "{errors:?}");
    browser.close().await.unwrap();

    let view = stand.cut_when(&cut, idle).await;
    let taken = &view["candidates"][2];
    let licence = &taken["licence"];
    assert!(licence["warned"].is_string() && licence["number"].as_str().unwrap().starts_with("SHELF-"), "{licence}");
    assert!(licence["credit"].as_str().unwrap().contains("Night Tram"));
    // Used as the bed, the check says so as well; with a paid plan noted it no longer does, and the record stays.
    let hash = taken["hash"].as_str().unwrap();
    stand.say(&cut, "bed", json!({ "do": "use", "sound": hash })).await;
    let findings = |v: &Value| v["plan"]["findings"].as_array().unwrap().iter().filter(|f| f["text"].as_str().unwrap().contains("paid plan")).count();
    let view = stand.cut_when(&cut, |c| fitted(c) && c["bed"]["hash"] == hash).await;
    assert_eq!(findings(&view), 1);
    let paid = json!({ "do": "describe", "title": "Advert", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false }, "commercial": true, "paidPlan": true });
    let (_, view) = stand.say(&cut, "cut", paid).await;
    assert_eq!(findings(&view), 0);
    assert!(view["candidates"][2]["licence"]["objection"].is_null() && view["candidates"][2]["licence"]["warned"].is_string());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wrong_guess_is_put_right_and_terms_hold_over_cuts() {
    let stand = Stand::new(&[]).await;
    let (cut, other) = (stand.make_cut("One", "30").await, stand.make_cut("Two", "30").await);
    // Whatever it sounds like, what is dropped on the beds is the bed; called speech, it becomes the narration.
    stand.upload(&cut, "candidates", &FILES.path("voice.wav"), "voice.wav").await;
    let view = stand.cut_when(&cut, |c| idle(c) && c["candidates"][0]["kind"].is_string()).await;
    let hash = view["candidates"][0]["hash"].as_str().unwrap().to_owned();
    assert_eq!((&view["candidates"][0]["kind"], &view["bed"]["hash"]), (&json!("speech"), &json!(hash)));
    assert_eq!(stand.say(&cut, "bed", json!({ "do": "candidate", "sound": hash, "kind": "speech" })).await.0, 200);
    let view = stand.cut_when(&cut, |c| idle(c) && c["plan"]["phrases"].as_array().is_some_and(|p| !p.is_empty())).await;
    assert_eq!((view["candidates"].as_array().map(Vec::len), view["takes"].as_array().map(Vec::len)), (Some(0), Some(1)));
    // Music brought in as narration is laid as such, and told.
    stand.upload(&cut, "takes", &FILES.path("loop.wav"), "loop.wav").await;
    let view = stand.cut_when(&cut, |c| idle(c) && c["takes"][1]["phrases"].is_array()).await;
    assert_eq!(view["takes"][1]["soundsLike"], json!("music"));

    // One project only: the second cut is told.
    let take = json!({ "despiteObjection": false });
    assert_eq!(stand.send("POST", &format!("/api/cuts/{cut}/shelf/rosehip-waltz"), Some(take.clone())).await.0, 200);
    let (status, problem) = stand.send("POST", &format!("/api/cuts/{other}/shelf/rosehip-waltz"), Some(take.clone())).await;
    assert_eq!((status, problem["code"].as_str()), (409, Some("may-not-use")));
    assert_eq!(stand.send("POST", &format!("/api/cuts/{other}/shelf/no-such-piece"), Some(take)).await.0, 404);
    let (_, shelf) = stand.send("GET", &format!("/api/cuts/{other}/shelf?singing=true&tempoToBpm=100"), None).await;
    let found: Vec<&str> = shelf["pieces"].as_array().unwrap().iter().map(|p| p["id"].as_str().unwrap()).collect();
    assert_eq!(found, ["hollow-reed"]);
    let quiet = stand.bytes("/api/shelf/rosehip-waltz/sound").await;
    let quiet = jaunty_media::decode_to_sound(&FILES.with("quiet.wav", &quiet)).unwrap();
    let lufs = jaunty_core::sound::loudness::measure(&quiet).integrated_lufs.unwrap();
    assert!((lufs + 23.0).abs() < 0.2, "EBU R 128: -23 LUFS, so that nothing shouts; it has {lufs:.1}");
}
