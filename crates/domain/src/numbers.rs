//! Numbers that come in from outside.

use serde_json::{Number, Value};

/// A number anywhere in a value that single precision does not hold.
///
/// Read, it would be infinite, and kept, it would be nothing: what was kept could not be read again.
pub fn beyond_measure(value: &Value) -> Option<&Number> {
    match value {
        Value::Number(number) => Some(number).filter(|n| n.as_f64().is_none_or(|n| n.abs() > f64::from(f32::MAX))),
        Value::Array(list) => list.iter().find_map(beyond_measure),
        Value::Object(map) => map.values().find_map(beyond_measure),
        _ => None,
    }
}
