//! Whole scenes made from raw files by the page alone, against the clock, and the exported file measured.

use super::files::{FILES, Stand, bring_in};
use jaunty_core::sound::loudness::{block_energies, lufs_from_energy};
use jaunty_core::sound::{Sound, Source};
use jaunty_e2e::{Browser, eventually};
use jaunty_media::{decode_to_sound, write_wav};
use std::time::{Duration, Instant};

async fn new_cut(browser: &Browser, stand: &Stand, title: &str, length: &str) {
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    browser.find("title-input").await.unwrap().send_keys(title).await.unwrap();
    browser.find("length-input").await.unwrap().send_keys(length).await.unwrap();
    browser.find("submit-cut").await.unwrap().click().await.unwrap();
    bring_in(browser).await;
    browser.find("step-shape").await.unwrap().click().await.unwrap();
    browser.find("hairpin").await.unwrap();
    browser.find("figures").await.unwrap().click().await.unwrap();
    browser.find("opening").await.unwrap();
}

/// The page has caught up with what was done: what undo would take back begins so.
async fn done(browser: &Browser, undo: &str) {
    let told = async || browser.find("undo").await.ok()?.text().await.ok()?.contains(undo).then_some(());
    eventually(Duration::from_secs(30), told).await.unwrap_or_else(|| panic!("the page says \"Undo: {undo}\""));
}

/// The exported file; how long an editor waits for it is told, since `start`.
async fn export_in_time(browser: &Browser, start: Instant, scene: &str) -> Sound {
    browser.find("step-hand-over").await.unwrap().click().await.unwrap();
    browser.find("export").await.unwrap().click().await.unwrap();
    let mix = decode_to_sound(&browser.saved_file().await.unwrap()).unwrap();
    let spent = start.elapsed();
    eprintln!("{scene}: {:.0} s from raw files to the exported file", spent.as_secs_f64());
    mix
}

fn level(sound: &Sound, from_s: f64, to_s: f64) -> f64 {
    let part = &block_energies(sound)[(from_s * 10.0) as usize..(to_s * 10.0) as usize];
    lufs_from_energy(part.iter().sum::<f64>() / part.len() as f64)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_spoken_show_opens_and_closes() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let start = Instant::now();
    new_cut(&browser, &stand, "The Clock Hour", "0:01:20:00").await;
    browser.find("opening").await.unwrap().click().await.unwrap();
    done(&browser, "open with the bed alone").await;
    browser.find("closing").await.unwrap().click().await.unwrap();
    done(&browser, "rise under the last words").await;
    // Ten seconds of theme, fading over the last four, the voice half-way (common practice).
    let alone = browser.find("alone-s").await.unwrap();
    alone.click().await.unwrap();
    alone.send_keys("\u{e009}a\u{e000}8\n").await.unwrap();
    browser.find("enter").await.unwrap().click().await.unwrap();
    done(&browser, "let the voice enter").await;
    let mix = export_in_time(&browser, start, "spoken show").await;
    assert_eq!(mix.len_samples(), 80 * 48_000);
    // The bed alone, then the voice over it; the close is heard and ends in silence.
    let (theme, show, close) = (level(&mix, 1.0, 5.0), level(&mix, 12.0, 40.0), level(&mix, 73.0, 76.0));
    assert!(show - theme > 3.0 && theme > show - 20.0 && close > show - 12.0, "theme {theme:.1}, show {show:.1}, close {close:.1} LUFS");
    assert!(mix.channels()[0].last().unwrap().abs() < 1e-3, "it ends in silence");
    browser.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scene_has_three_ambiences_with_a_rule_each() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    for (k, name) in ["water", "room", "birds"].into_iter().enumerate() {
        let mut state = k as u32 + 40;
        let plane = (0..8 * 48_000).map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            0.05 * (state as f32 / u32::MAX as f32 - 0.5)
        });
        write_wav(&FILES.path(&format!("{name}.wav")), &Sound::new(vec![plane.collect()])).unwrap();
    }
    let start = Instant::now();
    new_cut(&browser, &stand, "By the Weir", "0:01:00:00").await;
    let id = stand.send("GET", "/api/cuts", None).await.1["cuts"][0]["id"].as_str().unwrap().to_owned();
    for (k, (name, rule)) in [("water", "out"), ("room", "low"), ("birds", "only then")].into_iter().enumerate() {
        browser
            .css("[aria-label='Figures of the whole'] input[type=file]")
            .await
            .unwrap()
            .send_keys(&FILES.path(&format!("{name}.wav")).display().to_string())
            .await
            .unwrap();
        let there = async || (browser.count("ambience").await.ok()? == k + 1).then_some(());
        eventually(Duration::from_secs(30), there).await.expect("the ambience is listed");
        done(&browser, &format!("hear \"{name}")).await;
        if rule != "low" {
            let open = "const i = document.querySelector(`[aria-label='${arguments[0]}']`); i.scrollIntoView({ block: 'center' }); i.closest('.ant-select').querySelector('.ant-select-selector').dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))";
            let label = format!("{name}.wav while somebody speaks");
            browser.client().execute(open, vec![label.into()]).await.unwrap();
            // The list of this very field: another one may still be closing.
            let choose = "const list = document.getElementById(document.querySelector(`[aria-label='${arguments[0]}']`).closest('.ant-select').querySelector('[aria-controls]').getAttribute('aria-controls')); const one = [...(list?.closest('.ant-select-dropdown')?.querySelectorAll('.ant-select-item-option') ?? [])].find((o) => o.title === arguments[1]); one?.click(); return !!one";
            let chosen = async || {
                let asked = vec![format!("{name}.wav while somebody speaks").into(), rule.into()];
                browser.client().execute(choose, asked).await.ok()?.as_bool()?.then_some(())
            };
            eventually(Duration::from_secs(10), chosen).await.expect("the rule is in the list");
            let set = async || {
                let cut = stand.send("GET", &format!("/api/cuts/{id}"), None).await.1;
                (cut["plan"]["ambiences"][k]["rule"] != "low").then_some(())
            };
            eventually(Duration::from_secs(20), set).await.expect("the rule is set");
            done(&browser, "change an ambience").await;
        }
    }
    let mix = export_in_time(&browser, start, "three ambiences").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let view = stand.send("GET", &format!("/api/cuts/{id}"), None).await.1;
    let rules: Vec<&str> = view["plan"]["ambiences"].as_array().unwrap().iter().map(|a| a["rule"].as_str().unwrap()).collect();
    assert_eq!(rules, ["out", "low", "onlyUnder"]);
    browser.close().await.unwrap();
}
