//! Several machines: two servers and two workers on one database and one bucket, behind a small proxy; and many open pages.

use super::files::{FILES, fitted, idle};
use jaunty_e2e::{Database, Guarded, Server, client_with, eventually, free_port, guarded, plain_client, program};
use serde_json::{Value, json};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use tokio::net::{TcpListener, TcpStream};

/// A bucket of moto's stand-in for S3 (PyPI), which `./test` installs.
struct Bucket {
    settings: Vec<(&'static str, String)>,
    _server: Guarded,
}

impl Bucket {
    async fn new() -> Self {
        let port = free_port().unwrap();
        let server = guarded(&format!("{}/../../.venv/bin/moto_server -p {port}", env!("CARGO_MANIFEST_DIR"))).unwrap();
        let address = format!("http://127.0.0.1:{port}");
        let make = async || plain_client().put(format!("{address}/jaunty")).send().await.ok().filter(|a| a.status().is_success());
        eventually(Duration::from_secs(60), make).await.expect("moto is installed by ./test");
        let settings = vec![
            ("JAUNTY_OBJECTS", "s3://jaunty/house".to_owned()),
            ("AWS_ENDPOINT", address),
            ("AWS_REGION", "us-east-1".to_owned()),
            ("AWS_ACCESS_KEY_ID", "nobody".to_owned()),
            ("AWS_SECRET_ACCESS_KEY", "nothing".to_owned()),
        ];
        Self { settings, _server: server }
    }
}

/// Sends each connection to the next of the servers that answers.
async fn proxy(servers: Vec<u16>) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let next = Arc::new(AtomicUsize::new(0));
    tokio::spawn(async move {
        while let Ok((mut from, _)) = listener.accept().await {
            let (servers, next) = (servers.clone(), next.clone());
            tokio::spawn(async move {
                let first = next.fetch_add(1, Ordering::Relaxed);
                for k in 0..servers.len() {
                    if let Ok(mut to) = TcpStream::connect(("127.0.0.1", servers[(first + k) % servers.len()])).await {
                        // What breaks off is the client's to try again.
                        let _ = tokio::io::copy_bidirectional(&mut from, &mut to).await;
                        return;
                    }
                }
            });
        }
    });
    address
}

/// A process of workers that lives no longer than the test.
struct Workers(Child);

impl Workers {
    fn start(database: &Database, data: &TempDir, bucket: &Bucket) -> Self {
        let mut command = Command::new(program());
        command.args(["work", "--workers", "1", "--database-url", &database.url(), "--data"]).arg(data.path());
        Self(command.envs(bucket.settings.iter().cloned()).env("RUST_LOG", "error").stdin(Stdio::null()).stdout(Stdio::null()).spawn().unwrap())
    }
}

impl Drop for Workers {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_servers_and_two_workers_one_of_each_may_go() {
    let database = Database::fresh().await.unwrap();
    let bucket = Bucket::new().await;
    let folders: Vec<TempDir> = (0..4).map(|_| TempDir::new().unwrap()).collect();
    // Each has a folder of its own: what they share is the database and the bucket.
    let start = async |k: usize| Server::start_with(&database, folders[k].path(), &["--workers", "0"], &bucket.settings).await.unwrap();
    let (one, two) = (start(0).await, start(1).await);
    let mut workers = vec![Workers::start(&database, &folders[2], &bucket), Workers::start(&database, &folders[3], &bucket)];
    let port = |server: &Server| server.url("").rsplit(':').next().unwrap().parse::<u16>().unwrap();
    let house = proxy(vec![port(&one), port(&two)]).await;
    let cookie = one.cookie().to_owned();
    // Whatever breaks off is tried again, as the page does; within two seconds it is answered.
    let slowest_ms = Arc::new(AtomicUsize::new(0));
    let ask = async |method: &str, path: &str, body: Option<Value>| {
        let begun = Instant::now();
        loop {
            // A connection of its own each time, so that the proxy has a choice.
            let mut request = client_with(&cookie).request(method.parse().unwrap(), format!("{house}{path}"));
            if let Some(body) = &body {
                request = request.json(body);
            }
            if let Ok(answer) = request.send().await
                && let Ok(text) = answer.text().await
            {
                slowest_ms.fetch_max(begun.elapsed().as_millis() as usize, Ordering::Relaxed);
                return serde_json::from_str::<Value>(&text).unwrap_or_default();
            }
            assert!(begun.elapsed() < Duration::from_secs(20), "{path} is not answered any more");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    };
    let mut cuts = Vec::new();
    for k in 0..4 {
        let body = json!({ "title": format!("Cut {k}"), "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } });
        let id = ask("POST", "/api/cuts", Some(body)).await["id"].as_str().unwrap().to_owned();
        // Other bytes each time, so that each is read by itself.
        let bytes = [std::fs::read(FILES.path("bed.wav")).unwrap(), vec![k; 8]].concat();
        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(bytes).file_name("loop.wav"));
        let sent = client_with(&cookie).post(format!("{house}/api/cuts/{id}/candidates")).multipart(form).send().await.unwrap();
        assert_eq!(sent.status(), 200);
        cuts.push(id);
    }
    // Now one of each goes, as in a power cut, while titles are written one after the other.
    let mut said = 0;
    let mut killed = None;
    for k in 0..60 {
        let id = &cuts[k % cuts.len()];
        let revision = ask("GET", &format!("/api/cuts/{id}"), None).await["plan"]["revision"].clone();
        let change =
            json!({ "about": "cut", "do": "describe", "title": format!("Title {k}"), "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } });
        let told = ask("POST", &format!("/api/cuts/{id}/changes"), Some(json!({ "revision": revision, "change": change }))).await;
        // The machine's own plan may have come in between, or the same change before a connection broke off.
        said += usize::from(told["revision"].is_u64());
        if k == 2 {
            let (server, worker) = (one.pid(), workers.remove(0));
            killed = Some(Instant::now());
            Command::new("kill").args(["-9", &server.to_string()]).status().unwrap();
            drop(worker);
        }
    }
    assert!(said >= 50, "{said} of 60 were taken");
    let slowest = slowest_ms.load(Ordering::Relaxed);
    assert!(slowest < 2000, "the slowest answer took {slowest} ms");
    for (k, id) in cuts.iter().enumerate() {
        let path = format!("/api/cuts/{id}");
        let done = eventually(Duration::from_secs(120), async || Some(ask("GET", &path, None).await).filter(|v| fitted(v) && idle(v))).await;
        let view = done.unwrap_or_else(|| panic!("cut {k} never got its bed"));
        assert!(view["title"].as_str().unwrap().starts_with("Title 5"), "the last title that was taken is there: {}", view["title"]);
        assert_eq!(view["candidates"].as_array().unwrap().len(), 1, "nothing is doubled");
        // The server that is left never had these bytes: they come from the bucket.
        let sound = format!("{house}{path}/revisions/{}/sound?fromSamples=0&lengthSamples=48000&hear=everything", view["plan"]["revision"]);
        let heard = client_with(&cookie).get(sound).send().await.unwrap();
        assert_eq!(heard.status(), 200);
        assert!(heard.bytes().await.unwrap().len() > 48_000 * 6);
    }
    println!(
        "{said} of 60 titles taken, the slowest answer after {slowest} ms, all beds fitted {:.1} s after the kill",
        killed.unwrap().elapsed().as_secs_f64()
    );
    drop((one, two));
}

/// Seconds of a core that a process has used so far (proc(5)).
fn used_s(pid: u32) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).unwrap_or_default();
    let fields: Vec<&str> = stat.rsplit_once(')').map_or(Vec::new(), |(_, rest)| rest.split_whitespace().collect());
    let ticks = |k: usize| fields.get(k).and_then(|f| f.parse::<f64>().ok()).unwrap_or(0.0);
    (ticks(11) + ticks(12)) / 100.0
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "prints figures: cargo test -p jaunty-e2e open_pages -- --ignored --nocapture"]
async fn five_hundred_open_pages_cost_next_to_nothing() {
    const PAGES: usize = 500;
    const LOOK_S: u64 = 30;
    let stand = super::files::Stand::alone(&["--workers", "0", "--most-requests-per-second", "1000"]).await;
    let mut cuts = Vec::new();
    for k in 0..50 {
        cuts.push(stand.make_cut(&format!("Cut {k}"), "40").await);
    }
    let mut pages = Vec::new();
    for k in 0..PAGES {
        let mut page = stand.server.get(&format!("/api/cuts/{}/events", cuts[k % cuts.len()])).await.unwrap();
        page.chunk().await.unwrap();
        pages.push(page);
    }
    let before = used_s(stand.server.pid());
    tokio::time::sleep(Duration::from_secs(LOOK_S)).await;
    let share = (used_s(stand.server.pid()) - before) / LOOK_S as f64;
    println!("{PAGES} open pages: {:.1} % of a core", share * 100.0);
    // A change is heard by those who look at that cut, soon.
    let begun = Instant::now();
    stand.say(&cuts[0], "cut", json!({ "do": "describe", "title": "Heard", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } })).await;
    let heard = tokio::time::timeout(Duration::from_secs(5), async {
        while let Ok(Some(bytes)) = pages[0].chunk().await {
            if String::from_utf8_lossy(&bytes).contains("Heard") {
                return true;
            }
        }
        false
    });
    assert!(heard.await.unwrap_or(false), "it is told");
    println!("a change is told after {} ms", begun.elapsed().as_millis());
}
