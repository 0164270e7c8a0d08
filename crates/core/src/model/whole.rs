//! Small files that are there whole or not at all.

use std::io::{self, Write};
use std::path::Path;

/// Writes a file beside its place and puts it there at once, as another program may read it meanwhile; its folder is made where there is none.
pub(super) fn write_whole(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = file.parent().unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let mut fresh = tempfile::NamedTempFile::new_in(folder)?;
    fresh.write_all(bytes)?;
    fresh.persist(file)?;
    Ok(())
}
