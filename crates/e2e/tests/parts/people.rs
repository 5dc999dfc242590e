//! Coming in: alone by the link of the terminal; two people on one cut while a third listens by a link.

use super::files::{FILES, Stand, fitted};
use fantoccini::Locator;
use jaunty_e2e::{Browser, client_with, eventually, plain_client, program};
use serde_json::{Value, json};
use std::time::Duration;

pub async fn shown(browser: &Browser, text: &str) {
    let there = eventually(Duration::from_secs(20), async || {
        let body = browser.client().find(Locator::Css("body")).await.ok()?.text().await.ok()?;
        body.contains(text).then_some(())
    });
    assert!(there.await.is_some(), "“{text}” is not shown: {}", browser.client().find(Locator::Css("body")).await.unwrap().text().await.unwrap());
}

pub async fn click(browser: &Browser, name: &str) {
    browser.find(name).await.unwrap().click().await.unwrap();
}

async fn write(browser: &Browser, name: &str, text: &str) {
    browser
        .css(&format!("input[data-test=\"{name}\"], textarea[data-test=\"{name}\"], [data-test=\"{name}\"] input"))
        .await
        .unwrap()
        .send_keys(text)
        .await
        .unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn who_is_alone_comes_in_by_the_link_of_the_terminal_and_nobody_else_does() {
    let stand = Stand::new(&["--workers", "0"]).await;
    let cut = stand.make_cut("Mine", "10").await;
    // Another program of this machine, and another browser.
    let other = plain_client();
    for path in ["/api/cuts", &format!("/api/cuts/{cut}"), &format!("/api/listening/{cut}"), "/api/beds"] {
        assert_eq!(other.get(stand.server.url(path)).send().await.unwrap().status(), 401, "{path}");
    }
    let browser = Browser::start().await.unwrap();
    browser.client().goto(&stand.server.url(&format!("/cuts/{cut}/shape"))).await.unwrap();
    shown(&browser, "Open the link of the terminal").await;
    // As it is pasted from there: it opens, and once.
    let port = stand.server.url("").rsplit(':').next().unwrap().to_owned();
    let printed = std::process::Command::new(program())
        .args(["link", "--database-url", &stand.database.url(), "--data", &stand.data.path().display().to_string(), "--listen", &format!("127.0.0.1:{port}")])
        .output()
        .unwrap();
    let link = String::from_utf8(printed.stdout).unwrap().trim().to_owned();
    assert!(link.starts_with(&stand.server.url("/key#")), "{link}");
    write(&browser, "link", &link).await;
    click(&browser, "open-link").await;
    shown(&browser, "Mine").await;
    let at = browser.client().current_url().await.unwrap();
    assert!(!at.as_str().contains("key"), "the key stays in no address: {at}");
    let second = Browser::start().await.unwrap();
    second.client().goto(&link).await.unwrap();
    shown(&second, "This link opens nothing").await;
    // What the server wrote down holds no key.
    let log = std::fs::read_to_string(stand.data.path().join("log")).unwrap_or_default();
    assert!(!log.contains(link.split('#').next_back().unwrap()), "{log}");
    browser.close().await.unwrap();
    second.close().await.unwrap();
}

/// Somebody in a browser of their own, who took a link and chose a password.
async fn somebody(link: &str, name: Option<&str>) -> Browser {
    let browser = Browser::start().await.unwrap();
    browser.client().goto(link).await.unwrap();
    if let Some(name) = name {
        write(&browser, "name", name).await;
    }
    write(&browser, "password", "four words are enough").await;
    click(&browser, "accept").await;
    browser.find("people").await.unwrap();
    browser
}

async fn given_link(browser: &Browser) -> String {
    browser.find("given-link").await.unwrap().prop("value").await.unwrap().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn two_people_work_on_one_cut_while_a_third_listens_by_a_link() {
    let stand = Stand::new(&["--accounts", "--workers", "2"]).await;
    let port = stand.server.url("").rsplit(':').next().unwrap().to_owned();
    let printed = std::process::Command::new(program())
        .args(["people", "--name", "Ada", "--email", "ada@example.org", "--listen", &format!("127.0.0.1:{port}")])
        .args(["--database-url", &stand.database.url(), "--data", &stand.data.path().display().to_string()])
        .output()
        .unwrap();
    let ada = somebody(String::from_utf8(printed.stdout).unwrap().trim(), None).await;
    // Ada invites Bo, who comes in with a window of his own.
    click(&ada, "people").await;
    write(&ada, "invite-email", "bo@example.org").await;
    click(&ada, "invite").await;
    let bo = somebody(&given_link(&ada).await, Some("Bo")).await;
    // A cut with a bed, as Ada's program makes it: her cookie is that of her window.
    let cookies = ada.client().get_all_cookies().await.unwrap();
    let mine = client_with(&cookies.iter().map(|c| format!("{}={}", c.name(), c.value())).collect::<Vec<_>>().join("; "));
    let body = json!({ "title": "Tower", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    let made: Value = mine.post(stand.server.url("/api/cuts")).json(&body).send().await.unwrap().json().await.unwrap();
    let path = format!("/api/cuts/{}", made["id"].as_str().unwrap());
    let form =
        reqwest::multipart::Form::new().part("file", reqwest::multipart::Part::bytes(std::fs::read(FILES.path("loop.wav")).unwrap()).file_name("loop.wav"));
    assert_eq!(mine.post(stand.server.url(&format!("{path}/candidates"))).multipart(form).send().await.unwrap().status(), 200);
    let view = async || mine.get(stand.server.url(&path)).send().await.ok()?.json::<Value>().await.ok();
    eventually(Duration::from_secs(120), async || view().await.filter(fitted)).await.expect("it is fitted");

    // Both look at it; what Ada changes Bo sees at once, with her name.
    let page = stand.server.url(&format!("{}/hand-over", path.trim_start_matches("/api")));
    for browser in [&ada, &bo] {
        browser.client().goto(&page).await.unwrap();
        browser.find("give").await.unwrap();
    }
    let revision = view().await.unwrap()["plan"]["revision"].clone();
    let change = json!({ "about": "cut", "do": "describe", "title": "Tower clock", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    let said = mine.post(stand.server.url(&format!("{path}/changes"))).json(&json!({ "revision": revision, "change": change })).send().await.unwrap();
    assert_eq!(said.status(), 200);
    shown(&bo, "Tower clock").await;
    shown(&bo, "by Ada").await;
    // Each sees where the other is.
    shown(&bo, "Ada is in Hand over").await;
    click(&ada, "step-check").await;
    shown(&bo, "Ada is in Check").await;
    click(&ada, "step-hand-over").await;
    // Bo cannot undo that without meaning it.
    click(&bo, "undo").await;
    shown(&bo, "Somebody else changed it after you").await;
    shown(&bo, "The last change is by Ada").await;
    bo.css(".ant-modal-confirm-btns button:first-child").await.unwrap().click().await.unwrap();
    assert_eq!(view().await.unwrap()["title"], "Tower clock");
    // Ada takes her own back from under what Bo does, and does it again.
    let cookies = bo.client().get_all_cookies().await.unwrap();
    let his = client_with(&cookies.iter().map(|c| format!("{}={}", c.name(), c.value())).collect::<Vec<_>>().join("; "));
    let revision = view().await.unwrap()["plan"]["revision"].clone();
    let change = json!({ "about": "picture", "do": "markMoment", "frame": 200, "kind": "hit", "name": "the bell" });
    let said = his.post(stand.server.url(&format!("{path}/changes"))).json(&json!({ "revision": revision, "change": change })).send().await.unwrap();
    assert_eq!(said.status(), 200);
    shown(&ada, "by Bo").await;
    for (key, title) in [("undo", "Tower"), ("redo", "Tower clock")] {
        shown(&ada, if key == "undo" { "Undo: call the cut" } else { "Redo: call the cut" }).await;
        click(&ada, key).await;
        let done = eventually(Duration::from_secs(20), async || view().await.filter(|v| v["title"] == title)).await;
        assert_eq!(done.unwrap_or_else(|| panic!("{key} does not lead to {title}"))["moments"][0]["name"], "the bell");
    }

    // Ada gives it to a client, who opens it without an account, hears it and says something of a moment.
    write(&ada, "give-to", "Client").await;
    click(&ada, "give").await;
    let link = given_link(&ada).await;
    let client = Browser::start().await.unwrap();
    client.client().goto(&link).await.unwrap();
    shown(&client, "Tower clock").await;
    click(&client, "play").await;
    let heard = eventually(Duration::from_secs(20), async || {
        let at = client.find("position").await.ok()?.text().await.ok()?;
        (at.as_str() > "0:01").then_some(at)
    });
    heard.await.expect("it plays");
    click(&client, "play").await;
    write(&client, "words", "Softer here, please").await;
    click(&client, "say").await;
    shown(&client, "Client, ").await;
    let wrong = client.axe().await.unwrap();
    assert!(wrong.is_empty(), "{wrong:#?}");
    // Nothing else is reached with it.
    let cookies = client.client().get_all_cookies().await.unwrap();
    let theirs = client_with(&cookies.iter().map(|c| format!("{}={}", c.name(), c.value())).collect::<Vec<_>>().join("; "));
    for other in [path.clone(), format!("{path}/handed"), "/api/cuts".into(), "/api/projects".into()] {
        assert_eq!(theirs.get(stand.server.url(&other)).send().await.unwrap().status(), 401, "{other}");
    }
    // The remark stands on Bo's sheet until it is done.
    click(&bo, "step-shape").await;
    click(&bo, "flag").await;
    shown(&bo, "Softer here, please").await;
    click(&bo, "remark-done").await;
    eventually(Duration::from_secs(20), async || (bo.count("flag").await.ok()? == 0).then_some(())).await.expect("it is done");
    click(&client, "approve").await;
    click(&bo, "step-check").await;
    shown(&bo, "All is well.").await;
    // Taken back it is closed, at once.
    click(&ada, "take-link-back").await;
    let closed = eventually(Duration::from_secs(20), async || {
        let status = theirs.get(stand.server.url(&path.replace("cuts", "listening"))).send().await.ok()?.status();
        (status == 401).then_some(())
    });
    closed.await.expect("it is closed");
    client.client().refresh().await.unwrap();
    shown(&client, "This is not open any more").await;
    // Signed out, Ada comes to the door, and from there back to where she was.
    ada.client().goto(&stand.server.url("/people")).await.unwrap();
    click(&ada, "sign-out").await;
    ada.find("email").await.unwrap();
    ada.client().goto(&page).await.unwrap();
    write(&ada, "email", "ada@example.org").await;
    write(&ada, "password", "four words are enougt").await;
    click(&ada, "sign-in").await;
    shown(&ada, "do not belong together").await;
    write(&ada, "password", "\u{e003}h").await;
    click(&ada, "sign-in").await;
    ada.find("give").await.unwrap();
    for browser in [ada, bo, client] {
        browser.close().await.unwrap();
    }
}
