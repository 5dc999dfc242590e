//! What the log says of the request that something happens in.

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::{Error, HttpMessage};
use tracing::Span;
use tracing::field::Empty;
use tracing_actix_web::{RequestId, RootSpanBuilder};

/// A name of its own, the method, the pattern of the address and the status. Never what stands in the address or behind its
/// question mark: names of cuts, words that are looked for, and what another service sends somebody back with.
pub struct RequestSpan;

impl RootSpanBuilder for RequestSpan {
    fn on_request_start(request: &ServiceRequest) -> Span {
        let id = request.extensions().get::<RequestId>().map(ToString::to_string);
        let address = request.match_pattern();
        tracing::info_span!("request", id, method = %request.method(), address, status = Empty)
    }

    fn on_request_end<B: MessageBody>(span: Span, outcome: &Result<ServiceResponse<B>, Error>) {
        let status = match outcome {
            Ok(response) => response.status(),
            Err(cause) => cause.as_response_error().status_code(),
        };
        span.record("status", status.as_u16());
    }
}
