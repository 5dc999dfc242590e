//! Revisions: nothing is overwritten silently, undo goes back, and what is heard is what is delivered.

use super::files::{FILES, Stand, fitted, idle};
use jaunty_core::sound::Source;
use jaunty_core::units::samples_from_seconds;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn changes_are_revisions_that_can_be_undone_and_never_collide() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("History", "45").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    assert_eq!(stand.go(&cut, "undo").await.0, 409, "nothing before the first");
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    let first = stand.cut_when(&cut, fitted).await;
    assert_eq!(first["plan"]["revision"], 4, "made, brought in, used, planned");

    // A new length is a new revision; the old one can be had back with its length.
    let longer = json!({ "do": "describe", "title": "History", "length": "60", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    stand.say(&cut, "cut", longer).await;
    let second = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["revision"] == 6).await;
    assert_eq!(second["plan"]["lengthSamples"], 60 * 48_000);

    // Two windows: the one that saw revision 4 is told, and nothing changes.
    let (status, problem) = stand.say_at(&cut, &json!(4), "fit", json!({ "do": "choose", "fitting": 0 })).await;
    assert_eq!((status, problem["code"].as_str()), (409, Some("stale")));

    let (status, undone) = stand.then(&cut, "undo", json!({ "revision": 6 })).await;
    assert_eq!((status, &undone["plan"]["revision"], &undone["lengthFrames"]), (200, &json!(4), &json!(1125)));
    let (_, redone) = stand.then(&cut, "redo", json!({ "revision": 4 })).await;
    assert_eq!((&redone["plan"]["revision"], &redone["lengthFrames"]), (&json!(6), &json!(1500)));

    // The same content is stored once.
    let other = stand.make_cut("Another", "30").await;
    stand.upload(&other, "candidates", &FILES.path("loop.wav"), "same sound, other name.wav").await;
    stand.cut_when(&other, fitted).await;
    assert_eq!(std::fs::read_dir(stand.data.path().join("objects/sounds")).unwrap().count(), 1);

    // What is heard is what is delivered: a range equals the same samples of the mix.
    let get = async |rest: &str| stand.bytes(&path(rest)).await;
    let mix = FILES.with("history-mix.wav", &stand.mix(&cut, &serde_json::json!(6)).await);
    let mix = jaunty_media::decode_to_sound(&mix).unwrap();
    assert_eq!(mix.len_samples(), 60 * 48_000);
    // Twice: rendered, and as it is kept; over two stretches that are kept, to the end of the cut, and beyond it.
    for (from, length, given) in
        [(480_000, 96_000, 96_000), (470_001, 500_000, 500_000), (470_001, 500_000, 500_000), (2_800_000, 240_000, 80_000), (2_880_000, 9, 0), (7, 0, 0)]
    {
        let bytes = get(&format!("/revisions/6/sound?fromSamples={from}&lengthSamples={length}&hear=everything")).await;
        if given == 0 {
            assert!(bytes.len() < 200, "{from}: {} bytes of nothing", bytes.len());
            continue;
        }
        let range = jaunty_media::decode_to_sound(&FILES.with("history-range.wav", &bytes)).unwrap();
        assert_eq!(range.len_samples(), given, "{from}");
        for channel in 0..2 {
            assert!(mix.channels()[channel][from..from + given as usize] == range.channels()[channel][..], "{from}");
        }
    }
    let far = format!("/revisions/6/sound?fromSamples={}&lengthSamples=9&hear=everything", u64::MAX);
    assert!(get(&far).await.len() < 200);
    assert_eq!(stand.send("GET", &path("/revisions/6/sound?fromSamples=0&lengthSamples=99999999&hear=bed"), None).await.0, 422);
    assert_eq!(stand.send("GET", &path("/revisions/9/sound?fromSamples=0&lengthSamples=9&hear=bed"), None).await.0, 404);
}

/// What a view shows of a state: all but what is computed beside it and what tells the way on.
fn shown(view: &Value) -> Value {
    let mut view = view.clone();
    for passing in ["asOf", "jobs"] {
        view.as_object_mut().unwrap().remove(passing);
    }
    view["plan"].as_object_mut().unwrap().remove("redo");
    for candidate in view["candidates"].as_array_mut().unwrap() {
        candidate.as_object_mut().unwrap().remove("fit");
    }
    view
}

/// The next thing to say: what it is about, and what.
fn next_step(kind: usize, turn: u64, view: &Value) -> (&'static str, Value) {
    let pal = json!({ "num": 25, "den": 1, "dropFrame": false });
    let line = |bar: u64| samples_from_seconds(view["bed"]["reading"]["barLinesS"][bar as usize].as_f64().unwrap());
    let describe = |title: &str, length: &str| json!({ "do": "describe", "title": title, "length": length, "rate": pal });
    let (title, length) = (view["title"].as_str().unwrap(), view["lengthTimecode"].as_str().unwrap());
    let phrase = |k: u64| {
        let one = &view["plan"]["phrases"][k as usize];
        samples_from_seconds((one["startS"].as_f64().unwrap() + one["endS"].as_f64().unwrap()) / 2.0)
    };
    let bar = 4 + turn % 20;
    match kind {
        0 => ("cut", describe(&format!("Take {turn}"), length)),
        1 => ("cut", describe(title, &(50 + turn % 23).to_string())),
        2 => ("levels", json!({ "do": "figure", "figure": "underSpeechDb", "value": 18 + turn % 9 })),
        3 => ("fit", json!({ "do": "wish", "wish": { "what": "leaveOut", "startSamples": line(bar), "endSamples": line(bar + 4) } })),
        4 => ("fit", json!({ "do": "wish", "wish": { "what": "pin", "bedSamples": line(bar), "cutSamples": line(bar) + 4800 } })),
        5 => ("fit", json!({ "do": "choose", "fitting": turn as usize % view["plan"]["fittings"].as_array().unwrap().len() })),
        6 => ("levels", json!({ "do": "set", "levels": [view["plan"]["levels"][turn as usize % 3]["name"]], "change": { "underSpeechDb": 19.5 } })),
        7 => ("picture", json!({ "do": "beginShot", "frame": 100 + 37 * (turn % 20), "name": format!("shot {turn}") })),
        8 => ("picture", json!({ "do": "markMoment", "frame": 90 + 41 * (turn % 20), "kind": "hit", "name": "bell" })),
        9 => ("voice", json!({ "do": "lines", "lines": [{ "startSamples": 96_000, "words": format!("line {turn}") }] })),
        10 => ("reading", json!({ "do": "correct", "correction": { "what": "nudge", "samples": 48 * (1 + turn % 20) } })),
        11 => ("levels", json!({ "do": "emphasise", "phrase": phrase(turn % 2) })),
        12 => ("levels", json!({ "do": "sweep", "startSamples": 960_000, "endSamples": 1_152_000, "byDb": -4.0 })),
        13 => ("bed", json!({ "do": "candidate", "sound": view["bed"]["hash"], "note": format!("note {turn}") })),
        14 => ("voice", json!({ "do": "moveAfter", "atSamples": 576_000, "bySamples": 24_000 })),
        _ => ("voice", json!({ "do": "joinNext", "phrase": phrase(1) })),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_is_done_can_be_undone_step_by_step_and_done_again() {
    const KINDS: usize = 16;
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed_and_voice("History", "60").await;
    let mut states = vec![first];
    // Every kind once, in an order of its own, then some once more.
    for turn in 0..KINDS + 6 {
        let view = states.last().unwrap();
        let (about, what) = next_step((turn * 7 + 3) % KINDS, turn as u64, view);
        let revision = view["plan"]["revision"].clone();
        let (status, answer) = stand.say_at(&cut, &revision, about, what.clone()).await;
        assert_eq!(status, 200, "{about} {what}: {answer}");
        let view = stand.cut_when(&cut, |c| c["plan"]["revision"] != revision && idle(c)).await;
        assert_eq!(view["plan"]["parent"], revision, "{about} {what}: one step, one revision");
        assert!(view["plan"]["undo"]["code"].as_str().is_some_and(|done| done.contains('.')), "{about} {what} says what it did");
        states.push(view);
    }
    let go = async |way: &str, from: &Value, to: &Value| {
        let (status, view) = stand.then(&cut, way, json!({ "revision": from["plan"]["revision"] })).await;
        assert_eq!(status, 200, "{way}: {view}");
        let (now, then) = (shown(&view), shown(to));
        for (name, value) in then.as_object().unwrap() {
            assert!(now[name] == *value, "{way} from \"{}\": {name} is {} and was {value}", from["plan"]["what"], now[name]);
        }
    };
    for pair in states.windows(2).rev() {
        go("undo", &pair[1], &pair[0]).await;
    }
    for pair in states.windows(2) {
        go("redo", &pair[0], &pair[1]).await;
    }
    assert_eq!(states.last().unwrap()["title"], stand.cut(&cut).await["title"]);
}
