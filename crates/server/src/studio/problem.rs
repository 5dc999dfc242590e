//! What can go wrong for a person: a stable code, what happened, and what to do. Causes go to the log.

use crate::apart::{ParseError, SoundError};
use crate::store::StoreError;
use jaunty_core::cut::Refusal;
use jaunty_media::film::FilmError;

/// What can go wrong for a client. Each has a stable code, a status, a title and a way on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
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
    /// Nobody has said who they are.
    SignIn,
    /// The second factor is asked for.
    SecondFactor,
    /// Whoever asks may not do this.
    MayNot,
    /// Somebody else did it.
    OfAnother,
    /// The server failed.
    Internal,
}

impl Code {
    /// All codes, for the catalogue's own test.
    pub const ALL: [Self; 18] = [
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
        Self::SignIn,
        Self::SecondFactor,
        Self::MayNot,
        Self::OfAnother,
        Self::Internal,
    ];

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
            Self::SignIn => ("sign-in", "This is not open", "Sign in, or open the link that you were given."),
            Self::SecondFactor => ("second-factor", "The second factor is asked for", "Write the six digits that your app shows."),
            Self::MayNot => ("may-not", "You may not do this", "Ask an owner of the project."),
            Self::OfAnother => ("of-another", "Somebody else changed it after you", "Undo it all the same if that is what you mean; it can be done again."),
            Self::Internal => ("internal", "The server failed", "Nothing was lost; try again, and look at the server's log."),
        }
    }
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

    /// What happened, without what to do.
    pub fn detail(&self) -> &str {
        &self.detail
    }
}

/// What an error says, as a sentence.
fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first = letters.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) { "" } else { "." };
    format!("{first}{}{end}", letters.as_str())
}

impl From<StoreError> for Problem {
    fn from(cause: StoreError) -> Self {
        match cause {
            StoreError::NoCut => Self::not_found("cut"),
            StoreError::NoSound => Self::not_found("sound"),
            StoreError::Stale => Self::new(Code::Stale, "Another change came first."),
            StoreError::NothingFurther => Self::new(Code::NothingToUndo, "There is nothing to go back or on to."),
            StoreError::NoRoom(place) => {
                tracing::warn!("there is no room on {place}");
                Self::new(Code::NoRoom, format!("There is no room on {place}."))
            }
            StoreError::TooLarge { most_bytes } => {
                Self::new(Code::TooLarge, format!("The file has more than {} MB; nothing of it was kept.", most_bytes / 1_000_000))
            }
            StoreError::BrokenOff => Self::new(Code::UploadBroken, "The file did not arrive whole."),
            StoreError::Waited => Self::new(Code::Unavailable, "Two changes waited for each other."),
            StoreError::Away(cause) => {
                tracing::warn!(%cause, "the database does not answer");
                Self::new(Code::Unavailable, "The database does not answer.")
            }
            StoreError::Sound(cause) => cause.into(),
            StoreError::Fault(cause) => Self::internal(cause),
        }
    }
}

impl From<Refusal> for Problem {
    fn from(cause: Refusal) -> Self {
        match cause {
            Refusal::Unknown(what) => Self::not_found(what),
            Refusal::NotAllowed(_) => Self::bad_value(cause),
        }
    }
}

impl From<ParseError> for Problem {
    fn from(cause: ParseError) -> Self {
        match cause {
            ParseError::Refused(text) => Self::bad_value(text),
            ParseError::TooMuch => Self::bad_value("The file is larger than what can be read of its kind. Export only what is needed."),
            ParseError::Io(cause) => cause.into(),
        }
    }
}

impl From<std::io::Error> for Problem {
    fn from(cause: std::io::Error) -> Self {
        StoreError::from(cause).into()
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

impl From<tokio::task::JoinError> for Problem {
    fn from(cause: tokio::task::JoinError) -> Self {
        Self::internal(cause)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_code_has_a_text_and_a_way_on() {
        for code in Code::ALL {
            let (name, title, way_on) = code.texts();
            assert!(!name.is_empty() && !title.is_empty() && way_on.ends_with('.'), "{code:?}");
        }
    }
}
