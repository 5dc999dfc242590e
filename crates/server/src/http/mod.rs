//! The floor of HTTP: addresses, what they take and answer, and who may ask. A handler is one call of
//! the [`Studio`](crate::studio::Studio); what it looks like is made by the `views`.

mod clients;
mod cuts;
mod doors;
mod files;
mod film;
mod fit;
mod handed;
mod hash;
mod health;
mod house;
mod listening;
mod openapi;
mod openid;
mod page;
mod people;
mod problem;
mod reading;
mod request_span;
mod rights;
mod sessions;
mod shelf;
mod table;
mod versions;
mod views;
mod voice;

pub use health::offer_figures;
pub use openapi::document as openapi_document;
pub use table::{Right, TABLE};
pub use views::{BedReadingView, CutView, FittingView};

use crate::settings::Settings;
use crate::studio::{Code, Elsewhere, Problem, Studio};
use actix_web::error::{InternalError, JsonPayloadError};
use actix_web::{App, HttpServer, web};
use doors::Doors;
use request_span::RequestSpan;
use rights::House;
use sessions::{KnownCookie, Seal, TryCookie};
use std::net::{SocketAddr, TcpListener};
use std::sync::Arc;
use std::time::Duration;

/// The largest body of a request but for files and changes.
const MOST_JSON_BYTES: usize = 1 << 20;

/// How bodies are read that are JSON.
fn json(most_bytes: usize) -> web::JsonConfig {
    web::JsonConfig::default().limit(most_bytes).error_handler(move |cause, _| {
        let problem = match cause {
            JsonPayloadError::Overflow { .. } | JsonPayloadError::OverflowKnownLength { .. } => {
                Problem::new(Code::TooLarge, format!("The request has more than {} kB.", most_bytes >> 10))
            }
            _ => Problem::new(Code::BadRequest, "The request is not what this address takes."),
        };
        problem.into()
    })
}

/// Mounts everything: the addresses, the page, and problems for whatever else is asked.
pub fn configure(config: &mut web::ServiceConfig) {
    // A name that is none.
    let path = web::PathConfig::default()
        .error_handler(|cause, request| InternalError::from_response(cause, table::nothing_there(request.path(), request.method())).into());
    let query = web::QueryConfig::default()
        .error_handler(|_, _| Problem::new(Code::BadRequest, "The address is not complete, or a value in it is not allowed.").into());
    config
        .app_data(json(MOST_JSON_BYTES))
        .app_data(path)
        .app_data(query)
        .configure(health::configure)
        .configure(versions::configure)
        .configure(cuts::configure)
        .configure(files::configure)
        .configure(film::configure)
        .configure(shelf::configure)
        .configure(voice::configure)
        .configure(reading::configure)
        .configure(fit::configure)
        .configure(listening::configure)
        .configure(handed::configure)
        .configure(house::configure)
        .configure(people::configure)
        .configure(openid::configure)
        .configure(clients::configure)
        .configure(openapi::configure)
        .configure(page::configure);
}

/// The house as its settings say.
fn house_of(settings: &Settings, listens_at: SocketAddr) -> House {
    let address = settings.address.as_deref().map_or_else(|| format!("http://{listens_at}"), |a| a.trim_end_matches('/').to_owned());
    House { accounts: settings.accounts, address, behind_proxy: settings.behind_proxy }
}

/// The link that brings a key to a server that listens there.
pub fn link(settings: &Settings, listens_at: SocketAddr, key: &str) -> String {
    house_of(settings, listens_at).link(key)
}

/// Serves `studio` on `listener` until the process is told to stop.
///
/// # Errors
/// What the network says.
pub async fn serve(studio: Studio, listener: TcpListener, settings: &Settings) -> std::io::Result<()> {
    let seal = Seal::of(&studio.pool, settings.address.as_deref().is_some_and(|a| a.starts_with("https:"))).await.map_err(std::io::Error::other)?;
    let known_cookie = web::Data::new(KnownCookie::of(&seal).await.map_err(std::io::Error::other)?);
    let try_cookie = web::Data::new(TryCookie::of(&seal).await.map_err(std::io::Error::other)?);
    let house = house_of(settings, listener.local_addr()?);
    let made = settings
        .elsewhere
        .as_ref()
        .filter(|_| settings.accounts)
        .map(|service| Elsewhere::new(service.clone(), format!("{}{}", house.address, sessions::BACK)));
    let elsewhere: web::Data<openid::Service> = web::Data::new(made.transpose().map_err(std::io::Error::other)?.map(Arc::new));
    let house = web::Data::new(house);
    let doors = web::Data::new(Doors::new(&settings.hosts, settings.most_requests_per_second));
    let quiet = doors.clone();
    tokio::spawn(async move {
        loop {
            tokio::time::sleep(Duration::from_secs(60)).await;
            quiet.forget_quiet_clients();
        }
    });
    HttpServer::new(move || {
        App::new()
            .wrap(actix_web::middleware::Compress::default())
            .wrap(actix_web::middleware::from_fn(rights::check))
            .wrap(seal.layer())
            .wrap(actix_web::middleware::from_fn(doors::guard))
            .wrap(tracing_actix_web::TracingLogger::<RequestSpan>::new())
            .app_data(doors.clone())
            .app_data(house.clone())
            .app_data(elsewhere.clone())
            .app_data(try_cookie.clone())
            .app_data(known_cookie.clone())
            .app_data(web::Data::new(studio.clone()))
            .configure(configure)
    })
    .workers(2)
    // Longer than from one chunk of sound to the next.
    .keep_alive(Duration::from_secs(75))
    .shutdown_timeout(1)
    .listen(listener)?
    .run()
    .await
}
