//! What the benchmarks of the whole have in common: programs that can be killed, an API to talk to, pictures to work on.

#![allow(dead_code, reason = "each example uses a part of it")]

use std::collections::HashMap;
use std::fmt;
use std::net::{Ipv4Addr, TcpListener};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use anyhow::{Context, bail};
use dettaglio_core::codec::read;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::{Destination, Renderer, Unhurried, run};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::JobId;
use dettaglio_domain::limits::Limits;
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::mariadb::MariaDb;
use reqwest::Client;
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};
use tempfile::TempDir;

pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The server's program, built beside this one.
fn program() -> anyhow::Result<PathBuf> {
    let own = std::env::current_exe()?;
    let program = own.ancestors().nth(2).context("a build folder")?.join("dettaglio-server");
    anyhow::ensure!(program.is_file(), "build the server first: cargo build --release --workspace");
    Ok(program)
}

/// What came of an order.
pub struct Counted {
    /// Jobs that have a result.
    pub jobs: usize,
    pub results: usize,
    /// Jobs that have more than one.
    pub doubled: usize,
    /// Results that are not what the core makes of the same treatment.
    pub corrupt: usize,
    /// Files of results that no result names.
    pub orphans: usize,
}

impl fmt::Display for Counted {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { results, doubled, corrupt, orphans, .. } = self;
        write!(f, "results {results}, doubled {doubled}, corrupt {corrupt}; files that no result names: {orphans}")
    }
}

pub fn kill(child: &mut Option<Child>) {
    if let Some(mut child) = child.take() {
        let _ = child.kill();
        let _ = child.wait();
    }
}

/// A data folder with a server and workers on it, each a program of its own; all end with it.
pub struct Bed {
    pub folder: TempDir,
    pub port: u16,
    pub client: Client,
    pub server: Option<Child>,
    pub workers: Vec<Option<Child>>,
    /// Threads of each program that works; as many as the machine has when none are named.
    threads: Option<usize>,
    /// Jobs that the server itself works on at once.
    own_workers: usize,
}

impl Bed {
    /// Starts a server with so many workers of its own, and so many programs that only work.
    pub async fn start(own_workers: usize, workers: usize) -> anyhow::Result<Self> {
        Self::start_with(own_workers, workers, None).await
    }

    /// The same, with so many threads for each program that only works.
    pub async fn start_with(own_workers: usize, workers: usize, threads: Option<usize>) -> anyhow::Result<Self> {
        Self::prepared(tempfile::tempdir()?, own_workers, workers, threads).await
    }

    /// The same, in a folder of the caller's choice.
    pub async fn start_in(folder: TempDir, own_workers: usize, workers: usize) -> anyhow::Result<Self> {
        Self::prepared(folder, own_workers, workers, None).await
    }

    async fn prepared(
        folder: TempDir,
        own_workers: usize,
        workers: usize,
        threads: Option<usize>,
    ) -> anyhow::Result<Self> {
        let port = TcpListener::bind((Ipv4Addr::LOCALHOST, 0))?.local_addr()?.port();
        let client = Client::builder().timeout(Duration::from_secs(60)).build()?;
        let mut bed = Self { folder, port, client, server: None, workers: Vec::new(), threads, own_workers };
        bed.start_server()?;
        bed.until_healthy().await?;
        for _ in 0..workers {
            bed.workers.push(None);
        }
        for i in 0..workers {
            bed.start_worker(i)?;
        }
        Ok(bed)
    }

    fn command(&self, command: &str) -> anyhow::Result<Command> {
        let mut program = Command::new(program()?);
        program.arg(command).arg("--data").arg(self.folder.path()).arg("--project").arg(project());
        program.env("DETTAGLIO_LOG", "off").stdout(Stdio::null());
        Ok(program)
    }

    pub fn start_server(&mut self) -> anyhow::Result<()> {
        let (port, workers) = (self.port.to_string(), self.own_workers.to_string());
        let mut command = self.command("serve")?;
        self.server =
            Some(command.args(["--no-demo", "--port", &port, "--workers", &workers]).stderr(Stdio::null()).spawn()?);
        Ok(())
    }

    pub fn start_worker(&mut self, number: usize) -> anyhow::Result<()> {
        let threads = self.threads.map(|count| format!("--threads={count}"));
        self.workers[number] = Some(self.command("worker")?.args(threads).stderr(Stdio::null()).spawn()?);
        Ok(())
    }

    pub async fn until_healthy(&self) -> anyhow::Result<()> {
        for _ in 0..600 {
            if let Ok(answer) = self.client.get(self.url("/health")).send().await
                && answer.json::<Value>().await.is_ok_and(|health| health["database"] == "ok")
            {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        bail!("the server did not come up in a minute")
    }

    pub fn url(&self, path: &str) -> String {
        format!("http://127.0.0.1:{}/api/v1{path}", self.port)
    }

    pub async fn get(&self, path: &str) -> anyhow::Result<Value> {
        Ok(self.client.get(self.url(path)).send().await?.error_for_status()?.json().await?)
    }

    pub async fn post(&self, path: &str, body: &Value) -> anyhow::Result<Value> {
        let answer = self.client.post(self.url(path)).json(body).send().await?;
        let status = answer.status();
        let text = answer.text().await?;
        anyhow::ensure!(status.is_success(), "{path}: {text}");
        Ok(serde_json::from_str(&text).unwrap_or(Value::Null))
    }

    /// An order with so many pictures, each unlike the others; its number and theirs.
    pub async fn order(&self, pictures: u32, width: u32, height: u32) -> anyhow::Result<(u64, Vec<u64>)> {
        let order =
            self.post("/orders", &json!({ "title": "A whole order" })).await?["id"].as_u64().context("a number")?;
        let mut ids = Vec::new();
        for seed in 0..pictures {
            let part = Part::bytes(picture(seed, width, height)?).file_name(format!("picture-{seed}.png"));
            let form = Form::new().part("files", part);
            let answer =
                self.client.post(self.url(&format!("/orders/{order}/originals"))).multipart(form).send().await?;
            let outcome: Value = answer.error_for_status()?.json().await?;
            ids.push(outcome[0]["original"]["id"].as_u64().with_context(|| outcome.to_string())?);
        }
        Ok((order, ids))
    }

    /// Queues every picture of an order, four times as large, by the draft model.
    pub async fn run(&self, order: u64) -> anyhow::Result<usize> {
        let steps = json!({ "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" } });
        let batch = json!({
            "treating": { "how": "steps", "steps": steps },
            "prints": [{ "target": { "by": "factor", "factor": 4.0 } }],
            "outputs": [{ "format": "tiff", "depth": 8 }],
        });
        let jobs = self.post(&format!("/orders/{order}/jobs"), &batch).await?;
        Ok(jobs.as_array().map_or(0, Vec::len))
    }

    /// Looks at every result of an order: against what the core itself makes of the same treatment, byte for byte.
    pub async fn count(&self, order: u64) -> anyhow::Result<Counted> {
        let url = MariaDb::url_in(&self.folder.path().join("database")).context("the database runs")?;
        let store = Store::connect(&url).await?;
        let files = FileStore::open(self.folder.path())?;
        let results = store.enlargements(order.into()).await?;
        let mut of_job: HashMap<JobId, u32> = HashMap::new();
        for result in &results {
            *of_job.entry(result.job_id).or_default() += 1;
        }
        let doubled = of_job.values().filter(|count| **count > 1).count();
        let renderer = Renderer::new(Shelf::open(&project().join("models"))?, 256 << 20);
        let due = self.folder.path().join("due.tif");
        let mut corrupt = 0;
        for result in &results {
            let row = store.original(result.original_id).await?;
            let treatment = store.treatment(result.record.treatment_hash).await?;
            let source = files.local(&FileStore::original_key(row.hash)).await?;
            let original = read(&source, row.hash, &Limits::default())?.original;
            let to = Destination { path: &due, settings: result.record.settings, reading: row.reading.as_ref() };
            run(&renderer, &original, &treatment, to, &Unhurried, &|_| {})?;
            let kept = ContentHash::of_file(&files.local(&result.file_key).await?)?;
            corrupt += usize::from(kept != ContentHash::of_file(&due)?);
        }
        let orphans = files.keys("enlargements").await?.len().saturating_sub(results.len());
        Ok(Counted { jobs: of_job.len(), results: results.len(), doubled, corrupt, orphans })
    }

    /// How many jobs are still ahead.
    pub async fn ahead(&self) -> anyhow::Result<usize> {
        Ok(self.get("/run-sheet").await?["ahead"].as_array().map_or(0, Vec::len))
    }
}

impl Drop for Bed {
    fn drop(&mut self) {
        for child in self.workers.iter_mut().flatten() {
            let _ = child.kill();
            let _ = child.wait();
        }
        // The server stops its database when it is asked to, and not when it is killed.
        let stop = self.command_without_project("stop").and_then(|mut stop| Ok(stop.spawn()?));
        if let Some(child) = &mut self.server {
            if stop.is_err() {
                let _ = child.kill();
            }
            let _ = child.wait();
        }
        if let Ok(mut stop) = stop {
            let _ = stop.wait();
        }
    }
}

impl Bed {
    fn command_without_project(&self, command: &str) -> anyhow::Result<Command> {
        let mut program = Command::new(program()?);
        program.arg(command).arg("--data").arg(self.folder.path()).stdout(Stdio::null()).stderr(Stdio::null());
        Ok(program)
    }
}

/// A picture with edges and texture, other for each seed.
pub fn picture(seed: u32, width: u32, height: u32) -> anyhow::Result<Vec<u8>> {
    let mut bytes = std::io::Cursor::new(Vec::new());
    picture_of(seed, width, height).write_to(&mut bytes, image::ImageFormat::Png)?;
    Ok(bytes.into_inner())
}

pub fn picture_of(seed: u32, width: u32, height: u32) -> image::RgbImage {
    let value = |x: u32, y: u32, c: u32| {
        let wave =
            ((f64::from(x * (3 + c)) + f64::from(seed) * 17.0) * 0.05).sin() + (f64::from(y * (2 + c)) * 0.07).cos();
        let edge = f64::from((x / 40 + y / 30 + seed % 2) % 2);
        (110.0 + 45.0 * wave + 50.0 * edge) as u8
    };
    image::RgbImage::from_fn(width, height, |x, y| image::Rgb([0, 1, 2].map(|c| value(x, y, c))))
}
