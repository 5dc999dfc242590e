//! How fast the page is, printed and not judged: a shared machine is slow when it likes.
//!
//!     cargo test -p jaunty-e2e pace -- --ignored --nocapture

use super::files::{FILES, Stand, fitted};
use fantoccini::Locator;
use jaunty_core::sound::Sound;
use jaunty_demo::{LINES, narration};
use jaunty_e2e::Browser;
use jaunty_media::write_wav;
use serde_json::{Value, json};

/// Ten minutes of narration, from one minute.
fn ten_minutes() -> std::path::PathBuf {
    let minute = narration(&LINES[..8], 60.0).expect("espeak-ng");
    let path = FILES.path("long.wav");
    write_wav(&path, &Sound::new(minute.channels().iter().map(|plane| plane.repeat(10)).collect())).expect("room on the disk");
    path
}

/// Records when the first wedge of a sheet stands in the page, in ms since the page was asked for.
const WHEN_DRAWN: &str = "addEventListener('DOMContentLoaded', () => {
    const look = () => document.querySelector('[data-test=hairpin]') ? requestAnimationFrame(() => (window.drawnMs = performance.now())) : requestAnimationFrame(look)
    look()
})";

/// Bytes of the scripts that were asked for before the sheet stood, as they were sent.
const SCRIPTS: &str = "return performance.getEntriesByType('resource').filter((e) => e.name.endsWith('.js') && e.startTime < window.drawnMs).reduce((sum, e) => sum + e.encodedBodySize, 0)";

/// Drags a wedge to and fro for two seconds, one step a frame: ms between frames, and ms spent in each step.
const DRAG: &str = "const done = arguments[arguments.length - 1]
    const pin = document.querySelector('[data-test=hairpin]')
    pin.setPointerCapture = () => undefined
    const { x, y } = pin.getBoundingClientRect()
    const send = (kind, dx) => pin.dispatchEvent(new PointerEvent(kind, { bubbles: true, pointerId: 1, clientX: x + dx, clientY: y, button: 0, buttons: 1 }))
    send('pointerdown', 0)
    const frames = [], steps = []
    let last = performance.now(), n = 0
    const step = () => {
        const now = performance.now()
        frames.push(now - last)
        last = now
        send('pointermove', 40 * Math.sin(n / 8))
        document.body.getBoundingClientRect()
        steps.push(performance.now() - now)
        if (++n < 120) return requestAnimationFrame(step)
        send('pointermove', 0)
        pin.dispatchEvent(new PointerEvent('pointercancel', { bubbles: true, pointerId: 1 }))
        const sorted = (all) => all.slice(1).sort((a, b) => a - b)
        done([sorted(frames), sorted(steps)])
    }
    requestAnimationFrame(step)";

/// Ms from a key until the first sound asked for after it has arrived.
const HEARD: &str = "const [key, part, done] = arguments
    const from = performance.now()
    performance.clearResourceTimings()
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
    const look = () => {
        const sound = performance.getEntriesByType('resource').find((e) => e.name.includes('/sound?') && e.name.includes(part) && e.responseEnd > 0)
        sound ? done([sound.startTime - from, sound.responseStart - from, sound.responseEnd - from]) : performance.now() - from > 9000 ? done([]) : setTimeout(look, 2)
    }
    look()";

fn figures(all: &Value) -> String {
    all.as_array().into_iter().flatten().filter_map(Value::as_f64).map(|ms| format!("{ms:.0}")).collect::<Vec<_>>().join(", ")
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "prints figures: cargo test -p jaunty-e2e pace -- --ignored --nocapture"]
async fn pace_of_a_cut_with_ten_minutes_of_narration() {
    let stand = Stand::alone(&[]).await;
    let (cut, _) = stand.with_bed("Ten minutes", "600").await;
    stand.upload(&cut, "takes", &ten_minutes(), "long.wav").await;
    let view = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["phrases"].as_array().is_some_and(|p| p.len() > 60)).await;
    let url = stand.server.url(&format!("/cuts/{cut}/shape"));
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.devtools("Page.enable", json!({})).await.unwrap();
    browser.devtools("Page.addScriptToEvaluateOnNewDocument", json!({ "source": WHEN_DRAWN })).await.unwrap();
    let drawn = async || browser.client().execute("return window.drawnMs", vec![]).await.unwrap();
    let mut warm = Vec::new();
    for _ in 0..5 {
        browser.client().goto(&url).await.unwrap();
        browser.find("hairpin").await.unwrap();
        warm.push(drawn().await);
    }
    println!("{} phrases; the sheet stands after {} ms", view["plan"]["phrases"].as_array().map_or(0, Vec::len), figures(&json!(warm)));
    // What is wanted for the first view; what is fetched ahead for the others begins later and does not count.
    let scripts = browser.client().execute(SCRIPTS, vec![]).await.unwrap();
    println!("scripts until then: {:.0} kB compressed", scripts.as_f64().unwrap() / 1000.0);

    let found = browser.client().execute_async(DRAG, vec![]).await.unwrap();
    let at = |which: usize, share: f64| {
        let all: Vec<f64> = found[which].as_array().unwrap().iter().filter_map(Value::as_f64).collect();
        all[(share * (all.len() - 1) as f64) as usize]
    };
    println!(
        "dragging: {:.1} ms between frames, {:.1} at the 95th percentile; work in a frame {:.1} ms, {:.1}",
        at(0, 0.5),
        at(0, 0.95),
        at(1, 0.5),
        at(1, 0.95)
    );

    let heard = async |key: &str, part: &str| browser.client().execute_async(HEARD, vec![json!(key), json!(part)]).await.unwrap();
    for _ in 0..3 {
        println!("sound after the key: asked for, begun, arrived after {} ms", figures(&heard(" ", "sound").await));
        // Stops again.
        browser.client().find(Locator::Css("body")).await.unwrap().send_keys(" ").await.unwrap();
    }
    browser.client().find(Locator::Css("body")).await.unwrap().send_keys(" ").await.unwrap();
    browser.client().find(Locator::Css("[data-test=hairpin]")).await.unwrap().click().await.unwrap();
    browser.find("level-card").await.unwrap();
    let next = view["plan"]["revision"].as_u64().unwrap() + 1;
    println!("sound of a changed level: asked for, begun, arrived after {} ms", figures(&heard("+", &format!("revisions/{next}/")).await));
    // Last: what the server works out for each of these goes on behind it.
    let mut cold = Vec::new();
    for _ in 0..3 {
        browser.devtools("Network.clearBrowserCache", json!({})).await.unwrap();
        browser.client().goto(&url).await.unwrap();
        browser.find("hairpin").await.unwrap();
        cold.push(drawn().await);
    }
    println!("with an empty cache it stands after {} ms", figures(&json!(cold)));
    browser.close().await.unwrap();
}
