//! Who may come in, and what every answer says about itself.

use super::house::House;
use jaunty_e2e::plain_client;
use jaunty_server::http::openapi_document;
use reqwest::{Method, Response};
use serde_json::{Value, json};
use std::num::NonZeroU32;

/// Every address of the interface with each of its methods, with something in the place of its names.
pub fn addresses() -> Vec<(Method, String)> {
    let document: Value = serde_json::from_str(&openapi_document()).unwrap();
    let mut all = Vec::new();
    for (path, methods) in document["paths"].as_object().unwrap() {
        let path = path.replace("{id}", "00000000-0000-0000-0000-000000000000").replace("{hash}", &"0".repeat(64));
        let path =
            path.split('/').map(|part| if part.starts_with('{') { part.replace(['{', '}'], "1") } else { part.to_owned() }).collect::<Vec<_>>().join("/");
        for method in methods.as_object().unwrap().keys() {
            all.push((method.to_uppercase().parse().unwrap(), path.clone()));
        }
    }
    all
}

fn header<'a>(response: &'a Response, name: &str) -> &'a str {
    response.headers().get(name).map_or("", |v| v.to_str().unwrap())
}

#[actix_web::test]
async fn every_answer_says_how_it_may_be_used() {
    let house = House::new().await;
    let address = house.serve();
    let client = house.client(&address).await;
    let all = addresses();
    assert!(all.len() > 35, "{}", all.len());
    let further = ["/", "/cut/x/shape", "/api/openapi.json", "/api/nothing", "/assets/nothing.js", "/api"].map(|p| (Method::GET, p.to_owned()));
    for (method, path) in all.into_iter().chain(further) {
        let response = client.request(method.clone(), format!("{address}{path}")).json(&json!({})).send().await.unwrap();
        assert!(response.status().as_u16() < 500, "{method} {path}: {}", response.status());
        // OWASP's list of secure headers, as far as it concerns a server on loopback.
        assert_eq!(header(&response, "x-content-type-options"), "nosniff", "{method} {path}");
        assert_eq!(header(&response, "referrer-policy"), "no-referrer", "{method} {path}");
        assert_eq!(header(&response, "cross-origin-resource-policy"), "same-origin", "{method} {path}");
        assert!(header(&response, "content-security-policy").contains("frame-ancestors 'none'"), "{method} {path}");
        assert!(!header(&response, "cache-control").is_empty(), "{method} {path}");
        if path.starts_with("/api") {
            assert!(header(&response, "content-security-policy").starts_with("default-src 'none'"), "{method} {path}");
            assert!(!header(&response, "content-type").starts_with("text/html"), "{method} {path}");
        }
        if response.status().is_client_error() {
            assert_eq!(header(&response, "content-type"), "application/problem+json", "{method} {path}");
            let problem: Value = response.json().await.unwrap();
            let detail = problem["detail"].as_str().unwrap();
            for jargon in ["serde", "column", "core", "invalid type", "missing field", "Json"] {
                assert!(!detail.contains(jargon), "{method} {path}: {detail}");
            }
        }
    }
}

#[actix_web::test]
async fn a_wrong_method_is_told_which_ones_there_are() {
    let house = House::new().await;
    let address = house.serve();
    let client = plain_client();
    for (method, path, allowed) in [
        (Method::POST, "/api/health", "GET"),
        (Method::GET, "/api/cuts/00000000-0000-0000-0000-000000000000/changes", "POST"),
        (Method::PATCH, "/api/cuts", "GET"),
        (Method::DELETE, "/api/openapi.json", "GET"),
    ] {
        let response = client.request(method.clone(), format!("{address}{path}")).send().await.unwrap();
        assert_eq!(response.status(), 405, "{method} {path}");
        assert!(header(&response, "allow").split(", ").any(|m| m == allowed), "{path}: {}", header(&response, "allow"));
    }
    assert_eq!(client.post(format!("{address}/")).send().await.unwrap().status(), 405);
    assert_eq!(client.get(format!("{address}/api/nothing")).send().await.unwrap().status(), 404);
}

#[actix_web::test]
async fn other_pages_and_other_names_come_to_a_closed_door() {
    let house = House::with(|s| s.hosts = vec!["cutting-room.example".into()]).await;
    let address = house.serve();
    let own = address.trim_start_matches("http://");
    let client = house.client(&address).await;
    let body = json!({ "title": "Foreign", "length": "10", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    let sent = async |headers: &[(&'static str, &str)]| {
        let mut request = client.post(format!("{address}/api/cuts")).json(&body);
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        request.send().await.unwrap().status().as_u16()
    };
    let of_own = format!("http://{own}");
    // A program, the page itself, and the page under a name that was set.
    assert_eq!(sent(&[]).await, 200);
    assert_eq!(sent(&[("origin", &of_own), ("sec-fetch-site", "same-origin")]).await, 200);
    assert_eq!(sent(&[("host", "cutting-room.example:8760"), ("origin", "https://cutting-room.example:8760")]).await, 200);
    for foreign in [
        &[("origin", "http://elsewhere.example")][..],
        &[("origin", "null")],
        &[("origin", "http://localhost:1")],
        &[("sec-fetch-site", "cross-site")],
        // Another port of this machine is another program's page.
        &[("sec-fetch-site", "same-site")],
        &[("sec-fetch-site", "same-origin"), ("origin", "http://127.0.0.1.elsewhere.example")],
        // A name that leads to loopback, as in DNS rebinding; what forwarding headers say counts for nothing.
        &[("host", "elsewhere.example")],
        &[("host", "elsewhere.example"), ("x-forwarded-host", "localhost"), ("forwarded", "host=localhost")],
        &[("host", "localhost@elsewhere.example")],
        &[("host", "localhost.elsewhere.example")],
    ] {
        assert_eq!(sent(foreign).await, 403, "{foreign:?}");
    }
    // Reading, too: under a foreign name, or from a page of elsewhere.
    for (name, value) in [("host", "elsewhere.example"), ("sec-fetch-site", "cross-site"), ("origin", "http://elsewhere.example")] {
        assert_eq!(client.get(format!("{address}/api/cuts")).header(name, value).send().await.unwrap().status(), 403, "{name}");
    }
    assert_eq!(client.get(format!("{address}/")).header("host", "elsewhere.example").send().await.unwrap().status(), 403);
    // Three cuts were made, by those who may.
    let cuts: Value = client.get(format!("{address}/api/cuts")).send().await.unwrap().json().await.unwrap();
    assert_eq!(cuts["total"], 3);
}

#[actix_web::test]
async fn one_client_cannot_send_without_end() {
    let house = House::with(|s| s.most_requests_per_second = NonZeroU32::new(5).unwrap()).await;
    let address = house.serve();
    let client = plain_client();
    let mut refused = None;
    for sent in 0..100 {
        let response = client.get(format!("{address}/api/nothing")).send().await.unwrap();
        if response.status() == 429 {
            assert_eq!(header(&response, "retry-after"), "2");
            refused = Some(sent);
            break;
        }
    }
    // Ten times as many at once as a second.
    assert!(refused.is_some_and(|sent| (50..80).contains(&sent)), "{refused:?}");
}

#[actix_web::test]
async fn a_long_transcript_is_saved_and_a_longer_one_is_refused_in_words() {
    let house = House::new().await;
    let address = house.serve();
    let client = house.client(&address).await;
    let cut = house.cut("Talk").await;
    let url = format!("{address}/api/cuts/{cut}/changes");
    let lines = |count: usize, words: &str| (0..count).map(|k| json!({ "startSamples": k * 240, "words": words })).collect::<Vec<_>>();
    // 5,000 lines of 600 letters, each of four bytes.
    let say = |revision: &Value, lines: Vec<Value>| json!({ "revision": revision, "change": { "about": "voice", "do": "lines", "lines": lines } });
    let answer = client.post(&url).json(&say(&json!(1), lines(5000, &"\u{1d11e}".repeat(600)))).send().await.unwrap();
    assert_eq!(answer.status(), 200);
    let shown: Value = answer.json().await.unwrap();
    let view: Value = client.get(format!("{address}/api/cuts/{cut}")).send().await.unwrap().json().await.unwrap();
    assert_eq!(view["lines"].as_array().map(Vec::len), Some(5000));
    let answer = client.post(&url).json(&say(&shown["revision"], lines(5001, "one too many"))).send().await.unwrap();
    assert_eq!(answer.status(), 422);
    let endless = client.post(&url).header("content-type", "application/json").body(vec![b' '; 20 << 20]).send().await;
    // The connection may be cut before all of it is sent.
    assert!(endless.map_or(true, |answer| answer.status() == 413));
    let other = client.post(format!("{address}/api/cuts")).header("content-type", "application/json").body(vec![b' '; 2 << 20]).send().await;
    assert!(other.map_or(true, |answer| answer.status() == 413));
}
