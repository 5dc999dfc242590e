//! Situations of practitioners made through the page alone, from raw files to what is exported: with a clock, a count of
//! clicks, and the export measured. The levels are common practice, no source.

use super::files::{FILES, Stand};
use super::shape::stem;
use jaunty_core::sound::loudness::{block_energies, lufs_from_energy};
use jaunty_core::sound::{Sound, Source};
use jaunty_e2e::{Browser, eventually};
use jaunty_media::{decode_to_sound, write_wav};
use serde_json::Value;
use std::cell::Cell;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// Who does it: every click, file and figure counts.
struct Hands<'a> {
    browser: &'a Browser,
    stand: &'a Stand,
    acts: Cell<u32>,
    start: Instant,
}

impl<'a> Hands<'a> {
    /// Opens the page and makes a cut.
    async fn on(stand: &'a Stand, browser: &'a Browser, title: &str, length: &str) -> Self {
        let hands = Self { browser, stand, acts: Cell::new(0), start: Instant::now() };
        browser.client().goto(&stand.server.url("/")).await.unwrap();
        hands.types("title-input", title).await;
        hands.types("length-input", length).await;
        hands.clicks("submit-cut").await;
        browser.find("step-picture").await.unwrap();
        hands
    }

    fn acted(&self) {
        self.acts.set(self.acts.get() + 1);
    }

    async fn clicks(&self, name: &str) {
        self.browser.find(name).await.unwrap().click().await.unwrap();
        self.acted();
    }

    async fn types(&self, name: &str, text: &str) {
        self.browser.find(name).await.unwrap().send_keys(text).await.unwrap();
        self.acted();
    }

    /// A figure in a field, in place of what it holds.
    async fn sets(&self, name: &str, figure: &str) {
        let field = self.browser.css(&format!("[data-test={name}] input, input[data-test={name}]")).await.unwrap();
        field.send_keys(&format!("\u{e009}a\u{e009}{figure}\u{e007}")).await.unwrap();
        self.acted();
    }

    async fn presses(&self, key: &str) {
        self.browser.client().find(fantoccini::Locator::Css("body")).await.unwrap().send_keys(key).await.unwrap();
        self.acted();
    }

    async fn brings(&self, name: &str, file: &Path) {
        self.browser.choose_file(name, file).await.unwrap();
        self.acted();
    }

    /// Arrow keys on something of the sheet that can be moved.
    async fn moves(&self, label: &str, keys: &str) {
        self.browser.css(&format!("[aria-label='{label}']")).await.unwrap().send_keys(keys).await.unwrap();
        self.acted();
    }

    /// One of a list that opens.
    async fn chooses(&self, name: &str, one: &str) {
        let open = "const list = document.querySelector(`[data-test='${arguments[0]}']`); list.scrollIntoView({ block: 'center' }); list.querySelector('.ant-select-selector').dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))";
        self.browser.find(name).await.unwrap();
        self.browser.client().execute(open, vec![name.into()]).await.unwrap();
        let choose = "const one = [...document.querySelectorAll('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option')].find((o) => o.textContent.trim().startsWith(arguments[0])); one?.click(); return !!one";
        let chosen = async || self.browser.client().execute(choose, vec![one.into()]).await.ok()?.as_bool()?.then_some(());
        eventually(Duration::from_secs(10), chosen).await.unwrap_or_else(|| panic!("{one} is in the list {name}"));
        self.acted();
    }

    /// Puts the playhead somewhere.
    async fn goes_to(&self, time: &str) {
        self.clicks("position").await;
        self.types("go-to", &format!("\u{e009}a\u{e009}{time}\u{e007}")).await;
    }

    /// The cut once `done` says so.
    async fn cut(&self, done: impl Fn(&Value) -> bool) -> Value {
        let id = self.browser.client().current_url().await.unwrap().path().split('/').nth(2).unwrap().to_owned();
        self.stand.cut_when(&id, |c| c["jobs"].as_array().is_some_and(Vec::is_empty) && done(c)).await
    }

    /// Brings the bed and the narration of the tests in.
    async fn with_bed_and_voice(&self, bed: &str, voice: &str) {
        self.clicks("step-beds").await;
        self.brings("bed-upload", &FILES.path(bed)).await;
        self.cut(super::files::fitted).await;
        self.clicks("step-voice").await;
        self.brings("narration-upload", &FILES.path(voice)).await;
        self.cut(|c| c["plan"]["phrases"].as_array().is_some_and(|p| !p.is_empty())).await;
    }

    /// The exported mix; says what it took.
    async fn exports(&self, situation: &str) -> Sound {
        self.clicks("step-hand-over").await;
        if self.browser.count("with-tail").await.unwrap() > 0 {
            self.clicks("with-tail").await;
        }
        self.saves(situation).await.1
    }

    /// The mix as it is asked for, with its file.
    async fn saves(&self, situation: &str) -> (PathBuf, Sound) {
        self.clicks("export").await;
        let file = self.browser.saved_file().await.unwrap();
        let mix = decode_to_sound(&file).unwrap();
        let spent = self.start.elapsed();
        eprintln!("{situation}: {} acts, {:.0} s", self.acts.get(), spent.as_secs_f64());
        (file, mix)
    }
}

/// A film of a minute with a sound, made by ffmpeg (Debian's).
fn film(name: &str, sound: &Path) -> PathBuf {
    let to = FILES.path(name);
    let heard = decode_to_sound(sound).unwrap();
    let stereo = FILES.path(&format!("{name}.wav"));
    write_wav(&stereo, &Sound::new(vec![heard.channels()[0].clone(); 2])).unwrap();
    let picture = ["-v", "error", "-y", "-f", "lavfi", "-i", "testsrc=s=160x90:r=25:d=60", "-i"];
    let coding = ["-c:v", "libvpx", "-b:v", "150k", "-deadline", "realtime", "-cpu-used", "8", "-c:a", "libopus", "-b:a", "160k", "-t", "60"];
    let status = Command::new("ffmpeg").args(picture).arg(&stereo).args(coding).arg(&to).status().expect("ffmpeg is installed by ./test");
    assert!(status.success());
    to
}

fn level(sound: &Sound, from_s: f64, to_s: f64) -> f64 {
    let part = &block_energies(sound)[(from_s * 10.0) as usize..(to_s * 10.0) as usize];
    lufs_from_energy(part.iter().sum::<f64>() / part.len() as f64)
}

/// H: a film with talk and nobody who narrates. The talk is found by itself; the bed lies 18 to 22 dB under it and is up where
/// nobody talks.
#[tokio::test(flavor = "multi_thread")]
async fn a_film_with_talk_gets_a_bed_that_makes_room_for_it() {
    let stand = Stand::new(&[]).await;
    let talks = film("talk.webm", &FILES.path("voice.wav"));
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "On the Pier", "60").await;
    hands.brings("picture-upload", &talks).await;
    let found = hands.cut(|c| c["film"]["hasSound"] == true).await;
    assert_eq!((&found["film"]["talk"], &found["film"]["soundOn"]), (&Value::Bool(true), &Value::Bool(true)), "{}", found["film"]);
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    let swells = |c: &Value| c["plan"]["levels"].as_array().map_or(0, |all| all.iter().filter(|l| l["kind"] == "swell").count());
    let view = hands.cut(|c| swells(c) >= 3).await;
    let mix = hands.exports("H, film with talk").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let cut = view["id"].as_str().unwrap();
    let (bed, talk) = (stem(&stand, cut, "bed", 60).await, stem(&stand, cut, "film", 60).await);
    let spans: Vec<(f64, f64)> =
        view["plan"]["phrases"].as_array().unwrap().iter().map(|p| (p["startS"].as_f64().unwrap(), p["endS"].as_f64().unwrap().min(60.0))).collect();
    let spoken = |sound: &Sound| {
        let energies = block_energies(sound);
        let all: Vec<f64> = spans.iter().flat_map(|&(a, b)| energies[(a * 10.0) as usize..(b * 10.0) as usize].to_vec()).collect();
        lufs_from_energy(all.iter().sum::<f64>() / all.len() as f64)
    };
    let apart = spoken(&talk) - spoken(&bed);
    assert!((18.0..22.0).contains(&apart), "the bed lies {apart:.1} dB under the talk");
    let gap = view["plan"]["levels"]
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["kind"] == "swell" && l["riseS"].as_f64() > Some(0.0) && l["fallS"].as_f64() > Some(0.0))
        .unwrap();
    let top = (gap["startS"].as_f64().unwrap() + gap["riseS"].as_f64().unwrap(), gap["endS"].as_f64().unwrap() - gap["fallS"].as_f64().unwrap());
    let risen = level(&bed, top.0, top.1) - spoken(&bed);
    assert!(risen > 6.0, "it rises by {risen:.1} dB in a gap");
    browser.close().await.unwrap();
}

/// B: a film with effects and a roll of credits, and music that is much too long. The bed begins a little before the credits,
/// lies under the effects, runs on behind the picture for two seconds and fades; nothing is heard of it before.
#[tokio::test(flavor = "multi_thread")]
async fn a_bed_begins_with_the_credits_and_runs_on_behind_the_picture() {
    let stand = Stand::new(&[]).await;
    // Effects: bursts of noise, the last one as the credits begin.
    let mut state = 9u32;
    let burst = |at: usize, n: usize| if (at..at + 14_400).contains(&n) { 1.0 - (n - at) as f32 / 14_400.0 } else { 0.0 };
    let effects = (0..60 * 48_000).map(|n| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let noise = state as f32 / u32::MAX as f32 - 0.5;
        noise * (0.004 + 0.6 * (burst(8 * 48_000, n) + burst(21 * 48_000, n) + burst(41 * 48_000, n)))
    });
    let effects = Sound::new(vec![effects.collect()]);
    write_wav(&FILES.path("effects.wav"), &effects).unwrap();
    let file = film("effects.webm", &FILES.path("effects.wav"));
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Slipway", "60").await;
    hands.brings("picture-upload", &file).await;
    let with = hands.cut(|c| c["film"]["hasSound"] == true).await;
    assert_eq!(with["film"]["talk"], Value::Bool(false), "effects are no talk");
    // The playhead to 40 s, and the key for credits there.
    hands.goes_to("0:40").await;
    hands.presses("c").await;
    hands.cut(|c| c["moments"][0]["kind"] == "credits").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.clicks("step-fit").await;
    hands.clicks("from-moment").await;
    hands.cut(|c| c["plan"]["parts"][0]["startS"] == 38.0).await;
    hands.sets("run-on", "2").await;
    let view = hands.cut(|c| c["tailS"] == 2.0 && c["plan"]["lengthSamples"] == 62 * 48_000).await;
    let mix = hands.exports("B, credits").await;
    assert_eq!(mix.len_samples(), 62 * 48_000);
    let cut = view["id"].as_str().unwrap();
    let bed = stem(&stand, cut, "bed", 62).await;
    let silent = bed.channels()[0][..38 * 48_000].iter().all(|s| s.abs() < 1e-6);
    assert!(silent, "nothing of the bed is heard before the credits");
    let effect = level(&mix, 8.0, 8.4);
    let under = effect - level(&bed, 45.0, 58.0);
    assert!(under > 5.0, "the bed lies {under:.1} dB under the effects");
    // It ends in silence behind the picture, and its fade out is longer than its fade in.
    let fades = |kind: &str, of: &str| view["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == kind).unwrap()[of].as_f64().unwrap();
    assert!(fades("fadeOut", "fallS") > fades("fadeIn", "riseS") || view["plan"]["fittings"][0]["end"] == "ownEnding");
    assert!(level(&bed, 60.0, 61.0) > -70.0 && bed.channels()[0].last().unwrap().abs() < 1e-3);
    let told = async || browser.find("handed").await.ok()?.text().await.ok().filter(|t| t.contains("Slipway"));
    eventually(Duration::from_secs(10), told).await.expect("it is listed");
    browser.close().await.unwrap();
}

fn noise(seconds: usize, level: f32, seed: u32) -> Sound {
    let mut state = seed;
    let next = |_| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        level * (state as f32 / u32::MAX as f32 - 0.5)
    };
    Sound::new(vec![(0..seconds * 48_000).map(next).collect()])
}

/// D: a film with the noise of its place. Its sound is lowered as a whole and further in one passage; nothing else of it changes.
#[tokio::test(flavor = "multi_thread")]
async fn the_noise_of_a_place_is_lowered_as_a_whole_and_in_one_passage() {
    let stand = Stand::new(&[]).await;
    write_wav(&FILES.path("wharf.wav"), &noise(60, 0.1, 77)).unwrap();
    let file = film("wharf.webm", &FILES.path("wharf.wav"));
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Wharf", "60").await;
    hands.brings("picture-upload", &file).await;
    hands.cut(|c| c["film"]["hasSound"] == true).await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    let first = hands.cut(super::files::fitted).await;
    let cut = first["id"].as_str().unwrap().to_owned();
    hands.clicks("step-shape").await;
    let before = stem(&stand, &cut, "film", 60).await;
    hands.clicks("figures").await;
    hands.sets("film-gain", "-6").await;
    hands.cut(|c| c["film"]["gainDb"] == -6.0).await;
    hands.clicks("figures").await;
    let lane = browser.find("lane").await.unwrap();
    super::lanes::drag(&browser, &lane, 0.2, 300.0).await;
    let passage = |c: &Value| c["plan"]["lanes"][0]["levels"].as_array().and_then(|all| all.iter().find(|l| l["kind"] == "sweep").cloned());
    for k in 1..=3 {
        hands.clicks("sweep-down").await;
        hands.cut(|c| passage(c).is_some_and(|p| p["gainDb"] == -f64::from(k))).await;
    }
    let view = hands.cut(|c| passage(c).is_some()).await;
    let mix = hands.exports("D, noise on location").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let after = stem(&stand, &cut, "film", 60).await;
    let swept = passage(&view).unwrap();
    let (from, to) = (swept["startS"].as_f64().unwrap(), swept["endS"].as_f64().unwrap());
    let fell = |from: f64, to: f64| level(&before, from, to) - level(&after, from, to);
    assert!((fell(to + 1.0, 50.0) - 6.0).abs() < 0.1, "as a whole by {:.2} dB", fell(to + 1.0, 50.0));
    assert!((fell(from + 0.4, to - 0.4) - 9.0).abs() < 0.1, "in the passage by {:.2} dB", fell(from + 0.4, to - 0.4));
    browser.close().await.unwrap();
}

/// Q: a scene whose bed is too long. Its own ending is on the mark, and rings.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn the_last_hit_falls_on_the_mark_and_rings() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Lantern", "60").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.clicks("step-fit").await;
    hands.goes_to("0:54").await;
    hands.clicks("hit-here").await;
    let hit = |c: &Value| c["plan"]["fittings"][c["plan"]["chosen"].as_u64().unwrap_or(0) as usize]["lastHitS"].as_f64();
    let view = hands.cut(|c| c["plan"]["wishes"]["end"] == "ownEnding" && hit(c).is_some_and(|s| (s - 54.0).abs() < 0.5)).await;
    let mix = hands.exports("Q, own ending on the mark").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let at = hit(&view).unwrap();
    assert!((at - 54.0).abs() < 0.02, "the last hit falls at {at:.3} s");
    // It rings on and is over within the cut.
    assert!(level(&mix, 54.1, 55.0) > level(&mix, 59.0, 60.0) + 10.0 && level(&mix, 54.1, 56.0) > -50.0);
    browser.close().await.unwrap();
}

/// R: a clip for the web. The bed is trimmed, at a level, with a fade at its start, and nothing is heard past the picture.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_short_clip_gets_a_bed_at_a_level_with_fades() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Two Minutes of Bread", "20").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.sets("bed-alone-lufs", "-20").await;
    hands.cut(|c| c["plan"]["shape"]["bedAloneLufs"] == -20.0).await;
    hands.clicks("figures").await;
    let fade = |c: &Value| c["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "fadeIn").unwrap()["riseS"].as_f64().unwrap();
    let was = fade(&hands.cut(super::files::fitted).await);
    hands.moves("bed, faded in until", "\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}\u{e014}").await;
    hands.cut(|c| (fade(c) - was - 1.0).abs() < 0.011).await;
    let mix = hands.exports("R, clip for the web").await;
    assert_eq!(mix.len_samples(), 20 * 48_000);
    let lufs = jaunty_core::sound::loudness::measure(&mix).integrated_lufs.unwrap();
    assert!((lufs + 20.0).abs() < 1.0, "{lufs:.1} LUFS for -20");
    assert!(level(&mix, 0.0, 0.1) < level(&mix, 1.2, 3.0) - 10.0, "it is faded in");
    assert!(mix.channels().iter().all(|c| c.last().unwrap().abs() < 1e-3), "it ends in silence");
    browser.close().await.unwrap();
}

/// L: a spot of a fixed length. It begins cold on a later bar, the voice comes on a downbeat, one phrase has more room, and the
/// end is silent to the sample.
#[tokio::test(flavor = "multi_thread")]
async fn a_spot_begins_cold_and_the_voice_comes_on_a_downbeat() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Kettle", "0:01:15:00").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-fit").await;
    hands.sets("first-bar", "5").await;
    hands.cut(|c| c["plan"]["wishes"]["start"] == "cold" && super::files::fitted(c)).await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.sets("alone-s", "5").await;
    hands.clicks("enter").await;
    let starts = |c: &Value| c["plan"]["phrases"][0]["startS"].as_f64().unwrap();
    hands.cut(|c| super::files::fitted(c) && (4.9..9.0).contains(&starts(c))).await;
    hands.clicks("figures").await;
    hands.clicks("words").await;
    hands.clicks("emphasise").await;
    let view = hands.cut(|c| c["plan"]["levels"].as_array().unwrap().iter().any(|l| l["kind"] == "emphasis")).await;
    let mix = hands.exports("L, spot").await;
    assert_eq!(mix.len_samples(), 75 * 48_000);
    let lines: Vec<f64> = view["plan"]["barLines"].as_array().unwrap().iter().map(|b| b["atS"].as_f64().unwrap()).collect();
    let off = lines.iter().map(|l| (l - starts(&view)).abs()).fold(f64::INFINITY, f64::min);
    assert!(off < 0.06, "the voice comes {off:.3} s beside a downbeat");
    assert_eq!(view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize]["pieces"][0]["startBar"], 5);
    let bed = stem(&stand, view["id"].as_str().unwrap(), "bed", 75).await;
    assert!(level(&bed, 0.0, 0.3) > level(&bed, 1.0, 4.0) - 12.0, "it begins cold");
    assert!(mix.channels().iter().all(|c| c.last().unwrap().abs() < 1e-3), "it ends in silence");
    browser.close().await.unwrap();
}

/// C: a reading aloud over music that may not earn money: some seconds of music before the voice, the bed lowered as it begins,
/// a compressed file, and a word about the terms.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_reading_aloud_is_saved_compressed_and_its_terms_are_told() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "The Hare's Letters", "0:01:20:00").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.chooses("own-terms", "non-commercial").await;
    hands.cut(|c| !c["candidates"][0]["ownTerms"].is_null()).await;
    hands.clicks("step-voice").await;
    hands.brings("narration-upload", &FILES.path("voice.wav")).await;
    hands.cut(|c| c["plan"]["phrases"].as_array().is_some_and(|p| !p.is_empty())).await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.sets("alone-s", "7").await;
    hands.clicks("enter").await;
    let starts = |c: &Value| c["plan"]["phrases"][0]["startS"].as_f64().unwrap();
    let view = hands.cut(|c| super::files::fitted(c) && (6.9..10.0).contains(&starts(c))).await;
    hands.clicks("step-hand-over").await;
    hands.chooses("coding", "MP3").await;
    let (file, mix) = hands.saves("C, reading aloud").await;
    assert_eq!(file.extension().unwrap(), "mp3");
    assert!(mix.len_samples().abs_diff(80 * 48_000) < 2400, "{} samples", mix.len_samples());
    let voice = stem(&stand, view["id"].as_str().unwrap(), "voice", 80).await;
    assert!(level(&voice, 0.0, 6.8) < -70.0 && level(&voice, starts(&view), starts(&view) + 2.0) > -40.0);
    let bed = stem(&stand, view["id"].as_str().unwrap(), "bed", 80).await;
    assert!(level(&bed, 1.0, 4.0) > level(&bed, starts(&view) + 1.0, starts(&view) + 3.0) + 6.0, "the bed is lowered as the voice begins");
    browser.close().await.unwrap();
}

/// E: stills and a bed that is longer than they are. They are held longer by equal shares, and picture and bed end together.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn stills_are_held_until_the_bed_ends_by_itself() {
    let shot = |k: usize| {
        format!(
            "00{} A00{}     V     C        00:00:00:00 00:00:20:00 01:{:02}:{:02}:00 01:{:02}:{:02}:00\n* FROM CLIP NAME: PLATE {}\n",
            k + 1,
            k + 1,
            k * 20 / 60,
            k * 20 % 60,
            (k + 1) * 20 / 60,
            (k + 1) * 20 % 60,
            k + 1
        )
    };
    let list = format!("TITLE: PLATES\nFCM: NON-DROP FRAME\n{}", (0..7).map(shot).collect::<String>());
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    let hands = Hands { browser: &browser, stand: &stand, acts: Cell::new(0), start: Instant::now() };
    hands.brings("from-file", &FILES.with("Plates.edl", list.as_bytes())).await;
    browser.find("picture-lines").await.unwrap();
    let first = hands.cut(|c| c["shots"].as_array().is_some_and(|s| s.len() == 7)).await;
    hands.clicks("all-stills").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.clicks("step-fit").await;
    hands.clicks("hold-stills").await;
    let length = |c: &Value| c["lengthFrames"].as_u64().unwrap();
    let view = hands.cut(|c| length(c) != length(&first) && super::files::fitted(c)).await;
    let mix = hands.exports("E, stills").await;
    assert_eq!(mix.len_samples(), length(&view) * 1920);
    let held: Vec<f64> = view["shots"].as_array().unwrap().iter().map(|s| s["lengthS"].as_f64().unwrap()).collect();
    let (least, most) = held.iter().fold((f64::MAX, 0.0f64), |(a, b), s| (a.min(*s), b.max(*s)));
    assert!(most - least <= 0.041, "held from {least} to {most} s");
    let chosen = &view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize];
    assert_eq!(chosen["end"], "ownEnding");
    browser.close().await.unwrap();
}

/// F: a short loop that is made thrice as long: the level is steady through every joint.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_short_loop_lasts_thrice_as_long() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Lamp", "48").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("loop.wav")).await;
    let view = hands.cut(super::files::fitted).await;
    let mix = hands.exports("F, loop made thrice as long").await;
    assert_eq!(mix.len_samples(), 48 * 48_000);
    let chosen = &view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize];
    let splices = chosen["splices"].as_array().unwrap();
    assert!(splices.len() >= 2, "{splices:?}");
    for splice in splices {
        let at = splice["atS"].as_f64().unwrap();
        // A bar before and after: the same music, as loud.
        let step = level(&mix, at - 2.0, at) - level(&mix, at, at + 2.0);
        assert!(step.abs() < 3.0 && splice["hardToHear"].as_u64().unwrap() >= 90, "{step:.1} dB at {at:.1} s: {splice}");
    }
    browser.close().await.unwrap();
}

/// N: a short clip for which a middle part of the bed is kept, a little faster.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_middle_part_is_kept_and_the_bed_is_a_little_faster() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Crumb", "45").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    let first = hands.cut(super::files::fitted).await;
    hands.clicks("step-fit").await;
    hands.sets("faster", "4").await;
    let bpm = |c: &Value| c["bed"]["reading"]["tempoBpm"].as_f64().unwrap_or(0.0);
    hands.cut(|c| bpm(c) > bpm(&first) * 1.02 && super::files::fitted(c)).await;
    let ruler = browser.find("bed-ruler").await.unwrap();
    super::lanes::drag(&browser, &ruler, 0.4, 80.0).await;
    hands.acted();
    hands.clicks("keep").await;
    let view = hands.cut(|c| c["plan"]["wishes"]["keep"].as_array().is_some_and(|k| k.len() == 1) && super::files::fitted(c)).await;
    let mix = hands.exports("N, middle part kept").await;
    assert_eq!(mix.len_samples(), 45 * 48_000);
    let kept = &view["plan"]["wishes"]["keep"][0];
    let (from, to) = (kept["startS"].as_f64().unwrap(), kept["endS"].as_f64().unwrap());
    let chosen = &view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize];
    let heard =
        chosen["pieces"].as_array().unwrap().iter().any(|p| p["sourceStartS"].as_f64().unwrap() <= from + 0.1 && p["sourceEndS"].as_f64().unwrap() >= to - 0.1);
    assert!(heard, "{from} to {to} of {}", chosen["pieces"]);
    browser.close().await.unwrap();
}

/// The spans of phrases, in seconds.
fn phrases(view: &Value) -> Vec<(f64, f64)> {
    view["plan"]["phrases"].as_array().unwrap().iter().map(|p| (p["startS"].as_f64().unwrap(), p["endS"].as_f64().unwrap())).collect()
}

/// J: a bed that is too short is repeated; in one passage it lies at 10 % with edges of two seconds.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_passage_lies_at_a_tenth_with_long_edges() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Shelf Life", "60").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("loop.wav")).await;
    let cut = hands.cut(super::files::fitted).await["id"].as_str().unwrap().to_owned();
    hands.clicks("step-shape").await;
    let before = stem(&stand, &cut, "bed", 60).await;
    let line = browser.find("line").await.unwrap();
    super::lanes::drag(&browser, &line, 0.2, 600.0).await;
    hands.acted();
    hands.clicks("sweep-down").await;
    hands.clicks("level-mark").await;
    hands.sets("sweep-db", "10%").await;
    let passage = |c: &Value| c["plan"]["levels"].as_array().and_then(|all| all.iter().find(|l| l["kind"] == "sweep").cloned());
    hands.cut(|c| passage(c).is_some_and(|p| p["gainDb"] == -20.0)).await;
    for edge in ["level-rise", "level-fall"] {
        hands.sets(edge, "2").await;
    }
    let view = hands.cut(|c| passage(c).is_some_and(|p| p["riseS"] == 2.0 && p["fallS"] == 2.0)).await;
    let mix = hands.exports("J, a passage at 10 %").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let after = stem(&stand, &cut, "bed", 60).await;
    let swept = passage(&view).unwrap();
    let (from, to) = (swept["startS"].as_f64().unwrap(), swept["endS"].as_f64().unwrap());
    let fell = level(&before, from + 2.1, to - 2.1) - level(&after, from + 2.1, to - 2.1);
    assert!((fell - 20.0).abs() < 0.2, "{fell:.2} dB for 20");
    let (a, b) = ((from * 48_000.0) as usize, (to * 48_000.0) as usize + 1);
    assert!(before.channels()[0][..a] == after.channels()[0][..a] && before.channels()[0][b..] == after.channels()[0][b..], "nothing else changes");
    browser.close().await.unwrap();
}

/// K: the voice enters right after a section of the song, and the bed drops under it.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn the_voice_enters_with_a_section() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Signal Box", "0:01:40:00").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.sets("alone-s", "9").await;
    hands.chooses("entry", "on the next section").await;
    hands.clicks("enter").await;
    let view = hands.cut(|c| super::files::fitted(c) && phrases(c)[0].0 > 8.9).await;
    let mix = hands.exports("K, speech after a section").await;
    assert_eq!(mix.len_samples(), 100 * 48_000);
    let sections = view["plan"]["barLines"].as_array().unwrap().iter().filter(|b| b["letter"].is_string());
    let at = phrases(&view)[0].0;
    let off = sections.map(|b| (b["atS"].as_f64().unwrap() - at).abs()).fold(f64::INFINITY, f64::min);
    assert!(off < 0.06, "the voice comes {off:.3} s beside a section");
    let cut = view["id"].as_str().unwrap();
    let (bed, voice) = (stem(&stand, cut, "bed", 100).await, stem(&stand, cut, "voice", 100).await);
    let apart = |from: f64, to: f64| level(&voice, at, phrases(&view)[0].1) - level(&bed, from, to);
    let (alone, under) = (apart(at - 6.0, at - 3.0), apart(at, phrases(&view)[0].1));
    assert!(alone + 3.0 < under && (16.0..26.0).contains(&under), "the bed lies {alone:.1} dB under the voice alone, {under:.1} dB while it speaks");
    browser.close().await.unwrap();
}

/// O: slides with a voice in uneven pieces and steady noise. The noise goes, the pieces come within 2 LU, the bed is just heard.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn uneven_pieces_with_noise_are_evened_and_cleaned() {
    let plain = decode_to_sound(&FILES.path("voice.wav")).unwrap();
    let hiss = noise(60, 0.004, 5);
    // Every ten seconds louder or softer by 8 dB, with the noise of the room under it.
    let uneven = plain.channels()[0].iter().zip(&hiss.channels()[0]).enumerate();
    let uneven = uneven.map(|(n, (v, h))| v * if n / 480_000 % 2 == 0 { 1.0 } else { 0.4 } + h).collect();
    write_wav(&FILES.path("uneven.wav"), &Sound::new(vec![uneven])).unwrap();
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Forty Slides", "60").await;
    hands.with_bed_and_voice("bed.wav", "uneven.wav").await;
    hands.clicks("clean").await;
    hands.cut(|c| c["takes"][0]["cleanedOn"] == true || c["plan"]["what"]["code"] == "voice.clean").await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.clicks("even-voice").await;
    let view = hands.cut(|c| c["plan"]["shape"]["evenVoice"] == true && super::files::fitted(c)).await;
    let mix = hands.exports("O, uneven pieces").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let voice = stem(&stand, view["id"].as_str().unwrap(), "voice", 60).await;
    let loud: Vec<f64> = phrases(&view).iter().map(|&(a, b)| level(&voice, a, b.min(60.0))).collect();
    let (least, most) = loud.iter().fold((f64::MAX, f64::MIN), |(a, b), l| (a.min(*l), b.max(*l)));
    assert!(most - least < 2.5, "phrases from {least:.1} to {most:.1} LUFS");
    browser.close().await.unwrap();
}

/// P: the end of a talk. The bed climbs behind the last words to a level that would not drown a voice.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn the_bed_climbs_behind_the_last_words() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Closing Talk", "0:01:20:00").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.clicks("closing").await;
    hands.cut(|c| !c["plan"]["shape"]["closing"].is_null()).await;
    hands.sets("alone", "12").await;
    let view = hands.cut(|c| c["plan"]["shape"]["aloneDb"] == 12.0 && super::files::fitted(c)).await;
    let mix = hands.exports("P, end of a talk").await;
    assert_eq!(mix.len_samples(), 80 * 48_000);
    let cut = view["id"].as_str().unwrap();
    let (bed, voice) = (stem(&stand, cut, "bed", 80).await, stem(&stand, cut, "voice", 80).await);
    let last = *phrases(&view).last().unwrap();
    let speech = level(&voice, last.0, last.1);
    let (under, top) = (speech - level(&bed, last.0, last.1 - 1.2), speech - level(&bed, last.1 + 6.0, last.1 + 12.0));
    assert!((16.0..26.0).contains(&under) && (8.0..16.0).contains(&top), "{under:.1} dB under the words, {top:.1} dB behind them");
    // No step on the way: half a second never rises by more than 6 dB.
    let halves: Vec<f64> = (0..16).map(|k| level(&bed, last.1 - 1.0 + 0.5 * f64::from(k), last.1 - 0.5 + 0.5 * f64::from(k))).collect();
    let step = halves.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max);
    assert!(step < 8.0, "it rises by {step:.1} dB in half a second");
    browser.close().await.unwrap();
}

/// A: a spoken show with a slip in it. The slip is cut out and the hole closed; the theme falls under the first words and, from a
/// place of it that was chosen, rises under the last ones.
#[tokio::test(flavor = "multi_thread")]
async fn a_spoken_show_loses_its_slip_and_closes_with_a_chosen_place_of_its_theme() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "The Clock Hour", "0:01:40:00").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-shape").await;
    let before = hands.cut(super::files::fitted).await;
    // Across the second phrase, wherever it lies on its line.
    let slip = phrases(&before)[1];
    let said = async |k: usize| browser.client().find_all(fantoccini::Locator::Css("[data-test=words]")).await.unwrap().remove(k);
    let words = said(1).await;
    let (x, y, width, _) = words.rectangle().await.unwrap();
    let line = browser.find("line").await.unwrap();
    let (left, _, whole, _) = line.rectangle().await.unwrap();
    assert!(y > 0.0 && x > left && x + width < left + whole, "the slip lies on the first line");
    super::lanes::drag(&browser, &line, (x - 4.0 - left) / whole, width + 8.0).await;
    hands.acted();
    hands.clicks("take-out").await;
    let closed = hands.cut(|c| phrases(c).len() == phrases(&before).len() - 1).await;
    let moved = phrases(&before)[2].0 - phrases(&closed)[1].0;
    assert!((moved - (slip.1 - slip.0)).abs() < 1.0, "the hole of {:.1} s is closed by {moved:.1} s", slip.1 - slip.0);
    hands.clicks("figures").await;
    hands.clicks("opening").await;
    hands.cut(|c| !c["plan"]["shape"]["opening"].is_null()).await;
    hands.sets("alone-s", "8").await;
    hands.clicks("enter").await;
    hands.cut(|c| super::files::fitted(c) && phrases(c)[0].0 > 7.9).await;
    hands.clicks("closing").await;
    hands.cut(|c| !c["plan"]["shape"]["closing"].is_null() && super::files::fitted(c)).await;
    hands.chooses("close-with", "C").await;
    let view = hands.cut(|c| c["plan"]["wishes"]["pins"].as_array().is_some_and(|p| p.len() == 1) && super::files::fitted(c)).await;
    let mix = hands.exports("A, spoken show").await;
    assert_eq!(mix.len_samples(), 100 * 48_000);
    let swells: Vec<&Value> = view["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["kind"] == "swell").collect();
    let (opening, close) = (swells[0], swells[swells.len() - 1]);
    assert_eq!((&opening["fallSlope"], &close["riseSlope"]), (&Value::from("sharplyThenGently"), &Value::from("gentlyThenSharply")));
    let last = *phrases(&view).last().unwrap();
    let rises = close["startS"].as_f64().unwrap();
    assert!(rises < last.1 - 0.5, "it rises from {rises:.1} s on, the words end at {:.1} s", last.1);
    let pin = &view["plan"]["wishes"]["pins"][0];
    assert!((pin["cutS"].as_f64().unwrap() - rises).abs() < 0.11, "{pin}");
    let chosen = &view["plan"]["fittings"][view["plan"]["chosen"].as_u64().unwrap() as usize];
    let at = pin["cutS"].as_f64().unwrap() + 0.5;
    let played = chosen["pieces"].as_array().unwrap().iter().find(|p| p["cutStartS"].as_f64().unwrap() <= at && p["cutEndS"].as_f64().unwrap() > at).unwrap();
    let there = played["sourceStartS"].as_f64().unwrap() + at - played["cutStartS"].as_f64().unwrap();
    assert!((there - pin["bedS"].as_f64().unwrap() - 0.5).abs() < 0.6, "{there:.2} s of the bed is heard, {pin} was chosen");
    assert!(mix.channels().iter().all(|c| c.last().unwrap().abs() < 1e-3), "it ends in silence");
    browser.close().await.unwrap();
}

/// I: narration and bed. Fades at both ends are there by themselves, and a change between two points changes nothing else.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_change_between_two_points_changes_nothing_else() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Two Points", "60").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-shape").await;
    let first = hands.cut(super::files::fitted).await;
    let cut = first["id"].as_str().unwrap().to_owned();
    let fades = first["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["kind"] == "fadeIn" || l["kind"] == "fadeOut").count();
    assert_eq!(fades, 2);
    let before = stem(&stand, &cut, "everything", 60).await;
    let line = browser.find("line").await.unwrap();
    super::lanes::drag(&browser, &line, 0.25, 233.0).await;
    hands.acted();
    hands.clicks("sweep-up").await;
    let passage = |c: &Value| c["plan"]["levels"].as_array().and_then(|all| all.iter().find(|l| l["kind"] == "sweep").cloned());
    let view = hands.cut(|c| passage(c).is_some()).await;
    let mix = hands.exports("I, a change between two points").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let after = stem(&stand, &cut, "everything", 60).await;
    let name = &passage(&view).unwrap()["name"];
    let (from, to) = (name["startSamples"].as_u64().unwrap() as usize, name["endSamples"].as_u64().unwrap() as usize);
    for (a, b) in before.channels().iter().zip(after.channels()) {
        assert!(a[..from] == b[..from] && a[to..] == b[to..] && a[from..to] != b[from..to], "outside of {from} to {to} all is as it was");
    }
    browser.close().await.unwrap();
}

/// M: talk between scenes. Loud without talk, soft and still audible under it, eased over a second and a half.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn a_bed_is_soft_and_still_heard_under_the_talk() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Between Scenes", "60").await;
    hands.with_bed_and_voice("bed.wav", "voice.wav").await;
    hands.clicks("step-shape").await;
    hands.clicks("figures").await;
    hands.sets("under-speech", "22").await;
    hands.sets("eases", "1.5").await;
    let view = hands.cut(|c| c["plan"]["shape"]["underSpeechDb"] == 22.0 && c["plan"]["shape"]["easeS"] == 1.5 && super::files::fitted(c)).await;
    let mix = hands.exports("M, talk between scenes").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let cut = view["id"].as_str().unwrap();
    let (bed, voice) = (stem(&stand, cut, "bed", 60).await, stem(&stand, cut, "voice", 60).await);
    let spoken = |sound: &Sound| {
        let energies = block_energies(sound);
        let all: Vec<f64> = phrases(&view).iter().flat_map(|&(a, b)| energies[(a * 10.0) as usize..(b.min(60.0) * 10.0) as usize].to_vec()).collect();
        lufs_from_energy(all.iter().sum::<f64>() / all.len() as f64)
    };
    let apart = spoken(&voice) - spoken(&bed);
    assert!((20.5..25.0).contains(&apart), "{apart:.1} dB under for 22");
    let eased = view["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["kind"] == "swell" && l["fallS"].as_f64() > Some(0.0));
    assert!(eased.map(|l| l["fallS"].as_f64().unwrap()).all(|s| (0.7..=1.51).contains(&s)));
    browser.close().await.unwrap();
}

/// S: one source eases out while another eases in, and the whole curve goes up and down and back.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn one_bed_gives_over_to_another_and_the_whole_goes_down_and_back() {
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Two Rooms", "60").await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.brings("bed-upload", &FILES.path("loop.wav")).await;
    hands.cut(|c| c["candidates"].as_array().is_some_and(|all| all.len() == 2 && all.iter().all(|one| !one["reading"].is_null()))).await;
    hands.clicks("step-fit").await;
    hands.goes_to("0:30").await;
    hands.chooses("go-on", "loop").await;
    let view = hands.cut(|c| c["plan"]["parts"].as_array().is_some_and(|p| p.len() == 2) && super::files::fitted(c)).await;
    hands.clicks("step-shape").await;
    let cut = view["id"].as_str().unwrap().to_owned();
    let before = stem(&stand, &cut, "bed", 60).await;
    hands.presses("[").await;
    let softer = hands.cut(|c| c["plan"]["shape"]["bedAloneLufs"] == -24.0 && super::files::fitted(c)).await;
    let after = stem(&stand, &cut, "bed", 60).await;
    for (from, to) in [(5.0, 15.0), (26.0, 34.0), (45.0, 55.0)] {
        let fell = level(&before, from, to) - level(&after, from, to);
        assert!((fell - 1.0).abs() < 0.05, "{fell:.2} dB from {from} to {to} s");
    }
    hands.clicks("undo").await;
    hands.cut(|c| c["plan"]["shape"]["bedAloneLufs"] == -23.0).await;
    let mix = hands.exports("S, one bed gives over to another").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let second = &softer["plan"]["parts"][1];
    let (at, over) = (second["startS"].as_f64().unwrap(), second["handoverS"].as_f64().unwrap());
    assert!((at..=at + over).contains(&30.0) && over > 0.2, "it gives over from {at} s on over {over} s");
    // No hole and no hump where they cross.
    let (left, across, right) = (level(&mix, at - 3.0, at), level(&mix, at, at + over), level(&mix, at + over, at + over + 3.0));
    assert!(across > left.min(right) - 4.0 && across < left.max(right) + 3.0, "{left:.1}, {across:.1}, {right:.1} LUFS");
    browser.close().await.unwrap();
}

/// U: a clip with a title that has a sound of its own. The bed begins when the title's shot ends, and fades long at its end.
#[tokio::test(flavor = "multi_thread")]
#[ignore = "tools/situations.sh runs all of them"]
async fn the_bed_waits_for_the_title_and_fades_long() {
    let jingle: Vec<f32> = (0..60 * 48_000).map(|n| if n < 4 * 48_000 { 0.3 * (n as f32 * 0.03).sin() } else { 0.0 }).collect();
    write_wav(&FILES.path("jingle.wav"), &Sound::new(vec![jingle])).unwrap();
    let file = film("jingle.webm", &FILES.path("jingle.wav"));
    let stand = Stand::new(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let hands = Hands::on(&stand, &browser, "Workbench Notes", "60").await;
    hands.brings("picture-upload", &file).await;
    hands.cut(|c| c["film"]["hasSound"] == true).await;
    hands.presses("t").await;
    hands.cut(|c| c["moments"][0]["kind"] == "title").await;
    hands.goes_to("0:05").await;
    hands.presses("e").await;
    hands.cut(|c| c["shots"].as_array().is_some_and(|s| s.len() == 2)).await;
    hands.clicks("step-beds").await;
    hands.brings("bed-upload", &FILES.path("bed.wav")).await;
    hands.cut(super::files::fitted).await;
    hands.clicks("step-fit").await;
    hands.clicks("from-moment").await;
    hands.cut(|c| c["plan"]["parts"][0]["startS"] == 5.0 && super::files::fitted(c)).await;
    hands.clicks("step-shape").await;
    let fade = |c: &Value| c["plan"]["levels"].as_array().unwrap().iter().find(|l| l["kind"] == "fadeOut").unwrap()["fallS"].as_f64().unwrap();
    let was = fade(&hands.cut(super::files::fitted).await);
    // Three seconds earlier, with Shift by a second.
    hands.moves("bed, faded out from", "\u{e008}\u{e012}\u{e012}\u{e012}\u{e008}").await;
    let view = hands.cut(|c| (fade(c) - was - 3.0).abs() < 0.02).await;
    let mix = hands.exports("U, after the title").await;
    assert_eq!(mix.len_samples(), 60 * 48_000);
    let bed = stem(&stand, view["id"].as_str().unwrap(), "bed", 60).await;
    assert!(bed.channels()[0][..5 * 48_000].iter().all(|s| s.abs() < 1e-6), "nothing of the bed is heard under the title");
    assert!(level(&mix, 0.5, 3.5) > -40.0 && level(&bed, 7.0, 20.0) > -45.0);
    browser.close().await.unwrap();
}
