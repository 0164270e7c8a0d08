//! The right to a data folder: one server at a time, and how another program stops it.

use std::fs::{File, TryLockError};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::Duration;

use anyhow::{Context, bail};
use rustix::process::{Pid, Signal, kill_process, test_kill_process};

/// The right to a data folder: one program at a time.
pub(crate) struct Claim {
    file: File,
    path: PathBuf,
}

impl Claim {
    fn path(data: &Path) -> PathBuf {
        data.join("server.pid")
    }

    pub(crate) fn take(data: &Path) -> anyhow::Result<Self> {
        let path = Self::path(data);
        let file = File::options().read(true).write(true).create(true).truncate(false).open(&path)?;
        match file.try_lock() {
            Ok(()) => Ok(Self { file, path }),
            Err(TryLockError::WouldBlock) => {
                let running = std::fs::read_to_string(&path).unwrap_or_default();
                let port = running.split_whitespace().nth(1).unwrap_or("?").to_owned();
                bail!(
                    "Dettaglio is running already on {} (http://127.0.0.1:{port}): use it, or stop it with ./start --stop",
                    data.display()
                )
            }
            Err(TryLockError::Error(e)) => Err(e).with_context(|| path.display().to_string()),
        }
    }

    /// Writes down who holds it and where it listens.
    pub(crate) fn tell(&self, port: u16) -> anyhow::Result<()> {
        self.file.set_len(0)?;
        writeln!(&self.file, "{} {port}", std::process::id())?;
        Ok(())
    }
}

impl Drop for Claim {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

/// Stops the service that runs on a data folder, and waits for its end; answers whether there was one.
pub async fn stop_running(data: &Path) -> anyhow::Result<bool> {
    let Ok(text) = std::fs::read_to_string(Claim::path(data)) else { return Ok(false) };
    let Ok(file) = File::open(Claim::path(data)) else { return Ok(false) };
    // A lock that can be had means that nobody holds it, whatever number stands in the file.
    if file.try_lock().is_ok() {
        return Ok(false);
    }
    let pid = text.split_whitespace().next().and_then(|pid| pid.parse().ok()).and_then(Pid::from_raw);
    let Some(pid) = pid else { bail!("Dettaglio is just starting on {}: try again", data.display()) };
    kill_process(pid, Signal::TERM)?;
    for _ in 0..600 {
        if test_kill_process(pid).is_err() {
            return Ok(true);
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    bail!("process {} did not stop in a minute", pid.as_raw_nonzero())
}
