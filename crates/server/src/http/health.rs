//! Whether the server lives, whether it can do its work, and how much of it there is.

use crate::store::{answers, jobs};
use crate::studio::{Problem, Studio};
use actix_web::{HttpResponse, get, web};
use metrics_exporter_prometheus::{Matcher, PrometheusBuilder};
use std::net::SocketAddr;
use std::time::Duration;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(health).service(alive);
}

/// Whether the server can do its work: it and its database answer. Who spreads requests over servers asks this.
#[utoipa::path(responses((status = 204, description = "All is well")))]
#[get("/api/health")]
pub async fn health(studio: web::Data<Studio>) -> Result<HttpResponse, Problem> {
    answers(&studio.pool).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Whether the server lives, whatever became of its database: starting it again would mend nothing else.
#[utoipa::path(responses((status = 204, description = "It lives")))]
#[get("/api/alive")]
pub async fn alive() -> HttpResponse {
    HttpResponse::NoContent().finish()
}

/// Offers figures to Prometheus on an address of their own, and keeps those of the queue up to date.
///
/// # Errors
/// What the network says.
pub fn offer_figures(studio: &Studio, at: SocketAddr) -> std::io::Result<()> {
    /// From a level edit to a long export.
    const SECONDS: [f64; 10] = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 5.0, 30.0];
    const OFTEN: Duration = Duration::from_secs(5);
    PrometheusBuilder::new()
        .with_http_listener(at)
        .set_buckets_for_metric(Matcher::Suffix("_seconds".into()), &SECONDS)
        .and_then(PrometheusBuilder::install)
        .map_err(std::io::Error::other)?;
    let pool = studio.pool.clone();
    tokio::spawn(async move {
        loop {
            if let Ok((queued, running)) = jobs::under_way(&pool).await {
                metrics::gauge!("jaunty_jobs", "state" => "queued").set(queued as f64);
                metrics::gauge!("jaunty_jobs", "state" => "running").set(running as f64);
            }
            tokio::time::sleep(OFTEN).await;
        }
    });
    Ok(())
}
