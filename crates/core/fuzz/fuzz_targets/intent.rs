//! Any text as what is asked for of a picture, and as a treatment: worked out and told in words, or refused.
#![no_main]

use dettaglio_domain::geometry::Size;
use dettaglio_domain::intent::Intent;
use dettaglio_domain::model::Catalogue;
use dettaglio_domain::treatment::Treatment;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(intent) = Intent::from_kept(text) {
        for (width, height) in [(1, 1), (300, 200), (1, 20_000)] {
            let _ = intent.work_out(&Catalogue::default(), Size::new(width, height), &[]);
        }
        let again = Intent::from_kept(&intent.to_kept()).expect("what was kept is read again");
        assert_eq!(again.to_kept(), intent.to_kept());
    }
    if let Ok(treatment) = serde_json::from_str::<Treatment>(text) {
        let kept = serde_json::to_string(&treatment).expect("plain data");
        let again: Treatment = serde_json::from_str(&kept).expect("what was kept is read again");
        assert_eq!(again.hash(), treatment.hash());
    }
});
