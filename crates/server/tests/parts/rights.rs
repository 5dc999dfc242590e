//! Every address as nobody, as a guest, as a stranger, as listener, as editor and as owner, held against one table.

use super::doors::addresses;
use super::house::House;
use jaunty_e2e::{client_with, plain_client};
use jaunty_server::http::{Right, TABLE};
use jaunty_server::store::people::{self, Role};
use jaunty_server::studio::{Code, Newcomer};
use reqwest::{Client, Method};
use serde_json::{Value, json};
use std::collections::HashSet;
use uuid::Uuid;

pub const PASSWORD: &str = "four words are enough";

/// A house with accounts, two projects with a cut each, and everybody.
pub struct Town {
    pub house: House,
    pub address: String,
    pub cut: Uuid,
    pub project: Uuid,
    people: Vec<(&'static str, Client)>,
}

/// The cookie of an answer, for the requests after it.
pub async fn client_of(answer: reqwest::Response) -> Client {
    assert_eq!(answer.status(), 200);
    // The one that a known browser goes by opens nothing.
    let cookies = answer.headers().get_all("set-cookie").into_iter().map(|c| c.to_str().unwrap().to_owned());
    let cookie = cookies.into_iter().find(|c| !c.contains("_known=")).unwrap();
    // OWASP, session management: no script reads it, no other site sends it.
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict") && cookie.contains("Path=/"), "{cookie}");
    client_with(cookie.split(';').next().unwrap())
}

pub fn key_in(link: &str) -> &str {
    link.split_once("/key#").expect("a link").1
}

impl Town {
    pub async fn new() -> Self {
        let house = House::with(|s| s.accounts = true).await;
        let address = house.serve();
        let nobody = plain_client();
        let mut people = vec![("nobody", nobody.clone())];
        // Ada looks after the house; she invites everybody else.
        let key = house.studio.let_keeper_in("Ada", "Ada@Example.org").await.unwrap();
        let accept = async |key: &str, name: &str| {
            let body = json!({ "key": key, "name": name, "password": PASSWORD });
            client_of(nobody.post(format!("{address}/api/keys/accept")).json(&body).send().await.unwrap()).await
        };
        let ada = accept(&key, "").await;
        let made: Value = ada.post(format!("{address}/api/projects")).json(&json!({ "name": "Clock film" })).send().await.unwrap().json().await.unwrap();
        let project: Uuid = made["id"].as_str().unwrap().parse().unwrap();
        let first = Uuid::nil();
        for (name, role, of) in [("stranger", "editor", first), ("listener", "listener", project), ("editor", "editor", project)] {
            let body = json!({ "email": format!("{name}@example.org"), "role": role });
            let answer = ada.post(format!("{address}/api/projects/{of}/invitations")).json(&body).send().await.unwrap();
            let link: Value = answer.json().await.unwrap();
            people.push((name, accept(key_in(link["link"].as_str().unwrap()), name).await));
        }
        let body = json!({ "title": "Clock", "length": "10", "rate": { "num": 25, "den": 1, "dropFrame": false } });
        let answer = ada.post(format!("{address}/api/cuts?project={project}")).json(&body).send().await.unwrap();
        let cut: Uuid = answer.json::<Value>().await.unwrap()["id"].as_str().unwrap().parse().unwrap();
        let answer = ada.post(format!("{address}/api/cuts/{cut}/links")).json(&json!({ "to": "Client", "days": 3 })).send().await.unwrap();
        let link: Value = answer.json().await.unwrap();
        let body = json!({ "key": key_in(link["link"].as_str().unwrap()) });
        let guest = client_of(nobody.post(format!("{address}/api/keys/enter")).json(&body).send().await.unwrap()).await;
        people.extend([("guest", guest), ("owner", ada)]);
        Self { house, address, cut, project, people }
    }

    pub fn client(&self, name: &str) -> &Client {
        &self.people.iter().find(|(of, _)| *of == name).expect("somebody of that name").1
    }
}

/// Whether somebody may pass, and what they are told if not: said here a second time, by hand.
fn expected(right: Right, who: &str) -> Result<(), u16> {
    let rank = match who {
        "listener" => Some(Role::Listener),
        "editor" => Some(Role::Editor),
        "owner" => Some(Role::Owner),
        _ => None,
    };
    match (right, who) {
        (Right::Anybody, _) | (Right::Hears, "guest") => Ok(()),
        (_, "nobody" | "guest") => Err(401),
        (Right::SignedIn, _) => Ok(()),
        (Right::Makes, "listener") => Err(403),
        (Right::Makes, _) => Ok(()),
        (Right::Keeper, "owner") => Ok(()),
        (Right::Keeper, _) => Err(403),
        // Who is not in the project is not told that there is one.
        (_, "stranger") => Err(404),
        (Right::Hears, _) => Ok(()),
        (Right::OnCut(needed) | Right::InProject(needed), _) => {
            if rank >= Some(needed) {
                Ok(())
            } else {
                Err(403)
            }
        }
    }
}

#[actix_web::test]
async fn every_address_says_the_same_to_everybody_as_the_table() {
    let town = Town::new().await;
    let written: HashSet<(String, String)> = TABLE.iter().map(|(method, path, ..)| (method.to_string(), (*path).to_owned())).collect();
    assert_eq!(written.len(), TABLE.len(), "an address stands there twice");
    // The table itself is no looser than what an address names: said here a second time.
    let open: Vec<&str> = TABLE.iter().filter(|(.., right, _)| *right == Right::Anybody).map(|(_, path, ..)| *path).collect();
    let doors = [
        "/api/health",
        "/api/alive",
        "/api/openapi.json",
        "/api/me",
        "/api/session",
        "/api/session",
        "/api/session/elsewhere",
        "/api/session/elsewhere/back",
        "/api/keys/look",
        "/api/keys/enter",
        "/api/keys/accept",
    ];
    assert_eq!(open, doors);
    for (method, path, right, _) in TABLE {
        match path {
            _ if path.starts_with("/api/cuts/{id}") => assert_eq!(*right, Right::OnCut(Role::Editor), "{method} {path}"),
            _ if path.starts_with("/api/listening/") => assert_eq!(*right, Right::Hears, "{method} {path}"),
            _ if path.starts_with("/api/projects/{project}/") => assert_eq!(*right, Right::InProject(Role::Owner), "{method} {path}"),
            _ => {}
        }
    }
    // Nothing is offered that the table does not know, and the other way round.
    let document: Value = serde_json::from_str(&jaunty_server::http::openapi_document()).unwrap();
    let offered: HashSet<(String, String)> = document["paths"]
        .as_object()
        .unwrap()
        .iter()
        .flat_map(|(path, methods)| methods.as_object().unwrap().keys().map(move |method| (method.to_uppercase(), path.clone())))
        .chain([("GET".to_owned(), "/api/openapi.json".to_owned())])
        .collect();
    assert_eq!(offered, written);
    assert!(addresses().len() > 70);

    let mut asked = 0;
    for (method, pattern, right, _) in TABLE {
        // Whoever may do this is not asked to: it would end their session, go on for ever, or take away what the others need.
        let ends = pattern.starts_with("/api/session") || pattern.ends_with("/events") || *method == Method::DELETE.as_str() && *pattern == "/api/cuts/{id}";
        let of = if pattern.starts_with("/api/projects/") { town.project } else { town.cut };
        let path = pattern
            .split('/')
            .enumerate()
            .map(|(at, part)| match part {
                "{id}" | "{project}" if at == 3 => of.to_string(),
                "{hash}" => "0".repeat(64),
                _ if part.starts_with('{') => part.replace(['{', '}'], "1"),
                _ => part.to_owned(),
            })
            .collect::<Vec<_>>()
            .join("/");
        for (who, client) in town.people.iter().filter(|(who, _)| !ends || expected(*right, who).is_err()) {
            let method: Method = method.as_str().parse().unwrap();
            let answer = client.request(method.clone(), format!("{}{path}", town.address)).json(&json!({})).send().await.unwrap();
            let status = answer.status().as_u16();
            let code = if answer.status().is_client_error() { answer.json::<Value>().await.unwrap()["code"].clone() } else { Value::Null };
            match expected(*right, who) {
                // Whatever comes of it (nothing may be there), nobody was sent away.
                Ok(()) => assert!(!(status == 403 || status == 401 && code == "sign-in"), "{method} {path} as {who}: {status} {code}"),
                Err(wanted) => assert_eq!(status, wanted, "{method} {path} as {who}: {code}"),
            }
            asked += 1;
        }
    }
    println!("{asked} requests");
    assert!(asked > 400, "{asked}");
}

#[actix_web::test]
async fn sounds_belong_to_the_projects_that_they_came_into() {
    let town = Town::new().await;
    let (editor, stranger) = (town.client("editor"), town.client("stranger"));
    let wav = {
        let folder = tempfile::TempDir::new().unwrap();
        let path = folder.path().join("tone.wav");
        let tone: Vec<f32> = (0..48_000 * 3).map(|k| (k as f32 * 0.05).sin() * 0.3).collect();
        jaunty_media::write_wav(&path, &jaunty_core::sound::Sound::new(vec![tone])).unwrap();
        std::fs::read(path).unwrap()
    };
    let body = json!({ "title": "Theirs", "length": "10", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    let theirs: Value = stranger.post(format!("{}/api/cuts", town.address)).json(&body).send().await.unwrap().json().await.unwrap();
    let theirs = theirs["id"].as_str().unwrap().to_owned();
    let send = async |client: &Client, cut: &str| {
        let form = reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(wav.clone()).file_name("tone.wav"));
        client.post(format!("{}/api/cuts/{cut}/ambiences", town.address)).multipart(form).send().await.unwrap().status().as_u16()
    };
    let own = town.cut.to_string();
    assert_eq!(send(editor, &own).await, 200);
    let hash = {
        use sha2::{Digest, Sha256};
        jaunty_core::digest::hex(&Sha256::digest(&wav))
    };
    let heard = async |client: &Client, cut: &str| client.get(format!("{}/api/cuts/{cut}/sounds/{hash}/waveform", town.address)).send().await.unwrap().status();
    assert_eq!(heard(editor, &own).await, 200);
    // Who knows its name alone does not hear it, neither on the cut of another nor on an own one.
    assert_eq!((heard(stranger, &own).await.as_u16(), heard(stranger, &theirs).await.as_u16()), (404, 404));
    let put = stranger.put(format!("{}/api/cuts/{theirs}/candidates", town.address)).json(&json!({ "soundHash": hash })).send().await.unwrap();
    assert_eq!(put.status(), 404);
    // Who brings the same in has a right of their own, which says nothing of the other cut.
    assert_eq!(send(stranger, &theirs).await, 200);
    assert_eq!((heard(stranger, &theirs).await.as_u16(), heard(stranger, &own).await.as_u16()), (200, 404));
    // Lists hold what is one's own.
    let titles = async |client: &Client| {
        let all: Value = client.get(format!("{}/api/cuts", town.address)).send().await.unwrap().json().await.unwrap();
        all["cuts"].as_array().unwrap().iter().map(|c| c["title"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!((titles(editor).await, titles(stranger).await), (vec!["Clock".to_owned()], vec!["Theirs".to_owned()]));
}

#[actix_web::test]
async fn tries_to_sign_in_are_counted_and_none_of_ten_thousand_comes_through() {
    let town = Town::new().await;
    let nobody = town.client("nobody");
    let sign_in = async |email: &str, password: &str| {
        let body = json!({ "email": email, "password": password });
        nobody.post(format!("{}/api/session", town.address)).json(&body).send().await.unwrap().status().as_u16()
    };
    assert_eq!(sign_in("editor@example.org", PASSWORD).await, 200);
    assert_eq!((sign_in("editor@example.org", "four words are enougt").await, sign_in("who@example.org", PASSWORD).await), (401, 401));
    // From one machine at most a hundred in a quarter of an hour, whoever is meant; of one person ten.
    let mut answers = HashSet::new();
    for k in 0..10_000 {
        let tried = town.house.studio.sign_in("editor@example.org", &format!("password {k}"), None, "10.0.0.9", None).await;
        answers.insert(tried.err().map(|problem| problem.code()).expect("nobody comes in"));
    }
    assert_eq!(answers, HashSet::from([Code::SignIn, Code::TooMany]));
    // A house full of people who sign in one after the other from one address is let in.
    for k in 0..120 {
        let tried = town.house.studio.sign_in("stranger@example.org", PASSWORD, None, "10.0.0.11", None).await;
        assert!(tried.is_ok(), "{k}: {tried:?}");
    }
    // The right one is refused as well by then, from anywhere: it could be the next guess.
    assert!(town.house.studio.sign_in("editor@example.org", PASSWORD, None, "10.0.0.10", None).await.is_err_and(|p| p.code() == Code::TooMany));
    assert!(town.house.studio.sign_in("listener@example.org", PASSWORD, None, "10.0.0.10", None).await.is_ok());
}

#[actix_web::test]
async fn a_second_factor_is_asked_for_and_its_codes_are_used_once() {
    let town = Town::new().await;
    let (editor, studio) = (town.client("editor"), &town.house.studio);
    let place = format!("{}/api/me/second-factor", town.address);
    let made: Value = editor.post(&place).send().await.unwrap().json().await.unwrap();
    let factor = totp_rs::Totp::from_url(made["address"].as_str().unwrap()).unwrap();
    let code = |steps: i64| factor.generate((chrono::Utc::now().timestamp() + 30 * steps) as u64).to_string();
    // Until it was confirmed the password is enough.
    assert!(studio.sign_in("editor@example.org", PASSWORD, None, "", None).await.is_ok());
    assert_eq!(editor.put(&place).json(&json!({ "code": "000000" })).send().await.unwrap().status(), 401);
    assert_eq!(editor.put(&place).json(&json!({ "code": code(-1) })).send().await.unwrap().status(), 204);
    let sign_in = async |code: Option<&str>| studio.sign_in("editor@example.org", PASSWORD, code, "", None).await.map_err(|p| p.code());
    assert_eq!(sign_in(None).await.err(), Some(Code::SecondFactor));
    let now = code(0);
    assert!(sign_in(Some(&now)).await.is_ok());
    // RFC 6238, 5.2: a code is accepted once.
    assert_eq!(sign_in(Some(&now)).await.err(), Some(Code::SecondFactor));
    assert_eq!(editor.delete(&place).json(&json!({ "code": code(1) })).send().await.unwrap().status(), 204);
    assert!(sign_in(None).await.is_ok());
}

#[actix_web::test]
async fn keys_open_once_as_long_as_they_stand_and_sessions_end_everywhere() {
    let town = Town::new().await;
    let (ada, nobody) = (town.client("owner"), town.client("nobody"));
    let at = |path: &str| format!("{}{path}", town.address);
    // An invitation is taken by one; another one that was taken back by none.
    let invite = async |email: &str| {
        let body = json!({ "email": email, "role": "listener" });
        let link: Value = ada.post(at(&format!("/api/projects/{}/invitations", town.project))).json(&body).send().await.unwrap().json().await.unwrap();
        key_in(link["link"].as_str().unwrap()).to_owned()
    };
    let accept = async |key: &str| {
        let body = json!({ "key": key, "name": "Bo", "password": PASSWORD });
        nobody.post(at("/api/keys/accept")).json(&body).send().await.unwrap().status().as_u16()
    };
    let (one, other) = (invite("bo@example.org").await, invite("cy@example.org").await);
    let shown: Value = ada.get(at(&format!("/api/projects/{}", town.project))).send().await.unwrap().json().await.unwrap();
    let waiting = shown["invitations"].as_array().unwrap().iter().find(|i| i["email"] == "cy@example.org").unwrap()["id"].as_str().unwrap().to_owned();
    assert_eq!(ada.delete(at(&format!("/api/projects/{}/invitations/{waiting}", town.project))).send().await.unwrap().status(), 204);
    assert_eq!((accept(&one).await, accept(&one).await, accept(&other).await), (200, 404, 404));
    // A guest hears until the link is taken back, and nothing but the cut.
    let guest = town.client("guest");
    let heard = async || guest.get(at(&format!("/api/listening/{}", town.cut))).send().await.unwrap().status().as_u16();
    assert_eq!(heard().await, 200);
    let links: Value = ada.get(at(&format!("/api/cuts/{}/links", town.cut))).send().await.unwrap().json().await.unwrap();
    let link = links[0]["id"].as_str().unwrap();
    assert_eq!(ada.delete(at(&format!("/api/cuts/{}/links/{link}", town.cut))).send().await.unwrap().status(), 204);
    assert_eq!(heard().await, 401);
    // One word more than the link.
    let body = json!({ "to": "Client", "days": 1, "word": "pendulum" });
    let answer: Value = ada.post(at(&format!("/api/cuts/{}/links", town.cut))).json(&body).send().await.unwrap().json().await.unwrap();
    let key = key_in(answer["link"].as_str().unwrap()).to_owned();
    let enter = async |word: &str| nobody.post(at("/api/keys/enter")).json(&json!({ "key": key, "word": word })).send().await.unwrap().status().as_u16();
    assert_eq!((enter("").await, enter("escapement").await, enter("pendulum").await), (401, 401, 200));
    // The last owner stays; who is taken out sees nothing from then on.
    let people: Value = ada.get(at(&format!("/api/projects/{}", town.project))).send().await.unwrap().json().await.unwrap();
    let id = |email: &str| people["people"].as_array().unwrap().iter().find(|p| p["email"] == email).unwrap()["id"].as_str().unwrap().to_owned();
    let member = |email: &str| at(&format!("/api/projects/{}/people/{}", town.project, id(email)));
    assert_eq!(ada.delete(member("ada@example.org")).send().await.unwrap().status(), 422);
    let editor = town.client("editor");
    let sees = async || editor.get(at(&format!("/api/cuts/{}", town.cut))).send().await.unwrap().status().as_u16();
    assert_eq!(sees().await, 200);
    assert_eq!(ada.delete(member("editor@example.org")).send().await.unwrap().status(), 204);
    assert_eq!(sees().await, 404);
    // Signing out everywhere ends the sessions of other browsers; so does a new password.
    let listener = town.client("listener");
    let body = json!({ "email": "listener@example.org", "password": PASSWORD });
    let second = client_of(nobody.post(at("/api/session")).json(&body).send().await.unwrap()).await;
    assert_eq!(listener.delete(at("/api/session/everywhere")).send().await.unwrap().status(), 204);
    assert_eq!(second.get(at("/api/projects")).send().await.unwrap().status(), 401);
    let third = client_of(nobody.post(at("/api/session")).json(&body).send().await.unwrap()).await;
    let answer: Value = ada.post(at(&format!("/api/people/{}/password-key", id("listener@example.org")))).send().await.unwrap().json().await.unwrap();
    let key = key_in(answer["link"].as_str().unwrap()).to_owned();
    town.house.studio.accept(&key, &Newcomer { name: String::new(), password: "five words are even better".into() }, "").await.unwrap();
    assert_eq!(third.get(at("/api/projects")).send().await.unwrap().status(), 401);
    assert_eq!(nobody.post(at("/api/session")).json(&body).send().await.unwrap().status(), 401);
    // The record says who did what, and no key, word or password.
    let answer = ada.get(at(&format!("/api/projects/{}/record.csv", town.project))).send().await.unwrap();
    assert_eq!(answer.headers()["content-type"], "text/csv; charset=utf-8");
    let text = answer.text().await.unwrap();
    let mut lines = csv::Reader::from_reader(text.as_bytes());
    let done: Vec<(String, String)> = lines.records().map(|line| line.unwrap()).map(|line| (line[1].to_owned(), line[3].to_owned())).collect();
    for (who, what) in [("Ada", "shared"), ("Ada", "invited"), ("Client", "listened"), ("editor", "opened"), ("Ada", "took somebody out")] {
        assert!(done.contains(&(who.to_owned(), what.to_owned())), "{who} {what}: {text}");
    }
    assert!(!text.contains("pendulum") && !text.contains(PASSWORD) && !text.contains(&key), "{text}");
    // Nothing that opens anything lies in the database as it is.
    assert!(people::by_email(&town.house.studio.pool, "bo@example.org").await.unwrap().unwrap().password.unwrap().starts_with("$argon2id$"));
}
