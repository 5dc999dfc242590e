//! Signing in through a service elsewhere: away to it, and back from it.

use super::rights::AskedStudio;
use super::sessions::{Asker, TryCookie};
use crate::studio::{Elsewhere, Problem, Refusal};
use actix_session::Session;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, get, web};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::IntoParams;

/// The service, if there is one.
pub type Service = Option<Arc<Elsewhere>>;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(away).service(back);
}

fn service(service: &Service) -> Result<&Elsewhere, Problem> {
    service.as_deref().ok_or_else(|| Problem::not_found("service to sign in with"))
}

fn to(address: &str) -> actix_web::HttpResponseBuilder {
    let mut answer = HttpResponse::Found();
    answer.insert_header((header::LOCATION, address)).insert_header((header::CACHE_CONTROL, "no-store"));
    answer
}

/// Sends whoever asks to the service that says who they are.
#[utoipa::path(responses((status = 302, description = "To the service."), (status = 404, description = "There is none.")))]
#[get("/api/session/elsewhere")]
pub async fn away(elsewhere: web::Data<Service>, cookie: web::Data<TryCookie>) -> Result<HttpResponse, Problem> {
    match service(&elsewhere)?.begin().await {
        Ok((address, began)) => Ok(to(&address).cookie(cookie.keep(&began)?).finish()),
        Err(refusal) => said(refusal),
    }
}

/// What the service sends somebody back with.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Return {
    /// What this house can ask it about them with, once.
    code: Option<String>,
    /// What the try began with.
    state: Option<String>,
}

/// Takes in whoever comes back from the service, and leads them to the page.
#[utoipa::path(params(Return), responses((status = 302, description = "To the page, which says what went wrong if something did."), (status = 404, description = "There is no service.")))]
#[get("/api/session/elsewhere/back")]
pub async fn back(
    studio: AskedStudio,
    elsewhere: web::Data<Service>,
    cookie: web::Data<TryCookie>,
    session: Session,
    request: HttpRequest,
    brought: web::Query<Return>,
) -> Result<HttpResponse, Problem> {
    let service = service(&elsewhere)?;
    let arrived = match (cookie.began(&request), brought.into_inner()) {
        (Some(began), Return { code: Some(code), state: Some(state) }) => studio.known_elsewhere(service, &code, &state, began).await,
        // Who changed their mind there comes back without a code.
        _ => Err(Refusal::NotTold),
    };
    let mut answer = match arrived {
        Ok(person) => {
            Asker { person: Some(person.id), ..Asker::default() }.enter(&session)?;
            to("/").finish()
        }
        Err(refusal) => said(refusal)?,
    };
    answer.add_cookie(&cookie.gone()).map_err(Problem::internal)?;
    Ok(answer)
}

/// Back to the page, which has the sentence for it: what an address could say, anybody could make it say.
fn said(refusal: Refusal) -> Result<HttpResponse, Problem> {
    let why = match refusal {
        Refusal::Away => "away",
        Refusal::NotTold => "not-told",
        Refusal::Stranger => "stranger",
        Refusal::Other(problem) => return Err(problem),
    };
    Ok(to(&format!("/sign-in?elsewhere={why}")).finish())
}
