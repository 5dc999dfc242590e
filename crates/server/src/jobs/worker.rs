//! The loop of a worker.

use super::{queue, tasks};
use crate::App;
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// How often an idle worker looks for work, and a busy one tells how far it is.
const LOOK: Duration = Duration::from_millis(150);
const TELL: Duration = Duration::from_millis(250);

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

/// Works jobs until the process ends.
pub async fn run(app: App, worker: String) {
    loop {
        match queue::claim(&app.pool, &worker).await {
            Ok(Some(job)) => work(&app, &worker, job).await,
            Ok(None) => tokio::time::sleep(LOOK).await,
            Err(cause) => {
                tracing::error!(%cause, "cannot look for jobs");
                tokio::time::sleep(Duration::from_secs(2)).await;
            }
        }
    }
}

async fn work(app: &App, worker: &str, job: queue::Claimed) {
    tracing::info!(job = %job.id, attempt = job.attempt, task = ?job.task.0, "job begins");
    let report = Report::default();
    let mut task = std::pin::pin!(tasks::run(app, &job, report.clone()));
    let outcome = loop {
        tokio::select! {
            outcome = &mut task => break outcome,
            () = tokio::time::sleep(TELL) => {
                let (share, doing) = report.now();
                match queue::renew(&app.pool, worker, job.id, share, &doing).await {
                    Ok(true) => {}
                    Ok(false) => report.stopped.store(true, Ordering::Relaxed),
                    Err(cause) => tracing::warn!(%cause, "cannot renew a lease"),
                }
            }
        }
    };
    let (state, problem) = match outcome {
        Ok(()) => ("done", None),
        Err(tasks::TaskError::Cancelled) => ("cancelled", None),
        Err(other) => {
            tracing::warn!(job = %job.id, cause = %other, "job failed");
            ("failed", Some(other.to_string()))
        }
    };
    if let Err(cause) = queue::end(&app.pool, worker, job.id, state, problem.as_deref()).await {
        tracing::error!(%cause, "cannot end a job; it will be taken up again");
    }
}
