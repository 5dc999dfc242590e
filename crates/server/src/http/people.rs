//! Coming in and going out; people and projects.

use super::rights::{AskedStudio, House};
use super::sessions::{Asker, KnownCookie};
use super::views::{GivenLinkView, InvitationView, KeyView, MeView, ProjectView, project_view};
use crate::store::cuts;
use crate::store::keys::{self, Opens};
use crate::store::people::{self, Role};
use crate::store::sessions;
use crate::studio::{Entered, Newcomer, Problem, Studio, second_factor_address};
use actix_session::Session;
use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use actix_web::{HttpRequest, HttpResponse, delete, get, post, put, web};
use serde::{Deserialize, Serialize};
use std::io::Write;
use utoipa::ToSchema;
use uuid::Uuid;

/// Mounts the addresses.
pub fn configure(config: &mut web::ServiceConfig) {
    config.service(me).service(sign_in).service(sign_out).service(sign_out_everywhere).service(look_at_key).service(enter).service(accept);
    config.service(new_second_factor).service(hold_second_factor).service(drop_second_factor);
    config.service(projects).service(new_project).service(one_project).service(invite).service(take_invitation_back);
    config.service(change_role).service(links_of).service(take_out).service(record).service(password_key);
}

async fn shown(studio: &AskedStudio, house: &House, asker: Asker) -> Result<MeView, Problem> {
    let person = match asker.person {
        Some(id) => Some(studio.person(id).await?),
        None => None,
    };
    let guest = match asker.guest {
        Some(id) => keys::open(&studio.pool, id).await?,
        None => None,
    };
    Ok(MeView::of(house.accounts, asker.alone, person.as_ref(), guest.as_ref()))
}

/// Who is signed in here.
#[utoipa::path(responses((status = 200, body = MeView)))]
#[get("/api/me")]
pub async fn me(
    studio: AskedStudio,
    house: web::Data<House>,
    elsewhere: web::Data<super::openid::Service>,
    asker: Asker,
) -> Result<web::Json<MeView>, Problem> {
    let name = elsewhere.as_ref().as_ref().map(|service| service.name().to_owned());
    Ok(web::Json(MeView { elsewhere: name, ..shown(&studio, &house, asker).await? }))
}

/// Who signs in.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SignIn {
    /// Their address.
    email: String,
    /// Their password.
    password: String,
    /// What their second factor shows, where they have one.
    code: Option<String>,
}

/// Signs in.
#[utoipa::path(request_body = SignIn, responses((status = 200, body = MeView)))]
#[post("/api/session")]
pub async fn sign_in(
    studio: AskedStudio,
    house: web::Data<House>,
    session: Session,
    request: HttpRequest,
    known: web::Data<KnownCookie>,
    body: web::Json<SignIn>,
) -> Result<HttpResponse, Problem> {
    let (from, browser) = (house.client_of(request.head(), request.peer_addr()), known.browser(&request));
    let person = studio.sign_in(&body.email, &body.password, body.code.as_deref(), &from, browser.as_ref()).await?;
    let asker = Asker { person: Some(person.id), ..Asker::default() };
    asker.enter(&session)?;
    Ok(HttpResponse::Ok().cookie(known.keep(person.id, browser)?).json(MeView::of(house.accounts, false, Some(&person), None)))
}

/// Signs out of this browser.
#[utoipa::path(responses((status = 204)))]
#[delete("/api/session")]
pub async fn sign_out(session: Session) -> HttpResponse {
    session.purge();
    HttpResponse::NoContent().finish()
}

/// Signs out of all browsers.
#[utoipa::path(responses((status = 204)))]
#[delete("/api/session/everywhere")]
pub async fn sign_out_everywhere(studio: AskedStudio, asker: Asker, session: Session) -> Result<HttpResponse, Problem> {
    if let Some(person) = asker.person {
        sessions::end_all(&studio.pool, person).await?;
    }
    session.purge();
    Ok(HttpResponse::NoContent().finish())
}

/// A key that was given away.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BroughtKey {
    /// The key.
    key: String,
    /// The word that belongs to it, where there is one.
    word: Option<String>,
}

/// What a key opens.
#[utoipa::path(request_body = BroughtKey, responses((status = 200, body = KeyView)))]
#[post("/api/keys/look")]
pub async fn look_at_key(studio: AskedStudio, body: web::Json<BroughtKey>) -> Result<web::Json<KeyView>, Problem> {
    let row = studio.key(&body.key).await?;
    let mut view = KeyView::of(&row);
    match &row.opens {
        Opens::Invitation { project, email, .. } => {
            view.project = people::project(&studio.pool, *project).await?.map(|p| p.name);
            view.known = people::by_email(&studio.pool, email).await?.is_some();
        }
        Opens::Password(person) => view.email = Some(studio.person(*person).await?.email),
        _ => {}
    }
    Ok(web::Json(view))
}

/// Comes in with a key: alone at this machine, or to hear one cut.
#[utoipa::path(request_body = BroughtKey, responses((status = 200, body = MeView)))]
#[post("/api/keys/enter")]
pub async fn enter(
    studio: AskedStudio,
    house: web::Data<House>,
    asker: Asker,
    session: Session,
    request: HttpRequest,
    body: web::Json<BroughtKey>,
) -> Result<web::Json<MeView>, Problem> {
    let entered = studio.enter_with_key(&body.key, body.word.as_deref().unwrap_or_default(), &house.client_of(request.head(), request.peer_addr())).await?;
    let asker = match entered {
        Entered::Alone => {
            // For the next browser; whoever closed the terminal needs no link.
            let _ = writeln!(std::io::stdout(), "For another browser: {}", house.link(&studio.house_key().await?));
            Asker { alone: true, ..asker }
        }
        Entered::Guest(key) => Asker { guest: Some(key.id), ..asker },
    };
    asker.enter(&session)?;
    Ok(web::Json(shown(&studio, &house, asker).await?))
}

/// Who takes an invitation or chooses a new password.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakenKey {
    /// The key.
    key: String,
    /// What they are called; asked of who is new.
    name: Option<String>,
    /// The password that they choose; who has one already writes that.
    password: String,
}

/// Takes an invitation, or chooses a new password. Who has a second factor signs in afterwards.
#[utoipa::path(request_body = TakenKey, responses((status = 200, body = MeView)))]
#[post("/api/keys/accept")]
pub async fn accept(
    studio: AskedStudio,
    house: web::Data<House>,
    session: Session,
    request: HttpRequest,
    body: web::Json<TakenKey>,
) -> Result<web::Json<MeView>, Problem> {
    let TakenKey { key, name, password } = body.into_inner();
    let person = studio.accept(&key, &Newcomer { name: name.unwrap_or_default(), password }, &house.client_of(request.head(), request.peer_addr())).await?;
    if person.second_factor_holds {
        return Ok(web::Json(MeView::of(house.accounts, false, None, None)));
    }
    Asker { person: Some(person.id), ..Asker::default() }.enter(&session)?;
    Ok(web::Json(MeView::of(house.accounts, false, Some(&person), None)))
}

/// A second factor that waits to be confirmed.
#[derive(Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SecondFactorView {
    /// The address by which an app takes it over; the part behind `secret=` is typed where there is no app to open it.
    pub address: String,
}

/// A code of a second factor.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CodeOfNow {
    /// Six digits.
    code: String,
}

/// A second factor for whoever is signed in; it holds once a code confirms it.
#[utoipa::path(responses((status = 200, body = SecondFactorView)))]
#[post("/api/me/second-factor")]
pub async fn new_second_factor(studio: AskedStudio, asker: Asker) -> Result<web::Json<SecondFactorView>, Problem> {
    let person = studio.person(asker.person.unwrap_or_default()).await?;
    let secret = studio.new_second_factor(person.id).await?;
    let address = second_factor_address(&secret, &person.email).ok_or_else(|| Problem::internal("a second factor without an address"))?;
    Ok(web::Json(SecondFactorView { address }))
}

/// Asks for the second factor from now on.
#[utoipa::path(request_body = CodeOfNow, responses((status = 204)))]
#[put("/api/me/second-factor")]
pub async fn hold_second_factor(studio: AskedStudio, asker: Asker, body: web::Json<CodeOfNow>) -> Result<HttpResponse, Problem> {
    ask_for_second_factor(true, &studio, asker, &body.code).await
}

/// Asks for it no more.
#[utoipa::path(request_body = CodeOfNow, responses((status = 204)))]
#[delete("/api/me/second-factor")]
pub async fn drop_second_factor(studio: AskedStudio, asker: Asker, body: web::Json<CodeOfNow>) -> Result<HttpResponse, Problem> {
    ask_for_second_factor(false, &studio, asker, &body.code).await
}

async fn ask_for_second_factor(on: bool, studio: &Studio, asker: Asker, code: &str) -> Result<HttpResponse, Problem> {
    studio.hold_second_factor(asker.person.unwrap_or_default(), code, on).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// The projects of whoever asks.
#[utoipa::path(responses((status = 200, body = Vec<ProjectView>)))]
#[get("/api/projects")]
pub async fn projects(studio: AskedStudio) -> Result<web::Json<Vec<ProjectView>>, Problem> {
    Ok(web::Json(studio.projects().await?.into_iter().map(|(row, role)| project_view(row, role)).collect()))
}

/// What something is called.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Named {
    /// Its name.
    name: String,
}

/// Makes a project; whoever asks owns it.
#[utoipa::path(request_body = Named, responses((status = 200, body = ProjectView)))]
#[post("/api/projects")]
pub async fn new_project(studio: AskedStudio, body: web::Json<Named>) -> Result<web::Json<ProjectView>, Problem> {
    let id = studio.new_project(&body.name).await?;
    let row = people::project(&studio.pool, id).await?.ok_or_else(|| Problem::not_found("project"))?;
    Ok(web::Json(project_view(row, Role::Owner)))
}

/// A project with its people and the invitations that nobody took yet.
#[utoipa::path(params(("project" = Uuid, Path)), responses((status = 200, body = ProjectView)))]
#[get("/api/projects/{project}")]
pub async fn one_project(studio: AskedStudio, id: web::Path<Uuid>) -> Result<web::Json<ProjectView>, Problem> {
    let found = studio.projects().await?.into_iter().find(|(row, _)| row.id == *id);
    let (row, role) = found.ok_or_else(|| Problem::not_found("project"))?;
    let mut view = project_view(row, role);
    view.people = people::members(&studio.pool, *id).await?.into_iter().map(Into::into).collect();
    if role == Role::Owner {
        view.invitations = keys::of_project(&studio.pool, *id).await?.iter().filter_map(InvitationView::of).collect();
    }
    Ok(web::Json(view))
}

/// Somebody who is invited.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Invited {
    /// Their address.
    email: String,
    /// What they may do.
    role: Role,
}

/// A link, told this once.
#[derive(Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LinkView {
    /// The link.
    pub link: String,
}

/// Invites somebody: the link is theirs to open, for a week and once.
#[utoipa::path(params(("project" = Uuid, Path)), request_body = Invited, responses((status = 200, body = LinkView)))]
#[post("/api/projects/{project}/invitations")]
pub async fn invite(studio: AskedStudio, house: web::Data<House>, id: web::Path<Uuid>, body: web::Json<Invited>) -> Result<web::Json<LinkView>, Problem> {
    Ok(web::Json(LinkView { link: house.link(&studio.invite(*id, &body.email, body.role).await?) }))
}

/// Takes an invitation back.
#[utoipa::path(params(("project" = Uuid, Path), ("key" = Uuid, Path)), responses((status = 204)))]
#[delete("/api/projects/{project}/invitations/{key}")]
pub async fn take_invitation_back(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (project, key) = path.into_inner();
    if keys::take_back(&studio.pool, key, project).await? { Ok(HttpResponse::NoContent().finish()) } else { Err(Problem::not_found("invitation")) }
}

/// A role.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GivenRole {
    /// What they may do from now on.
    role: Role,
}

/// Changes what somebody may do in a project.
#[utoipa::path(params(("project" = Uuid, Path), ("person" = Uuid, Path)), request_body = GivenRole, responses((status = 204)))]
#[put("/api/projects/{project}/people/{person}")]
pub async fn change_role(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>, body: web::Json<GivenRole>) -> Result<HttpResponse, Problem> {
    let (project, person) = path.into_inner();
    studio.change_member(project, person, Some(body.role)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// What somebody in a project gave away of it and that still opens something: links to hear cuts, and invitations.
#[utoipa::path(params(("project" = Uuid, Path), ("person" = Uuid, Path)), responses((status = 200, body = Vec<GivenLinkView>)))]
#[get("/api/projects/{project}/people/{person}/links")]
pub async fn links_of(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>) -> Result<web::Json<Vec<GivenLinkView>>, Problem> {
    let (project, person) = path.into_inner();
    let mut views = Vec::new();
    for key in studio.links_of(project, person).await? {
        let title = match key.opens {
            Opens::Listening { cut, .. } => Some(cuts::cut(&studio.pool, cut).await?.setup.title),
            _ => None,
        };
        views.push(GivenLinkView::of(&key, title));
    }
    Ok(web::Json(views))
}

/// Links of somebody that are kept when they are taken out.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct KeptLinks {
    /// By their names; all others end.
    keep: Vec<Uuid>,
}

/// Takes somebody out of a project; what they gave away of it ends, unless it is kept.
#[utoipa::path(params(("project" = Uuid, Path), ("person" = Uuid, Path)), request_body = KeptLinks, responses((status = 204)))]
#[delete("/api/projects/{project}/people/{person}")]
pub async fn take_out(studio: AskedStudio, path: web::Path<(Uuid, Uuid)>, body: Option<web::Json<KeptLinks>>) -> Result<HttpResponse, Problem> {
    let (project, person) = path.into_inner();
    studio.take_out(project, person, &body.map(|b| b.into_inner().keep).unwrap_or_default()).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Who opened, changed, handed over and shared what, as CSV (RFC 4180).
#[utoipa::path(params(("project" = Uuid, Path)), responses((status = 200, content_type = "text/csv")))]
#[get("/api/projects/{project}/record.csv")]
pub async fn record(studio: AskedStudio, id: web::Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut table = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    let write = |table: &mut csv::Writer<Vec<u8>>, row: [&str; 5]| table.write_record(row).map_err(Problem::internal);
    write(&mut table, ["time (UTC)", "who", "address", "what", "cut"])?;
    for line in studio.record(*id).await? {
        let (at, cut) = (line.at.format("%Y-%m-%dT%H:%M:%S").to_string(), line.cut.map_or(String::new(), |cut| cut.to_string()));
        write(&mut table, [&at, &plain(&line.who), &plain(&line.email), &line.what, &cut])?;
    }
    let bytes = table.into_inner().map_err(Problem::internal)?;
    let disposition = ContentDisposition { disposition: DispositionType::Attachment, parameters: vec![DispositionParam::Filename("record.csv".into())] };
    Ok(HttpResponse::Ok().content_type("text/csv; charset=utf-8").insert_header(disposition).body(bytes))
}

/// A cell that no table program takes for a formula (OWASP, CSV injection).
fn plain(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text.to_owned() }
}

/// A link with which somebody chooses a new password.
#[utoipa::path(params(("person" = Uuid, Path)), responses((status = 200, body = LinkView)))]
#[post("/api/people/{person}/password-key")]
pub async fn password_key(studio: AskedStudio, house: web::Data<House>, id: web::Path<Uuid>) -> Result<web::Json<LinkView>, Problem> {
    Ok(web::Json(LinkView { link: house.link(&studio.password_key(*id).await?) }))
}
