//! Several lengths of one cut: each version is a cut of its own.

use super::{Code, Problem, Studio};
use crate::store::cuts::{self, CutRow, Revision};
use crate::store::handed::{self, HandedRow};
use crate::store::jobs::{self, JobRow};
use crate::store::sounds;
use jaunty_core::cut::{Arrival, MOST_VERSIONS};
use jaunty_core::message;
use jaunty_core::reading::Reading;
use jaunty_core::units::CutLength;
use uuid::Uuid;

/// A cut among those that share its beginnings.
#[derive(Debug, Clone)]
pub struct FamilyCut {
    /// The cut, with what is wanted.
    pub row: CutRow,
    /// The revision that is shown.
    pub current: Revision,
    /// What was read of the bed at hand.
    pub reading: Option<Reading>,
    /// Jobs under way, and the last one if it failed.
    pub jobs: Vec<JobRow>,
    /// Whether the cut it is a version of has changed since.
    pub is_behind: bool,
    /// What was handed over of it last.
    pub handed: Option<HandedRow>,
}

impl Studio {
    /// A cut, or the one that it is a version of, and all versions of that: the longest first.
    ///
    /// # Errors
    /// [`Code::NotFound`], or what the database says.
    pub async fn family(&self, id: Uuid) -> Result<Vec<FamilyCut>, Problem> {
        let mother = self.mother(id).await?;
        let shared = mother.setup.shared();
        let mut rows = cuts::versions_of(&self.pool, mother.id).await?;
        rows.sort_by_key(|row| std::cmp::Reverse(row.setup.picture.length_samples()));
        rows.insert(0, mother);
        let mut family = Vec::new();
        for row in rows {
            let jobs = jobs::of_cut(&self.pool, row.id).await?;
            let current = cuts::current(&self.pool, &row).await?;
            let reading = match &row.setup.bed {
                Some(bed) => sounds::bed_document(&self.pool, &bed.hash, row.setup.corrections(&bed.hash)).await?,
                None => None,
            };
            let is_behind = row.setup.version.as_ref().is_some_and(|v| v.taken != shared);
            let handed = handed::of_cut(&self.pool, row.id).await?.into_iter().next();
            family.push(FamilyCut { row, current, reading, jobs, is_behind, handed });
        }
        Ok(family)
    }

    async fn mother(&self, id: Uuid) -> Result<CutRow, Problem> {
        let mother = cuts::mother_of(&self.pool, id).await?.unwrap_or(id);
        Ok(cuts::cut(&self.pool, mother).await?)
    }

    /// Makes versions of a cut, or of the one that it is a version of: one for each length, as it is typed.
    ///
    /// # Errors
    /// A length that is none, that there is already, or too many; [`Code::NotFound`], or what the database says.
    pub async fn make_versions(&self, id: Uuid, lengths: &[String]) -> Result<Vec<Uuid>, Problem> {
        let mother = self.mother(id).await?;
        if lengths.is_empty() {
            return Err(Problem::bad_value("Write at least one length, such as 30 or 0:15."));
        }
        let mut there: Vec<u64> = cuts::versions_of(&self.pool, mother.id).await?.iter().map(|row| row.setup.picture.length_frames).collect();
        there.push(mother.setup.picture.length_frames);
        if there.len() + lengths.len() > MOST_VERSIONS + 1 {
            return Err(Problem::bad_value(format!("A cut has at most {MOST_VERSIONS} versions. Take away one that is not needed.")));
        }
        let made = cuts::current(&self.pool, &mother).await?.cut;
        let wanted = jaunty_core::cut::Cut { setup: mother.setup.clone(), ..made };
        let mut versions = Vec::new();
        for text in lengths {
            let length = CutLength::parse(mother.setup.picture.rate, text).map_err(Problem::bad_value)?;
            if there.contains(&length.frames()) {
                return Err(Problem::bad_value(format!("There is a version of {} already. Nothing was made.", text.trim())));
            }
            there.push(length.frames());
            versions.push(wanted.version(&mother.id.to_string(), length));
        }
        Ok(cuts::insert_versions(&self.pool, mother.id, &versions, &message!("cut.version"), self.behalf.person).await?)
    }

    /// A version takes over what changed in the cut that it is a version of; the revision that is shown then.
    ///
    /// # Errors
    /// A cut that is no version, or what changing says.
    pub async fn follow(&self, id: Uuid) -> Result<u32, Problem> {
        let Some(mother) = cuts::mother_of(&self.pool, id).await? else {
            return Err(Problem::new(Code::BadValue, "This cut is no version of another one."));
        };
        let setup = cuts::cut(&self.pool, mother).await?.setup;
        self.arrive(id, Arrival::Mother(Box::new(setup))).await
    }
}
