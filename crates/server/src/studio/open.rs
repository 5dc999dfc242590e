//! Everything that is known of a cut, gathered for whoever shows it.

use super::{Problem, Studio};
use crate::store::comparisons::{self, Comparison};
use crate::store::cuts::{self, CutRow, Listing, Revision, Sort};
use crate::store::jobs::{self, JobRow};
use crate::store::people;
use crate::store::remarks::{self, RemarkRow};
use crate::store::sounds::{self, SoundRow};
use jaunty_core::cut::{Candidate, Readings, Take, Work, fitted_under, scene};
use jaunty_core::message::Message;
use jaunty_core::plan::Role;
use jaunty_core::reading::Reading;
use jaunty_core::speech::SpeechReading;
use uuid::Uuid;

/// A cut with everything that is known of it, as it was at one moment.
#[derive(Debug, Clone)]
pub struct OpenCut {
    /// The cut, with what is wanted.
    pub row: CutRow,
    /// The revision that is shown.
    pub current: Revision,
    /// What undo would take back for whoever asks.
    pub undo: Option<Message>,
    /// What redo would do.
    pub redo: Option<Message>,
    /// The bed at hand.
    pub bed: Option<OpenBedReading>,
    /// Readings of all beds on the cut, for its plan.
    pub readings: Readings,
    /// Whether narration or picture have changed since the bed was fitted.
    pub fitted_before: bool,
    /// The candidates.
    pub candidates: Vec<OpenCandidate>,
    /// The takes.
    pub takes: Vec<OpenTake>,
    /// Jobs under way, and the last one if it failed.
    pub jobs: Vec<JobRow>,
    /// What was said of it.
    pub remarks: Vec<RemarkRow>,
    /// When it was looked at, in microseconds.
    pub as_of: i64,
}

/// A bed with what was read of it.
#[derive(Debug, Clone)]
pub struct OpenBedReading {
    /// Its file.
    pub sound: SoundRow,
    /// Its reading, once there is one.
    pub reading: Option<Reading>,
}

/// A candidate with what is known of it.
#[derive(Debug, Clone)]
pub struct OpenCandidate {
    /// The candidate.
    pub candidate: Candidate,
    /// Its file.
    pub sound: SoundRow,
    /// Its reading, once there is one.
    pub reading: Option<Reading>,
    /// Why its terms object to the cut as it stands.
    pub objection: Option<&'static str>,
    /// How it would lie; none while that is computed.
    pub fit: Option<Comparison>,
}

/// A take with what is known of it.
#[derive(Debug, Clone)]
pub struct OpenTake {
    /// The take.
    pub take: Take,
    /// Its file.
    pub sound: SoundRow,
    /// Its reading, once there is one.
    pub reading: Option<SpeechReading>,
}

impl Studio {
    /// A cut with everything that is known of it.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn open_cut(&self, id: Uuid) -> Result<OpenCut, Problem> {
        const MOST_LOOKS: usize = 5;
        let mut row = cuts::cut(&self.pool, id).await?;
        for _ in 1..MOST_LOOKS {
            let open = self.look(row).await?;
            let now = cuts::cut(&self.pool, id).await?;
            if now == open.row {
                return Ok(open);
            }
            row = now;
        }
        self.look(row).await
    }

    async fn look(&self, row: CutRow) -> Result<OpenCut, Problem> {
        let as_of = chrono::Utc::now().timestamp_micros();
        // Before the plan is looked at: a job that is over by now has left its outcome in the plan.
        let jobs = jobs::of_cut(&self.pool, row.id).await?;
        let current = cuts::current(&self.pool, &row).await?;
        let (setup, planned) = (&row.setup, &current.cut.setup);
        let mut heard = self.speech_of(planned).await?;
        let beds: Vec<(String, Role)> = planned.parts().iter().filter_map(|p| Some((planned.bed_of(*p)?.hash.clone(), Role::Bed))).collect();
        heard.beds = self.readings(planned, &beds).await?.beds;
        let fitted = &current.cut.plan.fitted_under;
        let fitted_before = !fitted.is_empty() && *fitted != fitted_under(&scene(planned, &heard.speech));
        let mut bed = None;
        if let Some(used) = &setup.bed
            && let Some(sound) = sounds::sound(&self.pool, &used.hash).await?
        {
            let reading = sounds::bed_document(&self.pool, &used.hash, setup.corrections(&used.hash)).await?;
            bed = Some(OpenBedReading { sound, reading });
        }
        let compared = comparisons::all(&self.pool, row.id).await?;
        let mut candidates = Vec::new();
        for candidate in &setup.candidates {
            let Some(sound) = sounds::sound(&self.pool, &candidate.hash).await? else { continue };
            let reading = sounds::bed_document(&self.pool, &candidate.hash, &candidate.corrections).await?;
            let made_for = setup.fitted_as(&candidate.hash);
            let fit = compared.iter().find(|c| c.sound_hash == candidate.hash && c.made_for == made_for).cloned();
            let objection = self.objection_of(row.id, setup, candidate).await?;
            candidates.push(OpenCandidate { candidate: candidate.clone(), sound, reading, objection, fit });
        }
        // What was compared for another state of the cut is compared anew, should nobody be doing that: after an update, say.
        let stale = |c: &OpenCandidate| c.reading.is_some() && c.fit.is_none() && compared.iter().any(|done| done.sound_hash == c.candidate.hash);
        if candidates.iter().any(stale) && !jobs.iter().any(|job| job.task.0 == Work::Compare) {
            jobs::add_once(&self.pool, row.id, &Work::Compare, self.behalf.person).await?;
        }
        let mut takes = Vec::new();
        for take in &setup.takes {
            let Some(sound) = sounds::sound(&self.pool, &take.hash).await? else { continue };
            let reading = sounds::speech_reading(&self.pool, &take.hash).await?;
            takes.push(OpenTake { take: take.clone(), sound, reading });
        }
        let remarks = remarks::all(&self.pool, row.id).await?;
        let (undo, redo) = self.would_step(&row, &current).await?;
        Ok(OpenCut { undo, redo, bed, readings: heard, fitted_before, candidates, takes, jobs, remarks, as_of, current, row })
    }

    /// A page of the cuts that whoever asks may see, of one project where that is said, and how many there are in all.
    ///
    /// # Errors
    /// What the database says.
    pub async fn cuts(&self, project: Option<Uuid>, words: &str, sort: Sort, skip: u32, count: u32) -> Result<(Vec<CutRow>, u64), Problem> {
        let seen = self.behalf.projects.clone();
        let projects = match (project, seen) {
            (Some(one), Some(seen)) => Some(seen.into_iter().filter(|p| *p == one).collect()),
            (Some(one), None) => Some(vec![one]),
            (None, seen) => seen,
        };
        Ok(cuts::list(&self.pool, &Listing { projects: projects.as_deref(), words, sort, skip, count }).await?)
    }

    /// The beds of the cuts that whoever asks may change, newest first: who only listens has no use for them.
    ///
    /// # Errors
    /// What the database says.
    pub async fn beds(&self) -> Result<Vec<SoundRow>, Problem> {
        let Some(person) = self.behalf.person else { return Ok(sounds::beds(&self.pool, self.behalf.projects.as_deref()).await?) };
        let roles = people::projects_of(&self.pool, person).await?;
        let edited: Vec<Uuid> = roles.into_iter().filter(|(_, role)| *role >= people::Role::Editor).map(|(project, _)| project.id).collect();
        Ok(sounds::beds(&self.pool, Some(&edited)).await?)
    }

    /// Whether whoever asks may still change a cut.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn still_edits(&self, cut: Uuid) -> Result<bool, Problem> {
        let Some(person) = self.behalf.person else { return Ok(true) };
        Ok(people::role_on(&self.pool, cut, Some(person)).await?.1.is_some_and(|role| role >= people::Role::Editor))
    }

    /// Refuses a sound that never came into the project of a cut.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn may_hear_on(&self, cut: Uuid, hash: &str) -> Result<(), Problem> {
        let project = cuts::project_of(&self.pool, cut).await?;
        if people::may_hear(&self.pool, &[project], hash).await? { Ok(()) } else { Err(Problem::not_found("sound")) }
    }

    /// Refuses a sound that never came into a project of whoever asks.
    ///
    /// # Errors
    /// [`super::Code::NotFound`], or what the database says.
    pub async fn may_take(&self, hash: &str) -> Result<(), Problem> {
        match &self.behalf.projects {
            Some(projects) if !people::may_hear(&self.pool, projects, hash).await? => Err(Problem::not_found("bed")),
            _ => Ok(()),
        }
    }
}
