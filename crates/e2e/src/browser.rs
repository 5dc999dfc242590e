//! A headless Chromium at 1280 x 800.

use crate::{Guarded, Server, eventually, free_port, guarded, plain_client};
use fantoccini::elements::Element;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::path::Path;
use std::time::Duration;
use tempfile::TempDir;

/// Why a browser did not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum BrowserError {
    /// ChromeDriver said no.
    #[error(transparent)]
    Command(#[from] fantoccini::error::CmdError),
    /// No session could be had.
    #[error(transparent)]
    Session(#[from] fantoccini::error::NewSessionError),
    /// The system said no.
    #[error(transparent)]
    Io(#[from] std::io::Error),
    /// The plain HTTP call to ChromeDriver failed.
    #[error(transparent)]
    Http(#[from] reqwest::Error),
    /// Something did not appear.
    #[error("{0} did not appear")]
    Missing(String),
}

/// A browser with one page.
pub struct Browser {
    client: Client,
    http: reqwest::Client,
    driver: String,
    downloads: TempDir,
    // Ended last, after the client has said goodbye.
    _process: Guarded,
    _profile: TempDir,
}

impl Browser {
    /// Starts one.
    ///
    /// # Errors
    /// [`BrowserError`]; Chromium and ChromeDriver must be installed.
    pub async fn start() -> Result<Self, BrowserError> {
        Self::start_with(&[], false).await
    }

    /// As [`Browser::start_in`], and every request of its pages is logged ([`Browser::log`] of `performance`).
    ///
    /// # Errors
    /// As [`Browser::start`].
    pub async fn start_watched(server: &Server) -> Result<Self, BrowserError> {
        let browser = Self::start_with(&[], true).await?;
        browser.take_cookie(server).await?;
        Ok(browser)
    }

    /// As [`Browser::start_in`], with a microphone that Chromium itself makes up: a beep every second.
    ///
    /// # Errors
    /// As [`Browser::start`].
    pub async fn start_with_microphone(server: &Server) -> Result<Self, BrowserError> {
        let browser = Self::start_with(&["--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"], false).await?;
        browser.take_cookie(server).await?;
        Ok(browser)
    }

    /// Starts one that came in to a server by its printed link.
    ///
    /// # Errors
    /// As [`Browser::start`].
    pub async fn start_in(server: &Server) -> Result<Self, BrowserError> {
        let browser = Self::start().await?;
        browser.take_cookie(server).await?;
        Ok(browser)
    }

    /// Takes over the cookie of somebody who came in to a server.
    ///
    /// # Errors
    /// [`BrowserError`].
    async fn take_cookie(&self, server: &Server) -> Result<(), BrowserError> {
        let (name, value) = server.cookie().split_once('=').unwrap_or_default();
        let cookie = json!({ "url": server.url("/"), "name": name, "value": value, "httpOnly": true, "sameSite": "Strict" });
        self.devtools("Network.setCookie", cookie).await
    }

    async fn start_with(more: &[&str], watched: bool) -> Result<Self, BrowserError> {
        let port = free_port()?;
        let process = guarded(&format!("chromedriver --port={port} --allowed-ips=127.0.0.1"))?;
        let driver = format!("http://127.0.0.1:{port}");
        let (status, http) = (format!("{driver}/status"), plain_client());
        let up = eventually(Duration::from_secs(30), async || http.get(&status).send().await.ok()).await;
        up.ok_or_else(|| BrowserError::Missing("ChromeDriver".into()))?;
        let (profile, downloads) = (tempfile::tempdir()?, tempfile::tempdir()?);
        let arguments = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--no-default-browser-check",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-extensions",
            "--mute-audio",
            "--force-device-scale-factor=1",
            "--window-size=1280,800",
            "--autoplay-policy=no-user-gesture-required",
        ];
        let mut all: Vec<String> = arguments.map(str::to_owned).to_vec();
        all.extend(more.iter().map(|a| (*a).to_owned()));
        all.push(format!("--user-data-dir={}", profile.path().display()));
        let capabilities = json!({
            "browserName": "chrome",
            "goog:loggingPrefs": { "browser": "ALL", "performance": if watched { "ALL" } else { "OFF" } },
            "goog:chromeOptions": {
                "binary": "/usr/bin/chromium",
                "args": all,
                "prefs": { "download.default_directory": downloads.path(), "download.prompt_for_download": false },
            },
        });
        let capabilities = capabilities.as_object().cloned().unwrap_or_default();
        let client = ClientBuilder::new(HttpConnector::new()).capabilities(capabilities).connect(&driver).await?;
        let browser = Self { client, http, driver, downloads, _process: process, _profile: profile };
        browser.devtools("Emulation.setDeviceMetricsOverride", json!({ "width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": false })).await?;
        Ok(browser)
    }

    /// The page.
    pub fn client(&self) -> &Client {
        &self.client
    }

    async fn session(&self) -> Result<String, BrowserError> {
        self.client.session_id().await?.ok_or_else(|| BrowserError::Missing("a session".into()))
    }

    /// Gives a command of the DevTools protocol.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn devtools(&self, command: &str, parameters: Value) -> Result<(), BrowserError> {
        let url = format!("{}/session/{}/goog/cdp/execute", self.driver, self.session().await?);
        self.http.post(url).json(&json!({ "cmd": command, "params": parameters })).send().await?.error_for_status()?;
        Ok(())
    }

    /// What the browser logged: `browser` for the console, `performance` for the network.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn log(&self, kind: &str) -> Result<Vec<String>, BrowserError> {
        let url = format!("{}/session/{}/se/log", self.driver, self.session().await?);
        let answer: Value = self.http.post(url).json(&json!({ "type": kind })).send().await?.json().await?;
        let entries = answer["value"].as_array().cloned().unwrap_or_default();
        Ok(entries.iter().filter_map(|e| e["message"].as_str().map(str::to_owned)).collect())
    }

    /// The element with the test name `name`, once it is there.
    ///
    /// # Errors
    /// [`BrowserError::Missing`] after 40 seconds.
    pub async fn find(&self, name: &str) -> Result<Element, BrowserError> {
        self.css(&format!("[data-test=\"{name}\"]")).await
    }

    /// The first element of a CSS selector, once it is there.
    ///
    /// # Errors
    /// [`BrowserError::Missing`] after 40 seconds.
    pub async fn css(&self, selector: &str) -> Result<Element, BrowserError> {
        let found = eventually(Duration::from_secs(40), async || self.client.find(Locator::Css(selector)).await.ok()).await;
        found.ok_or_else(|| BrowserError::Missing(selector.to_owned()))
    }

    /// How many elements carry the test name `name`.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn count(&self, name: &str) -> Result<usize, BrowserError> {
        Ok(self.client.find_all(Locator::Css(&format!("[data-test=\"{name}\"]"))).await?.len())
    }

    /// Chooses a file in the upload with the test name `name`.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn choose_file(&self, name: &str, file: &Path) -> Result<(), BrowserError> {
        // The test name lands on the upload's root or on its input, whichever the component passes it to.
        let selector = format!("[data-test=\"{name}\"] input[type=file], input[type=file][data-test=\"{name}\"]");
        Ok(self.css(&selector).await?.send_keys(&file.display().to_string()).await?)
    }

    /// A file that was saved by the page, once it is whole.
    ///
    /// # Errors
    /// [`BrowserError::Missing`] after 40 seconds.
    pub async fn saved_file(&self) -> Result<std::path::PathBuf, BrowserError> {
        let whole = async || {
            let entries: Vec<_> = std::fs::read_dir(self.downloads.path()).ok()?.flatten().map(|e| e.path()).collect();
            // Chromium writes under other names first, hidden ones among them.
            let begun = |p: &std::path::Path| p.file_name().is_some_and(|n| n.to_string_lossy().starts_with('.'));
            // Its own name stands there empty at first.
            let filled = |p: &std::path::Path| p.metadata().is_ok_and(|m| m.len() > 0);
            entries.into_iter().find(|p| !begun(p) && filled(p) && p.extension().is_some_and(|e| e != "crdownload" && e != "tmp"))
        };
        eventually(Duration::from_secs(40), whole).await.ok_or_else(|| BrowserError::Missing("a saved file".into()))
    }

    /// What axe-core (npm, the engine of most accessibility checks) finds wrong with the page as it stands: rule, what it says, and
    /// where. Empty where nothing is.
    ///
    /// # Errors
    /// [`BrowserError`]; `./test` installs axe-core.
    pub async fn axe(&self) -> Result<Vec<String>, BrowserError> {
        let script = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/node_modules/axe-core/axe.min.js"))?;
        self.client.execute(&script, Vec::new()).await?;
        const RUN: &str = "const done = arguments[arguments.length - 1];
            axe.run(document).then((found) => done(found.violations.map((v) => `${v.id}: ${v.help}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`)))
               .catch((cause) => done([String(cause)]));";
        let found = self.client.execute_async(RUN, Vec::new()).await?;
        Ok(found.as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect())
    }

    /// Writes a picture of the page.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn picture(&self, to: &Path) -> Result<(), BrowserError> {
        std::fs::write(to, self.client.screenshot().await?)?;
        Ok(())
    }

    /// Ends the session.
    ///
    /// # Errors
    /// [`BrowserError`].
    pub async fn close(self) -> Result<(), BrowserError> {
        Ok(self.client.clone().close().await?)
    }
}

impl Drop for Browser {
    /// ChromeDriver leaves a Chromium behind whose session nobody ended: it is known by its profile.
    fn drop(&mut self) {
        let profile = self._profile.path().display().to_string();
        for entry in std::fs::read_dir("/proc").into_iter().flatten().flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            let command = std::fs::read(entry.path().join("cmdline")).unwrap_or_default();
            if name.parse::<u32>().is_ok() && String::from_utf8_lossy(&command).contains(&profile) {
                // It may be gone by now.
                let _ = std::process::Command::new("kill").args(["-9", &name]).stderr(std::process::Stdio::null()).status();
            }
        }
    }
}
