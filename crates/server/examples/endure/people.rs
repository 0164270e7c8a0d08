//! People who use the whole API at random, and send what they should not.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use rand::Rng;
use rand::seq::IndexedRandom;
use reqwest::multipart::{Form, Part};
use reqwest::{Client, Method};
use serde_json::{Value, json};

use super::corpus::Sent;

/// What all of them share.
pub struct World {
    pub client: Client,
    /// The API's address.
    pub base: String,
    pub order: u64,
    pub originals: Vec<u64>,
    /// Methods and paths, as the API's document lists them.
    pub operations: Vec<(Method, String)>,
    pub hostile: Vec<Sent>,
    pub models: Vec<Sent>,
    pub sent: AtomicUsize,
    pub models_sent: AtomicUsize,
    /// Whether something is broken on purpose at the moment, or was a moment ago.
    pub in_trouble: AtomicBool,
    pub found: Mutex<Found>,
    pub began: Instant,
}

/// What they met with.
#[derive(Default)]
pub struct Found {
    pub requests: usize,
    /// By status.
    pub answers: BTreeMap<u16, usize>,
    /// Failures of the server while nothing was broken on purpose, in words.
    pub failures: Vec<String>,
    /// Requests that got no answer while nothing was broken on purpose, with the reason.
    pub unanswered_in_peace: Vec<String>,
    /// Jobs whose queueing was acknowledged.
    pub jobs: Vec<u64>,
    /// Imports that were acknowledged.
    pub imports: Vec<u64>,
    /// Seconds of the slowest answer of `/health` while nothing was broken on purpose.
    pub slowest_health: f64,
}

/// What is passed over: it never ends, empties what is being measured, holds the queue up, or makes the run a long one.
const LEFT_OUT: [&str; 6] = ["/events", "/session", "/run-sheet/hold", "/removed", "/models", "/jobs"];

pub fn operations(document: &Value) -> Vec<(Method, String)> {
    let mut found = Vec::new();
    for (path, item) in document["paths"].as_object().into_iter().flatten() {
        let path = path.trim_start_matches("/api/v1");
        for method in item.as_object().into_iter().flat_map(|item| item.keys()) {
            let left_out = LEFT_OUT.iter().any(|start| path.starts_with(start)) && method != "get";
            let ends = path == "/events"
                || ["/orders/{id}", "/enlargements"].iter().any(|start| path.starts_with(start)) && method == "delete";
            if let (false, false, Ok(method)) = (left_out, ends, method.to_uppercase().parse()) {
                found.push((method, path.to_owned()));
            }
        }
    }
    found
}

/// Asks, waits a moment, and asks again.
pub async fn person(world: Arc<World>, until: Instant) {
    while Instant::now() < until {
        let kind = rand::rng().random_range(0..10);
        match kind {
            0..=2 => world.send_hostile().await,
            3 => world.send_model().await,
            4 => world.run_one().await,
            5 => world.import_sound().await,
            6 => world.health().await,
            _ => world.anything().await,
        }
        let pause = rand::rng().random_range(0..150);
        tokio::time::sleep(Duration::from_millis(pause)).await;
    }
}

impl World {
    /// Sends a request and notes what became of it; the answer's JSON, if it was a good one.
    async fn ask(&self, what: &str, request: reqwest::RequestBuilder) -> Option<Value> {
        let peace = !self.in_trouble.load(Ordering::Relaxed);
        let answer = request.send().await;
        // Trouble that began meanwhile explains a failure as well.
        let peace = peace && !self.in_trouble.load(Ordering::Relaxed);
        let (status, text) = match answer {
            Ok(answer) => (answer.status(), answer.text().await.unwrap_or_default()),
            Err(error) => {
                let mut found = self.found();
                found.requests += 1;
                if peace {
                    found.unanswered_in_peace.push(format!("{what}: {error:?}"));
                }
                return None;
            }
        };
        let mut found = self.found();
        found.requests += 1;
        *found.answers.entry(status.as_u16()).or_default() += 1;
        // That memory is short for a minute is said, and is no failure.
        if status.is_server_error() && peace && !text.contains("memory.busy") {
            let start: String = text.chars().take(200).collect();
            let seconds = self.began.elapsed().as_secs();
            found.failures.push(format!("after {seconds} s, {what}: {status} {start}"));
        }
        drop(found);
        status.is_success().then(|| serde_json::from_str(&text).unwrap_or_default())
    }

    pub fn found(&self) -> std::sync::MutexGuard<'_, Found> {
        self.found.lock().unwrap_or_else(|e| e.into_inner())
    }

    fn url(&self, path: &str) -> String {
        format!("{}{path}", self.base)
    }

    async fn import(&self, what: &str, (name, bytes): Sent) -> Option<Value> {
        let form = Form::new().part("files", Part::bytes(bytes).file_name(name));
        let address = self.url(&format!("/orders/{}/originals", self.order));
        self.ask(what, self.client.post(address).multipart(form)).await
    }

    async fn send_hostile(&self) {
        let number = self.sent.fetch_add(1, Ordering::Relaxed) % self.hostile.len();
        let file = self.hostile[number].clone();
        self.import(&format!("import of {}", file.0), file).await;
    }

    async fn import_sound(&self) {
        let seed: u32 = rand::rng().random();
        let Ok(bytes) = super::bed::picture(seed, 80, 60) else { return };
        let imported = self.import("import", (format!("sound-{seed}.png"), bytes)).await;
        if let Some(id) = imported.and_then(|imported| imported[0]["original"]["id"].as_u64()) {
            self.found().imports.push(id);
        }
    }

    async fn send_model(&self) {
        let number = self.models_sent.fetch_add(1, Ordering::Relaxed);
        let Some((name, bytes)) = self.models.get(number).cloned() else { return };
        let form = Form::new().text("name", name.clone()).part("file", Part::bytes(bytes).file_name(name.clone()));
        self.ask(&format!("model {name}"), self.client.post(self.url("/models")).multipart(form)).await;
    }

    async fn run_one(&self) {
        let Some(id) = self.originals.choose(&mut rand::rng()) else { return };
        let intent = json!({
            "target": { "by": "factor", "factor": rand::rng().random_range(1.5..3.0) },
            "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" },
            "output": { "format": "tiff", "depth": 8 },
        });
        let path = format!("/originals/{id}/jobs");
        // More than the workers get through would only wait.
        let is_short = self.found().jobs.len() < 400;
        if is_short && let Some(job) = self.ask("a job", self.client.post(self.url(&path)).json(&intent)).await {
            self.found().jobs.extend(job["id"].as_u64());
        }
    }

    async fn health(&self) {
        let began = Instant::now();
        let peace = !self.in_trouble.load(Ordering::Relaxed);
        self.ask("health", self.client.get(self.url("/health"))).await;
        if peace && !self.in_trouble.load(Ordering::Relaxed) {
            let mut found = self.found();
            found.slowest_health = found.slowest_health.max(began.elapsed().as_secs_f64());
        }
    }

    /// Any operation, of a picture that is there or of one that is not, with a message that may make sense.
    async fn anything(&self) {
        let request = {
            let mut random = rand::rng();
            let Some((method, path)) = self.operations.choose(&mut random) else { return };
            let place = match random.random_range(0..4) {
                0 => random.random_range(0..40_u64).to_string(),
                1 => "nonsense".to_owned(),
                _ => self.originals.choose(&mut random).map_or(0, |id| *id).to_string(),
            };
            let filled: Vec<&str> =
                path.split('/').map(|part| if part.starts_with('{') { place.as_str() } else { part }).collect();
            let request = self.client.request(method.clone(), self.url(&filled.join("/")));
            let bodies = [
                json!({ "target": { "by": "factor", "factor": random.random_range(-1.0..9.0) } }),
                json!({ "title": "Room 4", "name": "bright", "steps": {}, "spots": [], "do": "retry", "jobs": [place] }),
                json!([]),
                json!({ "treating": { "how": "as_set" }, "prints": [{ "target": { "by": "long_edge", "px": 300 } }],
                    "outputs": [{ "format": "jpeg", "depth": 8 }] }),
            ];
            let body = bodies.choose(&mut random).cloned().unwrap_or_default();
            let what = format!("{method} {path} of {place}");
            (what, if *method == Method::GET { request } else { request.json(&body) })
        };
        self.ask(&request.0, request.1).await;
    }
}
