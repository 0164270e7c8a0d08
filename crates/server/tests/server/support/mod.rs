//! A server for a test: real database, real models, its own folder.

#![allow(dead_code, reason = "each test crate uses a part of it")]

use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use dettaglio_server::config::Settings;
use dettaglio_server::service::Service;
use dettaglio_store::testing::TestServer;
use image::{DynamicImage, ImageFormat, RgbImage};
use reqwest::multipart::{Form, Part};
use reqwest::{Client, Response, StatusCode};
use serde_json::{Value, json};
use tempfile::TempDir;

pub struct Server {
    pub client: Client,
    pub base: String,
    /// Address of its database, for programs that join it.
    pub database: String,
    pub service: Option<Service>,
    _database: Arc<TestServer>,
    pub folder: TempDir,
}

pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

impl Server {
    pub async fn start() -> Self {
        Self::with(|_| ()).await
    }

    /// With some settings other than a test's usual ones.
    pub async fn with(change: impl FnOnce(&mut Settings)) -> Self {
        let database = TestServer::shared();
        let folder = tempfile::tempdir().expect("a folder");
        let mut settings = Settings {
            database: Some(database.fresh_database().await),
            program: env!("CARGO_BIN_EXE_dettaglio-server").into(),
            // Many servers that all measure would measure each other.
            measure_speed: false,
            look_ahead: false,
            ..Settings::new(&project(), folder.path().to_owned())
        };
        change(&mut settings);
        let url = settings.database.clone().unwrap_or_default();
        let service = Service::start(settings).await.expect("the service starts");
        let base = format!("http://127.0.0.1:{}/api/v1", service.address.port());
        Self { client: Client::new(), base, database: url, service: Some(service), _database: database, folder }
    }

    pub async fn stop(mut self) {
        if let Some(service) = self.service.take() {
            service.stop().await;
        }
    }

    pub async fn get(&self, path: &str) -> Response {
        self.client.get(format!("{}{path}", self.base)).send().await.expect("an answer")
    }

    pub async fn post(&self, path: &str, body: &Value) -> Response {
        self.client.post(format!("{}{path}", self.base)).json(body).send().await.expect("an answer")
    }

    /// The JSON of an answer that must have this status.
    pub async fn json(response: Response, status: StatusCode) -> Value {
        let got = response.status();
        let text = response.text().await.expect("a body");
        assert_eq!(got, status, "{text}");
        serde_json::from_str(&text).unwrap_or_else(|_| panic!("JSON, not {text}"))
    }

    pub async fn put(&self, path: &str, body: &Value) -> Response {
        self.client.put(format!("{}{path}", self.base)).json(body).send().await.expect("an answer")
    }

    pub async fn delete(&self, path: &str) -> Response {
        self.client.delete(format!("{}{path}", self.base)).send().await.expect("an answer")
    }

    /// Has something done with jobs.
    pub async fn instruct(&self, jobs: &[u64], deed: Value) {
        let mut body = deed;
        body["jobs"] = json!(jobs);
        assert_eq!(self.post("/jobs", &body).await.status(), StatusCode::NO_CONTENT, "{body}");
    }

    pub async fn add_model(&self, name: &str, file: Vec<u8>) -> Response {
        let form = Form::new().text("name", name.to_owned()).part("file", Part::bytes(file).file_name("mine.onnx"));
        self.client.post(format!("{}/models", self.base)).multipart(form).send().await.expect("an answer")
    }

    pub async fn new_order(&self) -> u64 {
        let order = Self::json(self.post("/orders", &json!({ "title": "Room 2" })).await, StatusCode::CREATED).await;
        order["id"].as_u64().expect("a number")
    }

    pub async fn import(&self, order: u64, files: Vec<(&'static str, Vec<u8>)>) -> Value {
        let form = files
            .into_iter()
            .fold(Form::new(), |form, (name, bytes)| form.part("files", Part::bytes(bytes).file_name(name)));
        let url = format!("{}/orders/{order}/originals", self.base);
        Self::json(self.client.post(url).multipart(form).send().await.expect("an answer"), StatusCode::OK).await
    }

    /// An order with one picture; their numbers.
    pub async fn with_picture(&self, width: u32, height: u32) -> (u64, u64) {
        let order = self.new_order().await;
        let outcome = self.import(order, vec![("vases.png", encoded(&picture(width, height), ImageFormat::Png))]).await;
        (order, outcome[0]["original"]["id"].as_u64().expect("accepted"))
    }

    /// The job once it has ended.
    pub async fn ended(&self, job: u64) -> Value {
        for _ in 0..6000 {
            let job = Self::json(self.get(&format!("/jobs/{job}")).await, StatusCode::OK).await;
            if !["waiting", "running", "paused"].contains(&job["state"].as_str().unwrap_or_default()) {
                return job;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("job {job} did not end in five minutes");
    }
}

/// What is asked for: so many times, by the draft models, as TIFF.
pub fn intent(factor: f64) -> Value {
    json!({
        "target": { "by": "factor", "factor": factor },
        "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" },
        "output": { "format": "tiff", "depth": 16 },
    })
}

pub fn picture(width: u32, height: u32) -> DynamicImage {
    DynamicImage::ImageRgb8(RgbImage::from_fn(width, height, |x, y| {
        image::Rgb([(x * 7 % 251) as u8, (y * 5 % 241) as u8, ((x / 9 + y / 7) % 2 * 200) as u8])
    }))
}

pub fn encoded(picture: &DynamicImage, format: ImageFormat) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, format).expect("encoded");
    bytes.into_inner()
}
