//! Who may do what: the [`table`](super::table) is asked before every address of the interface.

use super::sessions::Asker;
use super::table::{Right, line_of, nothing_there};
use crate::store::StoreError;
use crate::store::keys::{self, KeyRow, Opens};
use crate::store::people::{self, Role};
use crate::store::remarks::{self, Speaker};
use crate::studio::{Behalf, Code, Problem, Studio};
use actix_session::SessionExt;
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{Payload, RequestHead, ServiceRequest, ServiceResponse};
use actix_web::middleware::Next;
use actix_web::{Error, FromRequest, HttpMessage, HttpRequest, ResponseError, web};
use std::future::{Ready, ready};
use std::net::{IpAddr, SocketAddr};
use std::ops::Deref;
use std::time::Instant;
use uuid::Uuid;

/// Whether the house has accounts, and where it is reached.
#[derive(Debug, Clone)]
pub struct House {
    /// Whether people sign in; without that somebody is alone.
    pub accounts: bool,
    /// Where it is reached, for links.
    pub address: String,
    /// Whether a proxy stands in front of it, which says whom a request comes from.
    pub behind_proxy: bool,
}

impl House {
    /// The machine that a request comes from. A proxy adds it as the last of `X-Forwarded-For`; what stands before it anybody can write.
    pub fn client_of(&self, head: &RequestHead, peer: Option<SocketAddr>) -> String {
        let said = head.headers().get("x-forwarded-for").filter(|_| self.behind_proxy).and_then(|value| value.to_str().ok());
        let told = said.and_then(|text| text.rsplit(',').next()).and_then(|text| text.trim().parse::<IpAddr>().ok());
        told.or(peer.map(|address| address.ip())).map_or_else(String::new, |ip| ip.to_string())
    }

    /// The link that brings a key.
    pub fn link(&self, key: &str) -> String {
        // Behind the number sign: no server and no log ever sees it.
        format!("{}/key#{key}", self.address)
    }
}

/// The studio on behalf of whoever asks.
#[derive(Clone)]
pub struct AskedStudio(Studio);

impl Deref for AskedStudio {
    type Target = Studio;

    fn deref(&self) -> &Studio {
        &self.0
    }
}

fn left<T: Clone + 'static>(request: &HttpRequest) -> Ready<Result<T, Problem>> {
    ready(request.extensions().get::<T>().cloned().ok_or_else(|| Problem::internal("an address without a right")))
}

impl FromRequest for AskedStudio {
    type Error = Problem;
    type Future = Ready<Result<Self, Problem>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        left(request)
    }
}

/// How somebody hears a cut.
#[derive(Debug, Clone, Default)]
pub struct Hearing {
    /// The revision that they hear; the newest without it.
    pub revision: Option<u32>,
    /// Who they are.
    pub speaker: Speaker,
    /// What they are called, where that is known.
    pub name: String,
    /// Whether they may change the cut.
    pub edits: bool,
}

impl FromRequest for Hearing {
    type Error = Problem;
    type Future = Ready<Result<Self, Problem>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        left(request)
    }
}

impl FromRequest for Asker {
    type Error = Problem;
    type Future = Ready<Result<Self, Problem>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        left(request)
    }
}

/// What a decision rests on.
struct Decided {
    behalf: Behalf,
    hearing: Hearing,
    /// The project in whose record it stands.
    project: Option<Uuid>,
}

fn sign_in() -> Problem {
    Problem::new(Code::SignIn, "Nobody is signed in here.")
}

fn may_not() -> Problem {
    Problem::new(Code::MayNot, "Your role in the project does not allow this.")
}

/// A name in an address, third of its parts.
fn named(path: &str) -> Option<Uuid> {
    path.split('/').nth(3).and_then(|part| Uuid::parse_str(part).ok())
}

/// The project that is asked for.
fn asked_project(query: &str) -> Option<Uuid> {
    query.split('&').find_map(|pair| pair.strip_prefix("project=")).and_then(|text| Uuid::parse_str(text).ok())
}

async fn decide(studio: &Studio, asker: Asker, right: Right, path: &str, query: &str) -> Result<Decided, Problem> {
    let pool = &studio.pool;
    let of = named(path);
    if asker.unknown && right != Right::Anybody {
        return Err(Problem::new(Code::Unavailable, "The database does not answer."));
    }
    if asker.alone {
        let project = match (right, of) {
            (Right::OnCut(_) | Right::Hears, Some(cut)) => Some(project_of(studio, cut).await?),
            (Right::InProject(_), of) => of,
            _ => None,
        };
        let behalf = Behalf { person: None, projects: None, project: asked_project(query).unwrap_or_default() };
        return Ok(Decided { behalf, hearing: Hearing { edits: true, ..Hearing::default() }, project });
    }
    let roles = match asker.person {
        Some(person) => people::projects_of(pool, person).await?,
        None => Vec::new(),
    };
    let role_in = |project: Uuid| roles.iter().find(|(row, _)| row.id == project).map(|(_, role)| *role);
    let edited: Vec<Uuid> = roles.iter().filter(|(_, role)| *role >= Role::Editor).map(|(row, _)| row.id).collect();
    let seen: Vec<Uuid> = roles.iter().map(|(row, _)| row.id).collect();
    let mut decided = Decided {
        behalf: Behalf { person: asker.person, projects: Some(if right == Right::SignedIn { seen } else { edited.clone() }), project: Uuid::nil() },
        hearing: Hearing::default(),
        project: None,
    };
    if right != Right::Anybody && right != Right::Hears && asker.person.is_none() {
        return Err(sign_in());
    }
    match right {
        Right::Anybody | Right::SignedIn => {}
        Right::Makes => {
            let project = match asked_project(query) {
                Some(project) => edited.contains(&project).then_some(project),
                None => edited.first().copied(),
            };
            decided.behalf.project = project.ok_or_else(may_not)?;
        }
        Right::OnCut(needed) => {
            let project = project_of(studio, of.ok_or_else(|| Problem::not_found("cut"))?).await?;
            // Who is not in a project is not told what it holds.
            let role = role_in(project).ok_or_else(|| Problem::not_found("cut"))?;
            if role < needed {
                return Err(may_not());
            }
            (decided.behalf.project, decided.project) = (project, Some(project));
        }
        Right::InProject(needed) => {
            let project = of.ok_or_else(|| Problem::not_found("project"))?;
            let role = role_in(project).ok_or_else(|| Problem::not_found("project"))?;
            if role < needed {
                return Err(may_not());
            }
            (decided.behalf.project, decided.project) = (project, Some(project));
        }
        Right::Hears => {
            let cut = of.ok_or_else(|| Problem::not_found("cut"))?;
            let project = match project_of(studio, cut).await {
                Err(_) if asker == Asker::default() => return Err(sign_in()),
                other => other?,
            };
            decided.hearing = match (asker.person, role_in(project), guest(studio, asker, cut).await?) {
                (Some(person), Some(role), _) => {
                    let name = studio.person(person).await?.name;
                    Hearing { revision: None, speaker: Speaker { person: Some(person), key: None }, name, edits: role >= Role::Editor }
                }
                (_, _, Some(key)) => {
                    let Opens::Listening { revision, .. } = key.opens else { return Err(sign_in()) };
                    Hearing { revision, speaker: Speaker { person: None, key: Some(key.id) }, name: key.given_to, edits: false }
                }
                _ if asker.person.is_some() => return Err(Problem::not_found("cut")),
                _ => return Err(sign_in()),
            };
            (decided.behalf.project, decided.project) = (project, Some(project));
        }
        Right::Keeper => {
            let person = studio.person(asker.person.unwrap_or_default()).await?;
            if !person.keeper {
                return Err(may_not());
            }
        }
    }
    Ok(decided)
}

async fn project_of(studio: &Studio, cut: Uuid) -> Result<Uuid, Problem> {
    Ok(crate::store::cuts::project_of(&studio.pool, cut).await?)
}

/// The key by which a guest hears a cut, as long as it opens it.
async fn guest(studio: &Studio, asker: Asker, cut: Uuid) -> Result<Option<KeyRow>, StoreError> {
    let Some(id) = asker.guest else { return Ok(None) };
    let found = keys::open(&studio.pool, id).await?;
    Ok(found.filter(|key| matches!(key.opens, Opens::Listening { cut: of, .. } if of == cut)))
}

/// Asks the table before an address is reached, and notes what was done.
///
/// # Errors
/// What lies behind says.
pub async fn check(
    studio: web::Data<Studio>,
    house: web::Data<House>,
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    // Addresses of the page are everybody's.
    if !request.path().starts_with("/api") {
        return Ok(next.call(request).await?.map_into_boxed_body());
    }
    let Some((method, pattern, right, noted)) = line_of(request.method(), request.path()) else {
        let answer = nothing_there(request.path(), request.method());
        return Ok(request.into_response(answer));
    };
    let asker = Asker::of(&request.get_session(), house.accounts);
    let path = request.path().to_owned();
    let decided = match decide(&studio, asker, *right, &path, request.query_string()).await {
        Ok(decided) => decided,
        Err(problem) => return Ok(request.into_response(problem.error_response())),
    };
    let speaker = if decided.hearing.speaker.key.is_some() { decided.hearing.speaker } else { Speaker { person: decided.behalf.person, key: None } };
    {
        let mut left = request.extensions_mut();
        left.insert(asker);
        left.insert(decided.hearing);
        left.insert(AskedStudio(studio.on_behalf_of(decided.behalf)));
    }
    let begun = Instant::now();
    let answer = next.call(request).await?.map_into_boxed_body();
    metrics::histogram!("jaunty_request_seconds", "method" => method.as_str(), "address" => *pattern, "status" => answer.status().as_str().to_owned())
        .record(begun.elapsed());
    if let (Some((what, hourly)), Some(project), true) = (noted, decided.project, answer.status().is_success()) {
        let cut = if matches!(right, Right::OnCut(_) | Right::Hears) { named(&path) } else { None };
        if let Err(cause) = remarks::note(&studio.pool, project, cut, speaker, what, *hourly).await {
            tracing::warn!(%cause, "something is missing from the record");
        }
    }
    Ok(answer)
}
