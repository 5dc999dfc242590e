//! Takes pictures of a running Jaunty Bar: `pictures URL FOLDER NAME=PATH[@SELECTOR-TO-CLICK] ...`; with `AXE=1` it tells what
//! axe-core finds wrong with each as well, with `DARK=1` the system asks for dark, with `PRINT=1` it is as on
//! paper, `WIDTH` is that of the window.

use jaunty_e2e::{Browser, BrowserError};
use serde_json::json;
use std::path::Path;
use std::time::Duration;

#[tokio::main]
async fn main() -> Result<(), BrowserError> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [url, folder, wanted @ ..] = arguments.as_slice() else {
        eprintln!("usage: pictures URL FOLDER NAME=PATH[@SELECTOR] ...");
        return Ok(());
    };
    let browser = Browser::start().await?;
    if let Some(width) = std::env::var("WIDTH").ok().and_then(|w| w.parse::<u32>().ok()) {
        browser
            .devtools("Emulation.setDeviceMetricsOverride", json!({ "width": width, "height": width * 5 / 8, "deviceScaleFactor": 1, "mobile": false }))
            .await?;
    }
    if std::env::var_os("DARK").is_some() {
        browser.devtools("Emulation.setEmulatedMedia", json!({ "features": [{ "name": "prefers-color-scheme", "value": "dark" }] })).await?;
    }
    for one in wanted {
        let (name, path) = one.split_once('=').ok_or_else(|| BrowserError::Missing(format!("a = in {one}")))?;
        let (path, click) = path.split_once('@').map_or((path, None), |(p, c)| (p, Some(c)));
        // "cut" stands for the first cut, whose address holds a name that nobody can guess.
        if let Some(step) = path.strip_prefix("/cut/") {
            browser.client().goto(url).await?;
            let cut = browser.find("cut").await?.attr("href").await?.unwrap_or_default();
            browser.client().goto(&format!("{url}{cut}/{step}")).await?;
        } else {
            browser.client().goto(&format!("{url}{path}")).await?;
        }
        tokio::time::sleep(Duration::from_millis(1800)).await;
        // Nothing is to be seen on its way: what is measured or made is waited for.
        let under_way = async || browser.client().find_all(fantoccini::Locator::Css("main [role=status], section [role=status]")).await.ok();
        jaunty_e2e::eventually(Duration::from_secs(20), async || under_way().await.filter(Vec::is_empty)).await;
        if std::env::var_os("PRINT").is_some() {
            // The page stays as it would be printed, since printing never comes back.
            browser.client().execute("window.print = () => { throw new Error('printing') }", Vec::new()).await?;
        }
        if let Some(selector) = click {
            // The fourth of many stands in the middle of the page.
            let all = browser.client().find_all(fantoccini::Locator::Css(selector)).await?;
            let chosen = all.into_iter().take(4).last().ok_or_else(|| BrowserError::Missing(selector.into()))?;
            chosen.click().await?;
            tokio::time::sleep(Duration::from_millis(700)).await;
        }
        if std::env::var_os("PRINT").is_some() {
            browser.devtools("Emulation.setEmulatedMedia", json!({ "media": "print" })).await?;
        }
        if std::env::var_os("AXE").is_some() {
            browser.axe().await?.iter().for_each(|wrong| eprintln!("{name}: {wrong}"));
        }
        browser.picture(&Path::new(folder).join(format!("{name}.png"))).await?;
    }
    for line in browser.log("browser").await? {
        eprintln!("console: {line}");
    }
    browser.close().await
}
