//! Who may use which route, for every operation of the API's document.

use dettaglio_server::http::openapi;
use reqwest::{Client, Method, StatusCode};
use serde_json::Value;

use crate::outside::Guarded;

/// Operations that are not GET and change nothing: what a viewer may ask for with a body.
const ASKING: [&str; 6] = ["plan", "forecast", "suggestion", "adapt", "draw_crop", "preflight"];

/// Operations that need no account.
const OPEN: [&str; 7] = ["health", "rules", "sign_in", "who", "sign_out", "shared", "shared_picture"];

struct Operation {
    name: String,
    method: Method,
    /// Below /api/v1, with a number for every name in braces.
    path: String,
    /// The cookie and role that the document says are needed.
    needs: Value,
}

fn operations() -> Vec<Operation> {
    let document = serde_json::to_value(openapi()).unwrap();
    let paths = document["paths"].as_object().unwrap();
    let of_path = |(path, item): (&String, &Value)| {
        let path = path
            .strip_prefix("/api/v1")
            .unwrap()
            .split('/')
            .map(|part| if part.starts_with('{') { "999999" } else { part });
        let path = path.collect::<Vec<_>>().join("/");
        let item = item.as_object().unwrap().clone();
        item.into_iter().map(move |(method, operation)| Operation {
            name: operation["operationId"].as_str().unwrap().to_owned(),
            method: method.to_uppercase().parse().unwrap(),
            path: path.clone(),
            needs: operation["security"][0].clone(),
        })
    };
    paths.iter().flat_map(of_path).collect()
}

/// The status and code of a bare request.
async fn asked(guarded: &Guarded, operation: &Operation, cookie: Option<&str>) -> (StatusCode, Value) {
    let request = guarded.server.client.request(operation.method.clone(), guarded.url(&operation.path));
    let request = cookie.into_iter().fold(request, |request, cookie| request.header("cookie", cookie));
    let answer = request.send().await.unwrap();
    let status = answer.status();
    // The stream of events has no end.
    let refused = status.is_client_error();
    (status, if refused { answer.json().await.unwrap_or(Value::Null)["code"].clone() } else { Value::Null })
}

#[test]
fn what_changes_anything_needs_a_technician() {
    for operation in operations() {
        let name = operation.name.as_str();
        let due = if OPEN.contains(&name) {
            serde_json::json!({})
        } else if operation.method == Method::GET || ASKING.contains(&name) {
            serde_json::json!({ "session": [] })
        } else {
            serde_json::json!({ "session": ["technician"] })
        };
        assert_eq!(operation.needs, due, "{name}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_route_asks_for_what_the_document_says() {
    let guarded = Guarded::start().await;
    let ugo = guarded.cookie("Ugo", "solo guardare").await;
    for operation in operations().iter().filter(|operation| !OPEN.contains(&operation.name.as_str())) {
        let nobody = asked(&guarded, operation, None).await;
        assert_eq!(nobody, (StatusCode::UNAUTHORIZED, "access.sign-in".into()), "{}", operation.name);
        let viewer = asked(&guarded, operation, Some(&ugo)).await;
        let refused = viewer == (StatusCode::FORBIDDEN, "access.viewer".into());
        assert_eq!(refused, operation.needs["session"][0] == "technician", "{}: {viewer:?}", operation.name);
    }
    guarded.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_an_address_does_not_do_is_a_problem_like_any_other() {
    let server = crate::support::Server::start().await;
    let answer = Client::new().patch(format!("{}/orders", server.base)).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::METHOD_NOT_ALLOWED);
    assert!(answer.headers()["allow"].to_str().unwrap().contains("POST"));
    assert_eq!(answer.headers()["content-type"], "application/problem+json");
    server.stop().await;
}
