//! The shape by hand: a wedge dragged, values typed, figures and ambiences; what follows a changed
//! narration and what stays; and the exported file measured.

use super::files::{FILES, Stand, fitted, idle};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use jaunty_core::sound::loudness::{block_energies, lufs_from_energy, measure};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::units::samples_from_seconds;
use jaunty_demo::{LINES, Line, narration};
use jaunty_e2e::Browser;
use jaunty_media::{decode_to_sound, write_wav};
use serde_json::{Value, json};
use std::time::Duration;

fn levels(cut: &Value, kind: &str) -> Vec<Value> {
    cut["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["kind"] == kind).cloned().collect()
}

pub async fn stem(stand: &Stand, cut: &str, hear: &str, length_s: u64) -> Sound {
    let revision = stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1["plan"]["revision"].as_u64().unwrap();
    let mut planes = vec![Vec::new(), Vec::new()];
    for from in (0..length_s).step_by(30) {
        let seconds = (length_s - from).min(30);
        let url = format!("/api/cuts/{cut}/revisions/{revision}/sound?fromSamples={}&lengthSamples={}&hear={hear}", from * 48_000, seconds * 48_000);
        let bytes = stand.bytes(&url).await;
        let part = decode_to_sound(&FILES.with(&format!("stem-{hear}-{revision}-{from}.wav"), &bytes)).unwrap();
        planes.iter_mut().zip(part.channels()).for_each(|(p, c)| p.extend_from_slice(c));
    }
    Sound::new(planes)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wedge_is_dragged_a_value_typed_and_a_later_narration_takes_its_swells_along() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed_and_voice("Shaped", "60").await;

    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/shape"))).await.unwrap();
    browser.find("hairpin").await.unwrap();
    // The second wedge: up by 20 px is 5 dB louder.
    let wedge = browser.client().find_all(Locator::Css("[data-test=hairpin]")).await.unwrap().remove(1);
    let (x, y, width, height) = wedge.rectangle().await.unwrap();
    let to = |dy: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(120)), x: (x + width / 2.0).round(), y: (y + height / 2.0 + dy).round() };
    let drag = MouseActions::new("mouse".into())
        .then(to(0.0))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(to(-10.0))
        .then(to(-20.0))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    browser.client().perform_actions(drag).await.unwrap();
    let dragged = stand.cut_when(&cut, |c| levels(c, "swell").iter().any(|s| s["byHand"] == true)).await;
    let set = levels(&dragged, "swell").into_iter().find(|s| s["byHand"] == true).unwrap();
    let was = levels(&first, "swell").into_iter().find(|s| s["name"] == set["name"]).unwrap();
    assert!((was["underSpeechDb"].as_f64().unwrap() - set["underSpeechDb"].as_f64().unwrap() - 5.0).abs() < 0.01, "{was} {set}");
    // Nothing outside of it changed.
    let others = |c: &Value| -> Vec<Value> { c["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["name"] != set["name"]).cloned().collect() };
    assert_eq!(others(&first), others(&dragged));

    // The same narration with its third line and all that follows two seconds later: swells and
    // dips follow, and what was set by hand goes along.
    let later: Vec<Line> = LINES[..8].iter().enumerate().map(|(k, l)| Line { start_s: l.start_s + if k >= 2 { 2.0 } else { 0.0 }, ..*l }).collect();
    let file = FILES.path("later.wav");
    write_wav(&file, &narration(&later, 62.0).unwrap()).unwrap();
    let takes: Vec<String> = dragged["takes"].as_array().unwrap().iter().map(|t| t["hash"].as_str().unwrap().to_owned()).collect();
    assert_eq!(stand.say(&cut, "voice", json!({ "do": "dropTake", "take": takes[0] })).await.0, 200);
    stand.cut_when(&cut, |c| idle(c) && c["takes"].as_array().is_some_and(Vec::is_empty)).await;
    // Undo the removal, so that the objects are there to follow, and lay the new take over the old one.
    assert_eq!(stand.go(&cut, "undo").await.0, 200);
    stand.upload(&cut, "takes", &file, "later.wav").await;
    let moved = stand
        .cut_when(&cut, |c| idle(c) && c["takes"].as_array().is_some_and(|t| t.len() == 2) && c["plan"]["phrases"].as_array().is_some_and(|p| p.len() >= 6))
        .await;
    let third = |c: &Value| c["plan"]["phrases"][2]["startS"].as_f64().unwrap();
    assert!((third(&moved) - third(&first) - 2.0).abs() < 0.06, "{} then {}", third(&first), third(&moved));
    let dip_at = |c: &Value| {
        levels(c, "dip").iter().map(|d| d["startS"].as_f64().unwrap()).min_by(|a, b| (a - third(c)).abs().total_cmp(&(b - third(c)).abs())).unwrap()
    };
    assert!((dip_at(&moved) - third(&moved)).abs() < 0.06, "its dip came along");
    assert!(levels(&moved, "swell").iter().any(|s| s["byHand"] == true && s["underSpeechDb"] == set["underSpeechDb"]), "what was set by hand stays");

    // Phrases are corrected and the speech itself is edited; undo brings each back.
    let edit = async |edit: Value| stand.say(&cut, "voice", edit).await;
    let samples = |s: f64| samples_from_seconds(s);
    // A place in a phrase, by which it is named.
    let inside = |(from, to): (f64, f64)| samples((from + to) / 2.0);
    let spoken = |c: &Value| -> Vec<(f64, f64)> {
        c["plan"]["phrases"].as_array().unwrap().iter().map(|p| (p["startS"].as_f64().unwrap(), p["endS"].as_f64().unwrap())).collect()
    };
    let before = spoken(&moved);
    let (status, joined) = edit(json!({ "do": "joinNext", "phrase": inside(before[0]) })).await;
    assert_eq!((status, spoken(&joined).len(), spoken(&joined)[0]), (200, before.len() - 1, (before[0].0, before[1].1)));
    let (_, edges) =
        edit(json!({ "do": "edges", "phrase": inside(before[2]), "startSamples": samples(before[2].0 - 0.2), "endSamples": samples(before[2].1 + 0.1) })).await;
    assert!((spoken(&edges)[1].0 - before[2].0 + 0.2).abs() < 1e-3 && (spoken(&edges)[1].1 - before[2].1 - 0.1).abs() < 1e-3);
    let (_, less) = edit(json!({ "do": "notSpeech", "phrase": inside(before[3]) })).await;
    assert_eq!(spoken(&less).len(), before.len() - 2);
    let (status, shorter) = edit(json!({ "do": "takeOut", "startSamples": samples(before[2].1 + 0.15), "endSamples": samples(before[2].1 + 0.35) })).await;
    assert_eq!(status, 200);
    let last = |c: &Value| spoken(c).last().copied().unwrap().0;
    assert!((last(&shorter) - last(&less) + 0.2).abs() < 1e-3, "what comes after moves up: {} then {}", last(&less), last(&shorter));
    assert_eq!(edit(json!({ "do": "takeOut", "startSamples": 5, "endSamples": 5 })).await.0, 422);
    for _ in 0..4 {
        assert_eq!(stand.go(&cut, "undo").await.0, 200);
    }
    assert_eq!(spoken(&stand.cut(&cut).await), before);

    // A figure is typed; what is exported measures as asked.
    let (status, view) = stand.say(&cut, "levels", json!({ "do": "figure", "figure": "underSpeechDb", "value": 24.0 })).await;
    assert_eq!(status, 200, "{view}");
    let (bed, voice) = (stem(&stand, &cut, "bed", 60).await, stem(&stand, &cut, "voice", 60).await);
    let phrases = view["plan"]["phrases"].as_array().unwrap();
    let spoken: Vec<usize> =
        phrases.iter().flat_map(|p| (p["startS"].as_f64().unwrap() * 10.0) as usize..(p["endS"].as_f64().unwrap().min(60.0) * 10.0) as usize).collect();
    let over = |sound: &Sound| {
        let e = block_energies(sound);
        lufs_from_energy(spoken.iter().filter_map(|k| e.get(*k)).sum::<f64>() / spoken.len() as f64)
    };
    let apart = over(&voice) - over(&bed);
    assert!((apart - 24.0).abs() < 1.2, "24 dB asked, {apart:.2} measured");
    // Refused with what is allowed.
    let (status, told) = stand.say(&cut, "levels", json!({ "do": "figure", "figure": "underSpeechDb", "value": 90.0 })).await;
    assert!(status == 422 && told["detail"].as_str().unwrap().contains("0 to 40"), "{told}");
    browser.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn three_ambiences_keep_their_rules_and_the_whole_its_loudness() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed_and_voice("Rooms", "60").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    for (k, rule) in ["out", "low", "onlyUnder"].into_iter().enumerate() {
        let mut state = k as u32 + 7;
        let noise: Vec<f32> = (0..9 * 48_000)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                0.05 * (state as f32 / u32::MAX as f32 - 0.5)
            })
            .collect();
        let file = FILES.path(&format!("room{k}.wav"));
        write_wav(&file, &Sound::new(vec![noise])).unwrap();
        assert_eq!(stand.upload(&cut, "ambiences", &file, &format!("room {k}.wav")).await.0, 200);
        let view = stand.cut_when(&cut, |c| idle(c) && c["plan"]["ambiences"].as_array().is_some_and(|a| a.len() == k + 1)).await;
        let sound = &view["plan"]["ambiences"][k]["hash"];
        let (status, view) = stand.say(&cut, "levels", json!({ "do": "ambience", "sound": sound, "rule": rule })).await;
        assert_eq!((status, &view["plan"]["ambiences"][k]["rule"]), (200, &json!(rule)));
    }
    let heard = stem(&stand, &cut, "ambiences", 60).await;
    let level = |from: f64, to: f64| {
        let plane = &heard.channels()[0][(from * 48_000.0) as usize..(to * 48_000.0) as usize];
        10.0 * (plane.iter().map(|x| f64::from(x * x)).sum::<f64>() / plane.len() as f64 + 1e-20).log10()
    };
    let gap = levels(&first, "swell")
        .into_iter()
        .max_by(|a, b| (a["endS"].as_f64().unwrap() - a["startS"].as_f64().unwrap()).total_cmp(&(b["endS"].as_f64().unwrap() - b["startS"].as_f64().unwrap())))
        .unwrap();
    let middle = 0.5 * (gap["startS"].as_f64().unwrap() + gap["endS"].as_f64().unwrap());
    // Between: the one that is out under speech and the low one, both up. Under: one up, one 9 dB down.
    let phrase = &first["plan"]["phrases"][0];
    let (a, b) = (phrase["startS"].as_f64().unwrap(), phrase["endS"].as_f64().unwrap());
    let difference = level(middle - 0.2, middle + 0.2) - level(a + 0.2, b - 0.2);
    assert!((difference - 10.0 * (2.0f64 / (1.0 + 10f64.powf(-0.9))).log10()).abs() < 1.0, "{difference:.2} dB between gap and speech");

    // A loudness for the whole; the exported file measures so.
    assert_eq!(stand.say(&cut, "levels", json!({ "do": "figure", "figure": "targetLufs", "value": -23.0 })).await.0, 200);
    let pocket = json!({ "depthDb": 12.0, "q": 4.0, "centreHz": null });
    let (status, view) = stand.say(&cut, "levels", json!({ "do": "figure", "figure": "pocket", "value": pocket })).await;
    assert_eq!(status, 200, "{view}");
    assert!((300.0..3500.0).contains(&view["plan"]["pocketHz"].as_f64().unwrap()), "{}", view["plan"]["pocketHz"]);
    let revision = view["plan"]["revision"].as_u64().unwrap();
    let bytes = stand.mix(&cut, &json!(revision)).await;
    let mix = decode_to_sound(&FILES.with("rooms.wav", &bytes)).unwrap();
    assert_eq!(mix.len_samples(), 60 * 48_000);
    // EBU R 128: -23 LUFS.
    let lufs = measure(&mix).integrated_lufs.unwrap();
    assert!((lufs + 23.0 + view["plan"]["heldBackDb"].as_f64().unwrap_or(0.0)).abs() < 0.15, "{lufs:.2} LUFS");
    let meters: Value = stand.send("GET", &path(&format!("/revisions/{revision}/meters")), None).await.1;
    assert_eq!(meters["shortTermLufs"].as_array().unwrap().len(), 600);
    // Undo by name.
    assert_eq!(view["plan"]["undo"]["code"], "levels.pocket");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_passage_is_swept_the_voice_enters_on_a_downbeat_and_layers_are_left_out() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed_and_voice("Swept", "60").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");

    // A passage is marked on the sheet and lowered by key, three times: once the page has it, the file has it.
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/shape"))).await.unwrap();
    browser.find("hairpin").await.unwrap();
    let (x, y, width, height) = browser.find("line").await.unwrap().rectangle().await.unwrap();
    let to = |share: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(120)), x: (x + share * width).round(), y: (y + height / 2.0).round() };
    let drag = MouseActions::new("mouse".into())
        .then(to(0.1))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(to(0.2))
        .then(to(0.3))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    browser.client().perform_actions(drag).await.unwrap();
    browser.find("sweep-down").await.unwrap();
    for _ in 0..3 {
        browser.client().find(Locator::Css("body")).await.unwrap().send_keys("-").await.unwrap();
    }
    let swept = stand.cut_when(&cut, |c| levels(c, "sweep").first().is_some_and(|s| s["gainDb"] == -3.0)).await;
    let sweep = levels(&swept, "sweep").remove(0);
    let (from, to) = (sweep["startS"].as_f64().unwrap(), sweep["endS"].as_f64().unwrap());
    let outside = |c: &Value| -> Vec<Value> { c["plan"]["levels"].as_array().unwrap().iter().filter(|l| l["kind"] != "sweep").cloned().collect() };
    assert_eq!(outside(&first), outside(&swept), "nothing else changed");
    let sound = async |c: &Value, more: &str| {
        let url = path(&format!("/revisions/{}/sound?fromSamples=0&lengthSamples=1440000{more}", c["plan"]["revision"]));
        let bytes = stand.bytes(&url).await;
        decode_to_sound(&FILES.with("swept.wav", &bytes)).unwrap()
    };
    let (before, after) = (sound(&first, "&hear=bed").await, sound(&swept, "&hear=bed").await);
    let power = |s: &Sound, from: f64, to: f64| {
        let part = &s.channels()[0][(from * 48_000.0) as usize..(to * 48_000.0) as usize];
        10.0 * part.iter().map(|x| f64::from(x * x)).sum::<f64>().log10()
    };
    let inside = power(&after, from + 0.3, to - 0.3) - power(&before, from + 0.3, to - 0.3);
    assert!((inside + 3.0).abs() < 0.02 && (power(&after, to + 0.1, 29.0) - power(&before, to + 0.1, 29.0)).abs() < 1e-3, "{inside:.2} dB inside");
    browser.close().await.unwrap();

    // The voice enters on the next downbeat after eight seconds, with its words.
    let (status, told) = stand.say(&cut, "voice", json!({ "do": "enter", "aloneSamples": 8 * 48_000, "on": "downbeat" })).await;
    assert_eq!(status, 200, "{told}");
    let entered = told["plan"]["phrases"][0]["startS"].as_f64().unwrap();
    let downbeats: Vec<f64> = told["plan"]["barLines"].as_array().unwrap().iter().filter_map(|b| b["atS"].as_f64()).collect();
    assert!(entered >= 7.9 && downbeats.iter().any(|d| (d - entered).abs() < 0.01), "{entered} of {downbeats:?}");
    let refused = stand.say(&cut, "voice", json!({ "do": "enter", "aloneSamples": 5000 * 48_000, "on": "section" })).await;
    assert!(refused.0 == 422 && refused.1["detail"].as_str().unwrap().contains("no such place"), "{}", refused.1);

    // Without the voice, everything is the bed.
    let (muted, bed) = (sound(&told, "&hear=everything&without=voice,film").await, sound(&told, "&hear=bed").await);
    assert!(muted.channels()[0].iter().zip(&bed.channels()[0]).all(|(a, b)| (a - b).abs() < 1e-6), "only the bed is left");

    // Steady noise goes out of the take, and comes back.
    let take = told["takes"][0]["hash"].as_str().unwrap().to_owned();
    assert_eq!(stand.say(&cut, "voice", json!({ "do": "clean", "take": take, "on": true })).await.0, 200);
    let clean = stand.cut_when(&cut, |c| c["takes"][0]["withoutNoise"] == true && idle(c)).await;
    assert_eq!(clean["plan"]["phrases"], told["plan"]["phrases"], "the phrases are those of the take as it came");
    let (noisy, quiet) = (sound(&told, "&hear=voice").await, sound(&clean, "&hear=voice").await);
    assert!(noisy.channels()[0].iter().zip(&quiet.channels()[0]).any(|(a, b)| (a - b).abs() > 1e-4));
    assert_eq!(stand.say(&cut, "voice", json!({ "do": "clean", "take": take, "on": false })).await.0, 200);
    stand.cut_when(&cut, |c| c["takes"][0]["withoutNoise"] == false && idle(c)).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_films_own_sound_gives_over_to_the_bed() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Handed over", "40").await;
    let hand_over = async || stand.say(&cut, "film", json!({ "do": "handOver", "toBed": true, "atSamples": 6 * 48_000, "lengthSamples": 2 * 48_000 })).await;
    let (status, told) = hand_over().await;
    assert!(status == 422 && told["detail"].as_str().unwrap().contains("bring one in at Picture"), "{told}");
    stand.upload(&cut, "film", &FILES.path("film.webm"), "film.webm").await;
    stand.cut_when(&cut, |c| c["film"]["hasSound"] == true && idle(c)).await;
    assert_eq!(hand_over().await.0, 200);
    let handed = stand.cut_when(&cut, |c| c["film"]["heardUntilS"] == 7.0 && fitted(c)).await;
    assert_eq!((handed["plan"]["parts"][0]["startS"].as_f64(), handed["film"]["heardFromS"].as_f64()), (Some(5.0), Some(0.0)));
    let fades = levels(&handed, "fadeIn");
    assert!((fades[0]["riseS"].as_f64().unwrap() - 2.0).abs() < 0.01, "{fades:?}");
    let (film, bed) = (stem(&stand, &cut, "film", 30).await, stem(&stand, &cut, "bed", 30).await);
    let silent = |s: &Sound, from: f64, to: f64| s.channels()[0][(from * 48_000.0) as usize..(to * 48_000.0) as usize].iter().all(|x| x.abs() < 1e-6);
    assert!(silent(&film, 7.05, 30.0) && !silent(&film, 0.5, 5.0) && silent(&bed, 0.0, 4.95) && !silent(&bed, 8.0, 20.0));
    // Its level and its rule; nonsense is refused.
    assert_eq!(stand.say(&cut, "film", json!({ "do": "sound", "gainDb": -6.0, "rule": "low" })).await.0, 200);
    let softer = stand.cut_when(&cut, |c| c["film"]["gainDb"] == -6.0 && idle(c)).await;
    assert_eq!(softer["film"]["rule"], "low");
    for nonsense in [json!({ "do": "sound", "gainDb": 90.0 }), json!({ "do": "sound", "fromSamples": 9, "untilSamples": 3 })] {
        assert_eq!(stand.say(&cut, "film", nonsense).await.0, 422);
    }
}
