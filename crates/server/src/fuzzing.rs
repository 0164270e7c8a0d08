//! What is private and takes strangers' bytes, open to the fuzz targets.

use std::path::Path;

use dettaglio_domain::limits::Limits;

use crate::app::archive::Unpacking;
pub use crate::http::fuzzing::message;

/// Unpacks an archive into `work` as an import does: names are plain and unlike each other, and no more is unpacked than may be.
pub fn archive(archive: &Path, work: &Path) {
    let limits = Limits { file_bytes: 100_000, ..Limits::default() };
    let Ok(mut unpacking) = Unpacking::open(archive, &limits) else { return };
    let mut names = std::collections::HashSet::new();
    while let Some((name, unpacked)) = unpacking.next_into(work) {
        assert!(!name.contains(['/', '\\', '\0']) && !name.is_empty(), "{name:?}");
        assert!(names.insert(name), "two files of one name");
        if let Ok((file, _)) = unpacked {
            assert!(file.as_file().metadata().is_ok_and(|data| data.len() <= limits.file_bytes));
        }
    }
}
