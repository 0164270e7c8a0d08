//! Any bytes as a message to the API: read, or refused.
#![no_main]

use dettaglio_server::fuzzing::message;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| message(bytes));
