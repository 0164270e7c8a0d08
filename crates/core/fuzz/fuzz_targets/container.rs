//! Any bytes as a TIFF's directories and as a JPEG's coded data: walked through, or refused, in bounded time.
#![no_main]

use dettaglio_core::fuzzing::{blocks, container};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    container(bytes);
    blocks(bytes);
});
