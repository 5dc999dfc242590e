//! What keeps a house up: figures for a watcher, a backup, and bringing it back.

use super::files::{Stand, fitted, mix_as};
use jaunty_e2e::{Database, Server, eventually, free_port, plain_client};
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output};
use std::time::Duration;
use tempfile::TempDir;

fn tool(name: &str, arguments: &[&Path], database: &Database) -> Output {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools").join(name);
    Command::new(path).args(arguments).env("JAUNTY_DATABASE_URL", database.url()).output().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_backup_of_a_running_house_is_the_same_house_elsewhere() {
    let stand = Stand::new(&["--workers", "1"]).await;
    let (cut, view) = stand.with_bed("Kept", "40").await;
    let revision = &view["plan"]["revision"];
    let mix = stand.handed(&cut, revision.as_u64().unwrap(), mix_as("wav24")).await.0;
    let folder = TempDir::new().unwrap();
    let (kept, data) = (folder.path().join("kept"), folder.path().join("data"));
    let done = tool("backup.sh", &[stand.data.path(), &kept], &stand.database);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    // Once more into the same place would mix two backups.
    assert!(!tool("backup.sh", &[stand.data.path(), &kept], &stand.database).status.success());
    let other = Database::fresh().await.unwrap();
    let done = tool("restore.sh", &[&kept, &data], &other);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let again = tool("restore.sh", &[&kept, &data], &other);
    assert!(!again.status.success() && String::from_utf8_lossy(&again.stderr).contains("not empty"));
    let server = Server::start(&other, &data, &["--workers", "1"]).await.unwrap();
    let shown: serde_json::Value = server.get(&format!("/api/cuts/{cut}")).await.unwrap().json().await.unwrap();
    assert!(fitted(&shown) && shown["title"] == "Kept" && shown["plan"]["revision"] == *revision, "{shown}");
    // The file that was handed over there is here, byte by byte.
    let handed: serde_json::Value = server.get(&format!("/api/cuts/{cut}/handed")).await.unwrap().json().await.unwrap();
    let file = server.get(&format!("/api/cuts/{cut}/handed/{}/file", handed[0]["id"].as_str().unwrap())).await.unwrap();
    assert!(file.bytes().await.unwrap() == mix, "the mix is the same");
    // A backup in which something was changed is refused before anything is brought back.
    std::fs::write(kept.join("database.sql.zst"), "not a dump").unwrap();
    let third = Database::fresh().await.unwrap();
    assert!(!tool("restore.sh", &[&kept, &folder.path().join("third")], &third).status.success());
    assert!(!folder.path().join("third").exists());
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_are_offered_where_they_are_asked_for_and_tell_no_names() {
    let port = free_port().unwrap();
    let stand = Stand::with_own_database(&["--workers", "0", "--metrics", &format!("127.0.0.1:{port}")]).await;
    let cut = stand.make_cut("Nobody's business", "10").await;
    stand.cut(&cut).await;
    let told = eventually(Duration::from_secs(20), async || {
        let text = plain_client().get(format!("http://127.0.0.1:{port}/metrics")).send().await.ok()?.text().await.ok()?;
        (text.contains("jaunty_jobs") && text.contains("/api/cuts/{id}\"")).then_some(text)
    });
    let text = told.await.expect("figures");
    // The text format of Prometheus, version 0.0.4: a type before each, buckets that end in +Inf.
    assert!(text.contains("# TYPE jaunty_request_seconds histogram") && text.contains("le=\"+Inf\""), "{text}");
    assert!(text.contains("jaunty_jobs{state=\"queued\"} 0"), "{text}");
    assert!(!text.contains(&cut) && !text.contains("business"), "{text}");
    // It lives without its database, and is not ready without it.
    let alive = async |path: &str| plain_client().get(stand.server.url(path)).send().await.unwrap().status().as_u16();
    assert_eq!((alive("/api/alive").await, alive("/api/health").await), (204, 204));
    stand.database.kill().unwrap();
    assert_eq!((alive("/api/alive").await, alive("/api/health").await), (204, 503));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_log_tells_in_which_request_something_went_wrong_and_no_secret() {
    let database = Database::alone().await.unwrap();
    let data = TempDir::new().unwrap();
    let usual = ("RUST_LOG", "warn,jaunty_server::http::request_span=info".to_owned());
    let server = Server::start_with(&database, data.path(), &["--workers", "1"], &[usual, ("JAUNTY_LOG", "json".to_owned())]).await.unwrap();
    database.kill().unwrap();
    let asked = server.get("/api/cuts?words=business").await.unwrap();
    assert_eq!(asked.status(), 503);
    let log = eventually(Duration::from_secs(20), async || {
        let text = std::fs::read_to_string(data.path().join("log")).ok()?;
        text.contains("\"request\"").then_some(text)
    })
    .await
    .unwrap_or_else(|| panic!("no request in {}", std::fs::read_to_string(data.path().join("log")).unwrap()));
    let lines: Vec<Value> = log.lines().map(|line| serde_json::from_str(line).unwrap_or_else(|_| panic!("a line that is no JSON: {line}"))).collect();
    let span = lines.iter().find_map(|line| Some(line["span"].clone()).filter(|span| span["name"] == "request")).expect("a line of a request");
    assert!(span["id"].as_str().is_some_and(|id| id.len() == 36) && span["method"] == "GET" && span["address"] == "/api/cuts", "{span}");
    let secret = server.cookie().split('=').next_back().unwrap();
    assert!(!log.contains("business") && !log.contains(secret), "{log}");
}

/// What is sent to a port in the first second of each connection.
async fn gathered(listener: tokio::net::TcpListener, text: std::sync::Arc<std::sync::Mutex<String>>) {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    while let Ok((mut from, _)) = listener.accept().await {
        let mut bytes = vec![0; 1 << 16];
        while let Ok(Ok(count)) = tokio::time::timeout(Duration::from_secs(1), from.read(&mut bytes)).await
            && count > 0
        {
            text.lock().unwrap().push_str(&String::from_utf8_lossy(&bytes[..count]));
            let _ = from.write_all(b"HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: 2\r\n\r\n{}").await;
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn requests_and_jobs_are_traced_for_whoever_asks() {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let endpoint = format!("http://{}", listener.local_addr().unwrap());
    let text = std::sync::Arc::new(std::sync::Mutex::new(String::new()));
    tokio::spawn(gathered(listener, text.clone()));
    let database = Database::fresh().await.unwrap();
    let data = TempDir::new().unwrap();
    let settings = [
        ("RUST_LOG", "warn,jaunty_server::http::request_span=info".to_owned()),
        ("OTEL_EXPORTER_OTLP_ENDPOINT", endpoint),
        ("OTEL_BSP_SCHEDULE_DELAY", "200".to_owned()),
    ];
    let server = Server::start_with(&database, data.path(), &["--workers", "1", "--demo"], &settings).await.unwrap();
    assert_eq!(server.get("/api/cuts?words=business").await.unwrap().status(), 200);
    // OTLP (opentelemetry.io): spans with names and attributes.
    let wanted = ["/v1/traces", "\"name\":\"request\"", "/api/cuts", "\"name\":\"job\"", "\"jaunty\""];
    let told = eventually(Duration::from_secs(60), async || {
        // However it is spaced.
        let text = text.lock().unwrap().replace(' ', "");
        wanted.iter().all(|part| text.contains(part)).then_some(())
    });
    let told = told.await;
    let text = text.lock().unwrap().clone();
    assert!(told.is_some(), "{text}");
    assert!(!text.contains("business") && !text.contains(server.cookie().split('=').next_back().unwrap()), "{text}");
}
