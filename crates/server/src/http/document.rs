//! The document that describes the API: what the routes say of themselves, and what holds for all of them.

use utoipa::openapi::path::{Operation, PathItem};
use utoipa::openapi::response::Response;
use utoipa::openapi::security::{ApiKey, ApiKeyValue, SecurityRequirement, SecurityScheme};
use utoipa::openapi::{Content, OpenApi, Ref, RefOr};

use super::access::COOKIE;
use super::terms::Needs;

/// The type of an answer that refuses (RFC 9457).
const PROBLEM_TYPE: &str = "application/problem+json";

/// Where the document describes it.
const PROBLEM: &str = "#/components/schemas/ProblemDetails";

/// The key of the response that stands for every status that is not listed.
const OTHERWISE: &str = "default";

/// Says of every operation what each may answer: a problem, with whatever status it has.
///
/// An operation lists the refusals that are its own. Besides, each may find that the one who asks has no right to, that the message
/// makes no sense or is too long, that the database is away, or that there is no memory at the moment.
pub fn complete(document: &mut OpenApi) {
    let cookie = SecurityScheme::ApiKey(ApiKey::Cookie(ApiKeyValue::with_description(
        COOKIE,
        "Set by signing in. On this machine alone nobody has to, and whoever asks is a technician.",
    )));
    document.components.get_or_insert_default().add_security_scheme(SESSION, cookie);
    for item in document.paths.paths.values_mut() {
        for operation in operations(item) {
            for response in operation.responses.responses.values_mut() {
                tell_problems_apart(response);
            }
            operation.responses.responses.entry(OTHERWISE.to_owned()).or_insert_with(|| RefOr::T(refusal()));
        }
    }
}

/// How the document calls what a browser sends along when somebody is signed in.
const SESSION: &str = "session";

/// Says of every operation who may use it: by which cookie they are known, and with which role.
pub fn say_who(document: &mut OpenApi, needs: Needs) {
    let required = match needs {
        Needs::Nothing => SecurityRequirement::default(),
        Needs::Account => SecurityRequirement::new::<_, [&str; 0], &str>(SESSION, []),
        Needs::Technician => SecurityRequirement::new(SESSION, ["technician"]),
    };
    for item in document.paths.paths.values_mut() {
        for operation in operations(item) {
            operation.security = Some(vec![required.clone()]);
        }
    }
}

fn operations(item: &mut PathItem) -> impl Iterator<Item = &mut Operation> {
    let PathItem { get, put, post, delete, patch, .. } = item;
    [get, put, post, delete, patch].into_iter().flatten()
}

/// A problem is no JSON of any kind: it has a type of its own.
fn tell_problems_apart(response: &mut RefOr<Response>) {
    let RefOr::T(response) = response else { return };
    let is_problem = |content: &Content| matches!(&content.schema, Some(RefOr::Ref(Ref { ref_location, .. })) if ref_location == PROBLEM);
    if response.content.values().any(is_problem) {
        response.content = [(PROBLEM_TYPE.to_owned(), problem())].into_iter().collect();
    }
}

fn refusal() -> Response {
    let mut refusal = Response::new("Refused, or failed: the problem says why and what to do");
    refusal.content.insert(PROBLEM_TYPE.to_owned(), problem());
    refusal
}

fn problem() -> Content {
    Content::new(Some(RefOr::<utoipa::openapi::Schema>::Ref(Ref::new(PROBLEM))))
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use serde_json::Value;

    #[test]
    fn the_front_end_is_written_for_todays_document() {
        let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/openapi.json");
        let kept: Value = serde_json::from_str(&std::fs::read_to_string(&file).unwrap_or_default()).unwrap_or_default();
        let today: Value = serde_json::from_str(&crate::http::openapi().to_json().unwrap()).unwrap();
        // Not shown whole: it has ten thousand lines.
        let differ = |part: &str| kept.pointer(part) != today.pointer(part);
        let parts: Vec<&str> =
            ["/paths", "/components/schemas", "/info"].into_iter().filter(|part| differ(part)).collect();
        assert!(kept == today, "web/openapi.json is old in {parts:?}: run scripts/openapi");
    }
}
