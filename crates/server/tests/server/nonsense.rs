//! Every operation of the API document, asked for nonsense: it answers, or refuses with a problem, and never fails.

use reqwest::header::CONTENT_TYPE;
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

use crate::support::Server;

/// What is put in the place of every part of a path.
const PLACES: [&str; 9] = [
    "1",
    "0",
    "999999",
    "-1",
    "18446744073709551616",
    "nonsense",
    "%00",
    "..%2F..%2Fetc%2Fpasswd",
    "0000000000000000000000000000000000000000000000000000000000000000",
];

/// What follows a path.
const QUERIES: [&str; 3] =
    ["", "?x=4000000000&y=4000000000&width=4000000000&height=4000000000", "?x=NaN&which=none&show="];

fn bodies() -> Vec<String> {
    let absurd = json!({
        "title": "x".repeat(100_000), "target": { "by": "factor", "factor": -1e300 }, "originals": [0, 0, 4_000_000_000_u64],
        "print": { "target": { "by": "print", "paper": { "width": 1e9, "height": 0, "unit": "cm" }, "ppi": 0 } },
        "prints": [], "outputs": [], "jobs": [999_999], "do": "retry", "days": 1_000_000_000, "how": "house", "id": 0,
        "spots": [{ "name": "", "x": -1e30, "y": 1e30 }], "verdict": "accepted", "note": "y".repeat(70_000),
        "steps": {}, "to": "all", "treating": { "how": "house", "id": 0 }, "pattern": "../../{name}\0", "name": "\0",
    });
    let texts = ["", "{}", "[]", "null", "{\"", "\"text\"", "{\"target\":{\"by\":\"factor\",\"factor\":1e999}}"];
    let deep = "[".repeat(20_000);
    texts.into_iter().map(str::to_owned).chain([absurd.to_string(), deep]).collect()
}

/// An operation as the document lists it.
struct Operation {
    method: Method,
    path: String,
    takes_body: bool,
    /// By status, or "default": content types.
    answers: Value,
}

impl Operation {
    /// Whether an answer of this status and type is one that the document tells of.
    fn tells_of(&self, status: StatusCode, kind: Option<&str>) -> bool {
        let told = self.answers.get(status.as_str());
        let told = told.or_else(|| self.answers.get("default").filter(|_| !status.is_success()));
        let Some(told) = told else { return false };
        let kinds = told.get("content").and_then(Value::as_object);
        match (kinds.filter(|kinds| !kinds.is_empty()), kind) {
            (None, kind) => kind.is_none(),
            (Some(kinds), Some(kind)) => kinds.keys().any(|k| Some(k.as_str()) == kind.split(';').next()),
            (Some(_), None) => false,
        }
    }
}

/// Each operation with its path, as the document lists them.
async fn operations(server: &Server) -> Vec<Operation> {
    let document = Server::json(server.get("/openapi.json").await, StatusCode::OK).await;
    let mut found = Vec::new();
    for (path, operations) in document["paths"].as_object().expect("paths") {
        for (method, operation) in operations.as_object().expect("operations") {
            let Ok(method) = method.to_uppercase().parse() else { continue };
            let path = path.strip_prefix("/api/v1").expect("the API's own").to_owned();
            let takes_body = operation.get("requestBody").is_some();
            found.push(Operation { method, path, takes_body, answers: operation["responses"].clone() });
        }
    }
    found
}

fn filled(path: &str, place: &str) -> String {
    let parts = path.split('/').map(|part| if part.starts_with('{') { place } else { part });
    parts.collect::<Vec<_>>().join("/")
}

#[tokio::test(flavor = "multi_thread")]
async fn nonsense_is_refused_with_a_problem_everywhere() {
    let server = Server::start().await;
    server.with_picture(40, 30).await;
    let bodies = bodies();
    let (mut asked, mut wrong) = (0, Vec::new());
    for operation in operations(&server).await {
        let Operation { method, path, takes_body, .. } = &operation;
        let places = if path.contains('{') { &PLACES[..] } else { &PLACES[..1] };
        // Answers of the events never end.
        let queries = if *method == Method::GET && path != "/events" { &QUERIES[..] } else { &QUERIES[..1] };
        for address in places.iter().flat_map(|place| queries.iter().map(|query| filled(path, place) + query)) {
            let bodies = if *takes_body { &bodies[..] } else { &bodies[..1] };
            for body in bodies {
                let request = server.client.request(method.clone(), format!("{}{address}", server.base));
                let request = request.header(CONTENT_TYPE, "application/json").body(body.clone());
                let answer = request.send().await.expect("an answer");
                asked += 1;
                let status = answer.status();
                let kind = answer.headers().get(CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).map(str::to_owned);
                if !operation.tells_of(status, kind.as_deref()) {
                    wrong.push(format!("{method} {address}: {status} of type {kind:?} is not in the document"));
                }
                if status.is_success() {
                    continue;
                }
                let text = answer.text().await.unwrap_or_default();
                let problem: Value = serde_json::from_str(&text).unwrap_or_default();
                let told = kind.is_some_and(|kind| kind == "application/problem+json")
                    && problem["status"] == status.as_u16()
                    && ["code", "detail"].iter().all(|part| problem[part].as_str().is_some_and(|t| !t.is_empty()));
                if !status.is_client_error() || !told {
                    let start = |text: &str| text.chars().take(80).collect::<String>();
                    wrong.push(format!("{method} {} with {}: {status} {}", start(&address), start(body), start(&text)));
                }
            }
        }
    }
    assert!(asked > 1500, "{asked} requests");
    assert!(wrong.is_empty(), "{} of {asked}:\n{}", wrong.len(), wrong.join("\n"));
    assert_eq!(server.get("/health").await.status(), StatusCode::OK, "and it is well");
    server.stop().await;
}
