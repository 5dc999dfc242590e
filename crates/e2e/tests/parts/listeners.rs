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
