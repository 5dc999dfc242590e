//! Revisions: nothing is overwritten silently, undo goes back, and what is heard is what is delivered.

use super::files::{FILES, Stand, fitted};
use jaunty_core::sound::Source;
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn changes_are_revisions_that_can_be_undone_and_never_collide() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("History", "45").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    assert_eq!(stand.send("POST", &path("/plan/undo"), Some(json!({ "revision": 1 }))).await.0, 409, "nothing before the first");
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    let first = stand.cut_when(&cut, fitted).await;
    assert_eq!(first["plan"]["revision"], 3, "made, brought in, used");

    // A new length is a new revision; the old one can be had back with its length.
    let longer = json!({ "title": "History", "length": "60", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    stand.send("PATCH", &path(""), Some(longer)).await;
    let second = stand.cut_when(&cut, |c| fitted(c) && c["plan"]["revision"] == 4).await;
    assert_eq!(second["plan"]["lengthSamples"], 60 * 48_000);

    // Two windows: the one that saw revision 3 is told, and nothing changes.
    let (status, problem) = stand.send("PUT", &path("/plan/fitting"), Some(json!({ "revision": 3, "index": 0 }))).await;
    assert_eq!((status, problem["code"].as_str()), (409, Some("stale")));

    let (status, undone) = stand.send("POST", &path("/plan/undo"), Some(json!({ "revision": 4 }))).await;
    assert_eq!((status, &undone["plan"]["revision"], &undone["lengthFrames"]), (200, &json!(3), &json!(1125)));
    let (_, redone) = stand.send("POST", &path("/plan/redo"), Some(json!({ "revision": 3 }))).await;
    assert_eq!((&redone["plan"]["revision"], &redone["lengthFrames"]), (&json!(4), &json!(1500)));

    // The same content is stored once.
    let other = stand.make_cut("Another", "30").await;
    stand.upload(&other, "candidates", &FILES.path("loop.wav"), "same sound, other name.wav").await;
    stand.cut_when(&other, fitted).await;
    assert_eq!(std::fs::read_dir(stand.data.path().join("objects/sounds")).unwrap().count(), 1);

    // What is heard is what is delivered: a range equals the same samples of the mix.
    let get = async |rest: &str| reqwest::get(stand.server.url(&path(rest))).await.unwrap().bytes().await.unwrap();
    let mix = FILES.with("history-mix.wav", &get("/revisions/4/mix.wav").await);
    let range = FILES.with("history-range.wav", &get("/revisions/4/sound?fromSamples=480000&lengthSamples=96000&hear=everything").await);
    let (mix, range) = (jaunty_media::decode_to_sound(&mix).unwrap(), jaunty_media::decode_to_sound(&range).unwrap());
    assert_eq!((mix.len_samples(), range.len_samples()), (60 * 48_000, 96_000));
    for channel in 0..2 {
        assert!(mix.channels()[channel][480_000..576_000] == range.channels()[channel][..]);
    }
    assert_eq!(stand.send("GET", &path("/revisions/4/sound?fromSamples=0&lengthSamples=99999999&hear=bed"), None).await.0, 422);
    assert_eq!(stand.send("GET", &path("/revisions/9/sound?fromSamples=0&lengthSamples=9&hear=bed"), None).await.0, 404);
}
