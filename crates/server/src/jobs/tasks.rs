//! The work that jobs do.

use super::queue::Claimed;
use super::worker::Report;
use super::{Task, queue};
use crate::App;
use crate::features::cuts::store::{self as cuts, CutRow};
use crate::features::sounds::store as sounds;
use crate::problem::{Code, Problem};
use jaunty_core::fit::{self, FitRequest, Fitting};
use jaunty_core::plan::{self, BedInput, NarrationInput, Plan, Role};
use jaunty_core::reading::{BarLikeness, Cancelled, Reading, read_bed};
use jaunty_core::shape::LevelObject;
use jaunty_core::speech::{SpeechReading, attach_words, read_speech};
use jaunty_media::{DecodeError, PcmFile};
use uuid::Uuid;

/// Why a task stopped. The texts reach the user.
#[derive(Debug, thiserror::Error)]
pub enum TaskError {
    /// Somebody asked for it.
    #[error("cancelled")]
    Cancelled,
    /// The sound cannot be read.
    #[error("{0}")]
    Decode(DecodeError),
    /// Something else; the log knows more.
    #[error("{0}")]
    Problem(#[from] Problem),
}

impl From<DecodeError> for TaskError {
    fn from(cause: DecodeError) -> Self {
        match cause {
            DecodeError::Cancelled => Self::Cancelled,
            other => Self::Decode(other),
        }
    }
}

impl From<Cancelled> for TaskError {
    fn from(_: Cancelled) -> Self {
        Self::Cancelled
    }
}

impl From<sqlx::Error> for TaskError {
    fn from(cause: sqlx::Error) -> Self {
        Self::Problem(cause.into())
    }
}

async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, TaskError> {
    tokio::task::spawn_blocking(work).await.map_err(|cause| TaskError::Problem(Problem::internal(cause)))
}

/// Runs a job's task to its end.
///
/// # Errors
/// [`TaskError`]; the job is then failed or cancelled.
pub async fn run(app: &App, job: &Claimed, report: Report) -> Result<(), TaskError> {
    match &job.task.0 {
        Task::Read { sound, role, what } => {
            if let Err(cause) = read(app, sound, *role, report).await {
                give_back(app, job.cut_id, sound, *role).await?;
                return Err(cause);
            }
            let cut = cuts::cut(&app.pool, job.cut_id).await?;
            let used = cut.and_then(|mut c| c.setup.used(*role).take());
            // The cut may have gone on to another sound while this one was read.
            if used.is_some_and(|u| u.hash == *sound) {
                queue::add(&app.pool, job.cut_id, &Task::Plan { what: what.clone() }).await?;
            }
            Ok(())
        }
        Task::Plan { what } => {
            report.say("fitting and shaping", 0.1);
            loop {
                let Some(cut) = cuts::cut(&app.pool, job.cut_id).await? else { return Ok(()) };
                match plan_cut(app, &cut, what).await {
                    // Another change came first: plan again, on top of it.
                    Err(TaskError::Problem(problem)) if problem.code() == Code::Stale => {}
                    other => return other,
                }
            }
        }
    }
}

/// Gives a cut the sound of its plan back, after a newer one turned out to be of no use.
///
/// # Errors
/// What the database says.
pub async fn give_back(app: &App, id: Uuid, sound: &str, role: Role) -> Result<(), Problem> {
    let Some(cut) = cuts::cut(&app.pool, id).await? else { return Ok(()) };
    let mut before = cuts::current(&app.pool, &cut).await?.map(|r| r.setup);
    cuts::change(&app.pool, id, |cut| {
        let used = cut.setup.used(role);
        if used.as_ref().is_some_and(|u| u.hash == sound) {
            *used = before.as_mut().and_then(|b| b.used(role).take());
        }
    })
    .await?;
    Ok(())
}

/// Decodes and reads a sound, unless that has been done.
async fn read(app: &App, hash: &str, role: Role, report: Report) -> Result<(), TaskError> {
    if sounds::has_reading(&app.pool, hash, role).await? {
        return Ok(());
    }
    let Some(sound) = sounds::sound(&app.pool, hash).await? else { return Ok(()) };
    const DECODING: f32 = 0.4;
    let decoding = report.clone();
    let info = app.sounds.decode(hash, &sound.extension, move |share| decoding.say("decoding", share * DECODING)).await?;
    sounds::set_decoded(&app.pool, hash, &info).await?;
    let file = app.sounds.working_file(hash, &sound.extension).await?;
    let mut progress = move |doing: &'static str, share: f32| report.say(doing, DECODING + share * (1.0 - DECODING));
    match role {
        Role::Bed => {
            let bed = blocking(move || read_bed(&file, &mut progress)).await??;
            sounds::set_reading(&app.pool, hash, role, &bed.reading, Some(&bed.likeness)).await?;
        }
        Role::Narration => {
            let speech = blocking(move || read_speech(&file, &mut progress)).await??;
            sounds::set_reading(&app.pool, hash, role, &speech, None).await?;
        }
    }
    Ok(())
}

/// What a plan is made from.
pub struct Material {
    bed: Option<(String, PcmFile, Reading, BarLikeness)>,
    narration: Option<(String, PcmFile, SpeechReading)>,
}

impl Material {
    /// Everything that is there and read.
    ///
    /// # Errors
    /// [`TaskError`] if a stored sound cannot be opened.
    pub async fn of(app: &App, cut: &CutRow) -> Result<Self, TaskError> {
        let mut material = Self { bed: None, narration: None };
        if let Some(bed) = &cut.setup.bed
            && let Some((reading, likeness)) = sounds::bed_reading(&app.pool, &bed.hash).await?
        {
            let file = app.working_file(&bed.hash).await?;
            material.bed = Some((bed.hash.clone(), file, reading, likeness));
        }
        if let Some(narration) = &cut.setup.narration
            && let Some(mut reading) = sounds::speech_reading(&app.pool, &narration.hash).await?
        {
            attach_words(&mut reading.phrases, &cut.words);
            let file = app.working_file(&narration.hash).await?;
            material.narration = Some((narration.hash.clone(), file, reading));
        }
        Ok(material)
    }

    fn fittings(&self, length_samples: u64) -> Vec<Fitting> {
        let request = FitRequest { length_samples };
        self.bed.as_ref().map_or(Vec::new(), |(_, file, reading, likeness)| fit::fittings(file, reading, likeness, &request))
    }

    /// The plan with `fitting`, keeping what was set by hand in `before`.
    pub fn propose(&self, length_samples: u64, fitting: Option<&Fitting>, before: &[LevelObject]) -> Plan {
        let bed = self.bed.as_ref().zip(fitting).map(|((sound, source, ..), fitting)| BedInput { sound, source, fitting });
        let narration = self.narration.as_ref().map(|(sound, source, reading)| NarrationInput { sound, source, reading });
        plan::propose(length_samples, bed, narration, before)
    }
}

/// Fits and shapes a cut and appends the result as a revision.
async fn plan_cut(app: &App, cut: &CutRow, what: &str) -> Result<(), TaskError> {
    let material = Material::of(app, cut).await?;
    let length_samples = cut.length_samples();
    let before = cuts::current(&app.pool, cut).await?.map_or(Vec::new(), |r| r.plan.bed().map_or(Vec::new(), |b| b.levels.clone()));
    let (fittings, plan) = blocking(move || {
        let fittings = material.fittings(length_samples);
        let plan = material.propose(length_samples, fittings.first(), &before);
        (fittings, plan)
    })
    .await?;
    cuts::append(&app.pool, cut, what, &plan, &fittings, 0).await?;
    Ok(())
}
