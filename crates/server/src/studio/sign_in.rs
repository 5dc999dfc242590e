//! Signing in: passwords, second factors, and how often either is tried.

use super::{Code, Problem, Studio};
use crate::store::people::{self, PersonRow};
use crate::store::sessions;
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use serde::{Deserialize, Serialize};
use totp_rs::{Builder, Totp};
use uuid::Uuid;

/// Tries in a quarter of an hour: of one password or word, and from one machine.
const MOST_TRIES: u32 = 10;
const MOST_TRIES_FROM_ONE: u32 = 100;

/// A browser with which somebody came in before.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct KnownBrowser {
    /// Who they are.
    pub person: Uuid,
    /// What it goes by.
    pub name: Uuid,
}

/// The address by which an app takes a second factor over.
pub fn second_factor_address(secret: &[u8], email: &str) -> Option<String> {
    let made = Builder::new().with_secret(secret.to_vec()).with_issuer(Some("Jaunty Bar")).with_account_name(email).build().ok()?;
    made.to_url().ok()
}

fn second_factor(secret: &[u8]) -> Result<Totp, Problem> {
    Builder::new().with_secret(secret.to_vec()).build().map_err(Problem::internal)
}

pub(super) fn wrong() -> Problem {
    Problem::new(Code::SignIn, "The address and the password do not belong together.")
}

impl Studio {
    /// Refuses who tries too often: one thing, or anything from one machine.
    pub(super) async fn count_try(&self, about: &str, from: &str) -> Result<(), Problem> {
        // Both are counted, whichever refuses.
        let (of_one, of_machine) = (self.count_one(about, MOST_TRIES).await, self.count_one(&format!("from {from}"), MOST_TRIES_FROM_ONE).await);
        of_one.and(of_machine)
    }

    async fn count_one(&self, about: &str, most: u32) -> Result<(), Problem> {
        if sessions::count_try(&self.pool, about).await? > most {
            return Err(Problem::new(Code::TooMany, "This was tried too often. It can be tried again in a quarter of an hour."));
        }
        Ok(())
    }

    /// Forgets the tries of who succeeded; a house full of people who sign in from one address is no attack.
    pub(super) async fn was_right(&self, about: &str, from: &str) -> Result<(), Problem> {
        sessions::forget_tries(&self.pool, about).await?;
        Ok(sessions::take_try_back(&self.pool, &format!("from {from}")).await?)
    }

    /// What stands for a password or a word in the database (argon2id, RFC 9106).
    pub(super) async fn hashed(&self, secret: &str) -> Result<String, Problem> {
        let secret = secret.to_owned();
        let hash = self.compute(move || Argon2::default().hash_password(secret.as_bytes()).map(|hash| hash.to_string())).await?;
        hash.map_err(Problem::internal)
    }

    /// Whether a secret is the one that a hash stands for. Without a hash it takes as long, and is not.
    pub(super) async fn is_right(&self, secret: &str, hash: Option<&str>) -> Result<bool, Problem> {
        // Of a secret that nobody has.
        const NOBODYS: &str = "$argon2id$v=19$m=19456,t=2,p=1$bm9ib2R5cyBzYWx0Li4$WyDV6hxKnYl/qbRYmOFLnvYNnTc6ivmyGj0kOmNsNSU";
        let (known, secret, hash) = (hash.is_some(), secret.to_owned(), hash.unwrap_or(NOBODYS).to_owned());
        let right =
            self.compute(move || PasswordHash::new(&hash).is_ok_and(|hash| Argon2::default().verify_password(secret.as_bytes(), &hash).is_ok())).await?;
        Ok(right && known)
    }

    /// Somebody signs in.
    ///
    /// # Errors
    /// [`Code::SignIn`], [`Code::SecondFactor`] where one is asked for, too many tries, or what the database says.
    pub async fn sign_in(&self, email: &str, password: &str, code: Option<&str>, from: &str, known: Option<&KnownBrowser>) -> Result<PersonRow, Problem> {
        let email = email.trim().to_lowercase();
        // Tries from a browser that they came in with before are counted by themselves: no stranger locks anybody out of it.
        let known = match (known, people::by_email(&self.pool, &email).await?) {
            (Some(browser), Some(person)) if browser.person == person.id => Some(browser),
            _ => None,
        };
        let about = known.map_or_else(|| format!("sign-in {email}"), |browser| format!("sign-in {email} from {}", browser.name));
        match known {
            Some(_) => self.count_one(&about, MOST_TRIES).await?,
            None => self.count_try(&about, from).await?,
        }
        let found = people::by_email(&self.pool, &email).await?;
        if !self.is_right(password, found.as_ref().and_then(|p| p.password.as_deref())).await? {
            return Err(wrong());
        }
        let person = found.ok_or_else(wrong)?;
        if let Some(secret) = person.second_factor.as_deref().filter(|_| person.second_factor_holds) {
            let Some(code) = code.filter(|c| !c.trim().is_empty()) else {
                // Knowing the password is half of it; who comes back with the code tries once.
                self.was_right(&about, from).await?;
                return Err(Problem::new(Code::SecondFactor, "The code that your second factor shows is asked for as well."));
            };
            self.use_code(person.id, secret, code).await?;
        }
        self.was_right(&about, from).await?;
        Ok(person)
    }

    /// Refuses codes that are tried too often, whatever became of passwords meanwhile; only a right one forgets the others.
    async fn use_code(&self, person: Uuid, secret: &[u8], code: &str) -> Result<(), Problem> {
        let about = format!("code {person}");
        self.count_one(&about, MOST_TRIES).await?;
        self.check_code(person, secret, code).await?;
        Ok(sessions::forget_tries(&self.pool, &about).await?)
    }

    async fn check_code(&self, person: Uuid, secret: &[u8], code: &str) -> Result<(), Problem> {
        let refused = || Problem::new(Code::SecondFactor, "This is not the code that is shown now, or it was used already.");
        let step = second_factor(secret)?.check_current(code.trim()).ok_or_else(refused)?;
        if people::use_step(&self.pool, person, step).await? { Ok(()) } else { Err(refused()) }
    }

    /// The secret of a second factor for somebody; it holds once it was confirmed.
    ///
    /// # Errors
    /// [`Code::BadValue`] where one holds, or what the database says.
    pub async fn new_second_factor(&self, id: Uuid) -> Result<Vec<u8>, Problem> {
        let person = self.person(id).await?;
        if person.second_factor_holds {
            return Err(Problem::bad_value("There is a second factor. Take it away first."));
        }
        let secret = sessions::random::<20>()?.to_vec();
        people::set_second_factor(&self.pool, id, Some(&secret), false).await?;
        Ok(secret)
    }

    /// A second factor is asked for from now on, or no more: either takes a code of it.
    ///
    /// # Errors
    /// [`Code::SecondFactor`] for a wrong code, too many tries, or what the database says.
    pub async fn hold_second_factor(&self, id: Uuid, code: &str, holds: bool) -> Result<(), Problem> {
        let person = self.person(id).await?;
        let secret = person.second_factor.ok_or_else(|| Problem::not_found("second factor"))?;
        self.use_code(id, &secret, code).await?;
        Ok(people::set_second_factor(&self.pool, id, holds.then_some(&secret[..]), holds).await?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_of_the_second_factor_are_those_of_the_standard() {
        // RFC 6238, appendix B, SHA-1: the last six of its eight digits.
        let factor = second_factor(b"12345678901234567890").unwrap();
        for (time, code) in [(59, "287082"), (1_111_111_109, "081804"), (1_234_567_890, "005924"), (20_000_000_000, "353130")] {
            assert_eq!(factor.check(code, time), Some(time / 30), "{time}");
            assert_eq!(factor.check(code, time + 120), None, "{time}");
        }
        let address = second_factor_address(b"12345678901234567890", "ada@example.org").unwrap();
        assert!(address.starts_with("otpauth://totp/") && address.contains("secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"), "{address}");
    }
}
