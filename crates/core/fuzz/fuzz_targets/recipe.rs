//! Any text as a treatment file: worked out for a picture, or refused.
#![no_main]

use dettaglio_domain::model::Catalogue;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::recipe::Recipe;
use dettaglio_domain::size::Target;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let Ok(recipe) = serde_json::from_str::<Recipe>(text) else { return };
    for (width, height) in [(1, 1), (300, 200), (1, 20_000)] {
        let _ = recipe.work_out(&Catalogue::default(), Size::new(width, height), Target::Factor { factor: 2.0 });
    }
});
