//! Work in the background: what each kind of it is, and how it tells how far it is.

use super::{Problem, Studio};
use crate::apart::SoundError;
use crate::store::{StoreError, cuts, sounds};
use jaunty_core::cut::{Arrival, Work};
use jaunty_core::reading::Cancelled;
use jaunty_core::units::seconds_from_samples;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use uuid::Uuid;

/// What running work says about itself, shared with whoever tells it.
#[derive(Clone, Default)]
pub struct Report {
    state: Arc<Mutex<(f32, String)>>,
    stopped: Arc<AtomicBool>,
}

impl Report {
    /// Notes what is being done and the share done (0 to 1); whether to go on.
    pub fn say(&self, doing: &str, share: f32) -> bool {
        if let Ok(mut state) = self.state.lock() {
            *state = (share, doing.to_owned());
        }
        !self.stopped.load(Ordering::Relaxed)
    }

    /// The share done, and what is being done.
    pub fn now(&self) -> (f32, String) {
        self.state.lock().map(|s| s.clone()).unwrap_or_default()
    }

    /// Asks the work to stop.
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }
}

/// Why work stopped. The texts reach the user.
#[derive(Debug, thiserror::Error)]
pub enum TaskError {
    /// Somebody asked for it.
    #[error("cancelled")]
    Cancelled,
    /// The sound cannot be had.
    #[error("{0}")]
    Sound(SoundError),
    /// Something else; the log knows more.
    #[error("{0}")]
    Problem(#[from] Problem),
}

impl From<SoundError> for TaskError {
    fn from(cause: SoundError) -> Self {
        match cause {
            SoundError::Cancelled => Self::Cancelled,
            other => Self::Sound(other),
        }
    }
}

impl From<Cancelled> for TaskError {
    fn from(_: Cancelled) -> Self {
        Self::Cancelled
    }
}

impl From<StoreError> for TaskError {
    fn from(cause: StoreError) -> Self {
        match cause {
            StoreError::Sound(cause) => cause.into(),
            other => Self::Problem(other.into()),
        }
    }
}

impl From<std::io::Error> for TaskError {
    fn from(cause: std::io::Error) -> Self {
        Self::Problem(cause.into())
    }
}

impl Studio {
    /// How long work for a cut may take: as its input makes one expect, ten times over.
    pub async fn most_time(&self, id: Uuid, work: &Work) -> Duration {
        /// For whatever has no length.
        const LEAST: Duration = Duration::from_secs(180);
        /// Twelve hours of music.
        const MOST: Duration = Duration::from_secs(3 * 3600);
        let sound = match work {
            Work::Read { sound, .. } | Work::FilmSound { film: sound } | Work::Clean { take: sound } | Work::Retime { original: sound, .. } => {
                sounds::sound(&self.pool, sound).await.ok().flatten()
            }
            Work::Plan | Work::Compare | Work::Scratch | Work::HandOver { .. } => None,
        };
        // A megabyte of a lossy coding is a minute of sound, which takes some two seconds.
        let by_size = sound.as_ref().map_or(0, |s| s.size_bytes / 50_000);
        let by_length = cuts::cut(&self.pool, id).await.map_or(0, |cut| seconds_from_samples(cut.setup.picture.length_samples()) as u64 / 4);
        (LEAST + Duration::from_secs(by_size.max(by_length))).min(MOST)
    }

    /// Does work for a cut, to its end.
    ///
    /// # Errors
    /// [`TaskError`]; it is then failed or cancelled.
    pub async fn perform(&self, id: Uuid, work: &Work, report: Report) -> Result<(), TaskError> {
        match work {
            Work::Read { sound, role } => self.read_and_use(id, sound, *role, report).await,
            Work::Plan => {
                report.say("fitting and shaping", 0.1);
                Ok(self.plan(id).await?)
            }
            Work::FilmSound { film } => self.take_film_sound_out(id, film, report).await,
            Work::Scratch => self.speak_lines(id, report).await,
            Work::Clean { take } => self.take_noise_out(id, take, report).await,
            Work::Retime { original, tempo } => self.retime(id, original, *tempo, report).await,
            Work::Compare => self.compare(id, report).await,
            Work::HandOver { revision, form } => Ok(self.hand_over(id, *revision, form, report).await.map(|_| ())?),
        }
    }

    /// Gives work up that broke whoever did it; why, for people.
    ///
    /// # Errors
    /// What the database says.
    pub async fn give_up(&self, id: Uuid, work: &Work) -> Result<&'static str, Problem> {
        self.forget_sound_of(id, work).await?;
        Ok("This broke the program that works on it, twice. Export the file again in another format and bring it in anew.")
    }

    /// Takes the sound of work that was given up or cancelled out of its cut again.
    ///
    /// # Errors
    /// What the database says.
    pub async fn forget_sound_of(&self, id: Uuid, work: &Work) -> Result<(), Problem> {
        if let Work::Read { sound, .. } = work {
            self.arrive(id, Arrival::Useless { sound: sound.clone() }).await?;
        }
        Ok(())
    }
}
