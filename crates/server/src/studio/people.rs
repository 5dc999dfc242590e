//! Who is let in: keys that were given away, invitations and projects.

use super::sign_in::wrong;
use super::{Code, Problem, Studio};
use crate::store::keys::{self, Given, KeyRow, Opens};
use crate::store::people::{self, PersonRow, ProjectRow, Role};
use crate::store::remarks::{self, Speaker};
use std::time::Duration;
use uuid::Uuid;

const DAY: Duration = Duration::from_secs(24 * 3600);
/// How long a key of the terminal waits to be used.
const HOUSE_KEY_LASTS: Duration = DAY;
/// How long an invitation stands.
const INVITATION_LASTS: Duration = Duration::from_secs(7 * 24 * 3600);
/// How long a key for a new password waits.
const PASSWORD_KEY_LASTS: Duration = DAY;
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

/// What somebody says who takes an invitation or chooses a new password.
#[derive(Debug)]
pub struct Newcomer {
    /// What they are called; asked of who is new.
    pub name: String,
    /// Their password.
    pub password: String,
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
                true => "kept a link of who was taken out",
                false if keys::take_back(&self.pool, key.id, of).await? => "ended a link of who was taken out",
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
}
