//! Who may come in, and what every answer says about itself.
//!
//! Who somebody is says their session ([`sessions`](super::sessions)). A page of somebody else that is open in the
//! same browser has that as well, and must not use it: it may neither send changes (cross-site requests) nor, by a
//! name of its own that leads here, read (DNS rebinding).

use super::rights::House;
use crate::studio::{Code, Problem};
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderMap, HeaderName, HeaderValue};
use actix_web::http::uri::Authority;
use actix_web::middleware::Next;
use actix_web::{Error, ResponseError, web};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::num::NonZeroU32;
use std::sync::Arc;

/// Names under which this machine alone reaches the server.
const LOOPBACK: [&str; 3] = ["localhost", "127.0.0.1", "[::1]"];

/// What an answer of the interface may do in a browser: nothing but be read by the page.
const API_POLICY: &str = "default-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'";

/// What every answer says, unless it says something else about it.
const SAID_ALWAYS: [(HeaderName, &str); 5] = [
    (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
    (header::REFERRER_POLICY, "no-referrer"),
    (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    (HeaderName::from_static("permissions-policy"), "camera=(), geolocation=(), payment=(), usb=()"),
];

/// The rules of the doors.
#[derive(Clone)]
pub struct Doors {
    hosts: Arc<[String]>,
    requests: Arc<DefaultKeyedRateLimiter<String>>,
}

impl Doors {
    /// Doors that open for requests to loopback and to `hosts`, and for so many a second from one client.
    pub fn new(hosts: &[String], most_per_second: NonZeroU32) -> Self {
        let hosts = LOOPBACK.into_iter().map(str::to_owned).chain(hosts.iter().map(|h| h.to_ascii_lowercase())).collect();
        // A page that opens asks for many things at once.
        let quota = Quota::per_second(most_per_second).allow_burst(most_per_second.saturating_mul(NonZeroU32::MIN.saturating_add(9)));
        Self { hosts, requests: Arc::new(RateLimiter::keyed(quota)) }
    }

    /// Says no to a request that must not come in.
    fn check(&self, house: &House, request: &ServiceRequest) -> Result<(), Problem> {
        let foreign = |text: &str| Err(Problem::new(Code::Foreign, text));
        let Some(host) = host_of(request) else { return foreign("The request does not say which server it is meant for.") };
        if !self.hosts.iter().any(|known| known == host.host()) {
            return foreign("The request is meant for a server of another name; the setting --host names further ones.");
        }
        if request.path().starts_with("/api") {
            let headers = request.headers();
            // Fetch metadata (W3C): what the browser itself says about where a request comes from.
            // Who comes back from where people sign in is led by a page from there; what they bring must match what was begun here.
            let led_back = request.method() == Method::GET && request.path() == super::sessions::BACK;
            if !led_back && text(headers, "sec-fetch-site").is_some_and(|site| !matches!(site, "same-origin" | "none")) {
                return foreign("The request was sent by a page from elsewhere.");
            }
            // RFC 6454. Programs that are no browsers say nothing.
            let same = |origin: &str| origin.split_once("://").is_some_and(|(_, place)| place.eq_ignore_ascii_case(host.as_str()));
            if text(headers, "origin").is_some_and(|origin| !same(origin)) {
                return foreign("The request was sent by a page from elsewhere.");
            }
        }
        if self.requests.check_key(&house.client_of(request.head(), request.peer_addr())).is_err() {
            return Err(Problem::new(Code::TooMany, "This machine has sent more requests than one person can make."));
        }
        Ok(())
    }

    /// Forgets clients that have long been quiet.
    pub fn forget_quiet_clients(&self) {
        self.requests.retain_recent();
    }
}

fn text<'a>(headers: &'a HeaderMap, name: &str) -> Option<&'a str> {
    // What is no text is a name that nobody knows.
    headers.get(name).map(|value| value.to_str().unwrap_or("unreadable"))
}

/// The host that a request is meant for, as the browser says it: not as a forwarding header does, which
/// any page can send.
fn host_of(request: &ServiceRequest) -> Option<Authority> {
    let said = match request.uri().authority() {
        Some(authority) => authority.as_str(),
        None => text(request.headers(), "host")?,
    };
    said.to_ascii_lowercase().parse().ok().filter(|host: &Authority| !host.host().is_empty() && !host.as_str().contains('@'))
}

/// Lets a request in or not, and completes what the answer says about itself.
///
/// # Errors
/// What lies behind the doors says.
pub async fn guard(
    doors: web::Data<Doors>,
    house: web::Data<House>,
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let of_api = request.path().starts_with("/api");
    let mut answer = match doors.check(&house, &request) {
        Err(problem) => request.into_response(problem.error_response()),
        Ok(()) => next.call(request).await?.map_into_boxed_body(),
    };
    let headers = answer.headers_mut();
    for (name, value) in SAID_ALWAYS {
        headers.insert(name, HeaderValue::from_static(value));
    }
    if of_api {
        headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(API_POLICY));
    }
    if !headers.contains_key(header::CACHE_CONTROL) {
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    Ok(answer)
}
