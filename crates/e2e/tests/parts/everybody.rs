//! The page for everybody: nothing that axe-core finds wrong, and the job by keyboard.

use super::files::Stand;
use jaunty_e2e::Browser;
use serde_json::json;
use std::time::Duration;

/// Every view of a cut that is done, and the cards that open in it.
#[tokio::test(flavor = "multi_thread")]
async fn axe_finds_nothing_wrong_on_any_view() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed_and_voice("For everybody", "30").await;
    let browser = Browser::start().await.expect("Chromium is installed by ./test");
    let mut wrong = Vec::new();
    let at = |step: &str| stand.server.url(&format!("/cuts/{cut}/{step}"));
    let opened = [("shape", "figures"), ("shape", "hairpin"), ("fit", "show-keys")];
    let plain = ["picture", "beds", "voice", "reading", "fit", "shape", "check", "hand-over"].map(|step| (step, ""));
    for (step, click) in plain.into_iter().chain(opened) {
        browser.client().goto(&at(step)).await.unwrap();
        browser.css("main h2").await.unwrap();
        if !click.is_empty() {
            browser.find(click).await.unwrap().click().await.unwrap();
        }
        // What the library leaves wrong is mended with the next picture that is drawn; what grows in is grown then.
        tokio::time::sleep(Duration::from_millis(600)).await;
        wrong.extend(browser.axe().await.unwrap().into_iter().map(|w| format!("{step} {click}: {w}")));
    }
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    browser.find("cut").await.unwrap();
    wrong.extend(browser.axe().await.unwrap().into_iter().map(|w| format!("home: {w}")));
    // The same by lamplight, where contrasts are others.
    browser.devtools("Emulation.setEmulatedMedia", json!({ "features": [{ "name": "prefers-color-scheme", "value": "dark" }] })).await.unwrap();
    for step in ["reading", "fit", "hand-over"] {
        browser.client().goto(&at(step)).await.unwrap();
        browser.css("main h2").await.unwrap();
        tokio::time::sleep(Duration::from_millis(600)).await;
        wrong.extend(browser.axe().await.unwrap().into_iter().map(|w| format!("dark {step}: {w}")));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    browser.close().await.unwrap();
}
