//! Revisions: nothing is overwritten silently, undo goes back, and what is heard is what is delivered.

use super::files::{FILES, Stand, fitted, idle};
use jaunty_core::sound::Source;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn changes_are_revisions_that_can_be_undone_and_never_collide() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("History", "45").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    assert_eq!(stand.send("POST", &path("/plan/undo"), Some(json!({ "revision": 1 }))).await.0, 409, "nothing before the first");
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    let first = stand.cut_when(&cut, fitted).await;
    assert_eq!(first["plan"]["revision"], 4, "made, brought in, used, planned");

    // A new length is a new revision; the old one can be had back with its length.
    let longer = json!({ "title": "History", "length": "60", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    stand.change("PATCH", &cut, "", longer).await;
    let second = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["revision"] == 6).await;
    assert_eq!(second["plan"]["lengthSamples"], 60 * 48_000);

    // Two windows: the one that saw revision 4 is told, and nothing changes.
    let (status, problem) = stand.send("PUT", &path("/plan/fitting"), Some(json!({ "revision": 4, "index": 0 }))).await;
    assert_eq!((status, problem["code"].as_str()), (409, Some("stale")));

    let (status, undone) = stand.send("POST", &path("/plan/undo"), Some(json!({ "revision": 6 }))).await;
    assert_eq!((status, &undone["plan"]["revision"], &undone["lengthFrames"]), (200, &json!(4), &json!(1125)));
    let (_, redone) = stand.send("POST", &path("/plan/redo"), Some(json!({ "revision": 4 }))).await;
    assert_eq!((&redone["plan"]["revision"], &redone["lengthFrames"]), (&json!(6), &json!(1500)));

    // The same content is stored once.
    let other = stand.make_cut("Another", "30").await;
    stand.upload(&other, "candidates", &FILES.path("loop.wav"), "same sound, other name.wav").await;
    stand.cut_when(&other, fitted).await;
    assert_eq!(std::fs::read_dir(stand.data.path().join("objects/sounds")).unwrap().count(), 1);

    // What is heard is what is delivered: a range equals the same samples of the mix.
    let get = async |rest: &str| stand.bytes(&path(rest)).await;
    let mix = FILES.with("history-mix.wav", &get("/revisions/6/mix.wav").await);
    let range = FILES.with("history-range.wav", &get("/revisions/6/sound?fromSamples=480000&lengthSamples=96000&hear=everything").await);
    let (mix, range) = (jaunty_media::decode_to_sound(&mix).unwrap(), jaunty_media::decode_to_sound(&range).unwrap());
    assert_eq!((mix.len_samples(), range.len_samples()), (60 * 48_000, 96_000));
    for channel in 0..2 {
        assert!(mix.channels()[channel][480_000..576_000] == range.channels()[channel][..]);
    }
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

/// The next thing to do, as (method, what follows the cut's address, body without its revision).
fn next_step(kind: usize, turn: u64, view: &Value) -> (&'static str, String, Value) {
    let pal = json!({ "num": 25, "den": 1, "dropFrame": false });
    let line = |bar: u64| view["bed"]["reading"]["barLinesS"][bar as usize].as_f64().unwrap();
    let length = |seconds: u64| json!({ "title": view["title"], "length": seconds.to_string(), "rate": pal });
    let mut shape = view["plan"]["shape"].clone();
    shape["underSpeechDb"] = json!(18 + turn % 9);
    let bar = 4 + turn % 20;
    match kind {
        0 => ("PATCH", String::new(), json!({ "title": format!("Take {turn}"), "length": view["lengthTimecode"], "rate": pal })),
        1 => ("PATCH", String::new(), length(50 + turn % 23)),
        2 => ("PUT", "/shape".into(), json!({ "shape": shape })),
        3 => ("POST", "/fit/wishes".into(), json!({ "wish": { "what": "leaveOut", "startS": line(bar), "endS": line(bar + 4) } })),
        4 => ("POST", "/fit/wishes".into(), json!({ "wish": { "what": "pin", "bedS": line(bar), "cutS": line(bar) + 0.1 } })),
        5 => ("PUT", "/plan/fitting".into(), json!({ "index": turn as usize % view["plan"]["fittings"].as_array().unwrap().len() })),
        6 => ("PUT", format!("/plan/levels/{}", 1 + turn % 3), json!({ "underSpeechDb": 19.5 })),
        7 => ("POST", "/picture/marks".into(), json!({ "edit": { "do": "beginShot", "frame": 100 + 37 * (turn % 20), "name": format!("shot {turn}") } })),
        8 => ("POST", "/picture/marks".into(), json!({ "edit": { "do": "markMoment", "frame": 90 + 41 * (turn % 20), "kind": "hit", "name": "bell" } })),
        9 => ("PUT", "/lines".into(), json!({ "lines": [{ "atS": 2.0, "words": format!("line {turn}") }] })),
        10 => ("POST", "/bed/corrections".into(), json!({ "said": { "what": "nudge", "ms": turn % 20 } })),
        11 => ("POST", "/plan/emphasis".into(), json!({ "phrase": turn % 2 })),
        12 => ("POST", "/plan/sweeps".into(), json!({ "startS": 20.0, "endS": 24.0, "byDb": -4.0 })),
        13 => ("PATCH", format!("/candidates/{}", view["bed"]["hash"].as_str().unwrap()), json!({ "note": format!("note {turn}") })),
        14 => ("POST", "/voice/edit".into(), json!({ "edit": { "do": "moveAfter", "atS": 12.0, "byS": 0.5 } })),
        _ => ("POST", "/voice/edit".into(), json!({ "edit": { "do": "joinNext", "phrase": 1 } })),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_is_done_can_be_undone_step_by_step_and_done_again() {
    const KINDS: usize = 16;
    let stand = Stand::new(&[]).await;
    let (cut, first) = stand.with_bed_and_voice("History", "60").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    let mut states = vec![first];
    // Every kind once, in an order of its own, then some once more.
    for turn in 0..KINDS + 6 {
        let view = states.last().unwrap();
        let (method, rest, mut body) = next_step((turn * 7 + 3) % KINDS, turn as u64, view);
        let revision = view["plan"]["revision"].clone();
        body["revision"] = revision.clone();
        let (status, answer) = stand.send(method, &path(&rest), Some(body.clone())).await;
        assert_eq!(status, 200, "{method} {rest} {body}: {answer}");
        let view = stand.cut_when(&cut, |c| c["plan"]["revision"] != revision && idle(c)).await;
        assert_eq!(view["plan"]["parent"], revision, "{method} {rest}: one step, one revision");
        assert!(view["plan"]["undo"].as_str().is_some_and(|what| what.len() > 4), "{method} {rest} says what it did");
        states.push(view);
    }
    let go = async |way: &str, from: &Value, to: &Value| {
        let (status, view) = stand.send("POST", &path(way), Some(json!({ "revision": from["plan"]["revision"] }))).await;
        assert_eq!(status, 200, "{way}: {view}");
        let (now, then) = (shown(&view), shown(to));
        for (name, value) in then.as_object().unwrap() {
            assert!(now[name] == *value, "{way} from \"{}\": {name} is {} and was {value}", from["plan"]["what"], now[name]);
        }
    };
    for pair in states.windows(2).rev() {
        go("/plan/undo", &pair[1], &pair[0]).await;
    }
    for pair in states.windows(2) {
        go("/plan/redo", &pair[0], &pair[1]).await;
    }
    assert_eq!(states.last().unwrap()["title"], stand.send("GET", &path(""), None).await.1["title"]);
}
