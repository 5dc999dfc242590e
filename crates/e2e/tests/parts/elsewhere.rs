//! Signing in through a service elsewhere: `oidc-provider-mock` (PyPI), which `./test` installs, speaks OpenID Connect.

use super::files::Stand;
use super::people::{click, shown};
use fantoccini::Locator;
use jaunty_e2e::{Browser, Guarded, client_with, eventually, free_port, guarded, plain_client, program};
use serde_json::{Value, json};
use std::process::Command;
use std::time::Duration;

/// The service, and what a server is told of it.
struct Service {
    settings: Vec<String>,
    _process: Guarded,
}

impl Service {
    async fn new() -> Self {
        let port = free_port().unwrap();
        let user =
            |sub: &str, email: &str, verified: bool| json!({ "sub": sub, "name": format!("{sub} Elsewhere"), "email": email, "email_verified": verified });
        let users = [
            user("ada", "Ada@example.org", true),
            user("bo", "bo@example.org", true),
            user("eve", "eve@example.org", true),
            user("mal", "ada@example.org", false),
        ];
        let users: String = users.iter().map(|user| format!(" --user-claims '{user}'")).collect();
        let process = guarded(&format!("{}/../../.venv/bin/oidc-provider-mock --require-nonce true -p {port}{users}", env!("CARGO_MANIFEST_DIR"))).unwrap();
        // By another name than the house: what comes back from it is led by a page from elsewhere.
        let issuer = format!("http://localhost:{port}");
        let document = format!("{issuer}/.well-known/openid-configuration");
        let ready = eventually(Duration::from_secs(60), async || plain_client().get(&document).send().await.ok()?.json::<Value>().await.ok()).await;
        let issuer = ready.expect("oidc-provider-mock is installed by ./test")["issuer"].as_str().unwrap().to_owned();
        let settings = [
            "--accounts",
            "--workers",
            "0",
            "--openid-issuer",
            &issuer,
            "--openid-client",
            "jaunty",
            "--openid-secret",
            "shared",
            "--openid-name",
            "Planks and Sons",
        ];
        Self { settings: settings.map(str::to_owned).to_vec(), _process: process }
    }
}

/// A browser in which somebody went to the service and came back.
async fn came_back_as(stand: &Stand, sub: &str) -> Browser {
    let browser = Browser::start().await.unwrap();
    browser.client().goto(&stand.server.url("/")).await.unwrap();
    shown(&browser, "Sign in through Planks and Sons").await;
    click(&browser, "elsewhere").await;
    let of_service = if sub.is_empty() { "button[value=\"deny\"]".to_owned() } else { format!("button[value=\"{sub}\"]") };
    browser.client().wait().at_most(Duration::from_secs(20)).for_element(Locator::Css(&of_service)).await.unwrap().click().await.unwrap();
    browser
}

async fn client_of(browser: &Browser) -> reqwest::Client {
    let cookies = browser.client().get_all_cookies().await.unwrap();
    client_with(&cookies.iter().map(|c| format!("{}={}", c.name(), c.value())).collect::<Vec<_>>().join("; "))
}

#[tokio::test(flavor = "multi_thread")]
async fn who_is_known_elsewhere_signs_in_through_that_and_strangers_do_not() {
    let service = Service::new().await;
    let stand = Stand::new(&service.settings.iter().map(String::as_str).collect::<Vec<_>>()).await;
    let place = ["--database-url", &stand.database.url(), "--data", &stand.data.path().display().to_string(), "--listen", "127.0.0.1:1"].map(str::to_owned);
    let made = Command::new(program()).args(["people", "--name", "Ada", "--email", "ada@example.org"]).args(place).output().unwrap();
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));

    // An address that the service has not verified opens nothing, though somebody here has it.
    let mal = came_back_as(&stand, "mal").await;
    shown(&mal, "Nobody with your address was let in here").await;
    mal.close().await.unwrap();

    // Ada never chose a password.
    let ada = came_back_as(&stand, "ada").await;
    ada.find("people").await.unwrap();
    let asked = client_of(&ada).await;
    let me: Value = asked.get(stand.server.url("/api/me")).send().await.unwrap().json().await.unwrap();
    assert_eq!((me["person"]["email"].as_str(), me["person"]["keeper"].as_bool()), (Some("ada@example.org"), Some(true)), "{me}");
    let invited = asked
        .post(stand.server.url("/api/projects/00000000-0000-0000-0000-000000000000/invitations"))
        .json(&json!({ "email": "bo@example.org", "role": "editor" }))
        .send()
        .await
        .unwrap();
    assert!(invited.status().is_success(), "{}", invited.text().await.unwrap());

    // Bo was invited and takes that by signing in; once, and by the name that they have there.
    let bo = came_back_as(&stand, "bo").await;
    bo.find("people").await.unwrap();
    let project: Value = asked.get(stand.server.url("/api/projects/00000000-0000-0000-0000-000000000000")).send().await.unwrap().json().await.unwrap();
    let names: Vec<&str> = project["people"].as_array().unwrap().iter().filter_map(|person| person["name"].as_str()).collect();
    assert!(names.contains(&"bo Elsewhere") && names.len() == 2, "{project}");
    assert_eq!(project["invitations"].as_array().map(Vec::len), Some(0), "{project}");

    // Nobody knows Eve, and who says no there has said nothing.
    let eve = came_back_as(&stand, "eve").await;
    shown(&eve, "Nobody with your address was let in here").await;
    assert_eq!(client_of(&eve).await.get(stand.server.url("/api/cuts")).send().await.unwrap().status(), 401);
    let no = came_back_as(&stand, "").await;
    shown(&no, "did not say who you are").await;

    // What comes back to no try of this browser opens nothing: somebody else's code and state, or none.
    let plain = reqwest::Client::builder().redirect(reqwest::redirect::Policy::none()).build().unwrap();
    for query in ["?code=stolen&state=guessed", "?error=access_denied", ""] {
        let answer = plain.get(stand.server.url(&format!("/api/session/elsewhere/back{query}"))).send().await.unwrap();
        assert_eq!((answer.status().as_u16(), answer.headers()["location"].to_str().unwrap()), (302, "/sign-in?elsewhere=not-told"), "{query}");
    }
    for browser in [ada, bo, eve, no] {
        browser.close().await.unwrap();
    }
}
