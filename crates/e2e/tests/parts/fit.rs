//! The fit by hand: lengths dragged, passages left out, moments pinned, splices nudged, and the
//! exported file has it all.

use super::files::{FILES, Stand, fitted, idle};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use jaunty_core::sound::Source;
use jaunty_core::units::samples_from_seconds;
use jaunty_e2e::{Browser, eventually};
use jaunty_media::decode_to_sound;
use serde_json::{Value, json};
use std::time::Duration;

fn pieces(cut: &Value) -> Vec<(f64, f64, f64)> {
    let chosen = cut["plan"]["chosen"].as_u64().unwrap() as usize;
    let seconds = |p: &Value, name: &str| p[name].as_f64().unwrap();
    let all = cut["plan"]["fittings"][chosen]["pieces"].as_array().unwrap();
    all.iter().map(|p| (seconds(p, "sourceStartS"), seconds(p, "sourceEndS"), seconds(p, "cutStartS"))).collect()
}

fn splices(cut: &Value) -> usize {
    cut["plan"]["fittings"][cut["plan"]["chosen"].as_u64().unwrap() as usize]["splices"].as_array().unwrap().len()
}

/// Drags from one place of an element to another, in shares of its width and height.
async fn drag(browser: &Browser, name: &str, from: (f64, f64), to: (f64, f64)) {
    let script = "document.querySelector(`[data-test=${arguments[0]}]`).scrollIntoView({ block: 'center' })";
    browser.client().execute(script, vec![json!(name)]).await.unwrap();
    let (x, y, width, height) = browser.find(name).await.unwrap().rectangle().await.unwrap();
    let at = |place: (f64, f64)| ((x + place.0 * width).round(), (y + place.1 * height).round());
    let ((ax, ay), (bx, by)) = (at(from), at(to));
    let step = |x, y| PointerAction::MoveTo { duration: Some(Duration::from_millis(120)), x, y };
    let actions = MouseActions::new("mouse".into())
        .then(step(ax, ay))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(step(((ax + bx) / 2.0).round(), ((ay + by) / 2.0).round()))
        .then(step(bx, by))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    browser.client().perform_actions(actions).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn the_map_is_taken_hold_of_and_the_file_has_it() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed("By hand", "60").await;
    assert!((4..=8).contains(&first["plan"]["fittings"].as_array().unwrap().len()));
    let bed_s = first["bed"]["lengthS"].as_f64().unwrap();
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/fit"))).await.unwrap();
    browser.find("ribbon").await.unwrap();

    // One key brings up what can be asked for; the bed then lies a little before the credits, and all over the cut again.
    assert_eq!(stand.say(&cut, "picture", json!({ "do": "markMoment", "frame": 300, "kind": "credits", "name": "" })).await.0, 200);
    let moment = browser.find("from-moment").await.unwrap();
    browser.client().find(Locator::Css("body")).await.unwrap().send_keys("w").await.unwrap();
    let shown = "const b = document.querySelector('[data-test=place]').getBoundingClientRect(); return b.top > 0 && b.bottom < innerHeight";
    assert_eq!(browser.client().execute(shown, vec![]).await.unwrap(), json!(true), "the wishes are in view");
    moment.click().await.unwrap();
    let starts_at = |c: &Value, s: f64| c["plan"]["parts"][0]["startS"].as_f64().is_some_and(|at| (at - s).abs() < 0.01);
    stand.cut_when(&cut, |c| starts_at(c, 10.0) && idle(c)).await;
    browser.find("place-all").await.unwrap().click().await.unwrap();
    stand.cut_when(&cut, |c| starts_at(c, 0.0) && idle(c)).await;

    // The end of the cut is dragged to about four fifths; the figures change before it is let go.
    drag(&browser, "cut-ruler", (0.5, 0.9), (0.5, 0.9)).await;
    let end = browser.find("cut-end").await.unwrap();
    end.send_keys("\u{e012}").await.unwrap(); // Arrow left: a second shorter.
    let told = async || browser.find("take-length").await.ok();
    assert!(eventually(Duration::from_secs(10), told).await.is_some(), "the length is tried");
    let tried: Value = stand.send("GET", &format!("/api/cuts/{cut}/fit/at?lengthFrames={}", 59 * 25), None).await.1;
    assert!(tried["splices"].is_array() && tried["pieces"].as_array().unwrap().last().unwrap()["cutEndS"] == 59.0, "{tried}");
    browser.find("take-length").await.unwrap().click().await.unwrap();
    let view = stand.cut_when(&cut, |c| c["lengthFrames"] == 59 * 25 && fitted(c) && c["plan"]["lengthSamples"] == 59 * 48_000).await;
    assert_eq!(pieces(&view).len(), splices(&view) + 1);

    // A passage of the bed is marked and left out: nothing of it sounds any more.
    drag(&browser, "bed-ruler", (0.14, 0.5), (0.28, 0.5)).await;
    browser.find("leave-out").await.unwrap().click().await.unwrap();
    let view = stand.cut_when(&cut, |c| c["plan"]["wishes"]["leaveOut"].as_array().is_some_and(|l| l.len() == 1) && idle(c)).await;
    let (from, to) = (view["plan"]["wishes"]["leaveOut"][0]["startS"].as_f64().unwrap(), view["plan"]["wishes"]["leaveOut"][0]["endS"].as_f64().unwrap());
    assert!((from - 0.14 * bed_s).abs() < 2.5 && (to - 0.28 * bed_s).abs() < 2.5, "{from} to {to} of {bed_s}");
    assert!(pieces(&view).iter().all(|p| p.1 <= from + 0.1 || p.0 >= to - 0.1), "{:?}", pieces(&view));

    // A bar line is pulled down to a moment of the cut.
    drag(&browser, "pin-rail", (0.5, 0.5), (0.45, 17.5)).await;
    let view = stand.cut_when(&cut, |c| c["plan"]["wishes"]["pins"].as_array().is_some_and(|p| p.len() == 1) && idle(c)).await;
    let pin = &view["plan"]["wishes"]["pins"][0];
    let notes = view["plan"]["fittings"][0]["notes"].to_string();
    let (bed_at, cut_at) = (pin["bedS"].as_f64().unwrap(), pin["cutS"].as_f64().unwrap());
    let held = pieces(&view).iter().rev().find(|p| p.2 <= cut_at).map(|p| p.0 + cut_at - p.2).unwrap();
    assert!((held - bed_at).abs() < 0.7 || notes.contains("\"aside."), "{held} for {bed_at}: {notes}");
    browser.find("pin").await.unwrap();
    assert_eq!(browser.count("pin").await.unwrap(), 1);
    assert_eq!(browser.count("wish").await.unwrap(), 2, "both are listed");
    let standing = view["plan"]["wishes"]["standing"].clone();
    let take_back = async |one: usize| stand.say(&cut, "fit", json!({ "do": "takeBack", "wish": standing[one]["wish"] })).await;
    let (status, view) = take_back(1).await;
    assert_eq!((status, view["plan"]["wishes"]["pins"].as_array().map(Vec::len)), (200, Some(0)), "{standing}");

    // A splice that somebody asks for is there; it is nudged and seen close up.
    let line = |bar: usize| samples_from_seconds(view["bed"]["reading"]["barLinesS"][bar].as_f64().unwrap());
    let wish = json!({ "what": "splice", "splice": { "leaveSamples": line(8), "enterSamples": line(16) }, "instead": null });
    let (status, free) = take_back(0).await;
    assert_eq!((status, free["plan"]["wishes"]["standing"].as_array().map(Vec::len)), (200, Some(0)));
    let (status, told) = stand.say(&cut, "fit", json!({ "do": "wish", "wish": wish })).await;
    assert_eq!(status, 200, "{told}");
    let before = stand.cut_when(&cut, |c| splices(c) > 0 && idle(c)).await;
    // Whichever of the splices is seen close up.
    let moved = |c: &Value| -> f64 {
        let all = c["plan"]["fittings"][c["plan"]["chosen"].as_u64().unwrap() as usize]["splices"].as_array().unwrap();
        all.iter().map(|s| s["movedMs"].as_f64().unwrap()).sum()
    };
    // The page has what was said beside it before it is told more.
    let shown = format!("Revision {},", before["plan"]["revision"]);
    let seen = async || browser.client().find(Locator::Css("body")).await.ok()?.text().await.ok().filter(|text| text.contains(&shown));
    assert!(eventually(Duration::from_secs(30), seen).await.is_some(), "the page does not show {shown}");
    browser.find("close-up").await.unwrap();
    browser.find("nudge-later").await.unwrap().click().await.unwrap();
    let after = stand.cut_when(&cut, |c| (moved(c) - moved(&before) - 1.0).abs() < 0.03 && idle(c)).await;
    assert_eq!(pieces(&after).len(), pieces(&before).len(), "nothing else moved");
    let revision = after["plan"]["revision"].as_u64().unwrap();
    let close: Value = stand.send("GET", &format!("/api/cuts/{cut}/revisions/{revision}/splices/0?reachS=0.6"), None).await.1;
    assert!(close["jointDb"].as_f64().unwrap().abs() < 3.0 && close["leaving"].as_array().unwrap().len() > 800, "{}", close["jointDb"]);

    // Exported, the file holds what the nudge did: from the splice on, the bed a millisecond later in its source.
    let export = async |revision: u64| {
        let bytes = stand.mix(&cut, &json!(revision)).await;
        decode_to_sound(&FILES.with(&format!("fit-{revision}.wav"), &bytes)).unwrap()
    };
    let (old, new) = (export(before["plan"]["revision"].as_u64().unwrap()).await, export(revision).await);
    assert_eq!((old.len_samples(), new.len_samples()), (59 * 48_000, 59 * 48_000));
    let at =
        samples_from_seconds(after["plan"]["fittings"][after["plan"]["chosen"].as_u64().unwrap() as usize]["splices"][0]["atS"].as_f64().unwrap()) as usize;
    let differs = |from: usize, to: usize| old.channels()[0][from..to].iter().zip(&new.channels()[0][from..to]).any(|(a, b)| (a - b).abs() > 1e-3);
    assert!(differs(at, at + 48_000) && !differs(at - 96_000, at - 48_000), "only from the splice on");
    // Undo takes it back, by name.
    assert_eq!(after["plan"]["undo"]["code"], "fit.touch");
    browser.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn stills_are_held_until_the_bed_ends_by_itself() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Stills", "120").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    for k in 1..8 {
        let (status, told) = stand.say(&cut, "picture", json!({ "do": "beginShot", "frame": k * 375, "name": format!("still {k}") })).await;
        assert_eq!(status, 200, "{told}");
    }
    for k in 0..8 {
        let edit = json!({ "do": "changeShot", "shot": k * 375, "frame": k * 375, "name": format!("still {k}"), "still": true });
        assert_eq!(stand.say(&cut, "picture", edit).await.0, 200);
    }
    stand.upload(&cut, "candidates", &FILES.path("bed.wav"), "bed.wav").await;
    stand.cut_when(&cut, fitted).await;
    let ways: Value = stand.send("GET", &path("/fit/lengths"), None).await.1;
    let way = ways["stills"].as_array().unwrap().iter().find(|w| w["advised"] == true).expect("a sensible way").clone();
    let length = way["lengthFrames"].as_u64().unwrap();
    assert!((way["meanHoldS"].as_f64().unwrap() - length as f64 / 25.0 / 8.0).abs() < 0.01, "{way}");
    assert_eq!(stand.say(&cut, "fit", json!({ "do": "holdStills", "frames": length })).await.0, 200);
    let view = stand.cut_when(&cut, |c| c["lengthFrames"] == length && fitted(c)).await;
    let best = &view["plan"]["fittings"][0];
    assert_eq!((best["end"].as_str(), best["speedChangePercent"].as_f64()), (Some("ownEnding"), Some(0.0)), "{best}");
    assert_eq!(view["shots"].as_array().unwrap().len(), 8);
}

#[tokio::test(flavor = "multi_thread")]
async fn wishes_that_make_no_sense_are_refused() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Nonsense", "60").await;
    let wish = async |wish: Value| stand.say(&cut, "fit", json!({ "do": "wish", "wish": wish })).await;
    assert_eq!(wish(json!({ "what": "keep", "startSamples": 48_000, "endSamples": 96_000 })).await.0, 422, "there is no bed yet");
    assert_eq!(wish(json!({ "what": "hop" })).await.0, 400);
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    stand.cut_when(&cut, fitted).await;
    for (nonsense, told) in [
        (json!({ "what": "keep", "startSamples": 5, "endSamples": 5 }), "ends after it begins"),
        (json!({ "what": "leastRun", "bars": 0 }), "At least 1"),
        (json!({ "what": "speedChange", "share": 0.5 }), "0 to 2 percent"),
        (json!({ "what": "mostPlays", "times": 0 }), "1 to 100"),
        (json!({ "what": "pin", "bedSamples": 13 * 3600 * 48_000u64, "cutSamples": 2 }), "0 to 12 hours"),
    ] {
        let (status, answer) = wish(nonsense.clone()).await;
        assert_eq!(status, 422, "{nonsense}");
        assert!(answer["detail"].as_str().unwrap().contains(told), "{answer}");
    }
    let few = json!({ "do": "wish", "wish": { "what": "leastRun", "bars": 2 } });
    assert_eq!(stand.say_at(&cut, &json!(1), "fit", few).await.0, 409);
    assert_eq!(wish(json!({ "what": "pin", "bedSamples": -1, "cutSamples": 2 })).await.0, 400, "no sound has a sample before its first");
}

/// The cut grows and the narration changes beneath a bed that was fitted before.
#[tokio::test(flavor = "multi_thread")]
async fn a_cut_that_changes_is_fitted_anew_and_only_when_that_is_wanted() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed("It grew", "60").await;
    let length = async |c: &Value, frames: u64| stand.say_at(&cut, &c["plan"]["revision"], "fit", json!({ "do": "length", "frames": frames })).await;
    assert_eq!(length(&first, 0).await.0, 422);
    let (status, view) = length(&first, 77 * 25 + 1).await;
    assert_eq!(status, 200, "{view}");
    let longer = stand.cut_when(&cut, |c| c["plan"]["lengthSamples"] == 3_697_920 && fitted(c)).await;
    assert_eq!(length(&first, 70 * 25).await.0, 409, "somebody else changed it meanwhile");
    assert!(longer["plan"]["undo"]["facts"]["length"]["name"] == "00:01:17:01", "{}", longer["plan"]["undo"]);
    let mix = stand.mix(&cut, &longer["plan"]["revision"]).await;
    // RIFF: frames of two channels of three bytes after the header; 77 s and a frame at 25 a second.
    let mixed = decode_to_sound(&FILES.with("longer.wav", &mix)).unwrap();
    assert_eq!(mixed.len_samples(), (77 * 25 + 1) * 1920);

    // The first narration is fitted to at once.
    stand.upload(&cut, "takes", &FILES.path("voice.wav"), "voice.wav").await;
    let spoken = stand.cut_when(&cut, |c| c["plan"]["phrases"].as_array().is_some_and(|p| p.len() > 3) && fitted(c)).await;
    assert_eq!(spoken["plan"]["fittedBefore"], false);

    // A piece of the narration goes, and what the phrases had for dips; the fitting stays until it is asked for again.
    assert_eq!(stand.say(&cut, "voice", json!({ "do": "dropPiece", "atSamples": 99 })).await.0, 404);
    assert_eq!(stand.say(&cut, "voice", json!({ "do": "dropPiece", "atSamples": 0 })).await.0, 200);
    let silent = stand.cut_when(&cut, |c| c["plan"]["phrases"].as_array().is_some_and(Vec::is_empty) && idle(c)).await;
    assert!(silent["pieces"].as_array().unwrap().is_empty() && silent["plan"]["levels"].as_array().unwrap().iter().all(|l| l["kind"] != "dip"));
    assert_eq!((&silent["plan"]["fittedBefore"], pieces(&silent)), (&json!(true), pieces(&spoken)));
    let (status, again) = stand.say_at(&cut, &silent["plan"]["revision"], "fit", json!({ "do": "again" })).await;
    assert_eq!((status, &again["plan"]["fittedBefore"]), (200, &json!(false)), "{again}");
    stand.go(&cut, "undo").await;
    let (_, undone) = stand.go(&cut, "undo").await;
    assert_eq!(undone["plan"]["phrases"], spoken["plan"]["phrases"]);
}

/// What was said of a candidate stays with it, and beds of other cuts are at hand.
#[tokio::test(flavor = "multi_thread")]
async fn candidates_keep_what_was_said_of_them() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed("Opinions", "60").await;
    let hash = view["candidates"][0]["hash"].as_str().unwrap().to_owned();
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    let say = async |mut what: Value| {
        (what["do"], what["sound"]) = (json!("candidate"), json!(hash));
        stand.say(&cut, "bed", what).await
    };
    assert_eq!(say(json!({})).await.0, 422);
    assert_eq!(say(json!({ "note": "x".repeat(501) })).await.0, 422);
    assert_eq!(say(json!({ "opinion": "maybe" })).await.0, 200);
    let (status, noted) = say(json!({ "note": "<i>too jolly</i> for the rain" })).await;
    assert_eq!(status, 200, "{noted}");
    let candidate = &noted["candidates"][0];
    assert_eq!((&candidate["opinion"], &candidate["note"]), (&json!("maybe"), &json!("<i>too jolly</i> for the rain")));

    // Another cut takes the bed without bringing the file again; there is one sound in the store.
    let other = stand.make_cut("Another", "30").await;
    let (_, beds) = stand.send("GET", "/api/beds", None).await;
    assert!(beds.as_array().unwrap().iter().any(|b| b["hash"] == hash.as_str() && b["lengthS"].as_f64().unwrap() > 60.0), "{beds}");
    let (status, _) = stand.send("PUT", &format!("/api/cuts/{other}/candidates"), Some(json!({ "soundHash": hash }))).await;
    assert_eq!(status, 200);
    let taken = stand.cut_when(&other, |c| c["candidates"].as_array().is_some_and(|all| all.len() == 1) && idle(c)).await;
    assert_eq!(taken["candidates"][0]["note"], "", "what another cut noted is its own");

    // The bed as it came: as many samples as were asked for, also past its end.
    let sound = stand.bytes(&path("/bed/sound?fromSamples=0&lengthSamples=48000&count=false")).await;
    let came = decode_to_sound(&FILES.path("bed.wav")).unwrap();
    let heard = decode_to_sound(&FILES.with("as-it-came.wav", &sound)).unwrap();
    assert_eq!(heard.len_samples(), 48_000);
    let near = heard.channels()[0].iter().zip(&came.channels()[0]).all(|(a, b)| (a - b).abs() < 1.0 / 16_384.0);
    assert!(near, "the bed alone is the file");
    assert_eq!(stand.send("GET", &path("/bed/sound?fromSamples=0&lengthSamples=1440001&count=false"), None).await.0, 422);
}

#[tokio::test(flavor = "multi_thread")]
async fn one_bed_gives_over_to_another_at_the_playhead() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Two beds", "60").await;
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    stand.cut_when(&cut, |c| c["candidates"].as_array().is_some_and(|all| all.len() == 2 && all.iter().all(|one| one["reading"].is_object())) && idle(c)).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/fit"))).await.unwrap();
    browser.find("ribbon").await.unwrap();
    drag(&browser, "cut-ruler", (0.5, 0.4), (0.5, 0.4)).await;
    browser.find("go-on").await.unwrap().click().await.unwrap();
    browser.css(".ant-select-item-option[title='loop']").await.unwrap().click().await.unwrap();
    let places = |c: &Value| -> Vec<(String, f64, f64)> {
        let part = |p: &Value| (p["name"].as_str().unwrap().to_owned(), p["startS"].as_f64().unwrap(), p["endS"].as_f64().unwrap());
        c["plan"]["parts"].as_array().unwrap().iter().map(part).collect()
    };
    let two = stand.cut_when(&cut, |c| places(c).len() == 2 && fitted(c)).await;
    let shared = places(&two);
    assert_eq!((shared[0].0.as_str(), shared[1].0.as_str(), two["bed"]["name"].as_str()), ("bed.wav", "loop.wav", Some("loop.wav")));
    assert!((shared[0].2 - 31.0).abs() < 1.0 && (shared[0].2 - shared[1].1 - 2.0).abs() < 0.01 && shared[1].2 == 60.0, "{shared:?}");

    // The file has the one before the handover and the other after it.
    let sound = async |c: &Value| decode_to_sound(&FILES.with("two-beds.wav", &stand.mix(&cut, &c["plan"]["revision"]).await)).unwrap();
    let mixed = sound(&two).await;
    let bed = |name: &str| decode_to_sound(&FILES.path(name)).unwrap();
    // In the middle of the longest piece of each.
    let alike = |file: &str, part: usize| {
        let seconds = |p: &Value, name: &str| p[name].as_f64().unwrap();
        let length = |p: &Value| seconds(p, "cutEndS") - seconds(p, "cutStartS");
        let pieces = two["plan"]["parts"][part]["fitting"]["pieces"].as_array().unwrap();
        let piece = pieces.iter().max_by(|a, b| length(a).total_cmp(&length(b))).expect("a piece");
        let at_s = seconds(piece, "cutStartS") + length(piece) / 2.0;
        let from = samples_from_seconds(piece["sourceStartS"].as_f64().unwrap() + at_s - piece["cutStartS"].as_f64().unwrap()) as usize;
        let (a, source) = (samples_from_seconds(at_s) as usize, bed(file));
        let (x, y) = (&mixed.channels()[0][a..a + 4800], &source.channels()[0][from..from + 4800]);
        let dot = |p: &[f32], q: &[f32]| p.iter().zip(q).map(|(a, b)| f64::from(a * b)).sum::<f64>();
        dot(x, y) / (dot(x, x) * dot(y, y)).sqrt()
    };
    let (first, second) = (alike("bed.wav", 0), alike("loop.wav", 1));
    assert!(first > 0.8 && second > 0.8, "{first} and {second}");

    // Each can be taken to hand and keeps how it is played; the handover moves; one bed less is one step back.
    let from = |c: &Value, part: usize| samples_from_seconds(c["plan"]["parts"][part]["startS"].as_f64().unwrap());
    assert_eq!(stand.say(&cut, "bed", json!({ "do": "takeToHand", "fromSamples": from(&two, 0) })).await.0, 200);
    let first = stand.cut_when(&cut, |c| c["bed"]["name"] == "bed.wav" && fitted(c)).await;
    assert_eq!(places(&first), shared);
    let played = |c: &Value, part: usize| c["plan"]["parts"][part]["fitting"]["pieces"].clone();
    assert_eq!((played(&first, 0), played(&first, 1)), (played(&two, 0), played(&two, 1)));
    let hand_over = async |at_s: u64| {
        let change = json!({ "do": "moveHandover", "fromSamples": from(&first, 1), "atSamples": at_s * 48_000, "lengthSamples": 0 });
        stand.say(&cut, "bed", change).await
    };
    let (status, told) = hand_over(2).await;
    assert!(status == 422 && told["detail"].as_str().unwrap().contains("at least 4 s"), "{told}");
    assert_eq!(hand_over(24).await.0, 200);
    let moved = stand.cut_when(&cut, |c| places(c)[1].1 == 24.0 && fitted(c)).await;
    assert_eq!((places(&moved)[0].2, moved["plan"]["parts"][0]["fitting"]["pieces"][0]["cutStartS"].as_f64()), (24.0, Some(0.0)));
    browser.client().refresh().await.unwrap();
    browser.find("part").await.unwrap();
    assert_eq!(browser.count("part").await.unwrap(), 2);
    assert_eq!(stand.say(&cut, "bed", json!({ "do": "takeOff", "fromSamples": from(&moved, 1) })).await.0, 200);
    let alone = stand.cut_when(&cut, |c| places(c).len() == 1 && fitted(c)).await;
    assert_eq!((places(&alone)[0].1, places(&alone)[0].2, alone["plan"]["wishes"]["place"].is_null()), (0.0, 60.0, true));
    browser.close().await.unwrap();
}

/// A bed gets faster by a figure in the page: its beats follow, what it is fitted to stays exact, undo brings the file back,
/// and so does the figure 0.
#[tokio::test(flavor = "multi_thread")]
async fn a_bed_gets_faster_and_its_beats_and_pins_follow() {
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed("Faster", "60").await;
    let bpm = |c: &Value| c["bed"]["reading"]["tempoBpm"].as_f64().unwrap_or(0.0);
    let lines = |c: &Value| c["bed"]["reading"]["barLinesS"].as_array().unwrap().iter().map(|l| l.as_f64().unwrap()).collect::<Vec<_>>();
    let bar_4 = (lines(&first)[4] * 48_000.0).round() as u64;
    let pin = json!({ "do": "wish", "wish": { "what": "pin", "bedSamples": bar_4, "cutSamples": 12 * 48_000 } });
    assert_eq!(stand.say(&cut, "fit", pin).await.0, 200);
    stand.cut_when(&cut, |c| fitted(c) && !c["plan"]["wishes"]["pins"].as_array().unwrap().is_empty()).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/fit"))).await.unwrap();
    let field = browser.css("[data-test=faster] input, input[data-test=faster]").await.unwrap();
    field.send_keys("\u{e009}a\u{e009}5\u{e007}").await.unwrap();
    let faster = stand.cut_when(&cut, |c| fitted(c) && bpm(c) > bpm(&first) * 1.02).await;
    assert!((bpm(&faster) / bpm(&first) - 1.05).abs() < 0.002, "{} became {}", bpm(&first), bpm(&faster));
    let off = lines(&faster).iter().zip(lines(&first)).map(|(q, p)| (q * 1.05 - p).abs()).fold(0.0, f64::max);
    assert!(lines(&faster).len() == lines(&first).len() && off < 0.0005, "bar lines are {off} s off");
    assert!(faster["bed"]["name"].as_str().unwrap().contains("5 % faster"), "{}", faster["bed"]["name"]);
    let pinned = &faster["plan"]["wishes"]["pins"][0];
    assert!((pinned["bedS"].as_f64().unwrap() - lines(&faster)[4]).abs() < 0.001 && pinned["cutS"] == 12.0, "{pinned}");
    assert_eq!(faster["plan"]["lengthSamples"], first["plan"]["lengthSamples"]);
    let mix = decode_to_sound(&FILES.with("faster.wav", &stand.mix(&cut, &faster["plan"]["revision"]).await)).unwrap();
    assert_eq!(mix.len_samples(), 60 * 48_000);
    // The page shows what it is by now, and 0 is the file as it came.
    let again = browser.css("[data-test=faster] input, input[data-test=faster]").await.unwrap();
    again.send_keys("\u{e009}a\u{e009}0\u{e007}").await.unwrap();
    let back = stand.cut_when(&cut, |c| fitted(c) && c["bed"]["hash"] == first["bed"]["hash"]).await;
    assert_eq!((&back["bed"]["name"], lines(&back)), (&first["bed"]["name"], lines(&first)));
    assert_eq!(back["bed"]["corrections"], json!([]));
    assert_eq!(stand.go(&cut, "undo").await.0, 200);
    stand.cut_when(&cut, |c| c["bed"]["hash"] == faster["bed"]["hash"]).await;
    let (status, told) = stand.say(&cut, "bed", json!({ "do": "tempo", "sound": faster["bed"]["hash"], "fasterPercent": 80.0 })).await;
    assert!(status == 422 && told["detail"].as_str().unwrap().contains("30 %"), "{told}");
    browser.close().await.unwrap();
}
