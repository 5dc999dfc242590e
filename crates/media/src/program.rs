//! Programs of Debian's that work on what strangers sent: each in a process of its own, with limits
//! on time, memory and what it writes, that ends with the thread that waits for it.

use std::io::{self, Read};
use std::process::{Command, Stdio};
use std::time::Duration;
use wait_timeout::ChildExt;

/// What a program may take.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Limits {
    /// Time by the clock, in seconds.
    pub time_s: u64,
    /// The largest file that it may write, in bytes.
    pub file_bytes: u64,
}

/// Memory of a program, in bytes. A film of 4K takes some 400 MB.
const MOST_MEMORY_BYTES: u64 = 1 << 30;
/// What a program may say, in bytes.
const MOST_SAID_BYTES: u64 = 32 << 20;

/// Why a program gave nothing.
#[derive(Debug)]
pub(crate) enum ProgramError {
    /// It is not installed.
    Missing(io::Error),
    /// It took longer than it may.
    TimedOut,
    /// It said no, or broke off; its last line.
    Failed(String),
}

/// Runs a program to its end and gives what it wrote to its output.
///
/// Limits are set by `prlimit` and the tie to this thread by `setpriv`, both of Debian's essential
/// package util-linux: to set them from within would need unsafe code between fork and exec.
pub(crate) fn run(program: &str, arguments: &[&str], limits: Limits) -> Result<Vec<u8>, ProgramError> {
    let mut child = Command::new("setpriv")
        .args(["--pdeathsig", "KILL", "--", "prlimit", "--core=0", "--nofile=64"])
        .arg(format!("--data={MOST_MEMORY_BYTES}"))
        .arg(format!("--fsize={}", limits.file_bytes))
        // A second clock, should this process be stopped meanwhile; programs work on several cores.
        .arg(format!("--cpu={}", limits.time_s * 4))
        .args(["--", program])
        .args(arguments)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(ProgramError::Missing)?;
    let said = |pipe: Option<Box<dyn Read + Send>>| {
        std::thread::spawn(move || {
            let mut bytes = Vec::new();
            // A pipe that breaks has said all that it will.
            let _ = pipe.map(|pipe| pipe.take(MOST_SAID_BYTES).read_to_end(&mut bytes));
            bytes
        })
    };
    let out = said(child.stdout.take().map(|p| Box::new(p) as Box<dyn Read + Send>));
    let told = said(child.stderr.take().map(|p| Box::new(p) as Box<dyn Read + Send>));
    let status = child.wait_timeout(Duration::from_secs(limits.time_s)).map_err(|cause| ProgramError::Failed(cause.to_string()))?;
    let Some(status) = status else {
        // It may have ended this moment; either way it is waited for.
        let _ = child.kill();
        let _ = child.wait();
        return Err(ProgramError::TimedOut);
    };
    let (out, told) = (out.join().unwrap_or_default(), told.join().unwrap_or_default());
    if status.success() {
        return Ok(out);
    }
    let told = String::from_utf8_lossy(&told);
    // What `prlimit` says of a program that is not there.
    if status.code() == Some(127) || told.contains("failed to execute") {
        return Err(ProgramError::Missing(io::Error::new(io::ErrorKind::NotFound, program.to_owned())));
    }
    Err(ProgramError::Failed(told.lines().last().unwrap_or("it broke off").chars().take(300).collect()))
}
