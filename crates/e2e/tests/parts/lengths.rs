//! Several lengths of one cut, made, changed and handed over in the page.

use super::files::{Stand, fitted, idle};
use jaunty_e2e::{Browser, eventually};
use serde_json::{Value, json};
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn spots_of_several_lengths_come_from_one_cut_and_are_handed_over_in_one_go() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Kettle spot", "60").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/hand-over"))).await.unwrap();
    browser.find("step-lengths").await.unwrap().click().await.unwrap();
    // What spots are usually ordered as stands there already; this house wants three.
    let field = browser.css("[data-test=lengths]").await.unwrap();
    assert_eq!(field.prop("value").await.unwrap().as_deref(), Some("30  20  15  10  6"));
    field.clear().await.unwrap();
    field.send_keys("30 15, 0:06").await.unwrap();
    browser.find("make-lengths").await.unwrap().click().await.unwrap();
    let family = async || stand.send("GET", &format!("/api/cuts/{cut}/versions"), None).await.1.as_array().unwrap().clone();
    let when = async |done: fn(&Value) -> bool| {
        eventually(Duration::from_secs(60), async || {
            let all = family().await;
            (all.len() == 4 && all.iter().all(done)).then_some(all)
        })
        .await
        .expect("in time")
    };
    let made = when(|one| !one["works"].as_bool().unwrap() && one["fitting"].is_object()).await;
    let seconds: Vec<f64> = made.iter().map(|one| one["lengthS"].as_f64().unwrap()).collect();
    assert_eq!(seconds, [60.0, 30.0, 15.0, 6.0]);
    eventually(Duration::from_secs(10), async || (browser.count("version").await.unwrap() == 4).then_some(())).await.expect("each has its row");

    // One is opened and changed by itself.
    let half = made[1]["id"].as_str().unwrap().to_owned();
    assert_eq!(stand.say(&half, "fit", json!({ "do": "wish", "wish": { "what": "end", "kind": "fade" } })).await.0, 200);
    // A change of the first one is offered to all and taken over by a click; their own lengths stay.
    assert_eq!(stand.say(&cut, "levels", json!({ "do": "figure", "figure": "bedAloneLufs", "value": -20.0 })).await.0, 200);
    browser.find("behind").await.unwrap();
    browser.find("follow-all").await.unwrap().click().await.unwrap();
    let followed = when(|one| !one["works"].as_bool().unwrap() && !one["isBehind"].as_bool().unwrap()).await;
    assert_eq!(followed[1]["lengthS"], 30.0);
    let view = stand.cut_when(&half, |c| fitted(c) && idle(c)).await;
    assert_eq!(view["plan"]["shape"]["bedAloneLufs"], -20.0);

    // All are written by one click, each as long as it says to the sample.
    eventually(Duration::from_secs(10), async || browser.find("hand-all").await.ok()?.is_enabled().await.ok()?.then_some(())).await.expect("nothing works");
    browser.find("hand-all").await.unwrap().click().await.unwrap();
    let handed = when(|one| one["handed"].is_object()).await;
    for one in &handed {
        let (id, file) = (one["id"].as_str().unwrap(), one["handed"]["id"].as_str().unwrap());
        let bytes = stand.bytes(&format!("/api/cuts/{id}/handed/{file}/file")).await;
        let samples = u64::from(hound::WavReader::new(&bytes[..]).unwrap().duration());
        assert_eq!(samples, (one["lengthS"].as_f64().unwrap() * 48_000.0) as u64);
    }
    eventually(Duration::from_secs(10), async || (browser.count("save-version").await.unwrap() == 4).then_some(())).await.expect("each can be saved");
    browser.close().await.unwrap();
}
