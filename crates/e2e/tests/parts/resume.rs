//! A power cut during a read: started again, the read finishes.

use super::files::{FILES, Stand};
use jaunty_e2e::{Server, eventually};
use serde_json::Value;
use std::time::Duration;

#[tokio::test(flavor = "multi_thread")]
async fn a_read_that_is_killed_is_finished_after_the_next_start() {
    let mut stand = Stand::new(&["--workers", "1"]).await;
    let cut = stand.make_cut("Power cut", "1:30").await;
    let (status, _) = stand.upload(&cut, "bed", &FILES.path("bed.wav"), "bed.wav").await;
    assert_eq!(status, 200);
    let path = format!("/api/cuts/{cut}");
    let running = |c: &Value| c["jobs"].as_array().is_some_and(|jobs| jobs.iter().any(|j| j["state"] == "running"));
    let caught = eventually(Duration::from_secs(20), async || Some(stand.send("GET", &path, None).await.1).filter(running)).await;
    assert!(caught.is_some_and(|c| c["bed"]["reading"].is_null()), "the read was over before it could be cut off");

    let other = Server::start(&stand.database, stand.data.path(), &["--workers", "0"]).await.unwrap();
    std::mem::replace(&mut stand.server, other).kill().unwrap();
    // Without workers nothing goes on: the job waits for its lease to run out.
    tokio::time::sleep(Duration::from_secs(1)).await;
    assert!(stand.send("GET", &path, None).await.1["bed"]["reading"].is_null());

    stand.server = Server::start(&stand.database, stand.data.path(), &["--workers", "1"]).await.unwrap();
    let done = stand.cut_when(&cut, |c| !c["plan"].is_null()).await;
    assert_eq!(done["bed"]["reading"]["metre"], 4);
    assert_eq!(done["plan"]["lengthSamples"], 90 * 48_000);
}
