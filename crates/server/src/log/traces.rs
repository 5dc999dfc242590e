//! Traces, sent over OTLP.

use opentelemetry::trace::TracerProvider;
use opentelemetry_otlp::{Protocol, SpanExporter, WithExportConfig};
use opentelemetry_sdk::Resource;
use opentelemetry_sdk::trace::SdkTracerProvider;
use std::time::Duration;
use tracing::Subscriber;
use tracing_subscriber::Layer;
use tracing_subscriber::registry::LookupSpan;

/// Sends what is left of the traces when it goes.
pub struct Traces(Option<SdkTracerProvider>);

impl Traces {
    pub(super) fn begin(wanted: bool) -> Self {
        Self(wanted.then(gathered).flatten())
    }

    pub(super) fn layer<S: Subscriber + for<'a> LookupSpan<'a>>(&self) -> Option<impl Layer<S>> {
        self.0.as_ref().map(|traces| tracing_opentelemetry::layer().with_tracer(traces.tracer("jaunty")))
    }
}

impl Drop for Traces {
    fn drop(&mut self) {
        const LAST_WORDS: Duration = Duration::from_secs(1);
        if let Some(traces) = &self.0 {
            // Who gathers them may be gone; that is no reason to stay.
            let _ = traces.shutdown_with_timeout(LAST_WORDS);
        }
    }
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
