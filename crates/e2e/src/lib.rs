//! What the tests drive: a MariaDB of their own, the real server, a headless Chromium.
//!
//! Every process is started through [`guarded`], which ends it when this one goes, even by kill -9.

mod browser;
pub mod hostile;
mod server;
pub mod watch;

pub use browser::{Browser, BrowserError};
pub use server::{Database, Server, client_with, enter, plain_client, program};

use std::io::{self, Write};
use std::net::TcpListener;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A port that is free now.
///
/// # Errors
/// What the network says.
pub fn free_port() -> io::Result<u16> {
    Ok(TcpListener::bind("127.0.0.1:0")?.local_addr()?.port())
}

/// A process that lives no longer than this one.
pub struct Guarded {
    child: Child,
}

/// Starts `command`, a shell command line, under a shell that watches a pipe from this process:
/// when the pipe closes, for whatever reason, the command is ended and waited for.
///
/// # Errors
/// What the system says.
pub fn guarded(command: &str) -> io::Result<Guarded> {
    guarded_with(command, ":")
}

/// As [`guarded`], with another command line for afterwards.
///
/// # Errors
/// What the system says.
pub fn guarded_with(command: &str, afterwards: &str) -> io::Result<Guarded> {
    // A word through the pipe instead of its end lets go of the command. The watcher's own input is the pipe; the
    // command must not read from it.
    let script = format!("{command} </dev/null & pid=$!; read -r word && exit; kill $pid 2>/dev/null; wait $pid; {afterwards}");
    let child = Command::new("bash").args(["-c", &script]).stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
    Ok(Guarded { child })
}

impl Guarded {
    /// Lets go of a command that is gone already: nothing is done afterwards.
    ///
    /// # Errors
    /// What the system says.
    pub fn forget(mut self) -> io::Result<()> {
        self.child.stdin.take().map_or(Ok(()), |mut pipe| pipe.write_all(b"go\n"))?;
        self.child.wait().map(|_| ())
    }
}

impl Drop for Guarded {
    fn drop(&mut self) {
        drop(self.child.stdin.take());
        let _ = self.child.wait();
    }
}

/// Calls `ready` until it gives something, for at most `most`.
pub async fn eventually<T>(most: Duration, mut ready: impl AsyncFnMut() -> Option<T>) -> Option<T> {
    let end = std::time::Instant::now() + most;
    loop {
        if let Some(value) = ready().await {
            return Some(value);
        }
        if std::time::Instant::now() > end {
            return None;
        }
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
}
