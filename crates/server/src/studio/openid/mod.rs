//! Signing in through a service elsewhere that knows the people of the house: OpenID Connect Core 1.0, by authorization code
//! with PKCE (RFC 7636).
//!
//! What the service says of somebody is believed if it signed it for this house and for this very try. Who comes for the first
//! time is known by an address that the service has verified: of a person of the house, or of an invitation that stands. From
//! then on they are who the service calls by that name, whatever their address becomes.

#[cfg(feature = "openid")]
mod service;
#[cfg(not(feature = "openid"))]
#[path = "without.rs"]
mod service;

pub use service::Elsewhere;

use super::{Problem, Studio};
use crate::store::StoreError;
use crate::store::keys::{self, Opens};
use crate::store::people::{self, PersonRow};
use serde::{Deserialize, Serialize};

/// What a try to sign in must match when it comes back. Nobody else may see it.
#[derive(Debug, Serialize, Deserialize)]
pub struct Try {
    state: String,
    nonce: String,
    verifier: String,
}

/// Who the service says somebody is.
struct Known {
    issuer: String,
    subject: String,
    /// Their address, if the service has verified it.
    email: Option<String>,
    name: Option<String>,
}

/// Why somebody does not come in.
#[derive(Debug)]
pub enum Refusal {
    /// The service does not answer.
    Away,
    /// It did not say who they are, or is not believed.
    NotTold,
    /// Nobody of their address was let in.
    Stranger,
    /// It is not about them.
    Other(Problem),
}

impl From<Problem> for Refusal {
    fn from(problem: Problem) -> Self {
        Self::Other(problem)
    }
}

impl From<StoreError> for Refusal {
    fn from(cause: StoreError) -> Self {
        Self::Other(cause.into())
    }
}

#[cfg(feature = "openid")]
fn away(cause: impl std::fmt::Display) -> Refusal {
    tracing::warn!(%cause, "the service by which people sign in does not answer as it should");
    Refusal::Away
}

#[cfg(feature = "openid")]
fn not_told(cause: impl std::fmt::Display) -> Refusal {
    tracing::warn!(%cause, "the service by which people sign in did not say who somebody is");
    Refusal::NotTold
}

impl Studio {
    /// Somebody comes back from the service elsewhere; who of this house they are.
    ///
    /// # Errors
    /// Why they do not come in.
    pub async fn known_elsewhere(&self, elsewhere: &Elsewhere, code: &str, state: &str, began: Try) -> Result<PersonRow, Refusal> {
        let known = elsewhere.known(code, state, began).await?;
        if let Some(person) = people::by_subject(&self.pool, &known.issuer, &known.subject).await? {
            return Ok(person);
        }
        let email = known.email.ok_or(Refusal::Stranger)?;
        let invitations = keys::invitations_of(&self.pool, &email).await?;
        let id = match people::by_email(&self.pool, &email).await? {
            Some(person) => person.id,
            None if invitations.is_empty() => return Err(Refusal::Stranger),
            None => {
                let name = known.name.as_deref().and_then(|name| super::people::called(name, "yourself").ok());
                people::insert(&self.pool, name.as_deref().unwrap_or(&email), &email, None, false).await?
            }
        };
        // An address that was given to somebody else meanwhile opens nothing of who had it before.
        if !people::set_subject(&self.pool, id, &known.issuer, &known.subject).await? {
            return Err(Refusal::Stranger);
        }
        for key in invitations {
            if let Opens::Invitation { project, role, .. } = key.opens
                && keys::use_up(&self.pool, key.id).await?
            {
                self.join(project, id, role).await?;
            }
        }
        Ok(self.person(id).await?)
    }
}
