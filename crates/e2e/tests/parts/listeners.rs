//! Many listeners at once, each as the page listens: chunks of the mix at the pace at which they are heard.

use super::files::Stand;
use jaunty_e2e::eventually;
use jaunty_e2e::watch::family;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// What `web/src/features/listening/player.ts` does: half a second first, then up to six, fetched while
/// less than eight are scheduled.
const FIRST_S: f64 = 0.5;
const LONGEST_S: f64 = 6.0;
const AHEAD_S: f64 = 8.0;
/// The head of a WAV file of 24 bits, in the extensible form.
const HEAD_BYTES: usize = 68;

#[derive(Default)]
struct Heard {
    chunks: AtomicUsize,
    late: AtomicUsize,
    worst_ms: AtomicU64,
    first_ms: AtomicU64,
}

async fn listen(client: reqwest::Client, sound: String, from_s: f64, length_s: f64, lasts_s: f64, heard: Arc<Heard>) {
    let begun = Instant::now();
    // Where on the cut, and when by the clock the sound from there must be there; unknown until the first chunk is.
    let (mut at_s, mut due_s, mut longest_s) = (from_s, None::<f64>, FIRST_S);
    while begun.elapsed().as_secs_f64() < lasts_s {
        let chunk_s = longest_s.min(length_s - at_s);
        let url = format!("{sound}?fromSamples={}&lengthSamples={}&hear=everything", (at_s * 48_000.0) as u64, (chunk_s * 48_000.0) as u64);
        let answer = client.get(url).send().await.expect("the server answers");
        assert_eq!(answer.status(), 200);
        let bytes = answer.bytes().await.expect("a chunk");
        assert_eq!(bytes.len(), HEAD_BYTES + (chunk_s * 48_000.0) as usize * 6);
        let now_s = begun.elapsed().as_secs_f64();
        heard.chunks.fetch_add(1, Ordering::Relaxed);
        match due_s {
            None => {
                heard.first_ms.fetch_max((now_s * 1000.0) as u64, Ordering::Relaxed);
                due_s = Some(now_s + chunk_s);
            }
            Some(due) => {
                if now_s > due {
                    heard.late.fetch_add(1, Ordering::Relaxed);
                    heard.worst_ms.fetch_max(((now_s - due) * 1000.0) as u64, Ordering::Relaxed);
                }
                due_s = Some(due.max(now_s) + chunk_s);
            }
        }
        at_s += chunk_s;
        longest_s = (2.0 * longest_s).min(LONGEST_S);
        if at_s >= length_s - 0.01 {
            (at_s, longest_s) = (0.0, FIRST_S);
        }
        let ahead_s = due_s.unwrap_or(now_s) - begun.elapsed().as_secs_f64();
        if ahead_s > AHEAD_S {
            tokio::time::sleep(Duration::from_secs_f64(ahead_s - AHEAD_S)).await;
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "wants a quiet machine: cargo test -p jaunty-e2e listeners -- --ignored --nocapture"]
async fn fifty_listeners_who_start_at_once_hear_no_late_chunk() {
    const LASTS_S: f64 = 60.0;
    let stand = Stand::alone(&["--demo", "--most-requests-per-second", "1000"]).await;
    let (_, cuts) = stand.send("GET", "/api/cuts", None).await;
    let path = format!("/api/cuts/{}", cuts["cuts"][0]["id"].as_str().unwrap());
    let ready = |v: &serde_json::Value| v["jobs"].as_array().is_some_and(Vec::is_empty) && v["plan"]["fittings"].as_array().is_some_and(|f| !f.is_empty());
    let view = eventually(Duration::from_secs(240), async || Some(stand.send("GET", &path, None).await.1).filter(ready)).await.expect("the demo is ready");
    let length_s = view["lengthS"].as_f64().unwrap();
    let sound = stand.server.url(&format!("{path}/revisions/{}/sound", view["plan"]["revision"]));
    for listeners in [5, 20, 50] {
        let heard = Arc::new(Heard::default());
        let all = (0..listeners).map(|k| {
            // Each with a connection of its own, somewhere else on the cut.
            let from_s = length_s * k as f64 / listeners as f64;
            tokio::spawn(listen(stand.server.client(), sound.clone(), from_s, length_s, LASTS_S, heard.clone()))
        });
        for one in all.collect::<Vec<_>>() {
            one.await.unwrap();
        }
        let value = |v: &AtomicU64| v.load(Ordering::Relaxed);
        let server = family(stand.server.pid()).into_iter().find(|s| s.does == "serve").unwrap();
        let late = heard.late.load(Ordering::Relaxed);
        println!(
            "{listeners} listeners: {} chunks, {late} late, worst by {} ms, slowest first chunk {} ms, server at most {} MiB",
            heard.chunks.load(Ordering::Relaxed),
            value(&heard.worst_ms),
            value(&heard.first_ms),
            server.most_bytes >> 20
        );
        assert_eq!(late, 0);
    }
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "wants a quiet machine: cargo test -p jaunty-e2e crowd -- --ignored --nocapture"]
async fn a_crowd_of_fifty_listeners_and_ten_editors_is_served_in_time() {
    const LASTS_S: f64 = 60.0;
    let stand = Stand::alone(&["--demo", "--most-requests-per-second", "1000"]).await;
    let (_, cuts) = stand.send("GET", "/api/cuts", None).await;
    let first = format!("/api/cuts/{}", cuts["cuts"][0]["id"].as_str().unwrap());
    let ready = |v: &serde_json::Value| v["jobs"].as_array().is_some_and(Vec::is_empty) && v["plan"]["fittings"].as_array().is_some_and(|f| !f.is_empty());
    let view = eventually(Duration::from_secs(240), async || Some(stand.send("GET", &first, None).await.1).filter(ready)).await.expect("the demo is ready");
    let length_s = view["lengthS"].as_f64().unwrap();
    // Each editor has a cut of their own, as a copy.
    let mut edited = Vec::new();
    for _ in 0..10 {
        let id = stand.send("POST", &format!("{first}/copy"), None).await.1["id"].as_str().unwrap().to_owned();
        edited.push(id);
    }
    for id in &edited {
        let path = format!("/api/cuts/{id}");
        eventually(Duration::from_secs(120), async || Some(stand.send("GET", &path, None).await.1).filter(ready)).await.expect("a copy is ready");
    }
    let heard = Arc::new(Heard::default());
    let sound = stand.server.url(&format!("{first}/revisions/{}/sound", view["plan"]["revision"]));
    let listeners =
        (0..50).map(|k| tokio::spawn(listen(stand.server.client(), sound.clone(), length_s * f64::from(k) / 50.0, length_s, LASTS_S, heard.clone())));
    let listeners: Vec<_> = listeners.collect();
    let editors = edited.iter().map(|id| {
        let (client, path) = (stand.server.client(), stand.server.url(&format!("/api/cuts/{id}")));
        tokio::spawn(async move {
            let (begun, mut took_ms) = (Instant::now(), Vec::new());
            let mut turn = 0u32;
            while begun.elapsed().as_secs_f64() < LASTS_S {
                let now: serde_json::Value = client.get(&path).send().await.unwrap().json().await.unwrap();
                let change = serde_json::json!({ "about": "levels", "do": "figure", "figure": "underSpeechDb", "value": 16 + turn % 8 });
                let asked = Instant::now();
                let said = serde_json::json!({ "revision": now["plan"]["revision"], "change": change });
                let answer = client.post(format!("{path}/changes")).json(&said).send().await.unwrap();
                assert_eq!(answer.status(), 200);
                took_ms.push(asked.elapsed().as_millis() as u64);
                turn += 1;
                // A hand that drags says something four times a second.
                tokio::time::sleep(Duration::from_millis(250)).await;
            }
            took_ms
        })
    });
    let editors: Vec<_> = editors.collect();
    let mut took_ms = Vec::new();
    for one in editors {
        took_ms.extend(one.await.unwrap());
    }
    for one in listeners {
        one.await.unwrap();
    }
    took_ms.sort_unstable();
    let late = heard.late.load(Ordering::Relaxed);
    println!(
        "50 listeners and 10 editors: {} chunks, {late} late, worst by {} ms; {} edits, median {} ms, 95th percentile {} ms",
        heard.chunks.load(Ordering::Relaxed),
        heard.worst_ms.load(Ordering::Relaxed),
        took_ms.len(),
        took_ms[took_ms.len() / 2],
        took_ms[took_ms.len() * 95 / 100]
    );
    assert_eq!(late, 0);
    assert!(took_ms[took_ms.len() * 95 / 100] < 300);
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "takes 2 GB of disk: cargo test -p jaunty-e2e twenty_uploads -- --ignored --nocapture"]
async fn twenty_uploads_at_once_take_no_memory_each() {
    const BYTES: usize = 100 << 20;
    let stand = Stand::alone(&["--workers", "0"]).await;
    let cut = stand.make_cut("Uploads", "40").await;
    let begun = Instant::now();
    let uploads = (0..20u8).map(|k| {
        let (client, url) = (stand.server.client(), stand.server.url(&format!("/api/cuts/{cut}/candidates")));
        tokio::spawn(async move {
            // Streamed, so that this test does not hold them either; each has bytes of its own.
            let block = bytes::Bytes::from(vec![k; 1 << 20]);
            let chunks = futures_util::stream::iter((0..BYTES >> 20).map(move |_| Ok::<_, std::io::Error>(block.clone())));
            let part = reqwest::multipart::Part::stream_with_length(reqwest::Body::wrap_stream(chunks), BYTES as u64).file_name(format!("{k}.wav"));
            client.post(url).multipart(reqwest::multipart::Form::new().part("file", part)).send().await.unwrap().text().await.unwrap()
        })
    });
    let uploads: Vec<_> = uploads.collect();
    let mut answers = Vec::new();
    for one in uploads {
        answers.push(one.await.unwrap());
    }
    let server = family(stand.server.pid()).into_iter().find(|s| s.does == "serve").unwrap();
    println!("20 uploads of 100 MiB at once: {:.1} s, server at most {} MiB, {answers:?}", begun.elapsed().as_secs_f64(), server.most_bytes >> 20);
    assert!(answers.iter().all(|answer| answer.contains("revision")));
    assert!(server.most_bytes < 400 << 20);
}
