//! A level under a hand is heard at once, mixed in the page; what is heard is what the server makes of it afterwards.

use super::files::{Stand, idle};
use fantoccini::Locator;
use jaunty_e2e::Browser;
use serde_json::{Value, json};

/// Keeps what the page mixes itself and from which sample of the cut, and when it lets it sound.
const WATCH: &str = "window.asked = []; window.mixed = []
    const fetched = window.fetch
    window.fetch = async (request, more) => {
        if (request.url && request.url.endsWith('/curves')) window.asked.push(await request.clone().json())
        return fetched(request, more)
    }
    const make = BaseAudioContext.prototype.createBuffer
    BaseAudioContext.prototype.createBuffer = function (channels, length, rate) {
        const buffer = make.call(this, channels, length, rate)
        buffer.asked = window.asked.at(-1)
        return buffer
    }
    const start = AudioBufferSourceNode.prototype.start
    AudioBufferSourceNode.prototype.start = function (when = 0, skip = 0) {
        if (this.buffer?.asked) window.mixed.push({ buffer: this.buffer, atMs: performance.now() + 1000 * Math.max(0, when - this.context.currentTime) })
        return start.call(this, when, skip)
    }";

/// Drags the first wedge down in ten steps of 4 px, at which its level is another whole decibel each time; ms from each step to when what it asks for begins to be heard.
const DRAG: &str = "const done = arguments[arguments.length - 1]
    const pin = document.querySelectorAll('[data-test=hairpin]')[0]
    pin.setPointerCapture = () => undefined
    const { x, y, width } = pin.getBoundingClientRect()
    const send = (kind, dy) => pin.dispatchEvent(new PointerEvent(kind, { bubbles: true, pointerId: 1, clientX: x + width / 2, clientY: y + dy, button: 0, buttons: 1 }))
    send('pointerdown', 0)
    const late = []
    let n = 0
    const step = () => {
        const [from, had] = [performance.now(), window.mixed.length]
        send('pointermove', 6 + 4 * ++n)
        const look = () => {
            const first = window.mixed[had]
            if (!first && performance.now() - from < 2000) return setTimeout(look, 2)
            late.push(first ? first.atMs - from : null)
            if (n < 10) return setTimeout(step, 150)
            setTimeout(() => { send('pointerup', 46); done(late) }, 300)
        }
        look()
    }
    step()";

/// By how many dB what was mixed last lies off what the server gives of a revision in the same place, and how loud it is.
const COMPARE: &str = "const [cut, revision, done] = arguments
    ;(async () => {
        const mixed = window.mixed.at(-1).buffer
        const { fromSamples, lengthSamples } = mixed.asked
        const answer = await fetch(`/api/cuts/${cut}/revisions/${revision}/sound?hear=everything&fromSamples=${fromSamples}&lengthSamples=${mixed.length}`)
        const server = await new OfflineAudioContext(2, mixed.length, 48000).decodeAudioData(await answer.arrayBuffer())
        let off = 0, all = 1e-20
        for (let channel = 0; channel < 2; channel++) {
            const [a, b] = [mixed.getChannelData(channel), server.getChannelData(channel)]
            for (let k = 0; k < mixed.length; k++) { off += (a[k] - b[k]) ** 2; all += b[k] ** 2 }
        }
        done([10 * Math.log10(off / all + 1e-20), 10 * Math.log10(all / mixed.length / 2), lengthSamples === mixed.length])
    })()";

#[tokio::test(flavor = "multi_thread")]
async fn a_wedge_that_is_dragged_while_it_plays_is_heard_at_once_as_the_server_makes_it_then() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed_and_voice("By hand", "60").await;
    let swell = view["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "swell").expect("a swell").clone();
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/shape"))).await.unwrap();
    browser.find("hairpin").await.unwrap();
    browser.client().execute(WATCH, vec![]).await.unwrap();
    // Played from within the swell, so that the hand is heard.
    browser.find("position").await.unwrap().click().await.unwrap();
    let at = (swell["startS"].as_f64().unwrap() + swell["riseS"].as_f64().unwrap() - 0.5).max(0.0);
    let field = browser.find("go-to").await.unwrap();
    field.send_keys(&format!("{at:.1}\u{e007}")).await.unwrap();
    browser.client().find(Locator::Css("body")).await.unwrap().send_keys(" ").await.unwrap();
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    let late = browser.client().execute_async(DRAG, vec![]).await.unwrap();
    let late: Vec<f64> = late.as_array().unwrap().iter().map(|ms| ms.as_f64().unwrap_or(f64::INFINITY)).collect();
    println!("from the hand to the ear: {late:.0?} ms");
    assert!(late.iter().all(|ms| ms.is_finite()), "each step is heard: {late:?}");
    let by_hand = |c: &Value| c["plan"]["levels"].as_array().is_some_and(|l| l.iter().any(|o| o["kind"] == "swell" && o["byHand"] == true));
    let after = stand.cut_when(&cut, |c| idle(c) && by_hand(c)).await;
    assert_ne!(after["plan"]["revision"], view["plan"]["revision"]);
    let compared = browser.client().execute_async(COMPARE, vec![json!(cut), after["plan"]["revision"].clone()]).await.unwrap();
    println!("off the server's sound, its level: {compared} dB");
    assert!(compared[1].as_f64().unwrap() > -60.0, "there is something to hear: {compared}");
    assert!(compared[0].as_f64().unwrap() < -80.0, "{compared}");
    browser.close().await.unwrap();
}
