//! Any bytes as a zip archive: unpacked within its limits, or refused.
#![no_main]

use std::io::Write;

use dettaglio_server::fuzzing::archive;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let Ok(work) = tempfile::tempdir_in("/dev/shm") else { return };
    let Ok(mut file) = tempfile::NamedTempFile::new_in("/dev/shm") else { return };
    if file.write_all(bytes).is_ok() {
        archive(file.path(), work.path());
    }
});
