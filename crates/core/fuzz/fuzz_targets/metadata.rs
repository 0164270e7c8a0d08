//! Any bytes as records, packet and fields that a file says of itself: carried over, or left out.
#![no_main]

use dettaglio_core::fuzzing::metadata;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    metadata(bytes);
});
