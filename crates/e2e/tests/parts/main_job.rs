//! The main job, through the real page in headless Chromium.

use super::files::{FILES, Stand, bring_in};
use fantoccini::Locator;
use jaunty_core::reading::keep_going;
use jaunty_core::sound::Source;
use jaunty_core::sound::loudness::{block_energies, lufs_from_energy};
use jaunty_core::speech::read_speech;
use jaunty_e2e::{Browser, eventually};
use jaunty_media::decode_to_sound;
use std::time::{Duration, Instant};

#[tokio::test(flavor = "multi_thread")]
async fn a_bed_becomes_as_long_as_the_cut_and_breathes_with_the_narration() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_watched(&stand.server).await.expect("Chromium is installed by ./test");
    let client = browser.client();
    client.goto(&stand.server.url("/")).await.unwrap();

    // A new cut, with markup in its title that must stay text.
    let title = "Clock <b>film</b> & more";
    browser.find("title-input").await.unwrap().send_keys(title).await.unwrap();
    browser.find("length-input").await.unwrap().send_keys("0:01:00:00").await.unwrap();
    browser.find("submit-cut").await.unwrap().click().await.unwrap();
    assert_eq!(browser.find("title").await.unwrap().text().await.unwrap(), title);

    // Both files, then the reading.
    bring_in(&browser).await;
    browser.find("step-reading").await.unwrap().click().await.unwrap();
    let tempo = browser.find("tempo").await.unwrap().text().await.unwrap();
    let bpm: f64 = tempo.split(' ').next().unwrap().parse().unwrap();
    assert!((bpm - 104.0).abs() < 1.0, "{tempo}");

    // The map and the sheet.
    browser.find("step-fit").await.unwrap().click().await.unwrap();
    browser.find("ribbon").await.unwrap();
    let ribbons = browser.count("ribbon").await.unwrap();
    assert_eq!(browser.count("map-splice").await.unwrap() + 1, ribbons);
    browser.find("step-shape").await.unwrap().click().await.unwrap();
    browser.find("hairpin").await.unwrap();
    assert_eq!(browser.count("line").await.unwrap(), 6, "a minute at ten seconds a line");

    plays(&browser).await;
    sets_a_level_and_takes_it_back(&browser).await;

    // Hand over: the file is decoded and its length and levels checked.
    browser.find("step-hand-over").await.unwrap().click().await.unwrap();
    browser.find("export").await.unwrap().click().await.unwrap();
    let file = browser.saved_file().await.unwrap();
    check_mix(&file);

    // No network but our own, and a quiet console.
    let own = stand.server.url("");
    for entry in browser.log("performance").await.unwrap() {
        if let Some(url) = entry.split("\"method\":\"Network.requestWillBeSent\"").nth(1).and_then(|e| e.split("\"request\":").nth(1)).and_then(requested) {
            // Chromium's own start page, before ours, asks chrome: addresses; those reach no network.
            let inside = ["data:", "blob:", "chrome:"].iter().any(|scheme| url.starts_with(scheme));
            assert!(inside || url.starts_with(&own), "the page asked {url}");
        }
    }
    let errors: Vec<String> = browser.log("browser").await.unwrap();
    assert!(errors.is_empty(), "{errors:?}");
    browser.close().await.unwrap();
}

fn requested(entry: &str) -> Option<&str> {
    entry.split("\"url\":\"").nth(1)?.split('"').next()
}

/// The sound clock really advances, from the place that was asked for, and stops.
async fn plays(browser: &Browser) {
    let position = async || -> f64 {
        let text = browser.find("position").await.unwrap().text().await.unwrap();
        let (minutes, seconds) = text.split_once(':').unwrap();
        minutes.parse::<f64>().unwrap() * 60.0 + seconds.parse::<f64>().unwrap()
    };
    browser.find("play").await.unwrap().click().await.unwrap();
    let moving = eventually(Duration::from_secs(15), async || Some(position().await).filter(|&p| p > 0.5)).await;
    assert!(moving.is_some(), "the sound clock stands still");
    // A busy machine may hold the sound up, but it never outruns the clock on the wall.
    let (since, at) = (Instant::now(), position().await);
    let on = eventually(Duration::from_secs(15), async || Some(position().await).filter(|&p| p > at + 1.5)).await;
    let (advanced, passed) = (on.expect("the sound clock goes on") - at, since.elapsed().as_secs_f64());
    assert!(advanced < passed + 0.2, "{advanced} s in {passed} s");

    // What to hear can be changed while it plays, and the key goes on from there.
    browser.find("hear-voice").await.unwrap().click().await.unwrap();
    let (since, heard) = (Instant::now(), position().await);
    let on = eventually(Duration::from_secs(15), async || Some(position().await).filter(|&p| p > heard + 0.5)).await;
    assert!(heard >= at && on.is_some_and(|p| p - heard < since.elapsed().as_secs_f64() + 0.2), "{at}, {heard}, {on:?}");
    let page = browser.client().find(Locator::Css("body")).await.unwrap();
    page.send_keys(" ").await.unwrap();
    tokio::time::sleep(Duration::from_millis(300)).await;
    let stopped = position().await;
    tokio::time::sleep(Duration::from_millis(500)).await;
    assert_eq!(position().await, stopped, "space stops");

    // Seeking: a click on the third line goes to its time.
    let line = browser.client().find_all(Locator::Css("[data-test=line]")).await.unwrap().remove(2);
    line.click().await.unwrap();
    assert!((position().await - 25.0).abs() < 1.0, "the middle of the third line of ten seconds: {}", position().await);
}

async fn sets_a_level_and_takes_it_back(browser: &Browser) {
    browser.client().find_all(Locator::Css("[data-test=hairpin]")).await.unwrap().remove(1).click().await.unwrap();
    browser.find("level-card").await.unwrap();
    let input = browser.css("[data-test=level-db] input, input[data-test=level-db]").await.unwrap();
    input.send_keys("\u{e010}\u{e003}\u{e003}12\u{e007}").await.unwrap();
    let undo = async |part: &str| {
        let seen = eventually(Duration::from_secs(10), async || Some(browser.find("undo").await.ok()?.text().await.ok()?).filter(|t| t.contains(part))).await;
        assert!(seen.is_some(), "undo never said {part}");
    };
    undo("set a level").await;
    browser.find("undo").await.unwrap().click().await.unwrap();
    undo("use the").await;
    assert!(browser.find("redo").await.unwrap().text().await.unwrap().contains("set a level"));
}

/// 60 s at 48 kHz and 24 bits exactly, and the voice 20 dB over the bed.
fn check_mix(file: &std::path::Path) {
    let spec = hound::WavReader::open(file).unwrap().spec();
    assert_eq!((spec.sample_rate, spec.bits_per_sample, spec.channels), (48_000, 24, 2));
    let mix = decode_to_sound(file).unwrap();
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let voice = decode_to_sound(&FILES.path("voice.wav")).unwrap();
    let mut bed = mix.clone();
    for plane in bed.channels_mut() {
        plane.iter_mut().zip(&voice.channels()[0]).for_each(|(m, v)| *m -= v);
    }
    let (bed, speech) = (block_energies(&bed), block_energies(&voice));
    let phrases = read_speech(&voice, &mut keep_going()).unwrap().phrases;
    let spoken: Vec<usize> = phrases.iter().flat_map(|p| (p.start_samples / 4800) as usize..(p.end_samples / 4800) as usize).collect();
    let over = |of: &[f64]| lufs_from_energy(spoken.iter().map(|&k| of[k]).sum::<f64>() / spoken.len() as f64);
    let apart = over(&speech) - over(&bed);
    // WCAG 2 SC 1.4.7: 20 dB. Common practice, no source: 18 to 25.
    assert!((19.0..23.0).contains(&apart), "the bed lies {apart:.1} dB under the voice");
    let gap = phrases.windows(2).map(|w| (w[0].end_samples, w[1].start_samples)).max_by_key(|g| g.1 - g.0).unwrap();
    let middle = ((gap.0 + gap.1) / 2 / 4800) as usize;
    let up = lufs_from_energy(bed[middle - 5..middle + 5].iter().sum::<f64>() / 10.0) - over(&bed);
    assert!(up > 8.0, "the bed rises by {up:.1} dB in the longest gap");
}
