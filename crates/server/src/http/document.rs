//! The document that describes the API: what the routes say of themselves, and what holds for all of them.

use utoipa::openapi::path::{Operation, PathItem};
use utoipa::openapi::response::Response;
use utoipa::openapi::{Content, OpenApi, Ref, RefOr};

/// The type of an answer that refuses (RFC 9457).
const PROBLEM_TYPE: &str = "application/problem+json";

/// Where the document describes it.
const PROBLEM: &str = "#/components/schemas/Problem";

/// The key of the response that stands for every status that is not listed.
const OTHERWISE: &str = "default";

/// Says of every operation what each may answer: a problem, with whatever status it has.
///
/// An operation lists the refusals that are its own. Besides, each may find that the one who asks has no right to, that the message
/// makes no sense or is too long, that the database is away, or that there is no memory at the moment.
pub fn complete(document: &mut OpenApi) {
    for item in document.paths.paths.values_mut() {
        for operation in operations(item) {
            for response in operation.responses.responses.values_mut() {
                tell_problems_apart(response);
            }
            operation.responses.responses.entry(OTHERWISE.to_owned()).or_insert_with(|| RefOr::T(refusal()));
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
