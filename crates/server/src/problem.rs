//! The one place where errors become HTTP: `application/problem+json` after RFC 9457.
//!
//! Causes go to the log with the request; the client gets what happened and what to do.

use crate::apart::SoundError;
use actix_web::http::StatusCode;
use actix_web::http::header::RETRY_AFTER;
use actix_web::{HttpResponse, ResponseError};
use jaunty_media::film::FilmError;
use serde::Serialize;
use sqlx::mysql::MySqlDatabaseError;
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
    /// The disk or the quota is full.
    NoRoom,
    /// The database does not answer.
    Unavailable,
    /// There is such an address, but not for this method.
    WrongMethod,
    /// The request comes from a page of somebody else, or is meant for another server.
    Foreign,
    /// There were too many requests.
    TooMany,
    /// The server failed.
    Internal,
}

impl Code {
    /// All codes, for the catalogue's own test.
    pub const ALL: [Self; 14] = [
        Self::BadRequest,
        Self::BadValue,
        Self::NotFound,
        Self::Stale,
        Self::NothingToUndo,
        Self::TooLarge,
        Self::UploadBroken,
        Self::MayNotUse,
        Self::NoRoom,
        Self::Unavailable,
        Self::WrongMethod,
        Self::Foreign,
        Self::TooMany,
        Self::Internal,
    ];

    /// The HTTP status that tells it.
    pub fn status(self) -> StatusCode {
        match self {
            Self::BadRequest | Self::UploadBroken => StatusCode::BAD_REQUEST,
            Self::BadValue => StatusCode::UNPROCESSABLE_ENTITY,
            Self::NotFound => StatusCode::NOT_FOUND,
            Self::Stale | Self::NothingToUndo | Self::MayNotUse => StatusCode::CONFLICT,
            Self::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
            Self::NoRoom => StatusCode::INSUFFICIENT_STORAGE,
            Self::Unavailable => StatusCode::SERVICE_UNAVAILABLE,
            Self::WrongMethod => StatusCode::METHOD_NOT_ALLOWED,
            Self::Foreign => StatusCode::FORBIDDEN,
            Self::TooMany => StatusCode::TOO_MANY_REQUESTS,
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
            Self::NoRoom => ("no-room", "There is no room", "Make room on the server, or take sounds away that are not needed; everything else is as it was."),
            Self::Unavailable => ("unavailable", "The database does not answer", "Nothing was lost; what you said is sent again as soon as it answers."),
            Self::WrongMethod => ("wrong-method", "This address is for something else", "The description of the interface says which methods it takes."),
            Self::Foreign => ("foreign", "The request comes from elsewhere", "Open the page at the address that the server printed when it was started."),
            Self::TooMany => ("too-many", "There were too many requests", "Wait a moment; everything is as it was."),
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
        Self::new(Code::BadValue, sentence(&cause.to_string()))
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

/// What an error says, as a sentence.
fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first = letters.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) { "" } else { "." };
    format!("{first}{}{end}", letters.as_str())
}

impl From<sqlx::Error> for Problem {
    fn from(cause: sqlx::Error) -> Self {
        /// MariaDB's numbers for a disk or a table that is full, and for transactions that waited for each other too long.
        const FULL: [u16; 2] = [1021, 1114];
        const WAITED: [u16; 2] = [1205, 1213];
        let number = cause.as_database_error().and_then(|e| e.try_downcast_ref::<MySqlDatabaseError>()).map(MySqlDatabaseError::number);
        match cause {
            _ if number.is_some_and(|n| FULL.contains(&n)) => {
                tracing::warn!(%cause, "the database's disk is full");
                Self::new(Code::NoRoom, "There is no room on the disk of the database.")
            }
            // Nothing was changed, and the same request will do.
            _ if number.is_some_and(|n| WAITED.contains(&n)) => Self::new(Code::Unavailable, "Two changes waited for each other."),
            sqlx::Error::PoolTimedOut | sqlx::Error::PoolClosed | sqlx::Error::Io(_) => {
                tracing::warn!(%cause, "the database does not answer");
                Self::new(Code::Unavailable, "The database does not answer.")
            }
            other => Self::internal(other),
        }
    }
}

impl From<object_store::Error> for Problem {
    fn from(cause: object_store::Error) -> Self {
        Self::internal(cause)
    }
}

impl From<std::io::Error> for Problem {
    fn from(cause: std::io::Error) -> Self {
        use std::io::ErrorKind;
        match cause.kind() {
            ErrorKind::StorageFull | ErrorKind::QuotaExceeded | ErrorKind::FileTooLarge => {
                tracing::warn!(%cause, "the disk is full");
                Self::new(Code::NoRoom, "There is no room on the server's disk.")
            }
            _ => Self::internal(cause),
        }
    }
}

impl From<SoundError> for Problem {
    fn from(cause: SoundError) -> Self {
        match cause {
            SoundError::Refused(text) => Self::bad_value(text),
            SoundError::Gone => Self::new(Code::NotFound, "A sound of this cut is not stored any more. Bring its file in again."),
            SoundError::NoRoom => Self::new(Code::NoRoom, "There is no room on the server's disk."),
            SoundError::Io(cause) => cause.into(),
            SoundError::Cancelled => Self::internal("a request was cancelled"),
        }
    }
}

impl From<FilmError> for Problem {
    fn from(cause: FilmError) -> Self {
        match &cause {
            FilmError::Missing(_) => tracing::error!(?cause, "ffmpeg is missing"),
            // What ffmpeg said is in the debug form.
            _ => tracing::info!(?cause, "a film is refused"),
        }
        Self::bad_value(cause)
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
        let mut answer = HttpResponse::build(self.status_code());
        if matches!(self.code, Code::Unavailable | Code::TooMany) {
            answer.insert_header((RETRY_AFTER, "2"));
        }
        answer.content_type("application/problem+json").json(body)
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
