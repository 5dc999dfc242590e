//! The service, asked as OpenID Connect says.

use super::{Known, Refusal, Try, away, not_told};
use crate::settings::ServiceSettings;
use openidconnect::core::{CoreAuthenticationFlow, CoreClient, CoreProviderMetadata, CoreUserInfoClaims};
use openidconnect::{
    AuthorizationCode, ClientId, ClientSecret, CsrfToken, EndUserEmail, EndUserName, EndpointMaybeSet, EndpointNotSet, EndpointSet, IssuerUrl,
};
use openidconnect::{LocalizedClaim, Nonce, OAuth2TokenResponse};
use openidconnect::{PkceCodeChallenge, PkceCodeVerifier, RedirectUrl, Scope, TokenResponse};
use std::time::Duration;

/// A service elsewhere that says who somebody is.
#[derive(Clone)]
pub struct Elsewhere {
    service: ServiceSettings,
    returns_to: RedirectUrl,
    http: reqwest::Client,
}

type ServiceClient = CoreClient<EndpointSet, EndpointNotSet, EndpointNotSet, EndpointNotSet, EndpointMaybeSet, EndpointMaybeSet>;

impl Elsewhere {
    /// The service, to which people come back at an address of this house.
    ///
    /// # Errors
    /// What is wrong with the addresses.
    pub fn new(service: ServiceSettings, returns_to: String) -> Result<Self, String> {
        // A redirect could lead the server to where only it can go.
        let http = reqwest::Client::builder().redirect(reqwest::redirect::Policy::none()).timeout(Duration::from_secs(10)).build();
        let returns_to = RedirectUrl::new(returns_to).map_err(|cause| cause.to_string())?;
        IssuerUrl::new(service.issuer.clone()).map_err(|cause| format!("{}: {cause}", service.issuer))?;
        Ok(Self { service, returns_to, http: http.map_err(|cause| cause.to_string())? })
    }

    /// What people call it.
    pub fn name(&self) -> &str {
        &self.service.name
    }

    async fn client(&self) -> Result<ServiceClient, Refusal> {
        let issuer = IssuerUrl::new(self.service.issuer.clone()).map_err(away)?;
        // Asked each time: its keys change.
        let metadata = CoreProviderMetadata::discover_async(issuer, &self.http).await.map_err(away)?;
        let (client, secret) = (ClientId::new(self.service.client.clone()), self.service.secret.clone().map(ClientSecret::new));
        Ok(CoreClient::from_provider_metadata(metadata, client, secret).set_redirect_uri(self.returns_to.clone()))
    }

    /// Where somebody goes to say who they are, and what that must match.
    ///
    /// # Errors
    /// [`Refusal::Away`].
    pub async fn begin(&self) -> Result<(String, Try), Refusal> {
        let (challenge, verifier) = PkceCodeChallenge::new_random_sha256();
        let client = self.client().await?;
        let asked = client.authorize_url(CoreAuthenticationFlow::AuthorizationCode, CsrfToken::new_random, Nonce::new_random);
        let scopes = ["email", "profile"].map(|scope| Scope::new(scope.into()));
        let (address, state, nonce) = asked.add_scopes(scopes).set_pkce_challenge(challenge).url();
        Ok((address.into(), Try { state: state.into_secret(), nonce: nonce.secret().clone(), verifier: verifier.into_secret() }))
    }

    pub(super) async fn known(&self, code: &str, state: &str, began: Try) -> Result<Known, Refusal> {
        if state != began.state {
            return Err(not_told("it came back to another try"));
        }
        let client = self.client().await?;
        let asked = client.exchange_code(AuthorizationCode::new(code.to_owned())).map_err(away)?;
        let answer = asked.set_pkce_verifier(PkceCodeVerifier::new(began.verifier)).request_async(&self.http).await.map_err(not_told)?;
        let token = answer.id_token().ok_or_else(|| not_told("no token"))?;
        let claims = token.claims(&client.id_token_verifier(), &Nonce::new(began.nonce)).map_err(not_told)?;
        let (issuer, subject) = (claims.issuer().to_string(), claims.subject().to_string());
        let tidy = |email: &EndUserEmail| email.trim().to_lowercase();
        let plain = |names: &LocalizedClaim<EndUserName>| names.get(None).map(|name| name.to_string());
        if let Some(email) = claims.email().filter(|_| claims.email_verified() == Some(true)) {
            return Ok(Known { issuer, subject, email: Some(tidy(email)), name: claims.name().and_then(plain) });
        }
        // Not every service writes an address on the token; it may be asked for it by whoever has that.
        let asked = client.user_info(answer.access_token().clone(), Some(claims.subject().clone())).map_err(not_told)?;
        let told: CoreUserInfoClaims = asked.request_async(&self.http).await.map_err(not_told)?;
        let email = told.email().filter(|_| told.email_verified() == Some(true)).map(tidy);
        Ok(Known { issuer, subject, email, name: told.name().and_then(plain) })
    }
}
