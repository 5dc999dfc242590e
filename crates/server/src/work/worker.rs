//! The loop of a worker: one job at a time, in a process that may break without harm.

use crate::store::jobs::{self, Claimed, Lane, Lease};
use crate::studio::{Code, Problem, Report, Studio, TaskError};
use std::time::{Duration, Instant};
use tracing::Instrument;

/// How often an idle worker looks for work, and a busy one tells how far it is.
const LOOK: Duration = Duration::from_millis(150);
const TELL: Duration = Duration::from_millis(250);
/// How long work that was told to stop may go on before its process ends.
const TO_STOP: Duration = Duration::from_secs(5);

/// Works jobs of a lane as `worker` until the process is told to end; then gives back what it does.
/// Returns early when a job does not stop that was told to: only the end of its process ends it.
pub async fn run(studio: Studio, worker: String, lane: Lane) {
    let mut told_to_end = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
    let ends = async {
        match told_to_end.as_mut() {
            Some(signal) => signal.recv().await,
            None => std::future::pending().await,
        }
    };
    tokio::select! {
        () = work_all(&studio, &worker, lane) => {}
        _ = ends => {
            if let Err(cause) = jobs::give_back(&studio.pool, &worker).await {
                tracing::warn!(%cause, "a job goes on when its lease is over");
            }
        }
    }
}

async fn work_all(studio: &Studio, worker: &str, lane: Lane) {
    loop {
        match jobs::claim(&studio.pool, worker, lane).await {
            Ok(Some(job)) => {
                let span = tracing::warn_span!("job", id = %job.id, cut = %job.cut_id, attempt = job.attempt);
                if !work(studio, worker, job).instrument(span).await {
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
async fn work(studio: &Studio, worker: &str, job: Claimed) -> bool {
    tracing::info!("job begins");
    let report = Report::default();
    let begun = Instant::now();
    let most = studio.most_time(job.cut_id, &job.task).await;
    let mut stopped: Option<Instant> = None;
    let (mut late, mut stuck) = (false, false);
    let mut task = std::pin::pin!(perform(studio, &job, report.clone()));
    let outcome = loop {
        tokio::select! {
            outcome = &mut task => break outcome,
            () = tokio::time::sleep(TELL) => {}
        }
        let (share, doing) = report.now();
        let stop = match jobs::renew(&studio.pool, worker, job.id, share, &doing).await {
            Ok(lease) => lease != Lease::Held,
            // As long as nobody can be told, nobody else can take it up either.
            Err(cause) => {
                tracing::warn!(%cause, "cannot renew a lease");
                false
            }
        };
        late |= begun.elapsed() > most;
        if stop || late {
            report.stop();
            if stopped.get_or_insert_with(Instant::now).elapsed() > TO_STOP {
                stuck = true;
                break Err(TaskError::Cancelled);
            }
        }
    };
    if matches!(&outcome, Err(TaskError::Problem(problem)) if problem.code() == Code::Unavailable) {
        // Nothing is wrong with the job: it is done once the database answers again.
        tracing::warn!("the database was away; the job is given back");
        if let Err(cause) = jobs::give_back(&studio.pool, worker).await {
            tracing::warn!(%cause, "the job goes on when its lease is over");
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
        return true;
    }
    let (state, problem) = match outcome {
        Ok(()) => ("done", None),
        Err(_) if late => {
            ("failed", Some(format!("This took longer than {} minutes and was stopped. Bring a shorter file in, or try again.", most.as_secs() / 60)))
        }
        Err(TaskError::Cancelled) => ("cancelled", None),
        Err(other) => {
            tracing::warn!(cause = %other, "job failed");
            ("failed", Some(other.to_string()))
        }
    };
    if let Err(cause) = jobs::end(&studio.pool, worker, job.id, state, problem.as_deref()).await {
        tracing::error!(%cause, "cannot end a job; it will be taken up again");
    }
    !stuck
}

/// Does what a job asks for, or gives it up.
///
/// # Errors
/// [`TaskError`].
pub async fn perform(studio: &Studio, job: &Claimed, report: Report) -> Result<(), TaskError> {
    if job.is_hopeless() {
        return Err(Problem::bad_value(studio.give_up(job.cut_id, &job.task).await?).into());
    }
    studio.perform(job.cut_id, &job.task, report).await
}
