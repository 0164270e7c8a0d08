//! Checks of files' structure, open to the fuzz targets.

use std::io::Cursor;

pub use super::jpeg_blocks::are_all_there as blocks;

/// The check of a TIFF's directories, which must hold for whatever decoder follows.
pub fn container(bytes: &[u8]) {
    let _ = super::container::check(&mut Cursor::new(bytes), bytes.len() as u64);
}
