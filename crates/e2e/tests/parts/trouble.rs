//! Trouble that is nobody's fault: a database that is away, a disk that is full, a length that is absurd.

use super::files::{FILES, Stand, bring_in, fitted};
use jaunty_e2e::{Browser, eventually};
use serde_json::json;
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn what_is_said_while_the_database_is_away_is_sent_when_it_is_back() {
    let stand = Stand::with_own_database(&[]).await;
    let browser = Browser::start_in(&stand.server).await.expect("Chromium is installed by ./test");
    let client = browser.client();
    client.goto(&stand.server.url("/")).await.unwrap();
    browser.find("title-input").await.unwrap().send_keys("Away").await.unwrap();
    browser.find("length-input").await.unwrap().send_keys("60").await.unwrap();
    browser.find("submit-cut").await.unwrap().click().await.unwrap();
    bring_in(&browser).await;
    let cut = client.current_url().await.unwrap().path_segments().unwrap().nth(1).unwrap().to_owned();
    let before = stand.cut_when(&cut, fitted).await;
    browser.find("step-shape").await.unwrap().click().await.unwrap();
    browser.find("hairpin").await.unwrap();

    stand.database.kill().unwrap();
    let (status, problem) = stand.send("GET", &format!("/api/cuts/{cut}"), None).await;
    assert_eq!((status, problem["code"].as_str()), (503, Some("unavailable")));
    // The page is asked to undo, and says that it keeps that in mind.
    browser.find("undo").await.unwrap().click().await.unwrap();
    browser.find("away").await.unwrap();
    stand.database.resume().await.unwrap();
    let parent = before["plan"]["parent"].clone();
    let undone = eventually(Duration::from_secs(30), async || {
        Some(stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1).filter(|v| v["plan"]["parent"].is_number() && v["plan"]["parent"] != parent)
    })
    .await;
    assert!(undone.is_some(), "what was said arrives");
    let gone = eventually(Duration::from_secs(10), async || (browser.count("away").await.ok()? == 0).then_some(())).await;
    assert!(gone.is_some(), "and the page says no more that the database is away");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_full_disk_is_told_and_takes_nothing_off_the_cut() {
    let stand = Stand::new(&[]).await;
    let cut = stand.make_cut("Full", "40").await;
    stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    let before = stand.cut_when(&cut, fitted).await;
    // As if half of all numbers of bytes had to stay free.
    let full = jaunty_e2e::Server::start(&stand.database, stand.data.path(), &["--workers", "0", "--leave-free-bytes", "9000000000000000000"]).await.unwrap();
    let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(vec![7; 1000]).file_name("more.wav"));
    let answer = stand.server.client().post(full.url(&format!("/api/cuts/{cut}/candidates"))).multipart(form).send().await.unwrap();
    assert_eq!(answer.status().as_u16(), 507);
    let problem: serde_json::Value = answer.json().await.unwrap();
    assert_eq!(problem["code"], "no-room");
    let after = stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1;
    assert_eq!((&after["candidates"], &after["plan"]["revision"]), (&before["candidates"], &before["plan"]["revision"]));
}

#[tokio::test(flavor = "multi_thread")]
async fn absurd_lengths_are_refused_wherever_they_come_in() {
    let stand = Stand::new(&[]).await;
    let (cut, _) = stand.with_bed("Long", "30").await;
    let path = |rest: &str| format!("/api/cuts/{cut}{rest}");
    // 120 h and 12 h and a frame at 25 frames a second, and numbers that nothing may be multiplied with.
    for frames in [0u64, 120 * 3600 * 25, 12 * 3600 * 25 + 1, u64::MAX] {
        assert_eq!(stand.say(&cut, "fit", json!({ "do": "length", "frames": frames })).await.0, 422, "{frames}");
        assert_eq!(stand.say(&cut, "fit", json!({ "do": "holdStills", "frames": frames })).await.0, 422, "{frames}");
        assert_eq!(stand.send("GET", &path(&format!("/fit/at?lengthFrames={frames}")), None).await.0, 422, "{frames}");
    }
    let ask = |length: &str| json!({ "title": "Long", "length": length, "rate": { "num": 25, "den": 1, "dropFrame": false } });
    assert_eq!(stand.send("POST", "/api/cuts", Some(ask("120:00:00:00"))).await.0, 422);
    let mut longer = ask("43201");
    longer["do"] = json!("describe");
    assert_eq!(stand.say(&cut, "cut", longer).await.0, 422);
    // An edit list of 23 hours.
    let list = "TITLE: A\nFCM: NON-DROP FRAME\n001  AX  V  C  00:00:00:00 23:00:00:00 00:00:00:00 23:00:00:00\n";
    let list = FILES.with("long.edl", list.as_bytes());
    for place in ["/api/cuts/from-list?num=25&den=1".to_owned(), path("/picture/list")] {
        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(std::fs::read(&list).unwrap()).file_name("long.edl"));
        let answer = stand.server.client().post(stand.server.url(&place)).multipart(form).send().await.unwrap();
        let (status, told) = (answer.status().as_u16(), answer.text().await.unwrap());
        assert_eq!(status, 422, "{place}: {told}");
        assert!(told.contains("12 hours"), "{told}");
    }
    // Twelve hours are a cut, planned and spoken without a vector of its length.
    let (status, long) = stand.send("POST", "/api/cuts", Some(ask("12:00:00:00"))).await;
    assert_eq!(status, 200);
    let long = long["id"].as_str().unwrap();
    let lines = json!([{ "startSamples": 96_000, "words": "At the start." }, { "startSamples": 1800 * 48_000, "words": "Half an hour on." }]);
    assert_eq!(stand.say(long, "voice", json!({ "do": "lines", "lines": lines })).await.0, 200);
    assert_eq!(stand.say(long, "voice", json!({ "do": "speak" })).await.0, 200);
    let spoken =
        stand.cut_when(long, |c| c["pieces"].as_array().is_some_and(|p| p.len() == 2) && c["plan"]["phrases"].as_array().is_some_and(|p| !p.is_empty())).await;
    assert_eq!(spoken["plan"]["lengthSamples"], 12 * 3600 * 48_000u64);
    for one in jaunty_e2e::watch::family(stand.server.pid()) {
        let most = if one.does == "serve" { 400 } else { 1200 };
        assert!(one.most_bytes >> 20 < most, "{one:?}");
    }
    // A picture of no frame of the film is none.
    stand.upload(&cut, "film", &FILES.path("film.webm"), "film.webm").await;
    let film = stand.cut_when(&cut, |c| c["film"]["hash"].is_string()).await["film"]["hash"].as_str().unwrap().to_owned();
    assert_eq!(stand.send("GET", &path(&format!("/film/{film}/250.jpg")), None).await.0, 404);
    assert!(stand.bytes(&path(&format!("/film/{film}/249.jpg"))).await.starts_with(b"\xff\xd8"));
}
