//! Whatever is brought in gets a clear answer, and nothing is lost.

use super::files::{FILES, Stand, fitted};
use serde_json::{Value, json};

fn failed(cut: &Value) -> bool {
    cut["jobs"].as_array().is_some_and(|jobs| jobs.iter().any(|j| j["state"] == "failed"))
}

#[tokio::test(flavor = "multi_thread")]
async fn files_that_are_no_use_say_why_and_leave_the_rest_alone() {
    let stand = Stand::new(&["--most-upload-bytes", "40000000"]).await;
    let cut = stand.make_cut("Bad files", "1:30").await;

    // A letter named .wav, and a file without bytes.
    let text = FILES.with("letter.wav", b"Dear editor, this is no sound.");
    assert_eq!(stand.upload(&cut, "candidates", &text, "letter.wav").await.0, 200);
    let told = stand.cut_when(&cut, failed).await["jobs"][0]["problem"].as_str().unwrap().to_owned();
    assert!(told.contains("no sound file") && told.contains("Use WAV"), "{told}");
    assert!(stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1["candidates"] == json!([]), "a file that is no sound is no candidate");
    let (status, problem) = stand.upload(&cut, "candidates", &FILES.with("empty.wav", b""), "empty.wav").await;
    assert_eq!((status, problem["code"].as_str()), (422, Some("bad-value")));
    assert!(problem["detail"].as_str().unwrap().contains("empty"));

    // A name with markup and folders is kept as text without the folders; half a file is used as far as it goes.
    let mut half = std::fs::read(FILES.path("loop.wav")).unwrap();
    half.truncate(half.len() / 2);
    let (status, view) = stand.upload(&cut, "candidates", &FILES.with("half.wav", &half), "../../<img src=x>.wav").await;
    assert_eq!(status, 200);
    assert_eq!(view["candidates"][0]["name"], "<img src=x>.wav");
    let view = stand.cut_when(&cut, fitted).await;
    assert_eq!(view["bed"]["damaged"], true);

    // The same letter once more: the bed that works stays.
    stand.upload(&cut, "candidates", &text, "letter.wav").await;
    let view = stand.cut_when(&cut, failed).await;
    assert_eq!((&view["bed"]["name"], view["candidates"].as_array().map(Vec::len)), (&json!("<img src=x>.wav"), Some(1)));
    let revision = view["plan"]["revision"].as_u64();

    // Over the limit: refused whole, the bed before stays.
    let (status, problem) = stand.upload(&cut, "candidates", &FILES.path("bed.wav"), "too large.wav").await;
    assert_eq!((status, problem["code"].as_str()), (413, Some("too-large")));
    let kept = stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1;
    assert_eq!((&kept["bed"]["name"], kept["plan"]["revision"].as_u64()), (&json!("<img src=x>.wav"), revision));
    assert!(std::fs::read_dir(stand.data.path().join("objects/incoming")).map_or(0, Iterator::count) == 0, "nothing half-uploaded is left");
}

#[tokio::test(flavor = "multi_thread")]
async fn cuts_that_make_no_sense_are_refused_and_a_tiny_bed_says_what_it_did() {
    let stand = Stand::new(&[]).await;
    let pal = json!({ "num": 25, "den": 1, "dropFrame": false });
    for body in [
        json!({ "title": "x", "length": "0", "rate": pal }),
        json!({ "title": "x", "length": "two minutes", "rate": pal }),
        json!({ "title": "  ", "length": "1:00", "rate": pal }),
        json!({ "title": "x", "length": "1:00", "rate": { "num": 25, "den": 1, "dropFrame": true } }),
        json!({ "title": "x", "length": "1:00", "rate": { "num": 0, "den": 0, "dropFrame": false } }),
    ] {
        let (status, problem) = stand.send("POST", "/api/cuts", Some(body)).await;
        assert_eq!((status, problem["code"].as_str()), (422, Some("bad-value")), "{problem}");
    }
    assert_eq!(stand.send("POST", "/api/cuts", Some(json!({ "title": 3 }))).await.0, 400);
    assert_eq!(stand.send("GET", "/api/cuts/nonsense", None).await.0, 404);
    assert_eq!(stand.send("GET", "/api/nowhere", None).await.0, 404);
    assert_eq!(stand.send("GET", "/api/cuts/00000000-0000-0000-0000-000000000000", None).await.0, 404);

    // Two seconds of a bed for a cut of ninety.
    let cut = stand.make_cut("Tiny bed", "90").await;
    let mut tiny = std::fs::read(FILES.path("loop.wav")).unwrap();
    tiny.truncate(44 + 2 * 48_000 * 6);
    stand.upload(&cut, "candidates", &FILES.with("tiny.wav", &tiny), "tiny.wav").await;
    let view = stand.cut_when(&cut, fitted).await;
    assert_eq!(view["plan"]["fittings"][0]["notes"][0]["code"], "fitting.once.silent", "{}", view["plan"]["fittings"]);
    assert!(view["plan"]["findings"].as_array().unwrap().iter().any(|f| f["needsLook"] == true));
    assert_eq!(view["plan"]["lengthSamples"], 90 * 48_000);
}
