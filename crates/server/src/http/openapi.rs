//! The OpenAPI document, from which the page's types are generated.

use super::problem::{ProblemBody, status};
use super::{clients, cuts, files, film, fit, handed, health, house, listening, openid, people, reading, shelf, versions, voice};
use crate::studio::Code;
use actix_web::http::Method;
use actix_web::{HttpResponse, get, web};
use utoipa::OpenApi;
use utoipa::openapi::path::{Operation, ParameterIn};
use utoipa::openapi::{Content, Ref, RefOr, ResponseBuilder};

#[derive(OpenApi)]
#[openapi(
    info(title = "Jaunty Bar", description = "Makes a music bed as long as the cut, and lets it breathe with the narration."),
    paths(
        health::health,
        health::alive,
        cuts::all_cuts,
        cuts::make_cut,
        cuts::one_cut,
        cuts::change_cut,
        cuts::undo,
        cuts::redo,
        cuts::cancel_job,
        cuts::try_job_again,
        cuts::events,
        cuts::be_here,
        files::upload_bed,
        files::add_bed,
        files::beds,
        files::upload_take,
        files::upload_ambience,
        files::upload_film,
        files::upload_list,
        files::upload_grid,
        files::cut_from_list,
        files::cut_from_cut,
        files::cut_from_film,
        files::shots_out,
        film::play_film,
        film::film_picture,
        shelf::search,
        shelf::preview,
        shelf::take,
        voice::stand_in_microphone,
        reading::bed_sound,
        reading::grid_out,
        fit::fit_at,
        cuts::length_as_typed,
        cuts::rates,
        cuts::limits,
        cuts::take_away,
        cuts::bring_back,
        cuts::copy_cut,
        versions::family,
        versions::make_versions,
        versions::follow,
        house::houses,
        house::keep_house,
        house::drop_house,
        people::me,
        people::sign_in,
        people::sign_out,
        openid::away,
        openid::back,
        people::sign_out_everywhere,
        people::look_at_key,
        people::enter,
        people::accept,
        people::new_second_factor,
        people::hold_second_factor,
        people::drop_second_factor,
        people::projects,
        people::new_project,
        people::one_project,
        people::invite,
        people::take_invitation_back,
        people::change_role,
        people::links_of,
        people::take_out,
        people::record,
        people::password_key,
        clients::links,
        clients::give,
        clients::take_back,
        clients::set_done,
        clients::hear,
        clients::hear_sound,
        clients::hear_waveform,
        clients::hear_film,
        clients::remark,
        fit::natural_ways,
        fit::splice_close_up,
        listening::sound,
        listening::candidate_sound,
        listening::curves,
        handed::all,
        handed::hand_over,
        handed::handed_file,
        listening::shaped,
        listening::meters,
        listening::waveform
    ),
    components(schemas(
        ProblemBody,
        cuts::JobsView,
        super::views::HereView,
        crate::store::cuts::Sort,
        jaunty_core::mix::Hear,
        reading::GridFormat,
        files::ListFormat
    ))
)]
struct Document;

/// The document as JSON.
pub fn document() -> String {
    let mut document = Document::openapi();
    for item in document.paths.paths.values_mut() {
        for (method, operation) in [
            (Method::GET, &mut item.get),
            (Method::POST, &mut item.post),
            (Method::PUT, &mut item.put),
            (Method::PATCH, &mut item.patch),
            (Method::DELETE, &mut item.delete),
        ] {
            if let Some(operation) = operation {
                add_problems(&method, operation);
            }
        }
    }
    document.to_pretty_json().unwrap_or_default()
}

/// Lists the problems that an operation may answer with.
fn add_problems(method: &Method, operation: &mut Operation) {
    let parameters = operation.parameters.as_deref().unwrap_or_default();
    let has = |place: &ParameterIn| parameters.iter().any(|p| matches!(p, RefOr::T(p) if p.parameter_in == *place));
    let mut codes = vec![Code::BadRequest, Code::SignIn, Code::Foreign, Code::NotFound, Code::TooMany, Code::Internal, Code::Unavailable];
    if has(&ParameterIn::Path) || has(&ParameterIn::Query) || operation.request_body.is_some() {
        codes.push(Code::BadValue);
    }
    if *method != Method::GET {
        codes.extend([Code::Stale, Code::TooLarge, Code::NoRoom]);
    }
    for code in codes {
        let (_, title, _) = code.texts();
        let content = Content::new(Some(Ref::from_schema_name("ProblemBody")));
        let response = ResponseBuilder::new().description(title).content("application/problem+json", content).build();
        operation.responses.responses.insert(status(code).as_str().to_owned(), response.into());
    }
}

/// Mounts the document.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(serve_document);
}

/// The document.
#[get("/api/openapi.json")]
async fn serve_document() -> HttpResponse {
    HttpResponse::Ok().content_type("application/json").body(document())
}
