//! The front end's tests go by the rules as they are.

use std::path::Path;

use dettaglio_domain::rules::Rules;
use serde_json::Value;

#[test]
fn the_front_end_is_tested_with_todays_rules() {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/src/testing/rules.json");
    let tested: Value = serde_json::from_str(&std::fs::read_to_string(&file).unwrap_or_default()).unwrap_or_default();
    let today: Value = serde_json::from_str(&serde_json::to_string(&Rules::today()).unwrap()).unwrap();
    assert_eq!(tested, today, "it is old: run scripts/openapi");
}
