//! The studio: what can be done with cuts. It stores values and calls the core; it holds no rule of
//! the job and knows nothing of HTTP. Requests and jobs are one call of it each.
//!
//! State lives in MariaDB and in the object store, never in the process, so any number of servers
//! and workers can share them.
//!
//! | part | does |
//! |---|---|
//! | `commit` | changes a cut: what a person says, what comes in |
//! | `undo` | undo and redo, of one's own change also under those of others |
//! | `open` | everything that is known of a cut, for whoever shows it |
//! | `planning` | opens what plans are made from; plans, compares, tries lengths |
//! | `take_in` | files that come in |
//! | `making` | sounds that are made: a film's own, the scratch voice, takes without noise |
//! | `reading` | decodes, recognises and reads sounds |
//! | `listening` | renders ranges of a plan |
//! | `people` | who is let in: keys, invitations, projects |
//! | `sign_in` | passwords, second factors, and how often either is tried |
//! | `clients` | cuts that are given to hear, and what is said of them |
//! | `hand_over` | files to hand over: mix, stems, film, lists, cue sheet, report, all in one |
//! | `house` | figures that a house keeps for all its cuts |
//! | `versions` | a cut at several lengths |
//! | `grids` | a bed's beats and bars as files |
//! | `film` | what a film is, and single pictures of it |
//! | `shelf` | music of a supplier, with its terms |
//! | `watching` | what is new, for those who look |
//! | `sweep` | removes what nobody needs |
//! | `demo` | loads the demo scenario |

mod clients;
mod commit;
mod demo;
mod film;
mod grids;
mod hand_over;
mod house;
mod listening;
mod making;
mod measured;
mod names;
mod open;
mod openid;
mod people;
mod planning;
mod problem;
mod reading;
pub mod shelf;
mod sign_in;
mod stills;
mod supplier;
mod sweep;
mod take_in;
mod task;
mod undo;
mod versions;
mod watching;

pub use clients::{HeardCut, NewRemark};
pub use grids::GridFile;
pub use hand_over::Asked;
pub use listening::{Heard, MOST_RANGE_SAMPLES, Ready};
pub use names::{extension, tidy_name, title_from};
pub use open::{OpenBedReading, OpenCandidate, OpenCut, OpenTake};
pub use openid::{Elsewhere, Refusal, Try};
pub use people::{Entered, Newcomer};
pub use planning::{NaturalWays, StillsWay, TriedFitting};
pub use problem::{Code, Problem};
pub use sign_in::{KnownBrowser, second_factor_address};
pub use supplier::{Piece, Query, StandIn, Supplier};
pub use sweep::Swept;
pub use task::{Report, TaskError};
pub use versions::FamilyCut;
pub use watching::News;

use crate::settings::Settings;
use crate::store::{Files, Room, connect, cuts, sounds};
use jaunty_media::PcmFile;
use listening::Stretches;
use measured::Measured;
use sqlx::MySqlPool;
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::sync::Arc;
use stills::Stills;
use tokio::sync::Semaphore;
use uuid::Uuid;
use watching::Watching;

/// On whose behalf something is done: the machine's own, or that of a person who is alone in the house, unless something else is said.
#[derive(Debug, Clone, Default)]
pub struct Behalf {
    /// The person.
    pub person: Option<Uuid>,
    /// The projects that they see; all of them where that is not said.
    pub projects: Option<Vec<Uuid>>,
    /// The project in which they make something new.
    pub project: Uuid,
}

/// What every request and job can reach.
#[derive(Clone)]
pub struct Studio {
    /// The database.
    pub pool: MySqlPool,
    /// The sounds.
    pub files: Files,
    /// The shelf of music.
    pub shelf: Arc<dyn Supplier>,
    /// Single pictures of films.
    pictures: Stills,
    stretches: Stretches,
    /// What was measured of sounds.
    measured: Measured,
    quota_bytes: Option<u64>,
    /// So much is computed at once: as much as there are cores, whoever asks.
    turns: Arc<Semaphore>,
    measuring: Arc<Semaphore>,
    watching: Watching,
    behalf: Behalf,
}

impl Studio {
    /// Connects to everything and brings the tables up to date.
    ///
    /// # Errors
    /// [`StartError`] with what to do.
    pub async fn open(settings: &Settings) -> Result<Self, StartError> {
        let folder = &settings.data_folder;
        let cache_bytes = settings.cache_bytes.or(settings.objects_url.is_some().then_some(Settings::CACHE_BYTES));
        let room = Room { most_upload_bytes: settings.most_upload_bytes, leave_free_bytes: settings.leave_free_bytes, cache_bytes };
        // Before anything is asked of the database: who has no folder has no sounds.
        let files = Files::open(folder, settings.objects_url.as_deref(), &settings.program, room).map_err(|cause| StartError::Data(folder.clone(), cause))?;
        let pool = connect(&settings.database_url).await?;
        cuts::fill_in_lists(&pool).await.map_err(Problem::from)?;
        let shelf = Arc::new(StandIn::new(folder.join("shelf")));
        // With one core, two take turns on it: a short thing is done while a long one goes on.
        let turns = Arc::new(Semaphore::new(std::thread::available_parallelism().map_or(2, NonZeroUsize::get).max(2)));
        let measuring = Arc::new(Semaphore::new(1));
        Ok(Self {
            pool,
            files,
            shelf,
            pictures: Stills::default(),
            stretches: Stretches::default(),
            measured: Measured::default(),
            quota_bytes: settings.quota_bytes,
            turns,
            measuring,
            watching: Watching::default(),
            behalf: Behalf::default(),
        })
    }

    /// The same, on behalf of somebody.
    pub fn on_behalf_of(&self, behalf: Behalf) -> Self {
        Self { behalf, ..self.clone() }
    }

    /// The working file of a stored sound.
    ///
    /// # Errors
    /// [`Code::NotFound`] for an unknown sound, or what decoding says.
    pub async fn working_file(&self, hash: &str) -> Result<PcmFile, Problem> {
        let sound = sounds::sound(&self.pool, hash).await?.ok_or_else(|| Problem::not_found("sound"))?;
        Ok(self.files.working_file(hash, &sound.extension).await?)
    }

    /// Measures a whole cut, when it is its turn: one at a time, so that what somebody listens to never waits behind measuring.
    ///
    /// # Errors
    /// What `work` says.
    pub async fn measure<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Problem> {
        let _turn = self.measuring.acquire().await.map_err(|_| Problem::new(Code::Unavailable, "The server is ending."))?;
        self.compute(work).await
    }

    /// Computes something that takes a while, when it is its turn: memory and waiting stay bounded however
    /// many ask at once, and who came first is served first.
    ///
    /// # Errors
    /// What `work` says.
    pub async fn compute<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Problem> {
        let _turn = self.turns.acquire().await.map_err(|_| Problem::new(Code::Unavailable, "The server is ending."))?;
        Ok(tokio::task::spawn_blocking(work).await?)
    }
}

/// Why the server did not start.
#[derive(Debug, thiserror::Error)]
pub enum StartError {
    /// The database does not answer or refuses us.
    #[error("the database does not answer ({0}); start it, or set JAUNTY_DATABASE_URL")]
    Database(#[from] sqlx::Error),
    /// The data folder cannot be used.
    #[error("the folder {0} cannot be used ({1}); make room or choose another with --data")]
    Data(PathBuf, std::io::Error),
    /// The demo scenario could not be made.
    #[error("the demo cannot be loaded ({0})")]
    Demo(#[from] Problem),
    /// The network or the disk failed.
    #[error("{0}")]
    Io(#[from] std::io::Error),
}
