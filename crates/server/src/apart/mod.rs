//! Processes of our own for work on what strangers sent: whatever a file does to one of them, the
//! server goes on.
//!
//! [`decode`] decodes one sound in a process that ends with it, [`read_list`] and [`read_grid`] read one
//! list or grid. Jobs are worked in such processes too ([`crate::work`]). [`limit_self`] is what each of them does first.

mod decoder;
mod parser;

pub use decoder::{SoundError, decode, decode_here};
pub use parser::{ParseError, parse_here, read_grid, read_list};

use nix::sys::prctl::set_pdeathsig;
use nix::sys::signal::Signal;
use rlimit::Resource;
use std::io;

/// Memory that a process may fill, in bytes, beside the files that it maps.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Memory(u64);

impl Memory {
    /// One that works jobs.
    pub const WORKER: Self = Self(1200 << 20);
    /// One that decodes a sound or reads a list.
    pub const DECODER: Self = Self(800 << 20);
}

/// The variable in which a process tells those that it starts who it is.
const PARENT: &str = "JAUNTY_PARENT";

/// Limits the memory and the open files of this process, and has it end with the thread that started
/// it, where another process of ours did.
///
/// # Errors
/// What the system says, or that the one who started it is gone already.
pub fn limit_self(memory: Memory) -> io::Result<()> {
    const MOST_FILES: u64 = 512;
    if let Some(parent) = std::env::var(PARENT).ok().and_then(|p| p.parse::<i32>().ok()) {
        set_pdeathsig(Signal::SIGKILL)?;
        if nix::unistd::getppid().as_raw() != parent {
            return Err(io::Error::other("the process that started this one is gone"));
        }
    }
    // Memory that is reserved but never touched, as for stacks, does not count.
    Resource::DATA.set(memory.0, memory.0)?;
    Resource::NOFILE.set(MOST_FILES, MOST_FILES)?;
    Resource::CORE.set(0, 0)
}

/// A decoder or parser from elsewhere that panics refuses its file, and that is all there is to say.
fn panics_are_refusals() {
    std::panic::set_hook(Box::new(|panic| tracing::info!(at = ?panic.location(), "a file was too much")));
}

/// Says who starts a process, so that it ends with us.
pub(crate) fn child_of_ours(command: &mut std::process::Command) -> &mut std::process::Command {
    command.env(PARENT, std::process::id().to_string())
}
