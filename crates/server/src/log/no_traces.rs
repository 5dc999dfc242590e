//! A program that was built without traces says so to whoever wants them.

use tracing_subscriber::Layer;
use tracing_subscriber::layer::Identity;

/// No traces.
pub struct Traces;

impl Traces {
    pub(super) fn begin(wanted: bool) -> Self {
        if wanted {
            eprintln!("Traces are not sent: this program was built without them; build it with --features jaunty-server/full");
        }
        Self
    }

    pub(super) fn layer<S: tracing::Subscriber>(&self) -> Option<impl Layer<S> + use<S>> {
        None::<Identity>
    }
}
