//! Ways by which somebody got in, kept somebody out or heard what is not theirs, each shut.

use super::rights::{PASSWORD, Town, client_of, key_in};
use jaunty_core::digest::hex;
use jaunty_core::sound::Sound;
use jaunty_server::store::people;
use jaunty_server::store::sounds;
use jaunty_server::studio::{Code, Newcomer};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use reqwest::multipart::{Form, Part};
use reqwest::{Client, Response};
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use std::io::{Cursor, Read, Write};
use std::time::Duration;
use uuid::Uuid;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

fn tone(pitch: f32) -> Vec<u8> {
    let folder = tempfile::TempDir::new().unwrap();
    let path = folder.path().join("tone.wav");
    let tone: Vec<f32> = (0..48_000 * 3).map(|k| (k as f32 * pitch).sin() * 0.3).collect();
    jaunty_media::write_wav(&path, &Sound::new(vec![tone])).unwrap();
    std::fs::read(path).unwrap()
}

fn hash_of(bytes: &[u8]) -> String {
    hex(&Sha256::digest(bytes))
}

async fn told(answer: Response) -> Value {
    let status = answer.status();
    let text = answer.text().await.unwrap();
    assert!(status.is_success(), "{status}: {text}");
    serde_json::from_str(&text).unwrap_or(Value::Null)
}

fn file(name: &str, bytes: Vec<u8>) -> Form {
    Form::new().part("file", Part::bytes(bytes).file_name(name.to_owned()))
}

impl Town {
    fn at(&self, path: &str) -> String {
        format!("{}{path}", self.address)
    }

    async fn new_cut(&self, client: &Client, title: &str) -> String {
        let body = json!({ "title": title, "length": "10", "rate": { "num": 25, "den": 1, "dropFrame": false } });
        told(client.post(self.at("/api/cuts")).json(&body).send().await.unwrap()).await["id"].as_str().unwrap().to_owned()
    }

    /// A cut as its file, once that is made.
    async fn archive(&self, client: &Client, cut: &str) -> Vec<u8> {
        let view = told(client.get(self.at(&format!("/api/cuts/{cut}"))).send().await.unwrap()).await;
        let form = json!({ "revision": view["plan"]["revision"], "form": { "what": "cut" } });
        told(client.post(self.at(&format!("/api/cuts/{cut}/handed"))).json(&form).send().await.unwrap()).await;
        let id: Uuid = cut.parse().unwrap();
        self.house.studio.hand_over_here(id, jaunty_core::handover::Form::Cut).await.unwrap();
        let made = told(client.get(self.at(&format!("/api/cuts/{cut}/handed"))).send().await.unwrap()).await;
        let row = made[0]["id"].as_str().unwrap();
        client.get(self.at(&format!("/api/cuts/{cut}/handed/{row}/file"))).send().await.unwrap().bytes().await.unwrap().to_vec()
    }

    async fn hears(&self, client: &Client, cut: &str, hash: &str) -> bool {
        client.get(self.at(&format!("/api/cuts/{cut}/sounds/{hash}/waveform"))).send().await.unwrap().status() == 200
    }
}

/// An archive with the bytes of one sound exchanged.
fn with_sound(archive: &[u8], hash: &str, bytes: &[u8]) -> Vec<u8> {
    let mut from = ZipArchive::new(Cursor::new(archive)).unwrap();
    let mut to = ZipWriter::new(Cursor::new(Vec::new()));
    for k in 0..from.len() {
        let mut entry = from.by_index(k).unwrap();
        let mut content = Vec::new();
        entry.read_to_end(&mut content).unwrap();
        let name = entry.name().unwrap().into_owned();
        to.start_file(name.clone(), SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored)).unwrap();
        to.write_all(if name.contains(hash) { bytes } else { &content }).unwrap();
    }
    to.finish().unwrap().into_inner()
}

/// How somebody names a sound that is not theirs.
#[derive(Debug, Clone, Copy)]
enum Naming {
    Title,
    Label,
    Candidate,
    FileName,
    Archive,
    EmptyInArchive,
    Words,
}

#[actix_web::test]
async fn no_way_to_name_a_sound_lets_anybody_hear_it() {
    let town = Town::new().await;
    let (editor, own) = (town.client("editor"), town.cut.to_string());
    let wav = tone(0.05);
    let hash = hash_of(&wav);
    told(editor.post(town.at(&format!("/api/cuts/{own}/ambiences"))).multipart(file("tone.wav", wav.clone())).send().await.unwrap()).await;
    assert!(town.hears(editor, &own, &hash).await);
    let whole = town.archive(editor, &own).await;
    assert!(ZipArchive::new(Cursor::new(&whole)).unwrap().file_names().any(|name| name.unwrap().contains(&hash)), "their own archive holds it");

    let ways = [Naming::Title, Naming::Label, Naming::Candidate, Naming::FileName, Naming::Archive, Naming::EmptyInArchive, Naming::Words];
    let several = (prop::sample::select(vec!["stranger", "listener", "guest", "nobody"]), prop::collection::vec(prop::sample::select(ways.to_vec()), 1..4));
    let mut cases: Vec<(&str, Vec<Naming>)> = ways.iter().map(|way| ("stranger", vec![*way])).collect();
    let mut runner = TestRunner::deterministic();
    cases.extend((0..24).map(|_| several.new_tree(&mut runner).unwrap().current()));
    for (who, ways) in cases {
        let client = town.client(who);
        let body = json!({ "title": hash, "length": "10", "rate": { "num": 25, "den": 1, "dropFrame": false } });
        let made = client.post(town.at("/api/cuts")).json(&body).send().await.unwrap();
        let cut = if made.status() == 200 { told(made).await["id"].as_str().unwrap().to_owned() } else { own.clone() };
        for way in &ways {
            let change = async |about: &str, mut what: Value| {
                let view: Value = client.get(town.at(&format!("/api/cuts/{cut}"))).send().await.unwrap().json().await.unwrap_or_default();
                what["about"] = json!(about);
                let body = json!({ "revision": view["plan"]["revision"], "change": what });
                client.post(town.at(&format!("/api/cuts/{cut}/changes"))).json(&body).send().await.unwrap()
            };
            match way {
                Naming::Title => {
                    drop(change("cut", json!({ "do": "describe", "title": hash, "length": "12", "rate": { "num": 25, "den": 1, "dropFrame": false } })).await)
                }
                Naming::Label => drop(change("picture", json!({ "do": "moment", "frame": 10, "label": hash })).await),
                Naming::Words => drop(change("voice", json!({ "do": "lines", "text": hash })).await),
                Naming::Candidate => {
                    drop(client.put(town.at(&format!("/api/cuts/{cut}/candidates"))).json(&json!({ "soundHash": hash })).send().await.unwrap());
                    drop(change("bed", json!({ "do": "use", "sound": hash })).await);
                }
                Naming::FileName => {
                    let form = file(&format!("{hash}.wav"), tone(0.07));
                    drop(client.post(town.at(&format!("/api/cuts/{cut}/ambiences"))).multipart(form).send().await.unwrap());
                }
                Naming::Archive | Naming::EmptyInArchive => {
                    let broken = if matches!(way, Naming::Archive) { with_sound(&whole, &hash, &tone(0.09)) } else { with_sound(&whole, &hash, b"") };
                    let answer = client.post(town.at("/api/cuts/from-cut")).multipart(file("cut.zip", broken)).send().await.unwrap();
                    assert!(answer.status().is_client_error(), "{who}: {}", answer.status());
                }
            }
        }
        assert!(!town.hears(client, &cut, &hash).await, "{who} {ways:?}");
        if cut != own {
            let packed = town.archive(client, &cut).await;
            let mut held = ZipArchive::new(Cursor::new(&packed)).unwrap();
            assert!(!held.file_names().any(|name| name.unwrap().contains(&hash)), "{who} {ways:?}");
            let bytes: Vec<Vec<u8>> = (0..held.len())
                .map(|k| {
                    let mut content = Vec::new();
                    held.by_index(k).unwrap().read_to_end(&mut content).unwrap();
                    content
                })
                .collect();
            assert!(!bytes.iter().any(|content| hash_of(content) == hash), "{who} {ways:?}");
        }
    }
    // Who has all of its bytes has a right of their own.
    let stranger = town.client("stranger");
    let opened = told(stranger.post(town.at("/api/cuts/from-cut")).multipart(file("cut.zip", whole)).send().await.unwrap()).await;
    assert!(town.hears(stranger, opened["id"].as_str().unwrap(), &hash).await);
}

#[actix_web::test]
async fn who_only_listens_is_not_told_the_names_of_sounds() {
    let town = Town::new().await;
    let pool = &town.house.studio.pool;
    let wav = tone(0.05);
    let hash = hash_of(&wav);
    let editor = town.client("editor");
    told(editor.post(town.at(&format!("/api/cuts/{}/candidates", town.cut))).multipart(file("bed.wav", wav)).send().await.unwrap()).await;
    let read = jaunty_core::reading::read_bed(&Sound::silence(1, 48_000), &mut jaunty_core::reading::keep_going()).unwrap();
    sounds::set_bed_reading(pool, &hash, &[], &read).await.unwrap();
    let beds = async |who: &str| told(town.client(who).get(town.at("/api/beds")).send().await.unwrap()).await.as_array().unwrap().len();
    assert_eq!((beds("editor").await, beds("listener").await, beds("stranger").await), (1, 0, 0));
}

#[actix_web::test]
async fn what_an_archive_says_of_a_sound_holds_only_until_somebody_else_brings_it() {
    let town = Town::new().await;
    let pool = &town.house.studio.pool;
    let wav = tone(0.05);
    let hash = hash_of(&wav);
    told(town.client("editor").post(town.at(&format!("/api/cuts/{}/ambiences", town.cut))).multipart(file("bed.wav", wav.clone())).send().await.unwrap()).await;
    let count = async || sqlx::query_as::<_, (i64,)>("SELECT COUNT(*) FROM readings WHERE sound_hash = ?").bind(&hash).fetch_one(pool).await.unwrap().0;
    let read = jaunty_core::reading::read_bed(&Sound::silence(1, 48_000), &mut jaunty_core::reading::keep_going()).unwrap();
    sounds::set_bed_reading(pool, &hash, &[], &read).await.unwrap();
    let own = count().await;
    sqlx::query("INSERT INTO readings (sound_hash, read_as, made_by, document, likeness, brought) VALUES (?, 'bed', 'forged', '{}', NULL, TRUE)")
        .bind(&hash)
        .execute(pool)
        .await
        .unwrap();
    assert_eq!(count().await, own + 1);
    let stranger = town.client("stranger");
    let cut = town.new_cut(stranger, "Theirs").await;
    told(stranger.post(town.at(&format!("/api/cuts/{cut}/ambiences"))).multipart(file("bed.wav", wav)).send().await.unwrap()).await;
    assert_eq!(count().await, own, "what this house read stays, what was brought is gone");
}

#[actix_web::test]
async fn guesses_at_a_second_factor_are_counted_whatever_the_password_does() {
    let town = Town::new().await;
    let (editor, studio) = (town.client("editor"), &town.house.studio);
    let place = town.at("/api/me/second-factor");
    let made = told(editor.post(&place).send().await.unwrap()).await;
    let factor = totp_rs::Totp::from_url(made["address"].as_str().unwrap()).unwrap();
    let code = |steps: i64| factor.generate((chrono::Utc::now().timestamp() + 30 * steps) as u64).to_string();
    assert_eq!(editor.put(&place).json(&json!({ "code": code(-1) })).send().await.unwrap().status(), 204);
    // The right password in between, without a code, forgets nothing of the wrong ones.
    let mut judged = 0;
    for k in 0..27 {
        let guess = (0..).map(|n| format!("{:06}", k * 31 + n)).find(|g| (-2..=2).all(|step| *g != code(step))).unwrap();
        assert_eq!(studio.sign_in("editor@example.org", PASSWORD, None, "", None).await.unwrap_err().code(), Code::SecondFactor);
        let told = studio.sign_in("editor@example.org", PASSWORD, Some(&guess), "", None).await.unwrap_err().code();
        judged += usize::from(told == Code::SecondFactor);
    }
    assert_eq!(judged, 10);
    assert_eq!(studio.sign_in("editor@example.org", PASSWORD, Some(&code(0)), "", None).await.unwrap_err().code(), Code::TooMany);
}

#[actix_web::test]
async fn a_new_password_ends_the_older_links_to_set_one() {
    let town = Town::new().await;
    let studio = &town.house.studio;
    let id = people::by_email(&studio.pool, "editor@example.org").await.unwrap().unwrap().id;
    let (older, newer) = (studio.password_key(id).await.unwrap(), studio.password_key(id).await.unwrap());
    let newcomer = |password: &str| Newcomer { name: String::new(), password: password.into() };
    studio.accept(&newer, &newcomer("five words are even better"), "").await.unwrap();
    assert_eq!(studio.accept(&older, &newcomer("a stranger's own password"), "").await.unwrap_err().code(), Code::NotFound);
    assert!(studio.sign_in("editor@example.org", "five words are even better", None, "", None).await.is_ok());
    // Their sessions are over as well.
    assert_eq!(town.client("editor").get(town.at("/api/projects")).send().await.unwrap().status(), 401);
}

#[actix_web::test]
async fn links_of_somebody_who_is_taken_out_end_unless_they_are_kept() {
    let town = Town::new().await;
    let (owner, editor, nobody) = (town.client("owner"), town.client("editor"), town.client("nobody"));
    let give = async |to: &str| {
        let body = json!({ "to": to, "days": 300 });
        let link = told(editor.post(town.at(&format!("/api/cuts/{}/links", town.cut))).json(&body).send().await.unwrap()).await;
        let key = key_in(link["link"].as_str().unwrap()).to_owned();
        client_of(nobody.post(town.at("/api/keys/enter")).json(&json!({ "key": key })).send().await.unwrap()).await
    };
    let (friend, client) = (give("A friend").await, give("The client").await);
    let heard = async |who: &Client| who.get(town.at(&format!("/api/listening/{}", town.cut))).send().await.unwrap().status().as_u16();
    assert_eq!((heard(&friend).await, heard(&client).await), (200, 200));

    let id = people::by_email(&town.house.studio.pool, "editor@example.org").await.unwrap().unwrap().id;
    let person = format!("/api/projects/{}/people/{id}", town.project);
    let links = told(owner.get(town.at(&format!("{person}/links"))).send().await.unwrap()).await;
    let of = |to: &str| links.as_array().unwrap().iter().find(|l| l["givenTo"] == to).unwrap()["id"].clone();
    assert_eq!((links.as_array().unwrap().len(), &links[0]["cut"]), (2, &json!("Clock")));
    let answer = owner.delete(town.at(&person)).json(&json!({ "keep": [of("The client")] })).send().await.unwrap();
    assert_eq!(answer.status(), 204);
    assert_eq!((heard(&friend).await, heard(&client).await, heard(town.client("guest")).await), (401, 200, 200));
    let record = owner.get(town.at(&format!("/api/projects/{}/record.csv", town.project))).send().await.unwrap().text().await.unwrap();
    for line in ["ended a link of who was taken out", "kept a link of who was taken out", "took somebody out"] {
        assert!(record.contains(line), "{record}");
    }
}

#[actix_web::test]
async fn wrong_passwords_of_strangers_lock_nobody_out_of_a_browser_that_is_known() {
    let town = Town::new().await;
    let nobody = town.client("nobody");
    let sign_in = async |password: &str, cookie: Option<&str>| {
        let asked = nobody.post(town.at("/api/session")).json(&json!({ "email": "editor@example.org", "password": password }));
        let asked = cookie.map_or(asked.try_clone().unwrap(), |cookie| asked.header("cookie", cookie));
        asked.timeout(Duration::from_secs(60)).send().await.unwrap()
    };
    let first = sign_in(PASSWORD, None).await;
    let known = first.headers().get_all("set-cookie").iter().map(|c| c.to_str().unwrap().to_owned()).find(|c| c.contains("_known=")).unwrap();
    assert!(known.contains("HttpOnly") && known.contains("SameSite=Strict"), "{known}");
    let known = known.split(';').next().unwrap();
    for _ in 0..12 {
        sign_in("not their password", None).await;
    }
    assert_eq!(sign_in(PASSWORD, None).await.status(), 429, "from anywhere else it is locked");
    assert_eq!(sign_in(PASSWORD, Some(known)).await.status(), 200);
    // Of that browser tries are counted as well, and it is nobody else's key.
    for _ in 0..12 {
        sign_in("not their password", Some(known)).await;
    }
    assert_eq!(sign_in(PASSWORD, Some(known)).await.status(), 429);
    let alone = nobody.get(town.at("/api/projects")).header("cookie", known).send().await.unwrap();
    assert_eq!(alone.status(), 401);
}
