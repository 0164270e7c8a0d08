//! Any text as a treatment file: worked out for a picture, or refused.
#![no_main]

use dettaglio_core::model::Shelf;
use dettaglio_core::picture::Size;
use dettaglio_core::recipe::Recipe;
use dettaglio_core::size::Target;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let Ok(recipe) = serde_json::from_str::<Recipe>(text) else { return };
    for (width, height) in [(1, 1), (300, 200), (1, 20_000)] {
        let _ = recipe.work_out(&Shelf::default(), Size::new(width, height), Target::Factor { factor: 2.0 });
    }
});
