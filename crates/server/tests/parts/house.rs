//! What the tests stand on.

use jaunty_core::cut::Setup;
use jaunty_core::picture::Picture;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_e2e::Database;
use jaunty_server::Settings;
use jaunty_server::http::serve;
use jaunty_server::studio::Studio;
use std::net::TcpListener;
use std::path::Path;
use tempfile::TempDir;
use uuid::Uuid;

/// The server's parts with a database and a folder of their own.
pub struct House {
    pub studio: Studio,
    pub settings: Settings,
    pub folder: TempDir,
    _database: Database,
}

impl House {
    pub async fn new() -> Self {
        Self::with(|_| {}).await
    }

    pub async fn with(set: impl FnOnce(&mut Settings)) -> Self {
        let database = Database::fresh().await.expect("MariaDB is installed by ./test");
        let folder = TempDir::new().expect("a folder");
        let mut settings = Settings::new(&database.url(), folder.path(), Path::new(env!("CARGO_BIN_EXE_jaunty")));
        set(&mut settings);
        let studio = Studio::open(&settings).await.expect("it opens");
        Self { studio, settings, folder, _database: database }
    }

    /// A cut of 40 s without anything.
    pub async fn cut(&self, title: &str) -> Uuid {
        let rate = FrameRate::new(25, 1, false).expect("a rate");
        let setup = Setup::new(title, Picture::new(CutLength::new(rate, 1000).expect("a length")));
        self.studio.new_cut(&setup).await.expect("it is made")
    }

    /// A client of somebody who is alone at this machine and came in by a link.
    pub async fn client(&self, address: &str) -> reqwest::Client {
        let key = self.studio.house_key().await.expect("a key");
        jaunty_e2e::client_with(&jaunty_e2e::enter(&format!("{address}/key#{key}")).await.expect("it opens"))
    }

    /// Serves on a free port until the test is over; its address.
    pub fn serve(&self) -> String {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let address = format!("http://{}", listener.local_addr().expect("an address"));
        let (studio, settings) = (self.studio.clone(), self.settings.clone());
        actix_web::rt::spawn(async move { serve(studio, listener, &settings).await });
        address
    }
}
