//! What the processes say of themselves: a log on the standard error, and traces for whoever gathers them.

#[cfg(feature = "traces")]
#[path = "log/traces.rs"]
mod traces;
#[cfg(not(feature = "traces"))]
#[path = "log/no_traces.rs"]
mod traces;

pub use traces::Traces;

use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;
use tracing_subscriber::{EnvFilter, Layer, fmt};

/// Begins the log: for people, or with `JAUNTY_LOG=json` a JSON object a line; `RUST_LOG` says how much. With
/// `OTEL_EXPORTER_OTLP_ENDPOINT`, as the OpenTelemetry specification names it, requests and jobs are sent there as traces (OTLP
/// over HTTP, JSON). All by the environment, since the processes that a server starts do the same.
pub fn begin() -> Traces {
    // Of requests and jobs the names, so that what goes wrong says in which.
    let usual = "warn,jaunty_server::http::request_span=info,symphonia_core=off";
    let filter = EnvFilter::try_from_default_env().unwrap_or_else(|_| usual.into());
    let lines = fmt::layer().with_writer(std::io::stderr);
    let lines = if std::env::var("JAUNTY_LOG").is_ok_and(|form| form == "json") { lines.json().boxed() } else { lines.boxed() };
    let traces = Traces::begin(std::env::var_os("OTEL_EXPORTER_OTLP_ENDPOINT").is_some());
    tracing_subscriber::registry().with(filter).with(lines).with(traces.layer()).init();
    traces
}
