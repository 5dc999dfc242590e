//! Hostile files by the hundred, and everything that can be killed: the server goes on, within its
//! memory, and nothing that was answered is lost.

use super::files::{FILES, Stand, fitted};
use jaunty_e2e::hostile::{Hostiles, SentAs};
use jaunty_e2e::watch::family;
use jaunty_e2e::{Server, eventually, plain_client};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// Memory that a server may fill, and a process of its that works.
const MOST_SERVER_BYTES: u64 = 400 << 20;
const MOST_WORKER_BYTES: u64 = 1200 << 20;

/// Whether everything that was asked for is over; what failed is told until something newer has worked.
fn nothing_runs(view: &Value) -> bool {
    view["jobs"].as_array().is_some_and(|jobs| jobs.iter().all(|j| j["state"] == "failed"))
}

/// The most that each kind of process filled while it was watched.
struct Watch {
    peaks: Arc<Mutex<BTreeMap<String, u64>>>,
    over: Arc<AtomicBool>,
}

impl Watch {
    fn on(pid: u32) -> Self {
        let (peaks, over) = (Arc::new(Mutex::new(BTreeMap::new())), Arc::new(AtomicBool::new(false)));
        let (all, stop) = (peaks.clone(), over.clone());
        std::thread::spawn(move || {
            while !stop.load(Ordering::Relaxed) {
                for one in family(pid) {
                    let mut all = all.lock().unwrap();
                    let most = all.entry(one.does).or_insert(0);
                    *most = one.most_bytes.max(*most);
                }
                std::thread::sleep(Duration::from_millis(40));
            }
        });
        Self { peaks, over }
    }

    fn check(self) {
        self.over.store(true, Ordering::Relaxed);
        for (does, bytes) in self.peaks.lock().unwrap().iter() {
            let most = if does == "serve" { MOST_SERVER_BYTES } else { MOST_WORKER_BYTES };
            println!("{does}: at most {} MiB", bytes >> 20);
            assert!(*bytes <= most, "{does} took {} MiB", bytes >> 20);
        }
    }
}

async fn attack(files: usize, most: Duration) {
    /// A cut takes so many before the next one is made.
    const A_CUT: usize = 12;
    let seed = std::env::var("JAUNTY_SEED").ok().and_then(|s| s.parse().ok()).unwrap_or(20_261_128);
    let stand = Stand::new(&["--most-requests-per-second", "1000"]).await;
    let watch = Watch::on(stand.server.pid());
    let folder = TempDir::new().unwrap();
    let mut hostiles = Hostiles::new(seed, folder.path()).unwrap();
    let client = stand.server.client();
    let (mut outcomes, mut cuts, begun) = (BTreeMap::<(SentAs, u16), usize>::new(), Vec::new(), Instant::now());
    for number in 0..files {
        if begun.elapsed() > most {
            break;
        }
        if number % A_CUT == 0 {
            cuts.push(stand.make_cut("Under attack", "30").await);
        }
        let cut = cuts.last().unwrap();
        let file = hostiles.next_file();
        let place = match file.sent_as {
            SentAs::Sound => ["candidates", "takes", "ambiences"][number % 3],
            SentAs::Film => "film",
            SentAs::List => "picture/list",
            SentAs::Grid => "bed/grid",
        };
        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(file.bytes.clone()).file_name(file.name.clone()));
        let sent = client.post(stand.server.url(&format!("/api/cuts/{cut}/{place}"))).multipart(form).timeout(Duration::from_secs(100)).send();
        let answer = sent.await.unwrap_or_else(|cause| panic!("file {number} of seed {seed}, {} {}: {cause}", file.bent, file.name));
        let status = answer.status().as_u16();
        *outcomes.entry((file.sent_as, status)).or_default() += 1;
        let told = answer.text().await.unwrap_or_default();
        assert!(status < 500, "file {number} of seed {seed}, {} as {place}, {}: {status} {told}", file.bent, file.name);
        if file.sent_as == SentAs::Film && status == 200 {
            let view = stand.cut(cut).await;
            let film = view["film"]["hash"].as_str().unwrap();
            let played = client.get(stand.server.url(&format!("/api/cuts/{cut}/film/{film}"))).send().await.unwrap();
            let kind = played.headers()["content-type"].to_str().unwrap().to_owned();
            assert!(kind.starts_with("video/") || kind == "application/octet-stream", "{kind}");
            let still = client.get(stand.server.url(&format!("/api/cuts/{cut}/film/{film}/0.jpg"))).send().await.unwrap();
            assert!(still.status().as_u16() < 500, "{}", still.status());
        }
        if number % 10 == 0 {
            let asked = Instant::now();
            assert_eq!(client.get(stand.server.url("/api/health")).send().await.unwrap().status(), 204);
            assert!(asked.elapsed() < Duration::from_secs(30), "the server answers while it is attacked");
        }
    }
    // Whatever was taken in is worked to an end, and a good file still comes through.
    let mut jobs = BTreeMap::<&str, usize>::new();
    for cut in &cuts {
        let path = format!("/api/cuts/{cut}");
        let over = eventually(Duration::from_secs(120), async || Some(stand.send("GET", &path, None).await.1).filter(nothing_runs)).await;
        let Some(view) = over else { panic!("a job hangs: {}", stand.send("GET", &path, None).await.1["jobs"]) };
        for problem in view["jobs"].as_array().unwrap().iter().filter_map(|j| j["problem"].as_str()) {
            *jobs.entry("failed and still told").or_default() += 1;
            for jargon in ["core (", "symphonia", "panicked", "os error", "/tmp"] {
                assert!(!problem.contains(jargon), "{problem}");
            }
        }
        *jobs.entry("sounds that are used").or_default() += view["candidates"].as_array().map_or(0, Vec::len);
    }
    let good = stand.make_cut("After the attack", "40").await;
    stand.upload(&good, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
    stand.cut_when(&good, fitted).await;
    println!("{} files in {:.0} s: {outcomes:?}; {jobs:?}", outcomes.values().sum::<usize>(), begun.elapsed().as_secs_f64());
    let log = std::fs::read_to_string(stand.data.path().join("log")).unwrap_or_default();
    assert!(!log.contains("panicked"), "{log}");
    watch.check();
}

#[tokio::test(flavor = "multi_thread")]
async fn eighty_hostile_files_break_nothing() {
    attack(80, Duration::from_secs(3600)).await;
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "takes half an hour: JAUNTY_SEED=7 cargo test -p jaunty-e2e fifteen_hundred -- --ignored --nocapture"]
async fn fifteen_hundred_hostile_files_break_nothing() {
    attack(1500, Duration::from_secs(7200)).await;
}

/// What is killed in a round.
#[derive(Debug, Clone, Copy)]
enum Victim {
    Server,
    Worker,
    Database,
}

/// What goes on while it is.
#[derive(Debug, Clone, Copy)]
enum During {
    Upload,
    Reading,
    Save,
    Export,
}

/// What a round has exported: of each round another, so that each is made.
fn exported(round: usize) -> Value {
    json!({ "what": "mix", "sound": { "coding": "wav24", "rateHz": 48_000, "mono": false, "loudnessLufs": -20.0 - round as f64 / 4.0 } })
}

async fn kill_rounds(rounds: usize) {
    let mut stand = Stand::with_own_database(&["--workers", "1"]).await;
    let (cut, _) = stand.with_bed_and_voice("Killed", "60").await;
    let path = format!("/api/cuts/{cut}");
    let client = stand.server.client();
    // What was answered, and so must be there in the end.
    let mut title = String::from("Killed");
    for round in 0..rounds {
        let victim = [Victim::Server, Victim::Worker, Victim::Database][round % 3];
        let during = [During::Upload, During::Reading, During::Save, During::Export][round / 3 % 4];
        let view = stand.cut_when(&cut, nothing_runs).await;
        let revision = view["plan"]["revision"].clone();
        let wanted = format!("Round {round}");
        let work = {
            let (client, path) = (client.clone(), stand.server.url(&path));
            let (wanted, film) = (wanted.clone(), round);
            let bytes = std::fs::read(FILES.path("loop.wav")).unwrap();
            tokio::spawn(async move {
                match during {
                    During::Upload | During::Reading => {
                        // Other bytes each time, so that they are read anew.
                        let bytes = [bytes, film.to_le_bytes().to_vec()].concat();
                        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(bytes).file_name(format!("{wanted}.wav")));
                        client.post(format!("{path}/candidates")).multipart(form).send().await.is_ok_and(|a| a.status().is_success())
                    }
                    During::Save => {
                        let rate = json!({ "num": 25, "den": 1, "dropFrame": false });
                        let change = json!({ "about": "cut", "do": "describe", "title": wanted, "length": "60", "rate": rate });
                        client
                            .post(format!("{path}/changes"))
                            .json(&json!({ "revision": revision, "change": change }))
                            .send()
                            .await
                            .is_ok_and(|a| a.status().is_success())
                    }
                    During::Export => {
                        let asked = json!({ "revision": revision, "form": exported(film) });
                        client.post(format!("{path}/handed")).json(&asked).send().await.is_ok_and(|a| a.status().is_success())
                    }
                }
            })
        };
        // Somewhere in the middle of it, later from round to round.
        let after = if matches!(during, During::Reading) { 700 } else { 0 };
        tokio::time::sleep(Duration::from_millis(after + (round as u64 * 37) % 120)).await;
        match victim {
            Victim::Server => {
                let next = Server::start(&stand.database, stand.data.path(), &["--workers", "1"]).await.unwrap();
                std::mem::replace(&mut stand.server, next).kill().unwrap();
            }
            Victim::Worker => {
                for worker in family(stand.server.pid()).into_iter().filter(|s| s.does == "worker") {
                    std::process::Command::new("kill").args(["-9", &worker.pid.to_string()]).status().unwrap();
                }
            }
            Victim::Database => {
                stand.database.kill().unwrap();
                let asked = Instant::now();
                let away = client.get(stand.server.url("/api/health")).send().await.unwrap();
                assert_eq!((away.status().as_u16(), away.headers().contains_key("retry-after")), (503, true));
                // It gives up by itself, also where two cores have other things to do; it never hangs.
                assert!(asked.elapsed() < Duration::from_secs(60), "{:?}", asked.elapsed());
                stand.database.resume().await.unwrap();
            }
        }
        let answered = tokio::time::timeout(Duration::from_secs(60), work).await.expect("it answers, or breaks off").unwrap();
        let health = stand.server.url("/api/health");
        eventually(Duration::from_secs(20), async || plain_client().get(&health).send().await.ok().filter(|r| r.status() == 204)).await.expect("it is back");
        let over =
            eventually(Duration::from_secs(120), async || Some(stand.send("GET", &path, None).await.1).filter(|v| v["id"].is_string() && nothing_runs(v)))
                .await;
        let view = over.unwrap_or_else(|| panic!("round {round}: something is stuck"));
        let named = view["candidates"].as_array().unwrap().iter().filter(|c| c["name"] == format!("{wanted}.wav")).count();
        let (is_saved, is_there) = (view["title"] == wanted, named == 1);
        assert!(named <= 1, "round {round}: doubled");
        match during {
            During::Save => {
                assert!(is_saved || (!answered && view["title"] == title), "round {round}, {victim:?} during {during:?}: {} {answered}", view["title"]);
                title = view["title"].as_str().unwrap().to_owned();
            }
            During::Upload | During::Reading => {
                assert!(is_there || !answered, "round {round}, {victim:?} during {during:?}: an answered upload is lost");
                let read = view["candidates"].as_array().unwrap().iter().filter(|c| c["name"] == format!("{wanted}.wav")).all(|c| c["reading"].is_object());
                assert!(read, "round {round}: an upload is stuck: {}", view["candidates"]);
            }
            During::Export => {
                let handed = stand.send("GET", &format!("{path}/handed"), None).await.1;
                let is_made = handed.as_array().unwrap().iter().any(|file| file["form"] == exported(round));
                assert!(is_made || !answered, "round {round}, {victim:?} during {during:?}: what was asked for was not made");
            }
        }
        // One that is not needed any more, so that the next round begins alike.
        if is_there {
            let hash = view["candidates"].as_array().unwrap().iter().find(|c| c["name"] == format!("{wanted}.wav")).unwrap()["hash"].as_str().unwrap();
            stand.say(&cut, "bed", json!({ "do": "drop", "sound": hash })).await;
        }
    }
    println!("{rounds} rounds: nothing lost, nothing doubled, nothing stuck");
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_is_killed_nothing_answered_is_lost() {
    kill_rounds(12).await;
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "takes ten minutes: cargo test -p jaunty-e2e fifty_rounds -- --ignored --nocapture"]
async fn fifty_rounds_of_killing_lose_nothing() {
    kill_rounds(51).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn told_to_end_the_server_ends_soon_and_gives_its_work_back() {
    let mut stand = Stand::new(&["--workers", "1"]).await;
    let other = Server::start(&stand.database, stand.data.path(), &["--workers", "0"]).await.unwrap();
    let cut = stand.make_cut("Ending", "1:30").await;
    stand.upload(&cut, "candidates", &FILES.long_bed(), "bed.wav").await;
    let path = format!("/api/cuts/{cut}");
    let running = |c: &Value| c["jobs"].as_array().is_some_and(|jobs| jobs.iter().any(|j| j["state"] == "running"));
    eventually(Duration::from_secs(20), async || Some(stand.send("GET", &path, None).await.1).filter(running)).await.expect("it reads");
    // A page that listens for events must not hold it up either.
    let mut events = stand.server.get(&format!("{path}/events")).await.unwrap();
    events.chunk().await.unwrap();
    let family_of_old = family(stand.server.pid());
    let took = std::mem::replace(&mut stand.server, other).end(Duration::from_secs(8)).await.unwrap();
    assert!(took < Duration::from_secs(5), "{took:?}");
    let view = stand.send("GET", &path, None).await.1;
    assert_eq!(view["jobs"][0]["state"], "queued", "its lease is given back: {}", view["jobs"]);
    let left: Vec<_> = family_of_old.iter().filter(|s| std::path::Path::new(&format!("/proc/{}", s.pid)).exists()).collect();
    assert!(left.is_empty(), "{left:?}");
}
