//! Any bytes as a file: read, measured, and written again as far as that goes; an error is fine, a panic is not.
#![no_main]

use std::io::Write;

use dettaglio_core::codec::{self, Carried, PictureWriter};
use dettaglio_domain::file::{Format, OutputSettings};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_core::reading;
use libfuzzer_sys::fuzz_target;

/// A panic in a decoder of others is caught by the product, which says that the decoder gave up; one in our own code is a fault.
fn only_ours_count() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if panic.location().is_some_and(|at| !at.file().contains("/registry/")) {
            usual(panic);
        }
    }));
}

fuzz_target!(init: only_ours_count(), |bytes: &[u8]| {
    // Small limits, so that a run spends its time on paths and not on pixels.
    let limits = Limits { input_pixels: 200_000, ..Limits::default() };
    let Ok(mut file) = tempfile::NamedTempFile::new_in("/dev/shm") else { return };
    if file.write_all(bytes).is_err() {
        return;
    }
    let Ok(decoded) = codec::read(file.path(), ContentHash::of(bytes), &limits) else { return };
    let reading = reading::measure(&decoded.original, &decoded.facts);
    assert!(!reading.conclusion().is_empty());
    let size = decoded.original.size();
    if size.area() > 20_000 {
        return;
    }
    // What the file says about itself is carried into each format.
    for format in Format::ALL {
        let Ok(folder) = tempfile::tempdir_in("/dev/shm") else { return };
        let path = folder.path().join("out");
        let settings = OutputSettings::new(format);
        let carried = Carried::from(&decoded.original);
        let Ok(mut writer) = PictureWriter::create(&path, size, decoded.original.channels(), settings, carried) else {
            continue;
        };
        if writer.write(&decoded.original.planes()).is_ok() {
            let _ = writer.finish();
        }
    }
});
