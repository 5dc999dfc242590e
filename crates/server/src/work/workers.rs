//! The processes that work jobs.

use crate::apart::child_of_ours;
use crate::settings::Settings;
use crate::store::jobs::{self, Lane};
use nix::sys::signal::{Signal, kill};
use nix::unistd::Pid;
use sqlx::MySqlPool;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How long a process has to end in good order.
const TO_END: Duration = Duration::from_secs(2);
/// One that lived shorter than this is not started again at once.
const SHORT_LIFE: Duration = Duration::from_secs(3);

/// Processes that work jobs, kept alive until they are stopped.
pub struct Workers {
    stopping: Arc<AtomicBool>,
    running: Vec<Arc<Mutex<Option<Pid>>>>,
    keepers: Vec<JoinHandle<()>>,
}

impl Workers {
    /// Starts as many processes as `settings` say, and one more that only takes what somebody waits for.
    /// Called within a runtime.
    pub fn start(settings: &Settings, pool: &MySqlPool) -> Self {
        let stopping = Arc::new(AtomicBool::new(false));
        let mut workers = Self { stopping: stopping.clone(), running: Vec::new(), keepers: Vec::new() };
        if settings.worker_count == 0 {
            return workers;
        }
        for lane in std::iter::once(Lane::Quick).chain(std::iter::repeat_n(Lane::Long, settings.worker_count)) {
            let running = Arc::new(Mutex::new(None));
            workers.running.push(running.clone());
            let keeper = Keeper { settings: settings.clone(), pool: pool.clone(), lane, stopping: stopping.clone(), running };
            let runtime = tokio::runtime::Handle::current();
            // A thread of its own: the process ends with the thread that starts it.
            workers.keepers.push(std::thread::spawn(move || keeper.keep(&runtime)));
        }
        workers
    }

    /// Has all of them give back what they do, and ends them.
    pub async fn stop(self) {
        // The threads that keep them talk to the database: this one must go on meanwhile.
        let _ = tokio::task::spawn_blocking(move || self.stop_and_wait()).await;
    }

    fn stop_and_wait(self) {
        self.stopping.store(true, Ordering::SeqCst);
        let all = |signal| {
            for pid in self.running.iter().filter_map(|r| r.lock().ok().and_then(|pid| *pid)) {
                // One that has just ended needs none.
                let _ = kill(pid, signal);
            }
        };
        all(Signal::SIGTERM);
        let end = Instant::now() + TO_END;
        while Instant::now() < end && self.keepers.iter().any(|k| !k.is_finished()) {
            std::thread::sleep(Duration::from_millis(20));
        }
        all(Signal::SIGKILL);
        for keeper in self.keepers {
            let _ = keeper.join();
        }
    }
}

/// Keeps one process alive.
struct Keeper {
    settings: Settings,
    pool: MySqlPool,
    lane: Lane,
    stopping: Arc<AtomicBool>,
    running: Arc<Mutex<Option<Pid>>>,
}

impl Keeper {
    fn command(&self, name: &str) -> Command {
        let program: &PathBuf = &self.settings.program;
        let mut command = Command::new(program);
        command
            .arg("worker")
            .args(["--name", name, "--lane", if self.lane == Lane::Quick { "quick" } else { "long" }])
            .arg("--data")
            .arg(&self.settings.data_folder)
            // Not among the arguments, which everybody on the machine can read.
            .env("JAUNTY_DATABASE_URL", &self.settings.database_url)
            .envs(self.settings.objects_url.iter().map(|url| ("JAUNTY_OBJECTS", url)))
            .envs(self.settings.cache_bytes.iter().map(|bytes| ("JAUNTY_CACHE_BYTES", bytes.to_string())))
            .stdin(Stdio::null())
            .stdout(Stdio::null());
        child_of_ours(&mut command);
        command
    }

    fn keep(&self, runtime: &tokio::runtime::Handle) {
        while !self.stopping.load(Ordering::SeqCst) {
            let name = format!("{}-{}", std::process::id(), uuid::Uuid::new_v4().simple());
            let begun = Instant::now();
            match self.command(&name).spawn() {
                Ok(mut child) => {
                    self.note(Some(Pid::from_raw(child.id() as i32)));
                    let status = child.wait();
                    self.note(None);
                    if !self.stopping.load(Ordering::SeqCst) {
                        tracing::warn!(?status, worker = name, "a worker ended");
                    }
                    if let Err(cause) = runtime.block_on(jobs::release(&self.pool, &name)) {
                        tracing::warn!(%cause, "its jobs are taken up when their leases are over");
                    }
                }
                Err(cause) => tracing::error!(%cause, "a worker cannot be started"),
            }
            while begun.elapsed() < SHORT_LIFE && !self.stopping.load(Ordering::SeqCst) {
                std::thread::sleep(Duration::from_millis(50));
            }
        }
    }

    fn note(&self, pid: Option<Pid>) {
        if let Ok(mut running) = self.running.lock() {
            *running = pid;
        }
    }
}
