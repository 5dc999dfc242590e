//! Every address of the interface: who may ask, and what the record says of it. What is not here is not reached.

use crate::store::people::Role;
use crate::studio::{Code, Problem};
use actix_web::dev::ResourceDef;
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderValue};
use actix_web::{HttpResponse, ResponseError};
use std::sync::OnceLock;

/// What somebody must be who asks for an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Right {
    /// Anybody at all.
    Anybody,
    /// Somebody who signed in, or is alone.
    SignedIn,
    /// Somebody who may make cuts in the project that is asked for, or in one of theirs.
    Makes,
    /// Somebody with a role in the project of the cut that the address names.
    OnCut(Role),
    /// Somebody who may hear the cut that the address names: in its project, or with a key to it.
    Hears,
    /// Somebody with a role in the project that the address names.
    InProject(Role),
    /// Somebody who looks after the house.
    Keeper,
}

/// Whether and how something is noted in the record of a project.
type Noted = Option<(&'static str, bool)>;

const EDIT: Right = Right::OnCut(Role::Editor);
const OWN: Right = Right::InProject(Role::Owner);
/// Noted each time.
const fn each(what: &'static str) -> Noted {
    Some((what, false))
}
/// Noted once an hour.
const fn hourly(what: &'static str) -> Noted {
    Some((what, true))
}
const CHANGED: Noted = each("changed");

/// Every address of the interface with each of its methods: who may ask, and what the record says of it.
pub const TABLE: &[Line] = &[
    (Method::GET, "/api/health", Right::Anybody, None),
    (Method::GET, "/api/alive", Right::Anybody, None),
    (Method::GET, "/api/openapi.json", Right::Anybody, None),
    (Method::GET, "/api/me", Right::Anybody, None),
    (Method::POST, "/api/session", Right::Anybody, None),
    (Method::DELETE, "/api/session", Right::Anybody, None),
    (Method::GET, "/api/session/elsewhere", Right::Anybody, None),
    (Method::GET, "/api/session/elsewhere/back", Right::Anybody, None),
    (Method::DELETE, "/api/session/everywhere", Right::SignedIn, None),
    (Method::POST, "/api/keys/look", Right::Anybody, None),
    (Method::POST, "/api/keys/enter", Right::Anybody, None),
    (Method::POST, "/api/keys/accept", Right::Anybody, None),
    (Method::POST, "/api/me/second-factor", Right::SignedIn, None),
    (Method::PUT, "/api/me/second-factor", Right::SignedIn, None),
    (Method::DELETE, "/api/me/second-factor", Right::SignedIn, None),
    (Method::GET, "/api/projects", Right::SignedIn, None),
    (Method::POST, "/api/projects", Right::Makes, None),
    (Method::GET, "/api/projects/{project}", Right::InProject(Role::Editor), None),
    (Method::POST, "/api/projects/{project}/invitations", OWN, each("invited")),
    (Method::DELETE, "/api/projects/{project}/invitations/{key}", OWN, each("took an invitation back")),
    (Method::PUT, "/api/projects/{project}/people/{person}", OWN, each("changed a role")),
    (Method::GET, "/api/projects/{project}/people/{person}/links", OWN, None),
    (Method::DELETE, "/api/projects/{project}/people/{person}", OWN, each("took somebody out")),
    (Method::GET, "/api/projects/{project}/record.csv", OWN, None),
    (Method::POST, "/api/people/{person}/password-key", Right::Keeper, None),
    (Method::GET, "/api/listening/{id}", Right::Hears, hourly("listened")),
    (Method::GET, "/api/listening/{id}/sound", Right::Hears, None),
    (Method::GET, "/api/listening/{id}/waveform", Right::Hears, None),
    (Method::GET, "/api/listening/{id}/film", Right::Hears, None),
    (Method::POST, "/api/listening/{id}/remarks", Right::Hears, each("said something")),
    (Method::GET, "/api/cuts", Right::SignedIn, None),
    (Method::POST, "/api/cuts", Right::Makes, None),
    (Method::POST, "/api/cuts/from-cut", Right::Makes, None),
    (Method::POST, "/api/cuts/from-film", Right::Makes, None),
    (Method::POST, "/api/cuts/from-list", Right::Makes, None),
    (Method::GET, "/api/cuts/{id}", EDIT, hourly("opened")),
    (Method::DELETE, "/api/cuts/{id}", EDIT, each("took away")),
    (Method::POST, "/api/cuts/{id}/back", EDIT, each("brought back")),
    (Method::POST, "/api/cuts/{id}/copy", EDIT, each("copied")),
    (Method::GET, "/api/cuts/{id}/links", EDIT, None),
    (Method::POST, "/api/cuts/{id}/links", EDIT, each("shared")),
    (Method::DELETE, "/api/cuts/{id}/links/{key}", EDIT, each("took a link back")),
    (Method::PUT, "/api/cuts/{id}/remarks/{remark}", EDIT, None),
    (Method::POST, "/api/cuts/{id}/changes", EDIT, CHANGED),
    (Method::POST, "/api/cuts/{id}/undo", EDIT, each("undid")),
    (Method::POST, "/api/cuts/{id}/redo", EDIT, each("did again")),
    (Method::DELETE, "/api/cuts/{id}/jobs/{job}", EDIT, None),
    (Method::POST, "/api/cuts/{id}/jobs/{job}/again", EDIT, None),
    (Method::GET, "/api/cuts/{id}/events", EDIT, None),
    (Method::POST, "/api/cuts/{id}/here", EDIT, None),
    (Method::GET, "/api/lengths", Right::SignedIn, None),
    (Method::GET, "/api/limits", Right::SignedIn, None),
    (Method::GET, "/api/rates", Right::SignedIn, None),
    (Method::GET, "/api/beds", Right::SignedIn, None),
    (Method::POST, "/api/cuts/{id}/candidates", EDIT, CHANGED),
    (Method::PUT, "/api/cuts/{id}/candidates", EDIT, CHANGED),
    (Method::POST, "/api/cuts/{id}/takes", EDIT, CHANGED),
    (Method::POST, "/api/cuts/{id}/ambiences", EDIT, CHANGED),
    (Method::POST, "/api/cuts/{id}/film", EDIT, CHANGED),
    (Method::POST, "/api/cuts/{id}/picture/list", EDIT, CHANGED),
    (Method::GET, "/api/cuts/{id}/picture/shots.{format}", EDIT, None),
    (Method::GET, "/api/cuts/{id}/bed/grid", EDIT, None),
    (Method::POST, "/api/cuts/{id}/bed/grid", EDIT, CHANGED),
    (Method::GET, "/api/cuts/{id}/bed/sound", EDIT, None),
    (Method::GET, "/api/cuts/{id}/film/{hash}", EDIT, None),
    (Method::GET, "/api/cuts/{id}/film/{hash}/{frame}.jpg", EDIT, None),
    (Method::GET, "/api/cuts/{id}/shelf", EDIT, None),
    (Method::POST, "/api/cuts/{id}/shelf/{piece}", EDIT, CHANGED),
    (Method::GET, "/api/shelf/{piece}/sound", Right::SignedIn, None),
    (Method::GET, "/api/stand-in-microphone.wav", Right::SignedIn, None),
    (Method::GET, "/api/cuts/{id}/fit/at", EDIT, None),
    (Method::GET, "/api/cuts/{id}/fit/lengths", EDIT, None),
    (Method::GET, "/api/cuts/{id}/revisions/{revision}/splices/{index}", EDIT, None),
    (Method::GET, "/api/cuts/{id}/versions", EDIT, None),
    (Method::POST, "/api/cuts/{id}/versions", EDIT, each("made versions")),
    (Method::POST, "/api/cuts/{id}/follow", EDIT, CHANGED),
    (Method::GET, "/api/house", Right::SignedIn, None),
    (Method::PUT, "/api/house/{name}", Right::Makes, None),
    (Method::DELETE, "/api/house/{name}", Right::Makes, None),
    (Method::GET, "/api/cuts/{id}/revisions/{revision}/sound", EDIT, None),
    (Method::GET, "/api/cuts/{id}/candidates/{hash}/sound", EDIT, None),
    (Method::POST, "/api/cuts/{id}/curves", EDIT, None),
    (Method::GET, "/api/cuts/{id}/revisions/{revision}/waveform", EDIT, None),
    (Method::GET, "/api/cuts/{id}/revisions/{revision}/meters", EDIT, None),
    (Method::GET, "/api/cuts/{id}/sounds/{hash}/waveform", EDIT, None),
    (Method::GET, "/api/cuts/{id}/handed", EDIT, None),
    (Method::POST, "/api/cuts/{id}/handed", EDIT, each("handed over")),
    (Method::GET, "/api/cuts/{id}/handed/{handed}/file", EDIT, each("fetched a file")),
];

/// A line of the table: method, address, right, what the record says.
type Line = (Method, &'static str, Right, Noted);

fn addresses() -> &'static [(ResourceDef, &'static Line)] {
    static ADDRESSES: OnceLock<Vec<(ResourceDef, &Line)>> = OnceLock::new();
    ADDRESSES.get_or_init(|| TABLE.iter().map(|line| (ResourceDef::new(line.1), line)).collect())
}

/// The line of a request.
pub fn line_of(method: &Method, path: &str) -> Option<&'static Line> {
    addresses().iter().find(|(address, line)| line.0 == *method && address.is_match(path)).map(|(_, line)| *line)
}

/// What is answered at an address of the interface that nothing answers to: that there is none, or that
/// it takes other methods.
pub fn nothing_there(path: &str, method: &Method) -> HttpResponse {
    // Of two addresses that match, the one with fewer places for names is meant.
    let matching = || addresses().iter().filter(|(address, _)| address.is_match(path)).map(|(_, line)| *line);
    let meant = matching().map(|line| line.1).min_by_key(|pattern| pattern.matches('{').count());
    let allowed: Vec<&str> = matching().filter(|line| Some(line.1) == meant).map(|line| line.0.as_str()).collect();
    if allowed.is_empty() || allowed.contains(&method.as_str()) {
        return Problem::not_found("address").error_response();
    }
    let mut answer = Problem::new(Code::WrongMethod, format!("This address takes {}.", allowed.join(", "))).error_response();
    if let Ok(value) = HeaderValue::from_str(&allowed.join(", ")) {
        answer.headers_mut().insert(header::ALLOW, value);
    }
    answer
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_request_has_two_lines() {
        for (method, pattern, ..) in TABLE {
            let path = pattern.replace(['{', '}'], "");
            let found: Vec<&str> = addresses().iter().filter(|(address, line)| line.0 == *method && address.is_match(&path)).map(|(_, line)| line.1).collect();
            assert_eq!(found, [*pattern], "{method} {path}");
        }
    }
}
