//! Who is let in: keys that were given away, passwords, second factors, invitations and projects.

use super::{Code, Problem, Studio};
use crate::store::keys::{self, Given, KeyRow, Opens};
use crate::store::people::{self, PersonRow, ProjectRow, Role};
use crate::store::remarks::{self, Speaker};
use crate::store::sessions;
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use serde::{Deserialize, Serialize};
use std::time::Duration;
use totp_rs::{Builder, Totp};
use uuid::Uuid;

const DAY: Duration = Duration::from_secs(24 * 3600);
/// How long a key of the terminal waits to be used.
const HOUSE_KEY_LASTS: Duration = DAY;
/// How long an invitation stands.
const INVITATION_LASTS: Duration = Duration::from_secs(7 * 24 * 3600);
/// How long a key for a new password waits.
const PASSWORD_KEY_LASTS: Duration = DAY;
/// Tries in a quarter of an hour: of one password or word, and from one machine.
const MOST_TRIES: u32 = 10;
const MOST_TRIES_FROM_ONE: u32 = 100;
/// NIST SP 800-63B (5.1.1.2) asks for at least 8 letters, and to take at least 64.
const PASSWORD_LETTERS: std::ops::RangeInclusive<usize> = 10..=200;

/// Who came in.
#[derive(Debug)]
pub enum Entered {
    /// Somebody who is alone at this machine.
    Alone,
    /// Somebody who may hear one cut.
    Guest(KeyRow),
}

/// A browser with which somebody came in before.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct KnownBrowser {
    /// Who they are.
    pub person: Uuid,
    /// What it goes by.
    pub name: Uuid,
}

/// What somebody says who takes an invitation or chooses a new password.
#[derive(Debug)]
pub struct Newcomer {
    /// What they are called; asked of who is new.
    pub name: String,
    /// Their password.
    pub password: String,
}

/// The address by which an app takes a second factor over.
pub fn second_factor_address(secret: &[u8], email: &str) -> Option<String> {
    let made = Builder::new().with_secret(secret.to_vec()).with_issuer(Some("Jaunty Bar")).with_account_name(email).build().ok()?;
    made.to_url().ok()
}

fn second_factor(secret: &[u8]) -> Result<Totp, Problem> {
    Builder::new().with_secret(secret.to_vec()).build().map_err(Problem::internal)
}

fn wrong() -> Problem {
    Problem::new(Code::SignIn, "The address and the password do not belong together.")
}

fn no_key() -> Problem {
    Problem::new(Code::NotFound, "This link opens nothing: it was used, has run out, or was taken back. Ask for another one.")
}

/// An address in small letters.
fn tidy_email(text: &str) -> Result<String, Problem> {
    let email = text.trim().to_lowercase();
    let parts = email.split_once('@').is_some_and(|(who, place)| !who.is_empty() && place.contains('.') && !place.starts_with('.') && !place.ends_with('.'));
    let plain = email.len() <= 254 && !email.chars().any(|c| c.is_whitespace() || c.is_control() || matches!(c, '<' | '>' | ',' | ';'));
    if parts && plain { Ok(email) } else { Err(Problem::bad_value("This is no address for mail. Write one such as ada@example.org.")) }
}

/// What somebody or something is called.
pub(super) fn called(text: &str, what: &str) -> Result<String, Problem> {
    let name: String = text.chars().filter(|c| !c.is_control()).collect();
    let name = name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(Problem::bad_value(format!("Give {what} a name of 1 to 120 letters.")));
    }
    Ok(name)
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

    async fn chosen(&self, password: &str) -> Result<String, Problem> {
        if !PASSWORD_LETTERS.contains(&password.chars().count()) {
            return Err(Problem::bad_value("A password has 10 to 200 letters; several words are easy to keep in mind."));
        }
        self.hashed(password).await
    }

    /// Whether anybody can sign in.
    ///
    /// # Errors
    /// What the database says.
    pub async fn has_people(&self) -> Result<bool, Problem> {
        Ok(people::any(&self.pool).await?)
    }

    /// A key for somebody who is alone at this machine.
    ///
    /// # Errors
    /// What the database says.
    pub async fn house_key(&self) -> Result<String, Problem> {
        let given = Given { opens: &Opens::House, lasts: HOUSE_KEY_LASTS, word: None, given_to: "this machine", by: None };
        Ok(keys::give(&self.pool, &given).await?.1)
    }

    /// What a key opens.
    ///
    /// # Errors
    /// [`Code::NotFound`] for one that opens nothing, or what the database says.
    pub async fn key(&self, key: &str) -> Result<KeyRow, Problem> {
        keys::of(&self.pool, key).await?.ok_or_else(no_key)
    }

    /// Somebody brings a key of the house or one to hear a cut, with its word.
    ///
    /// # Errors
    /// A key that opens nothing or something else, a wrong word, too many tries, or what the database says.
    pub async fn enter_with_key(&self, key: &str, word: &str, from: &str) -> Result<Entered, Problem> {
        let row = self.key(key).await?;
        match row.opens {
            Opens::House if keys::use_up(&self.pool, row.id).await? => Ok(Entered::Alone),
            Opens::Listening { .. } => {
                if let Some(hash) = &row.word {
                    let about = format!("key {}", row.id);
                    self.count_try(&about, from).await?;
                    if !self.is_right(word, Some(hash)).await? {
                        return Err(Problem::new(Code::SignIn, "The word is another one."));
                    }
                    self.was_right(&about, from).await?;
                }
                Ok(Entered::Guest(row))
            }
            _ => Err(no_key()),
        }
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

    /// Somebody.
    ///
    /// # Errors
    /// [`Code::NotFound`], or what the database says.
    pub async fn person(&self, id: Uuid) -> Result<PersonRow, Problem> {
        people::person(&self.pool, id).await?.ok_or_else(|| Problem::not_found("person"))
    }

    /// Somebody takes an invitation or chooses a new password; who they are.
    ///
    /// # Errors
    /// A key that opens something else, a name or password that is none, or what the database says.
    pub async fn accept(&self, key: &str, newcomer: &Newcomer, from: &str) -> Result<PersonRow, Problem> {
        let row = self.key(key).await?;
        let id = match &row.opens {
            Opens::Password(person) => {
                let password = self.chosen(&newcomer.password).await?;
                if !keys::use_up(&self.pool, row.id).await? {
                    return Err(no_key());
                }
                // Whoever holds an older link, or came in with the password of before, is out.
                keys::end_password_keys(&self.pool, *person).await?;
                people::set_password(&self.pool, *person, &password).await?;
                *person
            }
            Opens::Invitation { project, role, email } => {
                // Who is known here already says so with their password.
                let id = match people::by_email(&self.pool, email).await? {
                    Some(known) => {
                        let about = format!("sign-in {email}");
                        self.count_try(&about, from).await?;
                        if !self.is_right(&newcomer.password, known.password.as_deref()).await? {
                            return Err(wrong());
                        }
                        self.was_right(&about, from).await?;
                        known.id
                    }
                    None => {
                        let (name, password) = (called(&newcomer.name, "yourself")?, self.chosen(&newcomer.password).await?);
                        people::insert(&self.pool, &name, email, Some(&password), false).await?
                    }
                };
                if !keys::use_up(&self.pool, row.id).await? {
                    return Err(no_key());
                }
                self.join(*project, id, *role).await?;
                id
            }
            _ => return Err(no_key()),
        };
        self.person(id).await
    }

    /// Takes somebody into a project. An invitation takes nothing away.
    pub(super) async fn join(&self, project: Uuid, id: Uuid, role: Role) -> Result<(), Problem> {
        let before = people::role_in(&self.pool, project, id).await?;
        Ok(people::set_role(&self.pool, project, id, before.map_or(role, |b| b.max(role))).await?)
    }

    /// Lets somebody in who looks after the house, as an owner of its first project; a key with which they choose their password.
    /// Of somebody who is known a new password is asked.
    ///
    /// # Errors
    /// A name or an address that is none, or what the database says.
    pub async fn let_keeper_in(&self, name: &str, email: &str) -> Result<String, Problem> {
        let email = tidy_email(email)?;
        let id = match people::by_email(&self.pool, &email).await? {
            Some(known) => known.id,
            None => {
                let id = people::insert(&self.pool, &called(name, "the person")?, &email, None, true).await?;
                people::set_role(&self.pool, Uuid::nil(), id, Role::Owner).await?;
                id
            }
        };
        self.password_key(id).await
    }

    /// A key with which somebody chooses a new password.
    ///
    /// # Errors
    /// [`Code::NotFound`], or what the database says.
    pub async fn password_key(&self, id: Uuid) -> Result<String, Problem> {
        self.person(id).await?;
        let given = Given { opens: &Opens::Password(id), lasts: PASSWORD_KEY_LASTS, word: None, given_to: "", by: self.behalf.person };
        Ok(keys::give(&self.pool, &given).await?.1)
    }

    /// A key for somebody to come into a project.
    ///
    /// # Errors
    /// An address that is none, or what the database says.
    pub async fn invite(&self, project: Uuid, email: &str, role: Role) -> Result<String, Problem> {
        let email = tidy_email(email)?;
        let opens = Opens::Invitation { project, role, email: email.clone() };
        let given = Given { opens: &opens, lasts: INVITATION_LASTS, word: None, given_to: &email, by: self.behalf.person };
        Ok(keys::give(&self.pool, &given).await?.1)
    }

    /// The projects that whoever asks sees, with what they may do there.
    ///
    /// # Errors
    /// What the database says.
    pub async fn projects(&self) -> Result<Vec<(ProjectRow, Role)>, Problem> {
        match self.behalf.person {
            Some(person) => Ok(people::projects_of(&self.pool, person).await?),
            None => Ok(people::projects(&self.pool).await?.into_iter().map(|project| (project, Role::Owner)).collect()),
        }
    }

    /// Makes a project, whose owner is whoever asks.
    ///
    /// # Errors
    /// A name that is none, or what the database says.
    pub async fn new_project(&self, name: &str) -> Result<Uuid, Problem> {
        Ok(people::insert_project(&self.pool, &called(name, "the project")?, self.behalf.person).await?)
    }

    /// The links and invitations of a project that somebody in it gave away and that still open something.
    ///
    /// # Errors
    /// [`Code::NotFound`] for somebody who is not in it, or what the database says.
    pub async fn links_of(&self, project: Uuid, person: Uuid) -> Result<Vec<KeyRow>, Problem> {
        people::role_in(&self.pool, project, person).await?.ok_or_else(|| Problem::not_found("person in this project"))?;
        Ok(keys::given_by(&self.pool, project, person).await?)
    }

    /// Takes somebody out of a project, and back what they gave away of it but for the links that are to be kept; the record says so.
    ///
    /// # Errors
    /// As [`Studio::change_member`].
    pub async fn take_out(&self, project: Uuid, person: Uuid, keep: &[Uuid]) -> Result<(), Problem> {
        self.change_member(project, person, None).await?;
        let by = Speaker { person: self.behalf.person, key: None };
        for key in keys::given_by(&self.pool, project, person).await? {
            let (cut, of) = match key.opens {
                Opens::Listening { cut, .. } => (Some(cut), cut),
                _ => (None, project),
            };
            let what = match keep.contains(&key.id) {
                true => "kept a link of somebody who was taken out",
                false if keys::take_back(&self.pool, key.id, of).await? => "ended a link of somebody who was taken out",
                false => continue,
            };
            remarks::note(&self.pool, project, cut, by, what, false).await?;
        }
        Ok(())
    }

    /// Changes what somebody may do in a project, or takes them out.
    ///
    /// # Errors
    /// [`Code::NotFound`] for somebody who is not in it, [`Code::BadValue`] where no owner would be left, or what the database says.
    pub async fn change_member(&self, project: Uuid, person: Uuid, role: Option<Role>) -> Result<(), Problem> {
        if people::role_in(&self.pool, project, person).await?.is_none() {
            return Err(Problem::not_found("person in this project"));
        }
        if !people::change_member(&self.pool, project, person, role).await? {
            return Err(Problem::bad_value("A project keeps at least one owner. Make somebody else an owner first."));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_told_from_what_is_none() {
        assert_eq!(tidy_email(" Ada@Example.ORG ").ok().as_deref(), Some("ada@example.org"));
        for none in ["", "ada", "ada@", "@example.org", "ada@example", "a da@example.org", "ada@.org", "ada@example.org,eve@example.org", "<ada@example.org>"] {
            assert!(tidy_email(none).is_err(), "{none}");
        }
    }

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
