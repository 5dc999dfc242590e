//! What a process and those that it started take of the machine.

use std::collections::HashMap;
use std::fs;

/// A process of the `jaunty` binary.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Seen {
    /// Its number.
    pub pid: u32,
    /// What it does: `serve`, `worker`, `decode`, or another program's name.
    pub does: String,
    /// The most memory that it has filled so far, in bytes (`VmHWM` of proc(5)).
    pub most_bytes: u64,
}

/// All processes that `root` started, directly or not, and itself.
pub fn family(root: u32) -> Vec<Seen> {
    let mut parents: HashMap<u32, u32> = HashMap::new();
    for entry in fs::read_dir("/proc").into_iter().flatten().flatten() {
        let Some(pid) = entry.file_name().to_str().and_then(|n| n.parse().ok()) else { continue };
        // The name in parentheses may hold anything; the parent is the second field behind it.
        let stat = fs::read_to_string(format!("/proc/{pid}/stat")).unwrap_or_default();
        let parent = stat.rsplit_once(')').and_then(|(_, rest)| rest.split_whitespace().nth(1)).and_then(|p| p.parse().ok());
        parents.insert(pid, parent.unwrap_or(0));
    }
    let ours = |mut pid: u32| {
        while pid != root {
            match parents.get(&pid) {
                Some(parent) if *parent > 1 => pid = *parent,
                _ => return false,
            }
        }
        true
    };
    parents.keys().copied().filter(|pid| ours(*pid)).filter_map(seen).collect()
}

fn seen(pid: u32) -> Option<Seen> {
    let status = fs::read_to_string(format!("/proc/{pid}/status")).ok()?;
    let line = status.lines().find(|l| l.starts_with("VmHWM:"))?;
    let kib: u64 = line.split_whitespace().nth(1)?.parse().ok()?;
    let command = fs::read(format!("/proc/{pid}/cmdline")).ok()?;
    let mut words = command.split(|b| *b == 0).map(|w| String::from_utf8_lossy(w).into_owned());
    let program = words.next()?;
    let name = program.rsplit('/').next().unwrap_or_default().to_owned();
    let does = if name == "jaunty" { words.next().unwrap_or_default() } else { name };
    Some(Seen { pid, does, most_bytes: kib << 10 })
}
