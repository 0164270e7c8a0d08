//! The front end's tests go by the rules as they are.

use std::path::Path;

use dettaglio_domain::rules::Rules;
use serde_json::Value;

#[expect(dead_code, reason = "its own main prints them")]
#[path = "../examples/intents.rs"]
mod intents;

/// What the front end's tests compare with; nothing where the file cannot be read.
fn kept(name: &str) -> Value {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/src/testing").join(name);
    serde_json::from_str(&std::fs::read_to_string(&file).unwrap_or_default()).unwrap_or_default()
}

#[test]
fn the_front_end_is_tested_with_todays_rules() {
    let today: Value = serde_json::from_str(&serde_json::to_string(&Rules::today()).unwrap()).unwrap();
    assert_eq!(kept("rules.json"), today, "it is old: run scripts/openapi");
}

#[test]
fn the_front_end_is_tested_with_what_is_said_of_intents_today() {
    let today = serde_json::to_string(&intents::cases().unwrap()).unwrap();
    let today: Value = serde_json::from_str(&today).unwrap();
    assert!(kept("intents.json") == today, "web/src/testing/intents.json is old: run scripts/openapi");
}
