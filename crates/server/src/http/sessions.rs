//! Sessions of browsers: a cookie that nothing else can read, and what it stands for in the database.

use crate::store::{StoreError, sessions};
use crate::studio::{KnownBrowser, Problem, Try};
use actix_session::config::{CookieContentSecurity, PersistentSession};
use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError};
use actix_session::{Session, SessionMiddleware};
use actix_web::HttpRequest;
use actix_web::cookie::time::Duration;
use actix_web::cookie::{Cookie, CookieJar, Key, SameSite};
use base64::Engine;
use base64::prelude::BASE64_URL_SAFE_NO_PAD;
use chrono::{NaiveDateTime, Utc};
use jaunty_core::digest::hex;
use sqlx::MySqlPool;
use std::collections::HashMap;
use uuid::Uuid;

/// How long a browser that is not used stays signed in.
const LASTS: Duration = Duration::days(30);
/// What a session holds.
const ALONE: &str = "alone";
const PERSON: &str = "person";
const GUEST: &str = "guest";
/// That it cannot be said what a session holds.
const AWAY: &str = "away";

/// Sessions in MariaDB.
#[derive(Clone)]
pub struct Sessions {
    pool: MySqlPool,
}

fn ends(ttl: &Duration) -> NaiveDateTime {
    (Utc::now() + chrono::Duration::seconds(ttl.whole_seconds())).naive_utc()
}

fn written(state: &HashMap<String, String>) -> Result<(String, Option<Uuid>), serde_json::Error> {
    let person = state.get(PERSON).and_then(|text| serde_json::from_str(text).ok());
    Ok((serde_json::to_string(state)?, person))
}

impl SessionStore for Sessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<HashMap<String, String>>, LoadError> {
        let found = match sessions::state(&self.pool, key.as_ref()).await {
            // Nobody is sent to sign in because the database is away.
            Err(cause @ StoreError::Away(_)) => {
                tracing::warn!(%cause, "nobody can be told from anybody");
                return Ok(Some(HashMap::from([(AWAY.to_owned(), "true".to_owned())])));
            }
            other => other.map_err(|cause| LoadError::Other(cause.into()))?,
        };
        found.map(|text| serde_json::from_str(&text)).transpose().map_err(|cause| LoadError::Deserialization(cause.into()))
    }

    async fn save(&self, state: HashMap<String, String>, ttl: &Duration) -> Result<SessionKey, SaveError> {
        let (text, person) = written(&state).map_err(|cause| SaveError::Serialization(cause.into()))?;
        let other = |cause: StoreError| SaveError::Other(cause.into());
        let key = BASE64_URL_SAFE_NO_PAD.encode(sessions::random::<32>().map_err(other)?);
        sessions::keep(&self.pool, &key, &text, person, ends(ttl)).await.map_err(other)?;
        SessionKey::try_from(key).map_err(|cause| SaveError::Other(anyhow::anyhow!("{cause}")))
    }

    async fn update(&self, key: SessionKey, state: HashMap<String, String>, ttl: &Duration) -> Result<SessionKey, UpdateError> {
        let (text, person) = written(&state).map_err(|cause| UpdateError::Serialization(cause.into()))?;
        // One that was ended meanwhile stays ended.
        sessions::change(&self.pool, key.as_ref(), &text, person, ends(ttl)).await.map_err(|cause| UpdateError::Other(cause.into()))?;
        Ok(key)
    }

    async fn update_ttl(&self, key: &SessionKey, ttl: &Duration) -> Result<(), anyhow::Error> {
        Ok(sessions::lengthen(&self.pool, key.as_ref(), ends(ttl)).await?)
    }

    async fn delete(&self, key: &SessionKey) -> Result<(), anyhow::Error> {
        Ok(sessions::end(&self.pool, key.as_ref()).await?)
    }
}

/// What the servers of a house share, so that a session of one holds at all of them.
#[derive(Clone)]
pub struct Seal {
    pool: MySqlPool,
    key: Key,
    name: String,
    secure: bool,
}

impl Seal {
    /// The seal of the house whose database this is.
    ///
    /// # Errors
    /// What the database says.
    pub async fn of(pool: &MySqlPool, secure: bool) -> Result<Self, StoreError> {
        let key = Key::from(&sessions::secret(pool, "sessions").await?);
        // Browsers tell cookies of two servers of one machine apart by their names alone.
        let house = sessions::secret(pool, "house").await?;
        let name = format!("jaunty_{}", hex(&house[..house.len().min(4)]));
        Ok(Self { pool: pool.clone(), key, name, secure })
    }

    /// The layer that opens and keeps sessions.
    pub fn layer(&self) -> SessionMiddleware<Sessions> {
        SessionMiddleware::builder(Sessions { pool: self.pool.clone() }, self.key.clone())
            .cookie_name(self.name.clone())
            .cookie_http_only(true)
            .cookie_secure(self.secure)
            .cookie_same_site(SameSite::Strict)
            .cookie_content_security(CookieContentSecurity::Signed)
            .session_lifecycle(PersistentSession::default().session_ttl(LASTS))
            .build()
    }
}

/// Where people come back to from a service elsewhere: the one address of the interface to which a page from elsewhere may send somebody.
pub const BACK: &str = "/api/session/elsewhere/back";

/// Keeps what a try to sign in elsewhere must match, in the browser that began it.
///
/// Whoever comes back from another service is led by a page from elsewhere, so the cookie of the session is not sent: this
/// one is, on such a way and to this address alone. What it holds only this house can read.
#[derive(Clone)]
pub struct TryCookie {
    key: Key,
    name: String,
    secure: bool,
}

impl TryCookie {
    const LASTS: Duration = Duration::minutes(10);

    /// The cookie of the house that a seal is of.
    ///
    /// # Errors
    /// What the database says.
    pub async fn of(seal: &Seal) -> Result<Self, StoreError> {
        let key = Key::from(&sessions::secret(&seal.pool, "elsewhere").await?);
        Ok(Self { key, name: format!("{}_elsewhere", seal.name), secure: seal.secure })
    }

    /// The cookie with a try.
    ///
    /// # Errors
    /// Never: a try can be written.
    pub fn keep(&self, began: &Try) -> Result<Cookie<'static>, Problem> {
        let text = serde_json::to_string(began).map_err(Problem::internal)?;
        let mut jar = CookieJar::new();
        jar.private_mut(&self.key).add(self.made(text, Self::LASTS));
        jar.get(&self.name).cloned().ok_or_else(|| Problem::internal("a cookie that was not kept"))
    }

    /// The try that a request belongs to.
    pub fn began(&self, request: &HttpRequest) -> Option<Try> {
        let mut jar = CookieJar::new();
        jar.add_original(request.cookie(&self.name)?.into_owned());
        serde_json::from_str(jar.private(&self.key).get(&self.name)?.value()).ok()
    }

    /// What takes the cookie away: a try is made once.
    pub fn gone(&self) -> Cookie<'static> {
        self.made(String::new(), Duration::ZERO)
    }

    fn made(&self, text: String, lasts: Duration) -> Cookie<'static> {
        let made = Cookie::build(self.name.clone(), text).path(BACK).max_age(lasts);
        made.http_only(true).secure(self.secure).same_site(SameSite::Lax).finish()
    }
}

/// Tells a browser with which somebody came in before from all others (OWASP Authentication Cheat Sheet, device cookies). It opens nothing.
/// What it holds only this house can read.
#[derive(Clone)]
pub struct KnownCookie {
    key: Key,
    name: String,
    secure: bool,
}

impl KnownCookie {
    const LASTS: Duration = Duration::days(365);

    /// The cookie of the house that a seal is of.
    ///
    /// # Errors
    /// What the database says.
    pub async fn of(seal: &Seal) -> Result<Self, StoreError> {
        let key = Key::from(&sessions::secret(&seal.pool, "known").await?);
        Ok(Self { key, name: format!("{}_known", seal.name), secure: seal.secure })
    }

    /// The cookie of a browser with which somebody has come in; the one that it has already, if that is theirs.
    ///
    /// # Errors
    /// Never: it can be written.
    pub fn keep(&self, person: Uuid, before: Option<KnownBrowser>) -> Result<Cookie<'static>, Problem> {
        let browser = before.filter(|b| b.person == person).unwrap_or_else(|| KnownBrowser { person, name: Uuid::new_v4() });
        let text = serde_json::to_string(&browser).map_err(Problem::internal)?;
        let made = Cookie::build(self.name.clone(), text).path("/api/session").max_age(Self::LASTS);
        let mut jar = CookieJar::new();
        jar.private_mut(&self.key).add(made.http_only(true).secure(self.secure).same_site(SameSite::Strict).finish());
        jar.get(&self.name).cloned().ok_or_else(|| Problem::internal("a cookie that was not kept"))
    }

    /// The browser that a request comes from, if it is known.
    pub fn browser(&self, request: &HttpRequest) -> Option<KnownBrowser> {
        let mut jar = CookieJar::new();
        jar.add_original(request.cookie(&self.name)?.into_owned());
        serde_json::from_str(jar.private(&self.key).get(&self.name)?.value()).ok()
    }
}

/// Who a session stands for.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Asker {
    /// Whether it is somebody who is alone at this machine.
    pub alone: bool,
    /// The person who signed in.
    pub person: Option<Uuid>,
    /// The key of somebody who may hear one cut.
    pub guest: Option<Uuid>,
    /// Whether that cannot be said, since the database is away.
    pub unknown: bool,
}

impl Asker {
    /// Who is behind a session, in a house of people or of one.
    pub fn of(session: &Session, accounts: bool) -> Self {
        let id = |key: &str| session.get::<Uuid>(key).ok().flatten();
        let alone = !accounts && session.get::<bool>(ALONE).ok().flatten().unwrap_or(false);
        Self { alone, person: id(PERSON).filter(|_| accounts), guest: id(GUEST), unknown: session.contains_key(AWAY) }
    }

    /// Lets them in from now on, under another cookie than before.
    ///
    /// # Errors
    /// Never: a session keeps names.
    pub fn enter(self, session: &Session) -> Result<(), Problem> {
        if self.alone {
            session.insert(ALONE, true).map_err(Problem::internal)?;
        }
        for (key, id) in [(PERSON, self.person), (GUEST, self.guest)] {
            if let Some(id) = id {
                session.insert(key, id).map_err(Problem::internal)?;
            }
        }
        session.renew();
        Ok(())
    }
}
