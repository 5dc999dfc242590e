//! The one place where errors become HTTP: `application/problem+json` after RFC 9457.
//!
//! Causes go to the log with the request; the client gets what happened and what to do.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError};
use serde::Serialize;
use utoipa::ToSchema;

/// What can go wrong for a client. Each has a stable code, a status, a title and a way on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Code {
    /// The request itself makes no sense.
    BadRequest,
    /// A value of the request is not allowed.
    BadValue,
    /// There is no such thing.
    NotFound,
    /// Somebody else changed the plan meanwhile.
    Stale,
    /// There is nothing to undo or redo.
    NothingToUndo,
    /// The upload is over the limit.
    TooLarge,
    /// The upload broke off.
    UploadBroken,
    /// The terms of a piece do not allow the cut's purpose.
    MayNotUse,
    /// The server failed.
    Internal,
}

impl Code {
    /// All codes, for the catalogue's own test.
    pub const ALL: [Self; 9] = [
        Self::BadRequest,
        Self::BadValue,
        Self::NotFound,
        Self::Stale,
        Self::NothingToUndo,
        Self::TooLarge,
        Self::UploadBroken,
        Self::MayNotUse,
        Self::Internal,
    ];

    fn status(self) -> StatusCode {
        match self {
            Self::BadRequest | Self::UploadBroken => StatusCode::BAD_REQUEST,
            Self::BadValue => StatusCode::UNPROCESSABLE_ENTITY,
            Self::NotFound => StatusCode::NOT_FOUND,
            Self::Stale | Self::NothingToUndo | Self::MayNotUse => StatusCode::CONFLICT,
            Self::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Internal => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    /// (stable name, title, what to do).
    pub fn texts(self) -> (&'static str, &'static str, &'static str) {
        match self {
            Self::BadRequest => ("bad-request", "The request cannot be read", "Reload the page and try again."),
            Self::BadValue => ("bad-value", "A value is not allowed", "Change the value and try again; nothing was changed."),
            Self::NotFound => ("not-found", "There is no such thing", "It may have been taken away meanwhile; the list of cuts shows what is there."),
            Self::Stale => ("stale", "The plan was changed elsewhere", "The page now shows the newer plan; make your change again."),
            Self::NothingToUndo => ("nothing-to-undo", "There is nothing further", "This is the first or the last state."),
            Self::TooLarge => ("too-large", "The file is too large", "Files up to 2 GB are taken; export it as FLAC or shorter."),
            Self::UploadBroken => ("upload-broken", "The upload broke off", "Nothing was changed; drop the file again."),
            Self::MayNotUse => ("may-not-use", "The terms do not allow this", "Choose another piece, change what the cut is for, or take it knowingly."),
            Self::Internal => ("internal", "The server failed", "Nothing was lost; try again, and look at the server's log."),
        }
    }
}

/// A problem as the client sees it.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ProblemBody {
    /// A URI reference that names the kind of problem.
    #[serde(rename = "type")]
    pub kind: String,
    /// What happened, in general.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// What happened here, and what to do.
    pub detail: String,
    /// Our stable code.
    pub code: String,
}

/// An error on its way to the client.
#[derive(Debug, thiserror::Error)]
#[error("{detail}")]
pub struct Problem {
    code: Code,
    detail: String,
}

impl Problem {
    /// A problem whose detail says what happened; the way on is appended from the catalogue.
    pub fn new(code: Code, detail: impl Into<String>) -> Self {
        Self { code, detail: detail.into() }
    }

    /// A thing that is not there.
    pub fn not_found(what: &str) -> Self {
        Self::new(Code::NotFound, format!("There is no {what} of that name."))
    }

    /// A value that is refused, with the rule that refuses it.
    pub fn bad_value(cause: impl std::fmt::Display) -> Self {
        Self::new(Code::BadValue, cause.to_string())
    }

    /// A failure of ours: `cause` goes to the log, not to the client.
    pub fn internal(cause: impl std::fmt::Display) -> Self {
        tracing::error!(%cause, "a request failed");
        Self::new(Code::Internal, "Something failed on the server.")
    }

    /// Our stable code.
    pub fn code(&self) -> Code {
        self.code
    }
}

impl From<sqlx::Error> for Problem {
    fn from(cause: sqlx::Error) -> Self {
        Self::internal(cause)
    }
}

impl From<object_store::Error> for Problem {
    fn from(cause: object_store::Error) -> Self {
        Self::internal(cause)
    }
}

impl From<std::io::Error> for Problem {
    fn from(cause: std::io::Error) -> Self {
        Self::internal(cause)
    }
}

impl From<serde_json::Error> for Problem {
    fn from(cause: serde_json::Error) -> Self {
        Self::internal(cause)
    }
}

impl From<actix_web::error::BlockingError> for Problem {
    fn from(cause: actix_web::error::BlockingError) -> Self {
        Self::internal(cause)
    }
}

impl ResponseError for Problem {
    fn status_code(&self) -> StatusCode {
        self.code.status()
    }

    fn error_response(&self) -> HttpResponse {
        let (name, title, way_on) = self.code.texts();
        let body = ProblemBody {
            kind: format!("/problems/{name}"),
            title: title.to_owned(),
            status: self.status_code().as_u16(),
            detail: format!("{} {way_on}", self.detail),
            code: name.to_owned(),
        };
        HttpResponse::build(self.status_code()).content_type("application/problem+json").json(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::body::to_bytes;

    #[test]
    fn every_code_has_a_text_and_a_way_on() {
        for code in Code::ALL {
            let (name, title, way_on) = code.texts();
            assert!(!name.is_empty() && !title.is_empty() && way_on.ends_with('.'), "{code:?}");
        }
    }

    #[actix_web::test]
    async fn a_failure_of_ours_tells_the_client_no_internals() {
        let response = Problem::from(sqlx::Error::Protocol("SELECT secret FROM table".into())).error_response();
        assert_eq!(response.headers().get("content-type").map(|v| v.as_bytes()), Some(&b"application/problem+json"[..]));
        let body = to_bytes(response.into_body()).await.expect("a body");
        let text = String::from_utf8_lossy(&body);
        assert!(!text.contains("secret") && text.contains("Nothing was lost"), "{text}");
    }
}
