//! What Check found, mended by one key, or accepted with a name until the plan changes there.

use super::files::{Stand, idle};
use fantoccini::Locator;
use jaunty_e2e::{Browser, eventually};
use serde_json::{Value, json};
use std::time::Duration;

/// What was found that needs a look and has a remedy.
fn with_remedy(cut: &Value) -> Option<Value> {
    cut["plan"]["findings"].as_array().unwrap().iter().find(|f| f["needsLook"] == true && f["remedy"].is_object()).cloned()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_check_found_is_mended_by_one_key_or_accepted_with_a_name() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed_and_voice("Checked", "60").await;
    let dip = view["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "dip").unwrap()["name"].clone();
    let only_12 = json!({ "do": "set", "levels": [dip], "change": { "underSpeechDb": 12.0 } });
    assert_eq!(stand.say(&cut, "levels", only_12.clone()).await.0, 200);
    let found = with_remedy(&stand.cut(&cut).await).expect("the bed is too loud there");
    assert_eq!(found["remedy"]["words"], "lower the bed here by 8 dB, to 20 under the voice");

    // Mended by one key, and what it did can be undone.
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/check"))).await.unwrap();
    browser.find("mend").await.unwrap();
    browser.css("body").await.unwrap().send_keys("m").await.unwrap();
    let mended = stand.cut_when(&cut, |c| idle(c) && with_remedy(c).is_none()).await;
    let level = mended["plan"]["levels"].as_array().unwrap().iter().find(|l| l["name"] == dip).unwrap();
    assert!((level["underSpeechDb"].as_f64().unwrap() - 20.0).abs() < 0.01, "{level}");
    let (status, _) = stand.go(&cut, "undo").await;
    let again = stand.cut_when(&cut, |c| with_remedy(c).is_some()).await;
    assert_eq!((status, with_remedy(&again).unwrap()["key"].clone()), (200, found["key"].clone()));

    // Accepted with a name: asked for once, noted, no longer counted.
    let row = async || browser.client().find(Locator::Css("[data-test=findings] tr")).await.ok()?.text().await.ok();
    eventually(Duration::from_secs(10), async || row().await.filter(|t| t.contains("only 12 dB"))).await.expect("it is back");
    browser.find("accept").await.unwrap().click().await.unwrap();
    assert!(stand.cut(&cut).await["plan"]["accepted"].as_array().unwrap().is_empty(), "nobody is nobody");
    browser.css("[data-test=name]").await.unwrap().send_keys("Ruth").await.unwrap();
    browser.find("accept").await.unwrap().click().await.unwrap();
    let accepted = stand.cut_when(&cut, |c| !c["plan"]["accepted"].as_array().unwrap().is_empty()).await;
    assert_eq!(accepted["plan"]["accepted"], json!([{ "finding": found["key"], "by": "Ruth" }]));
    let rows = async || browser.client().find(Locator::Css("[data-test=findings]")).await.ok()?.text().await.ok();
    eventually(Duration::from_secs(10), async || rows().await.filter(|t| t.contains("Accepted by Ruth"))).await.expect("it says who");

    // Another level there is another finding: it is open again.
    assert_eq!(stand.say(&cut, "levels", json!({ "do": "set", "levels": [dip], "change": { "underSpeechDb": 13.0 } })).await.0, 200);
    let other = with_remedy(&stand.cut(&cut).await).expect("still too loud");
    assert_ne!(other["key"], found["key"]);
    // Names and findings that are none are refused.
    for (by, finding) in [("", found["key"].as_str().unwrap()), ("Ruth", "something"), (&"x".repeat(81)[..], found["key"].as_str().unwrap())] {
        let (status, _) = stand.say(&cut, "check", json!({ "do": "accept", "finding": finding, "by": by })).await;
        assert!(status == 422 || status == 404, "{by}: {status}");
    }
    browser.close().await.unwrap();
}
