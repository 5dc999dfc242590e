//! Views of people, projects and keys.

use crate::store::keys::{KeyRow, Opens};
use crate::store::people::{MemberRow, PersonRow, ProjectRow, Role};
use crate::store::watched::HereRow;
use chrono::{DateTime, Utc};
use jaunty_core::units::seconds_from_samples;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Who is signed in.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MeView {
    /// Whether people sign in here; without that somebody is alone.
    pub accounts: bool,
    /// What the service is called through which people may sign in as well.
    pub elsewhere: Option<String>,
    /// Whether whoever asks may work here: a person, or somebody alone.
    pub inside: bool,
    /// The person.
    pub person: Option<PersonView>,
    /// The cut that a guest may hear.
    pub hears: Option<Uuid>,
}

/// A person, for themselves.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonView {
    /// Their name in addresses.
    pub id: Uuid,
    /// What they are called.
    pub name: String,
    /// Their address.
    pub email: String,
    /// Whether a second factor is asked for.
    pub second_factor: bool,
    /// Whether they look after the house.
    pub keeper: bool,
}

impl MeView {
    /// Who a session stands for.
    pub fn of(accounts: bool, alone: bool, person: Option<&PersonRow>, guest: Option<&KeyRow>) -> Self {
        let person =
            person.map(|p| PersonView { id: p.id, name: p.name.clone(), email: p.email.clone(), second_factor: p.second_factor_holds, keeper: p.keeper });
        let hears = guest.and_then(|key| if let Opens::Listening { cut, .. } = key.opens { Some(cut) } else { None });
        Self { accounts, elsewhere: None, inside: alone || person.is_some(), person, hears }
    }
}

/// Somebody else on a cut.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HereView {
    /// Their window.
    pub window: Uuid,
    /// What they are called.
    pub name: String,
    /// The step that they look at.
    pub step: String,
    /// Where their playhead is, in seconds.
    pub at_s: f64,
    /// What they have marked, in seconds: from where to where.
    pub marked: Option<(f64, f64)>,
}

impl From<&HereRow> for HereView {
    fn from(row: &HereRow) -> Self {
        let marked = row.from_samples.zip(row.to_samples).map(|(from, to)| (seconds_from_samples(from), seconds_from_samples(to)));
        Self { window: row.window_id, name: row.name.clone(), step: row.step.clone(), at_s: seconds_from_samples(row.at_samples), marked }
    }
}

/// What a key opens.
#[derive(Debug, Clone, Copy, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum KeyOpens {
    /// The house, for somebody alone.
    House,
    /// A project.
    Invitation,
    /// A new password.
    Password,
    /// One cut, to hear.
    Listening,
}

/// A key that somebody brings.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct KeyView {
    /// What it opens.
    pub opens: KeyOpens,
    /// The project that it invites to.
    pub project: Option<String>,
    /// Whose address it was given to.
    pub email: Option<String>,
    /// Whether they have a password here.
    pub known: bool,
    /// The cut to hear.
    pub cut: Option<Uuid>,
    /// Whether a word is asked for as well.
    pub asks_word: bool,
}

impl KeyView {
    /// What a key says by itself.
    pub fn of(row: &KeyRow) -> Self {
        let (opens, email, cut) = match &row.opens {
            Opens::House => (KeyOpens::House, None, None),
            Opens::Invitation { email, .. } => (KeyOpens::Invitation, Some(email.clone()), None),
            Opens::Password(_) => (KeyOpens::Password, None, None),
            Opens::Listening { cut, .. } => (KeyOpens::Listening, None, Some(*cut)),
        };
        Self { opens, project: None, email, known: false, cut, asks_word: row.word.is_some() }
    }
}

/// A project.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ProjectView {
    /// Its name in addresses.
    pub id: Uuid,
    /// What it is called.
    pub name: String,
    /// What whoever asks may do in it.
    pub role: Role,
    /// Who is in it; only where one project is asked for.
    pub people: Vec<MemberView>,
    /// Who is invited; only for its owners.
    pub invitations: Vec<InvitationView>,
}

/// A project without its people.
pub fn project_view(row: ProjectRow, role: Role) -> ProjectView {
    ProjectView { id: row.id, name: row.name, role, people: Vec::new(), invitations: Vec::new() }
}

/// Somebody in a project.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MemberView {
    /// Their name in addresses.
    pub id: Uuid,
    /// What they are called.
    pub name: String,
    /// Their address.
    pub email: String,
    /// What they may do: `listener`, `editor` or `owner`.
    pub role: Role,
}

impl From<MemberRow> for MemberView {
    fn from(row: MemberRow) -> Self {
        Self { role: Role::named(&row.role).unwrap_or(Role::Listener), id: row.id, name: row.name, email: row.email }
    }
}

/// An invitation that nobody took yet.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct InvitationView {
    /// Its name in addresses.
    pub id: Uuid,
    /// Whose address it was given to.
    pub email: String,
    /// What they may do then.
    pub role: Role,
    /// Until when it stands.
    pub expires_at: DateTime<Utc>,
}

impl InvitationView {
    /// A key that invites.
    pub fn of(row: &KeyRow) -> Option<Self> {
        let Opens::Invitation { email, role, .. } = &row.opens else { return None };
        Some(Self { id: row.id, email: email.clone(), role: *role, expires_at: row.expires_at.and_utc() })
    }
}

/// A link to hear a cut, or an invitation, that somebody gave away.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GivenLinkView {
    /// Its name in addresses.
    pub id: Uuid,
    /// The title of the cut that it lets hear; none for an invitation into the project.
    pub cut: Option<String>,
    /// Whom it was given to.
    pub given_to: String,
    /// Until when it opens something.
    pub expires_at: DateTime<Utc>,
}

impl GivenLinkView {
    /// A key, with the title of its cut.
    pub fn of(row: &KeyRow, cut: Option<String>) -> Self {
        Self { id: row.id, cut, given_to: row.given_to.clone(), expires_at: row.expires_at.and_utc() }
    }
}
