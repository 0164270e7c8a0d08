//! Any bytes as a person's own model: its parts are counted, and its card is read, without the runtime.
#![no_main]

use dettaglio_core::fuzzing::parts;
use dettaglio_domain::model::Card;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    assert!(parts(bytes) <= bytes.len());
    if let Ok(card) = serde_json::from_slice::<Card>(bytes) {
        let _ = serde_json::to_string(&card).map(|text| serde_json::from_str::<Card>(&text).expect("read again"));
    }
});
