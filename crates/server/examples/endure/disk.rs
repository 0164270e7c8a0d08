//! A file system of one's own, which can be filled and made slow.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const SIZE: u64 = 4 << 30;

/// How long every write waits, and how long the disk then works.
const FROZEN: Duration = Duration::from_millis(350);
const AT_WORK: Duration = Duration::from_millis(150);

/// An ext4 file system in a file, mounted through a loop device; unmounted when this is dropped.
pub struct OwnDisk {
    mounted: tempfile::TempDir,
    _image: tempfile::NamedTempFile,
}

impl OwnDisk {
    /// None where it may not be made or mounted: both take root.
    pub fn mounted() -> Option<Self> {
        let image = tempfile::NamedTempFile::new().ok()?;
        image.as_file().set_len(SIZE).ok()?;
        done("mkfs.ext4", &["-q", "-E", "lazy_itable_init=1"], image.path()).then_some(())?;
        let mounted = tempfile::tempdir().ok()?;
        let options = ["-o", "loop", image.path().to_str()?];
        done("mount", &options, mounted.path()).then_some(Self { mounted, _image: image })
    }

    pub fn path(&self) -> &Path {
        self.mounted.path()
    }

    /// A file that takes all room that is left.
    pub fn fill(&self) -> anyhow::Result<PathBuf> {
        let filler = self.path().join("filler");
        let mut file = std::fs::File::create(&filler)?;
        let block = vec![1; 1 << 20];
        while std::io::Write::write_all(&mut file, &block).is_ok() {}
        Ok(filler)
    }

    /// For so long, whatever is written waits for most of each half second.
    pub async fn slow(&self, span: Duration) {
        let ends = Instant::now() + span;
        while Instant::now() < ends {
            if done("fsfreeze", &["-f"], self.path()) {
                tokio::time::sleep(FROZEN).await;
                done("fsfreeze", &["-u"], self.path());
            }
            tokio::time::sleep(AT_WORK).await;
        }
    }
}

impl Drop for OwnDisk {
    fn drop(&mut self) {
        done("umount", &["-l"], self.path());
    }
}

fn done(program: &str, options: &[&str], path: &Path) -> bool {
    let mut command = Command::new(program);
    // Programs of the system are not on everybody's path.
    command.env("PATH", format!("{}:/usr/sbin:/sbin", std::env::var("PATH").unwrap_or_default()));
    let ended = command.args(options).arg(path).stdout(Stdio::null()).stderr(Stdio::null()).status();
    ended.is_ok_and(|status| status.success())
}
