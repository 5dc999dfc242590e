//! Cuts that are given to somebody to hear, and what they say of them.

use super::{Problem, Studio};
use crate::store::cuts::{self, Revision};
use crate::store::keys::{self, Given, KeyRow, Opens};
use crate::store::remarks::{self, NotedRow, RemarkRow, Speaker};
use std::time::Duration;
use uuid::Uuid;

/// As many remarks as one cut may have.
const MOST_REMARKS: u64 = 2000;
/// As long as a link may last.
const MOST_DAYS: u32 = 365;

/// A cut as somebody hears it who was given it.
#[derive(Debug, Clone)]
pub struct HeardCut {
    /// Its name in addresses.
    pub id: Uuid,
    /// The revision that is heard.
    pub revision: Revision,
    /// What was said of it.
    pub remarks: Vec<RemarkRow>,
}

/// What somebody says of a cut.
#[derive(Debug)]
pub struct NewRemark {
    /// The sample it is about; none is about all of it.
    pub at_samples: Option<u64>,
    /// What they say.
    pub words: String,
    /// Whether all is well with that.
    pub approves: bool,
    /// What they are called.
    pub said_by: String,
}

impl Studio {
    /// Gives a cut to somebody to hear: the newest of it or one revision, for so many days, with a word or without; the key.
    ///
    /// # Errors
    /// A value that is not allowed, or what the database says.
    pub async fn give_to_hear(&self, cut: Uuid, to: &str, revision: Option<u32>, word: &str, days: u32) -> Result<(Uuid, String), Problem> {
        if !(1..=MOST_DAYS).contains(&days) {
            return Err(Problem::bad_value(format!("A link lasts for 1 to {MOST_DAYS} days.")));
        }
        if let Some(revision) = revision {
            cuts::plan(&self.pool, cut, revision).await?.ok_or_else(|| Problem::not_found("revision"))?;
        }
        let to: String = to.trim().chars().filter(|c| !c.is_control()).take(120).collect();
        let word = if word.trim().is_empty() { None } else { Some(self.hashed(word.trim()).await?) };
        let lasts = Duration::from_secs(u64::from(days) * 24 * 3600);
        let given = Given { opens: &Opens::Listening { cut, revision }, lasts, word, given_to: &to, by: self.behalf.person };
        Ok(keys::give(&self.pool, &given).await?)
    }

    /// To whom a cut is given.
    ///
    /// # Errors
    /// What the database says.
    pub async fn given_to_hear(&self, cut: Uuid) -> Result<Vec<KeyRow>, Problem> {
        Ok(keys::of_cut(&self.pool, cut).await?)
    }

    /// A cut as it is heard: of one revision, or as it is now.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn heard(&self, id: Uuid, revision: Option<u32>) -> Result<HeardCut, Problem> {
        let revision = match revision {
            Some(number) => cuts::revision(&self.pool, id, number).await?.ok_or_else(|| Problem::not_found("revision"))?,
            None => cuts::current(&self.pool, &cuts::cut(&self.pool, id).await?).await?,
        };
        Ok(HeardCut { id, revision, remarks: remarks::all(&self.pool, id).await? })
    }

    /// Somebody says something of a cut.
    ///
    /// # Errors
    /// A remark without words or behind the end, too many of them, or what the database says.
    pub async fn remark(&self, heard: &HeardCut, remark: &NewRemark, speaker: Speaker) -> Result<RemarkRow, Problem> {
        let words: String = remark.words.trim().chars().filter(|c| !c.is_control() || *c == '\n').collect();
        if words.is_empty() && !remark.approves || words.chars().count() > 1000 {
            return Err(Problem::bad_value("Say something in 1 to 1000 letters."));
        }
        if remark.at_samples.is_some_and(|at| at > heard.revision.cut.setup.picture.length_samples()) {
            return Err(Problem::bad_value("The cut is over by then."));
        }
        if remarks::count(&self.pool, heard.id).await? >= MOST_REMARKS {
            return Err(Problem::bad_value(format!("A cut takes {MOST_REMARKS} remarks.")));
        }
        let said_by: String = remark.said_by.trim().chars().filter(|c| !c.is_control()).take(120).collect();
        let row = RemarkRow {
            id: Uuid::now_v7(),
            revision: heard.revision.number,
            at_samples: remark.at_samples,
            words,
            approves: remark.approves,
            said_by: if said_by.is_empty() { "a listener".into() } else { said_by },
            done_at: None,
            created_at: chrono::Utc::now().naive_utc(),
        };
        remarks::insert(&self.pool, heard.id, &row, speaker).await?;
        Ok(row)
    }

    /// What was said of a cut.
    ///
    /// # Errors
    /// What the database says.
    pub async fn remarks(&self, cut: Uuid) -> Result<Vec<RemarkRow>, Problem> {
        Ok(remarks::all(&self.pool, cut).await?)
    }

    /// A remark is done, or not yet.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn set_remark_done(&self, cut: Uuid, remark: Uuid, done: bool) -> Result<(), Problem> {
        if remarks::set_done(&self.pool, cut, remark, done).await? { Ok(()) } else { Err(Problem::not_found("remark")) }
    }

    /// The record of a project: who opened, changed, handed over and shared what.
    ///
    /// # Errors
    /// What the database says.
    pub async fn record(&self, project: Uuid) -> Result<Vec<NotedRow>, Problem> {
        Ok(remarks::record(&self.pool, project).await?)
    }
}
