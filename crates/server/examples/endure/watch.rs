//! What the server and its helpers take of the machine.

use std::fs;
use std::path::PathBuf;

/// Memory and open files of a process and its children, or the most of each that was seen.
#[derive(Clone, Copy, Debug, Default)]
pub struct Taken {
    /// Bytes of the server alone.
    pub server: u64,
    /// Bytes of the server and its decoders and runners.
    pub all: u64,
    /// Files that the server has open.
    pub files: u64,
    pub threads: u64,
}

impl Taken {
    /// What the server with this number takes now; nothing when it has ended.
    pub fn by(server: u32) -> Self {
        let helpers = children(server);
        let own = resident(server);
        Self {
            server: own,
            all: own + helpers.into_iter().map(resident).sum::<u64>(),
            files: fs::read_dir(format!("/proc/{server}/fd")).map_or(0, |entries| entries.count() as u64),
            threads: fs::read_dir(format!("/proc/{server}/task")).map_or(0, |entries| entries.count() as u64),
        }
    }

    /// The larger of each.
    pub fn most(self, other: Self) -> Self {
        Self {
            server: self.server.max(other.server),
            all: self.all.max(other.all),
            files: self.files.max(other.files),
            threads: self.threads.max(other.threads),
        }
    }
}

/// Processes that this one started and that run our own program; its database is none of them.
pub fn children(parent: u32) -> Vec<u32> {
    let processes = fs::read_dir("/proc").into_iter().flatten().flatten();
    let numbers = processes.filter_map(|entry| entry.file_name().to_str()?.parse::<u32>().ok());
    let program = |number: u32| fs::read_link(format!("/proc/{number}/exe")).unwrap_or_else(|_| PathBuf::new());
    let own = program(parent);
    numbers.filter(|number| parent_of(*number) == Some(parent) && program(*number) == own).collect()
}

fn parent_of(process: u32) -> Option<u32> {
    field(process, "PPid:")?.try_into().ok()
}

fn resident(process: u32) -> u64 {
    field(process, "VmRSS:").unwrap_or(0) * 1024
}

fn field(process: u32, name: &str) -> Option<u64> {
    let status = fs::read_to_string(format!("/proc/{process}/status")).ok()?;
    status.lines().find_map(|line| line.strip_prefix(name)?.split_whitespace().next()?.parse().ok())
}
