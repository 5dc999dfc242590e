//! A power cut during a read: started again, the read finishes.

use super::files::{FILES, Stand, fitted};
use jaunty_e2e::{Server, eventually};
use serde_json::Value;
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn a_read_that_is_killed_is_finished_after_the_next_start() {
    let mut stand = Stand::new(&["--workers", "1"]).await;
    let other = Server::start(&stand.database, stand.data.path(), &["--workers", "0"]).await.unwrap();
    let cut = stand.make_cut("Power cut", "1:30").await;
    let (status, _) = stand.upload(&cut, "candidates", &FILES.long_bed(), "bed.wav").await;
    assert_eq!(status, 200);
    let path = format!("/api/cuts/{cut}");
    let running = |c: &Value| c["jobs"].as_array().is_some_and(|jobs| jobs.iter().any(|j| j["state"] == "running"));
    let caught = eventually(Duration::from_secs(20), async || Some(stand.send("GET", &path, None).await.1).filter(running)).await;
    assert!(caught.is_some_and(|c| c["candidates"][0]["reading"].is_null()), "the read was over before it could be cut off");
    std::mem::replace(&mut stand.server, other).kill().unwrap();
    // Without workers nothing goes on: the job waits for its lease to run out.
    tokio::time::sleep(Duration::from_secs(1)).await;
    assert!(stand.send("GET", &path, None).await.1["candidates"][0]["reading"].is_null());

    stand.server = Server::start(&stand.database, stand.data.path(), &["--workers", "1"]).await.unwrap();
    let done = stand.cut_when(&cut, fitted).await;
    assert_eq!(done["bed"]["reading"]["metre"], 4);
    assert_eq!(done["plan"]["lengthSamples"], 90 * 48_000);
}

#[tokio::test(flavor = "multi_thread")]
async fn work_that_waits_can_be_cancelled_and_workers_elsewhere_share_the_rest() {
    let mut stand = Stand::new(&["--workers", "0"]).await;
    let mut cuts = Vec::new();
    for number in 0..5 {
        let cut = stand.make_cut(&format!("Cut {number}"), "40").await;
        stand.upload(&cut, "candidates", &FILES.path("loop.wav"), "loop.wav").await;
        cuts.push(cut);
    }
    // The first one is called off before anybody works on it.
    let path = format!("/api/cuts/{}", cuts[0]);
    let waiting = stand.send("GET", &path, None).await.1;
    assert_eq!(waiting["jobs"][0]["state"], "queued");
    let job = format!("{path}/jobs/{}", waiting["jobs"][0]["id"].as_str().unwrap());
    assert_eq!(stand.send("DELETE", &job, None).await.0, 204);
    assert_eq!(stand.send("DELETE", &job, None).await.0, 404, "there is nothing more to cancel");
    let called_off = stand.send("GET", &path, None).await.1;
    assert_eq!((called_off["jobs"].as_array().map(Vec::len), called_off["candidates"].as_array().map(Vec::len)), (Some(0), Some(0)));

    // Two more processes on the same database and folder: each job is done once.
    let one = Server::start(&stand.database, stand.data.path(), &["--workers", "2"]).await.unwrap();
    let two = Server::start(&stand.database, stand.data.path(), &["--workers", "2"]).await.unwrap();
    for cut in &cuts[1..] {
        let done = stand.cut_when(cut, fitted).await;
        assert_eq!(done["plan"]["revision"], 4, "made, brought in, used, planned once");
        assert_eq!(done["plan"]["lengthSamples"], 40 * 48_000);
    }
    assert!(stand.send("GET", &path, None).await.1["bed"].is_null(), "what was called off stays so");
    drop((one, two));
    // A page opened on any server hears of changes made through another: the first event is the whole cut.
    stand.server = Server::start(&stand.database, stand.data.path(), &["--workers", "0"]).await.unwrap();
    let mut events = stand.server.get(&format!("/api/cuts/{}/events", cuts[1])).await.unwrap();
    let first = events.chunk().await.unwrap().unwrap();
    assert!(first.starts_with(b"data: {") && String::from_utf8_lossy(&first).contains("Cut 1"));
}
