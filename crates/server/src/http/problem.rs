//! The one place where problems become HTTP: `application/problem+json` after RFC 9457.

use crate::studio::{Code, Problem};
use actix_web::http::StatusCode;
use actix_web::http::header::RETRY_AFTER;
use actix_web::{HttpResponse, ResponseError};
use serde::Serialize;
use utoipa::ToSchema;

/// The HTTP status that tells a code.
pub fn status(code: Code) -> StatusCode {
    match code {
        Code::BadRequest | Code::UploadBroken => StatusCode::BAD_REQUEST,
        Code::BadValue => StatusCode::UNPROCESSABLE_ENTITY,
        Code::NotFound => StatusCode::NOT_FOUND,
        Code::Stale | Code::NothingToUndo | Code::MayNotUse | Code::OfAnother => StatusCode::CONFLICT,
        Code::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
        Code::NoRoom => StatusCode::INSUFFICIENT_STORAGE,
        Code::Unavailable => StatusCode::SERVICE_UNAVAILABLE,
        Code::WrongMethod => StatusCode::METHOD_NOT_ALLOWED,
        Code::Foreign | Code::MayNot => StatusCode::FORBIDDEN,
        Code::SignIn | Code::SecondFactor => StatusCode::UNAUTHORIZED,
        Code::TooMany => StatusCode::TOO_MANY_REQUESTS,
        Code::Internal => StatusCode::INTERNAL_SERVER_ERROR,
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

impl ResponseError for Problem {
    fn status_code(&self) -> StatusCode {
        status(self.code())
    }

    fn error_response(&self) -> HttpResponse {
        let (name, title, way_on) = self.code().texts();
        let body = ProblemBody {
            kind: format!("/problems/{name}"),
            title: title.to_owned(),
            status: self.status_code().as_u16(),
            detail: format!("{} {way_on}", self.detail()),
            code: name.to_owned(),
        };
        let mut answer = HttpResponse::build(self.status_code());
        if matches!(self.code(), Code::Unavailable | Code::TooMany) {
            answer.insert_header((RETRY_AFTER, "2"));
        }
        answer.content_type("application/problem+json").json(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::StoreError;
    use actix_web::body::to_bytes;

    #[actix_web::test]
    async fn a_failure_of_ours_tells_the_client_no_internals() {
        let response = Problem::from(StoreError::from(sqlx::Error::Protocol("SELECT secret FROM table".into()))).error_response();
        assert_eq!(response.headers().get("content-type").map(|v| v.as_bytes()), Some(&b"application/problem+json"[..]));
        let body = to_bytes(response.into_body()).await.expect("a body");
        let text = String::from_utf8_lossy(&body);
        assert!(!text.contains("secret") && text.contains("Nothing was lost"), "{text}");
    }
}
