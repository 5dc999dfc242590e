//! The main job without a mouse: by keyboard alone, with the focus seen wherever it is, and by finger.

use super::files::{FILES, Stand, fitted, idle};
use fantoccini::actions::{InputSource, KeyAction, KeyActions};
use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::sound::Source;
use jaunty_e2e::{Browser, eventually};
use jaunty_media::decode_to_sound;
use serde_json::{Value, json};
use std::time::Duration;

const TAB: char = '\u{e004}';
const ENTER: char = '\u{e007}';
const SHIFT: char = '\u{e008}';
const UP: char = '\u{e013}';
const RIGHT: char = '\u{e014}';

/// Somebody at the keyboard.
struct Keys<'a> {
    browser: &'a Browser,
    pressed: u32,
}

impl Keys<'_> {
    async fn press(&mut self, keys: &[char]) {
        let moves = keys.iter().fold(KeyActions::new("keyboard".into()), |all, &value| all.then(KeyAction::Down { value }).then(KeyAction::Up { value }));
        self.browser.client().perform_actions(moves).await.unwrap();
        self.pressed += keys.len() as u32;
    }

    async fn type_in(&mut self, text: &str) {
        self.press(&text.chars().collect::<Vec<_>>()).await;
    }

    /// Goes on by Tab until the focus is there, where it must be seen.
    async fn tab_to(&mut self, selector: &str) {
        /// Whoever has to press it more often has lost the way.
        const MOST: usize = 90;
        self.browser.css(selector).await.unwrap();
        let look = "const at = document.activeElement
            if (!at.matches(arguments[0])) return false
            const box = at.getBoundingClientRect()
            return { focus: at.matches(':focus-visible'), seen: box.bottom > 0 && box.top < innerHeight && box.right > 0 && box.left < innerWidth }";
        for _ in 0..MOST {
            self.press(&[TAB]).await;
            let there = self.browser.client().execute(look, vec![json!(selector)]).await.unwrap();
            if there != json!(false) {
                assert_eq!(there, json!({ "focus": true, "seen": true }), "{selector}");
                return;
            }
        }
        panic!("no way to {selector} by Tab");
    }

    /// Opens the dialog of files where the focus is, and takes a file there.
    async fn take_file(&mut self, name: &str, file: &str) {
        self.browser.client().execute("window.opened = 0; HTMLInputElement.prototype.click = function () { window.opened++ }", vec![]).await.unwrap();
        self.tab_to(&format!("[data-test={name}] [role=button], [data-test={name}][role=button], span:has([data-test={name}]) [role=button], [role=button]:has(input[data-test={name}])")).await;
        self.press(&[ENTER]).await;
        assert_eq!(self.browser.client().execute("return window.opened", vec![]).await.unwrap(), json!(1), "Enter asks for a file");
        self.browser.choose_file(name, &FILES.path(file)).await.unwrap();
    }
}

async fn cut_at_hand(browser: &Browser) -> String {
    let url = eventually(Duration::from_secs(20), async || {
        let url = browser.client().current_url().await.ok()?;
        let mut way = url.path_segments()?;
        (way.next() == Some("cuts")).then(|| way.next().map(str::to_owned)).flatten()
    });
    url.await.expect("a cut is open")
}

#[tokio::test(flavor = "multi_thread")]
async fn the_main_job_by_keyboard_alone() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let mut keys = Keys { browser: &browser, pressed: 0 };
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    keys.tab_to("[data-test=title-input]").await;
    keys.type_in("By keys").await;
    keys.tab_to("[data-test=length-input]").await;
    keys.type_in("40").await;
    keys.press(&[ENTER]).await;
    let cut = cut_at_hand(&browser).await;
    keys.tab_to("[data-test=step-beds]").await;
    keys.press(&[ENTER]).await;
    keys.take_file("bed-upload", "bed.wav").await;
    stand.cut_when(&cut, fitted).await;
    keys.tab_to("[data-test=step-voice]").await;
    keys.press(&[ENTER]).await;
    keys.take_file("narration-upload", "voice.wav").await;
    let swells = |c: &Value| c["plan"]["levels"].as_array().is_some_and(|all| all.iter().any(|l| l["kind"] == "swell"));
    let planned = stand.cut_when(&cut, |c| fitted(c) && swells(c)).await;

    // Fit: a splice one bar later, and a bar line pinned where the playhead is.
    keys.tab_to("[data-test=step-fit]").await;
    keys.press(&[ENTER]).await;
    let mut before = planned.clone();
    if planned["plan"]["fittings"][planned["plan"]["chosen"].as_u64().unwrap() as usize]["splices"].as_array().is_some_and(|s| !s.is_empty()) {
        keys.tab_to("[data-test=edge-leave-0]").await;
        keys.press(&[RIGHT]).await;
        before = stand.cut_when(&cut, |c| idle(c) && c["plan"]["revision"] != planned["plan"]["revision"]).await;
    }
    keys.tab_to("[data-test=bed-ruler]").await;
    keys.press(&[RIGHT, 'k']).await;
    let kept = stand.cut_when(&cut, |c| idle(c) && c["plan"]["wishes"]["keep"].as_array().is_some_and(|k| k.len() == 1)).await;
    assert_ne!(kept["plan"]["revision"], before["plan"]["revision"]);

    // Shape: the first swell 2 dB louder and its top a second and a tenth later.
    keys.tab_to("[data-test=step-shape]").await;
    keys.press(&[ENTER]).await;
    keys.tab_to("[aria-label^='swell']").await;
    keys.press(&[UP, UP]).await;
    let louder = |c: &Value| c["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "swell" && l["byHand"] == true).cloned();
    let up = stand.cut_when(&cut, |c| idle(c) && louder(c).is_some()).await;
    let swell = louder(&up).unwrap();
    let was = kept["plan"]["levels"].as_array().unwrap().iter().find(|l| l["name"] == swell["name"]).unwrap().clone();
    let db = |level: &Value| level["underSpeechDb"].as_f64().unwrap();
    assert!((db(&was) - db(&swell) - 2.0).abs() < 0.01, "{} after {}", db(&swell), db(&was));

    // Heard from the keyboard, and handed over.
    keys.press(&[' ']).await;
    keys.tab_to("[data-test=step-hand-over]").await;
    keys.press(&[ENTER]).await;
    keys.tab_to("[data-test=export]").await;
    keys.press(&[ENTER]).await;
    let file = browser.saved_file().await.unwrap();
    assert_eq!(decode_to_sound(&file).unwrap().len_samples(), 40 * u64::from(SAMPLE_RATE_HZ));
    // Back by Shift Tab is a way as well.
    let back = KeyActions::new("keyboard".into())
        .then(KeyAction::Down { value: SHIFT })
        .then(KeyAction::Down { value: TAB })
        .then(KeyAction::Up { value: TAB })
        .then(KeyAction::Up { value: SHIFT });
    browser.client().perform_actions(back).await.unwrap();
    println!("{} keys", keys.pressed);
    browser.close().await.unwrap();
}

/// A finger.
struct Finger<'a>(&'a Browser);

impl Finger<'_> {
    async fn touch(&self, kind: &str, at: Option<(f64, f64)>) {
        let points = at.map(|(x, y)| json!([{ "x": x, "y": y }])).unwrap_or_else(|| json!([]));
        self.0.devtools("Input.dispatchTouchEvent", json!({ "type": kind, "touchPoints": points })).await.unwrap();
    }

    /// Where a share of the width of an element lies, once it has been scrolled to.
    async fn place(&self, selector: &str, share: f64) -> (f64, f64) {
        let one = self.0.css(selector).await.unwrap();
        let show = "arguments[0].scrollIntoView({ block: 'center' }); const b = arguments[0].getBoundingClientRect(); return [b.x + b.width * arguments[1], b.y + b.height / 2]";
        let at = self.0.client().execute(show, vec![serde_json::to_value(&one).unwrap(), json!(share)]).await.unwrap();
        (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
    }

    async fn tap(&self, selector: &str) {
        // A browser takes a tap that comes at once after a drag for the end of its scrolling.
        tokio::time::sleep(Duration::from_secs(1)).await;
        let at = self.place(selector, 0.5).await;
        self.touch("touchStart", Some(at)).await;
        self.touch("touchEnd", None).await;
    }

    /// Takes what lies at a share of an element's width so many pixels along and down.
    async fn drag(&self, selector: &str, share: f64, (dx, dy): (f64, f64)) {
        let (x, y) = self.place(selector, share).await;
        self.touch("touchStart", Some((x, y))).await;
        for step in 1..=6 {
            let part = f64::from(step) / 6.0;
            self.touch("touchMove", Some((x + part * dx, y + part * dy))).await;
        }
        self.touch("touchEnd", None).await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn map_and_sheet_by_finger() {
    let stand = Stand::new(&[]).await;
    let (cut, planned) = stand.with_bed_and_voice("By finger", "40").await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.devtools("Emulation.setTouchEmulationEnabled", json!({ "enabled": true, "maxTouchPoints": 1 })).await.unwrap();
    let finger = Finger(&browser);
    let view = |step: &str| stand.server.url(&format!("/cuts/{cut}/{step}"));
    browser.client().goto(&view("fit")).await.unwrap();
    // A passage of the bed is marked along the ruler, and kept.
    finger.drag("[data-test=bed-ruler]", 0.3, (140.0, 0.0)).await;
    finger.tap("[data-test=keep]").await;
    let kept = stand.cut_when(&cut, |c| idle(c) && c["plan"]["wishes"]["keep"].as_array().is_some_and(|k| k.len() == 1)).await;
    // A bar line is pulled down to the cut.
    finger.drag("[data-test=pin-rail]", 0.4, (30.0, 165.0)).await;
    stand.cut_when(&cut, |c| idle(c) && c["plan"]["wishes"]["pins"].as_array().is_some_and(|p| p.len() == 1)).await;
    // A pin is taken out by a tap.
    finger.tap("[data-test=pin] circle").await;
    let free = stand.cut_when(&cut, |c| idle(c) && c["plan"]["wishes"]["pins"].as_array().is_some_and(Vec::is_empty)).await;
    assert_ne!(free["plan"]["revision"], kept["plan"]["revision"]);
    // The end of the cut is dragged in.
    finger.drag("[data-test=cut-end]", 0.5, (-120.0, 0.0)).await;
    let shorter = stand.cut_when(&cut, |c| idle(c) && c["lengthFrames"].as_u64() < planned["lengthFrames"].as_u64()).await;
    assert!(shorter["lengthFrames"].as_u64().unwrap() > 500);

    browser.client().goto(&view("shape")).await.unwrap();
    // A wedge is dragged down: lower. A drag along the line marks a passage, which is raised.
    let swell = shorter["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "swell").unwrap().clone();
    finger.drag("[data-test=hairpin]", 0.5, (0.0, 24.0)).await;
    let by_hand = |c: &Value| c["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "swell" && l["byHand"] == true).cloned();
    let lowered = stand.cut_when(&cut, |c| idle(c) && by_hand(c).is_some()).await;
    assert!(by_hand(&lowered).unwrap()["underSpeechDb"].as_f64() > swell["underSpeechDb"].as_f64());
    finger.drag("[data-test=line]", 0.2, (160.0, 0.0)).await;
    finger.tap("[data-test=sweep-up]").await;
    let sweep = |c: &Value| c["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "sweep").cloned();
    let swept = stand.cut_when(&cut, |c| idle(c) && sweep(c).is_some()).await;
    // Its end is taken along by its handle, which is as wide as a finger.
    let end = sweep(&swept).unwrap()["endS"].as_f64().unwrap();
    finger.drag("[aria-label^='bed, passage'][aria-label$=', to']", 0.5, (60.0, 0.0)).await;
    stand.cut_when(&cut, |c| idle(c) && sweep(c).is_some_and(|s| s["endS"].as_f64().unwrap() > end + 0.3)).await;
    browser.close().await.unwrap();
}
