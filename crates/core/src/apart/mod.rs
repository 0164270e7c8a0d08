//! Processes apart: what strangers made is opened in a helper, which may do nothing but compute.
//!
//! A helper is our own program, started with a hidden command. It opens what it needs, gives up every right that it does not need
//! ([`Confined`]), and answers over a socket. When it is brought down, that costs what it was asked for and nothing else.

mod confine;
pub(crate) mod wire;

use std::io::{self, Read};
use std::os::fd::OwnedFd;
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::time::{Duration, Instant};

use rustix::net::RecvFlags;
use rustix::process::Pid;

pub(crate) use confine::{Confined, LIBRARY_VARIABLE, allow_memory};

/// How long a helper may take to be ready.
const START: Duration = Duration::from_secs(30);

/// A process of our own program that helps with one thing and may do nothing else; it ends when this is dropped.
#[derive(Debug)]
pub(crate) struct Helper {
    process: Child,
    /// Where it is asked and answers.
    pub(crate) socket: UnixStream,
}

impl Helper {
    /// Starts `program` with a hidden command, and waits until it is ready.
    pub(crate) fn start(program: &Path, command: &str) -> io::Result<Self> {
        let (ours, theirs) = UnixStream::pair()?;
        let process = Command::new(program)
            .arg(command)
            .stdin(Stdio::from(OwnedFd::from(theirs)))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            // It learns nothing from the environment, which may hold passwords, but where the runtime is.
            .env_clear()
            .envs(std::env::var_os(LIBRARY_VARIABLE).map(|library| (LIBRARY_VARIABLE, library)))
            // Arenas count as memory whether they are used or not.
            .env("MALLOC_ARENA_MAX", "2")
            // Pictures fill large pages, which the kernel hands out in a fraction of the time of as many small ones.
            .env("GLIBC_TUNABLES", "glibc.malloc.hugetlb=1")
            .spawn()
            .map_err(|e| io::Error::new(e.kind(), format!("{} cannot be started: {e}", program.display())))?;
        let mut helper = Self { process, socket: ours };
        helper.socket.set_read_timeout(Some(START))?;
        let mut ready = [0];
        match helper.socket.read_exact(&mut ready) {
            Ok(()) => Ok(helper),
            Err(e) => Err(io::Error::other(format!("{} did not become a helper: {e}", program.display()))),
        }
    }

    /// Whether it has not ended.
    pub(crate) fn is_alive(&self) -> bool {
        rustix::process::test_kill_process(Pid::from_child(&self.process)).is_ok() && !self.has_hung_up()
    }

    /// Whether its end of the connection is closed, as it is a moment after its end.
    fn has_hung_up(&self) -> bool {
        let mut byte = [0];
        let peeked = rustix::net::recv(&self.socket, &mut byte, RecvFlags::PEEK | RecvFlags::DONTWAIT);
        !matches!(peeked, Err(rustix::io::Errno::AGAIN))
    }

    /// How the child came to its end, in words; it is ended if it has not.
    pub(crate) fn end_of(mut self, why: &io::Error) -> String {
        if matches!(why.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) {
            return "it takes too long".to_owned();
        }
        // Its end of the connection closes a moment before it can be waited for.
        for _ in 0..50 {
            if let Ok(Some(status)) = self.process.try_wait() {
                return status.to_string();
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        why.to_string()
    }
}

/// What a program says, with how it ends; nothing where that takes longer than `limit`, when it is ended. It is given nothing, and its
/// complaints go nowhere.
pub(crate) fn said_within(command: &mut Command, limit: Duration) -> io::Result<Option<(ExitStatus, String)>> {
    let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null()).spawn()?;
    let began = Instant::now();
    let status = loop {
        match child.try_wait()? {
            Some(status) => break status,
            None if began.elapsed() > limit => {
                let _ = child.kill();
                let _ = child.wait();
                return Ok(None);
            }
            None => std::thread::sleep(Duration::from_millis(20)),
        }
    };
    let mut said = String::new();
    if let Some(mut out) = child.stdout.take() {
        out.read_to_string(&mut said)?;
    }
    Ok(Some((status, said)))
}

impl Drop for Helper {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}
