//! What the processes say of themselves: a log on the standard error, and traces for whoever gathers them.

use opentelemetry::trace::TracerProvider;
use opentelemetry_otlp::{Protocol, SpanExporter, WithExportConfig};
use opentelemetry_sdk::Resource;
use opentelemetry_sdk::trace::SdkTracerProvider;
use std::time::Duration;
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;
use tracing_subscriber::{EnvFilter, Layer, fmt};

/// Sends what is left of the traces when it goes.
pub struct Log(Option<SdkTracerProvider>);

impl Drop for Log {
    fn drop(&mut self) {
        const LAST_WORDS: Duration = Duration::from_secs(1);
        if let Some(traces) = &self.0 {
            // Who gathers them may be gone; that is no reason to stay.
            let _ = traces.shutdown_with_timeout(LAST_WORDS);
        }
    }
}

/// Begins the log: for people, or with `JAUNTY_LOG=json` a JSON object a line; `RUST_LOG` says how much. With
/// `OTEL_EXPORTER_OTLP_ENDPOINT`, as the OpenTelemetry specification names it, requests and jobs are sent there as traces (OTLP
/// over HTTP, JSON). All by the environment, since the processes that a server starts do the same.
pub fn begin() -> Log {
    // Of requests and jobs the names, so that what goes wrong says in which.
    let usual = "warn,jaunty_server::http::request_span=info,symphonia_core=off";
    let filter = EnvFilter::try_from_default_env().unwrap_or_else(|_| usual.into());
    let lines = fmt::layer().with_writer(std::io::stderr);
    let lines = if std::env::var("JAUNTY_LOG").is_ok_and(|form| form == "json") { lines.json().boxed() } else { lines.boxed() };
    let traces = std::env::var_os("OTEL_EXPORTER_OTLP_ENDPOINT").and_then(|_| gathered());
    let spans = traces.as_ref().map(|traces| tracing_opentelemetry::layer().with_tracer(traces.tracer("jaunty")));
    tracing_subscriber::registry().with(filter).with(lines).with(spans).init();
    Log(traces)
}

fn gathered() -> Option<SdkTracerProvider> {
    // Its client wants to know what does TLS before it sends anything; one that is there already serves as well.
    let _ = rustls::crypto::ring::default_provider().install_default();
    match SpanExporter::builder().with_http().with_protocol(Protocol::HttpJson).build() {
        Ok(to) => {
            let what = Resource::builder().with_service_name("jaunty").build();
            Some(SdkTracerProvider::builder().with_batch_exporter(to).with_resource(what).build())
        }
        Err(cause) => {
            // There is no log yet to say it in.
            eprintln!("Traces are not sent: {cause}");
            None
        }
    }
}
