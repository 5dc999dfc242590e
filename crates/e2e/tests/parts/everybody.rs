//! The page for everybody: nothing that axe-core finds wrong, and the job by keyboard.

use super::files::{Stand, bring_in};
use jaunty_e2e::Browser;
use serde_json::json;
use std::time::Duration;

/// Every view of a cut that is done, and the cards that open in it.
#[tokio::test(flavor = "multi_thread")]
async fn axe_finds_nothing_wrong_on_any_view() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed_and_voice("For everybody", "30").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let mut wrong = Vec::new();
    let at = |step: &str| stand.server.url(&format!("/cuts/{cut}/{step}"));
    let opened = [("shape", "figures"), ("shape", "hairpin"), ("fit", "show-keys")];
    let plain = ["picture", "beds", "voice", "reading", "fit", "shape", "check", "hand-over", "lengths"].map(|step| (step, ""));
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

/// Texts that lie behind the edge of the window, or of what shows them, where nothing scrolls to them.
const CUT_OFF: &str = "const bad = []
    const shows = (e) => { for (let p = e.parentElement; p; p = p.parentElement) if (getComputedStyle(p).overflowX !== 'visible') return p }
    for (const e of document.querySelectorAll('#app *')) {
        if (e.closest('svg, .skip, .unseen, .bar') || ![...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim())) continue
        const box = e.getBoundingClientRect(), within = shows(e)
        const right = Math.min(innerWidth, within ? within.getBoundingClientRect().right : innerWidth)
        if (box.width && (box.right > right + 1 || box.left < -1)) bad.push(`${e.textContent.trim().slice(0, 40)} (${Math.round(box.right - right)} px)`)
    }
    if (document.documentElement.scrollWidth > innerWidth) bad.push('the page is wider than the window')
    return bad.slice(0, 5)";

/// Down to 900 px, and at twice the size of a window of 1280, which is one of 640.
#[tokio::test(flavor = "multi_thread")]
async fn no_text_is_cut_off_in_narrow_windows_and_all_of_it_can_be_scrolled_to() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed_and_voice("Narrow", "30").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let mut wrong = Vec::new();
    for (width, height) in [(640, 400), (900, 700), (1280, 800)] {
        let size = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        browser.devtools("Emulation.setDeviceMetricsOverride", size).await.unwrap();
        for step in ["picture", "beds", "voice", "reading", "fit", "shape", "check", "hand-over", "lengths"] {
            browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/{step}"))).await.unwrap();
            browser.css("main h2").await.unwrap();
            tokio::time::sleep(Duration::from_millis(500)).await;
            assert_eq!(browser.client().execute("return innerWidth", vec![]).await.unwrap(), json!(width));
            let found = browser.client().execute(CUT_OFF, vec![]).await.unwrap();
            wrong.extend(found.as_array().unwrap().iter().map(|one| format!("{width} {step}: {one}")));
            let scrolls = "const below = [...document.querySelectorAll('#app main *')].some((e) => !e.closest('.unseen') && e.getBoundingClientRect().bottom > innerHeight);
                const all = [document.scrollingElement, document.querySelector('main'), ...document.querySelectorAll('main *')];
                return !below || all.some((e) => e.scrollHeight > e.clientHeight + 2 && (e === document.scrollingElement || ['auto', 'scroll'].includes(getComputedStyle(e).overflowY)))";
            if width == 640 && browser.client().execute(scrolls, vec![]).await.unwrap() != json!(true) {
                wrong.push(format!("{width} {step}: does not scroll"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    browser.close().await.unwrap();
}

/// From nothing to a mix in hand: every click that it takes is one that somebody under a deadline has to find.
#[tokio::test(flavor = "multi_thread")]
async fn a_first_export_takes_few_clicks() {
    /// Make it; Beds; Voice; Hand over; Save the mix. Files are dropped or chosen.
    const MOST_CLICKS: u64 = 5;
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    browser.find("title-input").await.unwrap().send_keys("First").await.unwrap();
    browser.client().execute("window.clicks = 0; addEventListener('click', (e) => e.isTrusted && window.clicks++, true)", Vec::new()).await.unwrap();
    browser.find("length-input").await.unwrap().send_keys("30").await.unwrap();
    browser.find("submit-cut").await.unwrap().click().await.unwrap();
    bring_in(&browser).await;
    browser.find("step-hand-over").await.unwrap().click().await.unwrap();
    browser.find("export").await.unwrap().click().await.unwrap();
    assert!(browser.saved_file().await.unwrap().extension().is_some_and(|e| e == "wav"));
    let clicks = browser.client().execute("return window.clicks", Vec::new()).await.unwrap().as_u64();
    assert!(clicks.is_some_and(|n| n <= MOST_CLICKS), "{clicks:?} clicks; {MOST_CLICKS} are enough");
    browser.close().await.unwrap();
}
