//! Files for the tests, made once, and a client for the server's own interface.

use jaunty_core::sound::Sound;
use jaunty_demo::{LINES, beds, film, narration};
use jaunty_e2e::{Browser, Database, Server, eventually};
use jaunty_media::write_wav;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::sync::{LazyLock, OnceLock};
use std::time::Duration;
use tempfile::TempDir;
use tokio::sync::{RwLock, RwLockReadGuard, RwLockWriteGuard};

pub struct Files {
    folder: TempDir,
}

/// A bed of 2:44, a loop of 16 s, a narration of a minute and ten seconds of film.
pub static FILES: LazyLock<Files> = LazyLock::new(|| {
    let folder = TempDir::new().expect("a folder");
    let write = |name: &str, sound: &Sound| write_wav(&folder.path().join(name), sound).expect("room on the disk");
    write("bed.wav", &beds::copper_escapement().play().expect("the SoundFont").sound);
    write("loop.wav", &beds::bench_lamp().play().expect("the SoundFont").sound);
    film::make(&folder.path().join("film.webm"), 0, 250).expect("ffmpeg");
    write("voice.wav", &narration(&LINES[..8], 60.0).expect("espeak-ng"));
    Files { folder }
});

impl Files {
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// The bed four times over: whoever cuts a reading off comes in time, also on a busy machine.
    pub fn long_bed(&self) -> PathBuf {
        let bed = beds::copper_escapement().play().expect("the SoundFont").sound;
        let path = self.path("long.wav");
        write_wav(&path, &Sound::new(bed.channels().iter().map(|c| c.repeat(4)).collect())).expect("room on the disk");
        path
    }

    /// Another file beside them.
    pub fn with(&self, name: &str, bytes: &[u8]) -> PathBuf {
        let path = self.path(name);
        std::fs::write(&path, bytes).expect("room on the disk");
        path
    }
}

/// A server with everything it needs.
pub struct Stand {
    pub server: Server,
    pub database: Database,
    pub data: TempDir,
    _turn: Turn,
}

/// Whether other tests may run meanwhile: what measures time wants the machine for itself.
#[allow(dead_code, reason = "held until the stand is gone")]
enum Turn {
    Shared(RwLockReadGuard<'static, ()>),
    Alone(RwLockWriteGuard<'static, ()>),
}

/// The first database in which bed and narration were read.
static READ: OnceLock<String> = OnceLock::new();

static TURNS: RwLock<()> = RwLock::const_new(());

impl Drop for Stand {
    fn drop(&mut self) {
        if std::thread::panicking() {
            eprintln!("the server said: {}", std::fs::read_to_string(self.data.path().join("log")).unwrap_or_default());
        }
    }
}

impl Stand {
    pub async fn new(more: &[&str]) -> Self {
        let turn = Turn::Shared(TURNS.read().await);
        Self::with(more, turn).await
    }

    /// A stand beside which no other test runs.
    pub async fn alone(more: &[&str]) -> Self {
        let turn = Turn::Alone(TURNS.write().await);
        Self::with(more, turn).await
    }

    async fn with(more: &[&str], turn: Turn) -> Self {
        let database = Database::fresh().await.expect("MariaDB is installed by ./test");
        let stand = Self::on(database, more, turn).await;
        // What was read of the same files for another test is read.
        if let Some(there) = READ.get() {
            let copied = format!("SET FOREIGN_KEY_CHECKS = 0; INSERT IGNORE INTO readings SELECT * FROM {there}.readings WHERE NOT brought;");
            stand.database.run(copied.as_bytes()).expect("the tables are alike");
        }
        stand
    }

    /// A stand whose database may be killed.
    pub async fn with_own_database(more: &[&str]) -> Self {
        let turn = Turn::Shared(TURNS.read().await);
        Self::on(Database::alone().await.expect("MariaDB is installed by ./test"), more, turn).await
    }

    async fn on(database: Database, more: &[&str], turn: Turn) -> Self {
        let data = TempDir::new().expect("a folder");
        let server = Server::start(&database, data.path(), more).await.expect("cargo test --workspace builds jaunty");
        Self { server, database, data, _turn: turn }
    }

    pub async fn send(&self, method: &str, path: &str, body: Option<Value>) -> (u16, Value) {
        let client = self.server.client();
        let method = reqwest::Method::from_bytes(method.as_bytes()).expect("a method");
        let mut request = client.request(method, self.server.url(path));
        if let Some(body) = body {
            request = request.json(&body);
        }
        answer(request).await
    }

    /// A cut as it is.
    pub async fn cut(&self, cut: &str) -> Value {
        self.send("GET", &format!("/api/cuts/{cut}"), None).await.1
    }

    /// Says something about a cut as a page does that has just been loaded: the cut after it, or the problem.
    pub async fn say(&self, cut: &str, about: &str, what: Value) -> (u16, Value) {
        let revision = self.cut(cut).await["plan"]["revision"].clone();
        self.say_at(cut, &revision, about, what).await
    }

    /// Says something about a cut as it was in a revision: the cut after it, or the problem.
    pub async fn say_at(&self, cut: &str, revision: &Value, about: &str, mut what: Value) -> (u16, Value) {
        what["about"] = json!(about);
        self.then(cut, "changes", json!({ "revision": revision, "change": what })).await
    }

    /// Goes back or on in the history, from what is shown.
    pub async fn go(&self, cut: &str, way: &str) -> (u16, Value) {
        let revision = self.cut(cut).await["plan"]["revision"].clone();
        self.then(cut, way, json!({ "revision": revision })).await
    }

    /// Sends something to an address of a cut: the cut after it, or the problem.
    pub async fn then(&self, cut: &str, place: &str, body: Value) -> (u16, Value) {
        let (status, answer) = self.send("POST", &format!("/api/cuts/{cut}/{place}"), Some(body)).await;
        if status != 200 {
            return (status, answer);
        }
        assert!(answer["revision"].is_u64() && answer.as_object().is_some_and(|all| all.len() == 1), "{place}: {answer}");
        (status, self.cut(cut).await)
    }

    /// What an address gives, whatever it is.
    pub async fn bytes(&self, path: &str) -> Vec<u8> {
        let response = self.server.get(path).await.expect("the server answers");
        assert!(response.status().is_success(), "{path}: {}", response.status());
        response.bytes().await.expect("a body").to_vec()
    }

    pub async fn make_cut(&self, title: &str, length: &str) -> String {
        let body = json!({ "title": title, "length": length, "rate": { "num": 25, "den": 1, "dropFrame": false } });
        let (status, cut) = self.send("POST", "/api/cuts", Some(body)).await;
        assert_eq!(status, 200, "{cut}");
        cut["id"].as_str().expect("an id").to_owned()
    }

    /// A cut with the bed of a test, as it is once fitted.
    pub async fn with_bed(&self, title: &str, length: &str) -> (String, Value) {
        let cut = self.make_cut(title, length).await;
        self.upload(&cut, "candidates", &FILES.path("bed.wav"), "bed.wav").await;
        let view = self.cut_when(&cut, fitted).await;
        (cut, view)
    }

    /// A cut with bed and narration, as it is once both are planned.
    pub async fn with_bed_and_voice(&self, title: &str, length: &str) -> (String, Value) {
        let (cut, _) = self.with_bed(title, length).await;
        self.upload(&cut, "takes", &FILES.path("voice.wav"), "voice.wav").await;
        let swells = |c: &Value| c["plan"]["levels"].as_array().map_or(0, |all| all.iter().filter(|l| l["kind"] == "swell").count());
        let view = self.cut_when(&cut, |c| fitted(c) && swells(c) >= 3).await;
        if self.database.is_shared() {
            READ.get_or_init(|| self.database.name().to_owned());
        }
        (cut, view)
    }

    /// Brings a file into a cut: the cut after it, or the problem.
    pub async fn upload(&self, cut: &str, role: &str, file: &Path, name: &str) -> (u16, Value) {
        let bytes = std::fs::read(file).expect("a file");
        let part = reqwest::multipart::Part::bytes(bytes).file_name(name.to_owned());
        let form = reqwest::multipart::Form::new().part("file", part);
        let (status, told) = answer(self.server.client().post(self.server.url(&format!("/api/cuts/{cut}/{role}"))).multipart(form)).await;
        if status == 200 { (status, self.cut(cut).await) } else { (status, told) }
    }

    /// A file of a revision, once it is made, and what is told of it.
    pub async fn handed(&self, cut: &str, revision: u64, form: Value) -> (Vec<u8>, Value) {
        let path = format!("/api/cuts/{cut}/handed");
        let (status, told) = self.send("POST", &path, Some(json!({ "revision": revision, "form": form }))).await;
        assert!(matches!(status, 200 | 202), "{form}: {status} {told}");
        let made = eventually(Duration::from_secs(120), async || {
            let all = self.send("GET", &path, None).await.1;
            all.as_array()?.iter().find(|row| row["revision"] == revision && row["form"] == form).cloned()
        });
        let Some(row) = made.await else { panic!("{form} was not made: {}", self.cut(cut).await["jobs"]) };
        (self.bytes(&format!("{path}/{}/file", row["id"].as_str().expect("an id"))).await, row)
    }

    /// The mix of a revision as WAV of 24 bits.
    pub async fn mix(&self, cut: &str, revision: &Value) -> Vec<u8> {
        self.handed(cut, revision.as_u64().expect("a number"), mix_as("wav24")).await.0
    }

    /// The cut once `done` says so.
    pub async fn cut_when(&self, cut: &str, done: impl Fn(&Value) -> bool) -> Value {
        let path = format!("/api/cuts/{cut}");
        let found = eventually(Duration::from_secs(180), async || Some(self.send("GET", &path, None).await.1).filter(&done)).await;
        match found {
            Some(cut) => cut,
            None => panic!("it never came to that: {}", self.send("GET", &path, None).await.1),
        }
    }
}

/// Brings bed and narration into an open cut through its page.
pub async fn bring_in(browser: &Browser) {
    browser.find("step-beds").await.unwrap().click().await.unwrap();
    browser.choose_file("bed-upload", &FILES.path("bed.wav")).await.unwrap();
    browser.find("fit-figure").await.unwrap();
    browser.find("step-voice").await.unwrap().click().await.unwrap();
    browser.choose_file("narration-upload", &FILES.path("voice.wav")).await.unwrap();
    browser.find("phrase").await.unwrap();
}

/// The mix, written as a coding of 48 kHz.
pub fn mix_as(coding: &str) -> Value {
    json!({ "what": "mix", "sound": { "coding": coding, "rateHz": 48_000, "mono": false, "loudnessLufs": null } })
}

/// Whether a cut has a bed that is fitted, and nothing more to do.
pub fn fitted(cut: &Value) -> bool {
    cut["plan"]["fittings"].as_array().is_some_and(|f| !f.is_empty()) && idle(cut)
}

/// Whether nothing is under way.
pub fn idle(cut: &Value) -> bool {
    cut["jobs"].as_array().is_some_and(Vec::is_empty)
}

async fn answer(request: reqwest::RequestBuilder) -> (u16, Value) {
    let response = request.send().await.expect("the server answers");
    let status = response.status().as_u16();
    let problem = response.headers().get("content-type").is_some_and(|t| t == "application/problem+json");
    let text = response.text().await.expect("a body");
    let body: Value = serde_json::from_str(&text).unwrap_or(Value::Null);
    // RFC 9457: a refusal is application/problem+json with type, title, status and detail.
    if status >= 400 {
        assert!(problem && body["detail"].is_string() && body["status"] == status && body["type"].is_string(), "{status}: {text}");
    }
    (status, body)
}
