//! The loop of a worker: one job at a time, in a process that may break without harm.

use super::queue::{self, Lane, Lease};
use super::tasks;
use crate::App;
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How often an idle worker looks for work, and a busy one tells how far it is.
const LOOK: Duration = Duration::from_millis(150);
const TELL: Duration = Duration::from_millis(250);
/// How long work that was told to stop may go on before its process ends.
const TO_STOP: Duration = Duration::from_secs(5);

/// What a running task says about itself, shared with the loop that tells the database.
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

    fn now(&self) -> (f32, String) {
        self.state.lock().map(|s| s.clone()).unwrap_or_default()
    }
}

/// Works jobs of a lane as `worker` until the process is told to end; then gives back what it does.
/// Returns early when a job does not stop that was told to: only the end of its process ends it.
pub async fn run(app: App, worker: String, lane: Lane) {
    let mut told_to_end = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
    let ends = async {
        match told_to_end.as_mut() {
            Some(signal) => signal.recv().await,
            None => std::future::pending().await,
        }
    };
    tokio::select! {
        () = work_all(&app, &worker, lane) => {}
        _ = ends => {
            if let Err(cause) = queue::give_back(&app.pool, &worker).await {
                tracing::warn!(%cause, "a job goes on when its lease is over");
            }
        }
    }
}

async fn work_all(app: &App, worker: &str, lane: Lane) {
    loop {
        match queue::claim(&app.pool, worker, lane).await {
            Ok(Some(job)) => {
                if !work(app, worker, job).await {
                    return;
                }
            }
            Ok(None) => tokio::time::sleep(LOOK).await,
            Err(cause) => {
                tracing::error!(%cause, "cannot look for jobs");
                tokio::time::sleep(Duration::from_secs(1)).await;
            }
        }
    }
}

/// Works one job; whether this process can go on.
async fn work(app: &App, worker: &str, job: queue::Claimed) -> bool {
    tracing::info!(job = %job.id, attempt = job.attempt, task = ?job.task.0, "job begins");
    let report = Report::default();
    let begun = Instant::now();
    let most = tasks::most_time(app, &job).await;
    let mut stopped: Option<Instant> = None;
    let (mut late, mut stuck) = (false, false);
    let mut task = std::pin::pin!(tasks::run(app, &job, report.clone()));
    let outcome = loop {
        tokio::select! {
            outcome = &mut task => break outcome,
            () = tokio::time::sleep(TELL) => {}
        }
        let (share, doing) = report.now();
        let stop = match queue::renew(&app.pool, worker, job.id, share, &doing).await {
            Ok(lease) => lease != Lease::Held,
            // As long as nobody can be told, nobody else can take it up either.
            Err(cause) => {
                tracing::warn!(%cause, "cannot renew a lease");
                false
            }
        };
        late |= begun.elapsed() > most;
        if stop || late {
            report.stopped.store(true, Ordering::Relaxed);
            if stopped.get_or_insert_with(Instant::now).elapsed() > TO_STOP {
                stuck = true;
                break Err(tasks::TaskError::Cancelled);
            }
        }
    };
    let (state, problem) = match outcome {
        Ok(()) => ("done", None),
        Err(_) if late => {
            ("failed", Some(format!("This took longer than {} minutes and was stopped. Bring a shorter file in, or try again.", most.as_secs() / 60)))
        }
        Err(tasks::TaskError::Cancelled) => ("cancelled", None),
        Err(other) => {
            tracing::warn!(job = %job.id, cause = %other, "job failed");
            ("failed", Some(other.to_string()))
        }
    };
    if let Err(cause) = queue::end(&app.pool, worker, job.id, state, problem.as_deref()).await {
        tracing::error!(%cause, "cannot end a job; it will be taken up again");
    }
    !stuck
}
