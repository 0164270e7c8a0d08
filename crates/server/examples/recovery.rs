//! Runs an order while workers, server and database are killed at random, and counts what was lost, doubled or spoilt.
//!
//! `cargo run --release --example recovery -- [pictures] [seconds of killing]`

mod bed;

use std::collections::HashMap;
use std::process::Child;
use std::time::{Duration, Instant};

use anyhow::Context;
use bed::{Bed, project};
use dettaglio_core::codec::read;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::{Destination, Renderer, Unhurried, run};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::mariadb::MariaDb;
use rand::Rng;
use rustix::process::{Pid, Signal, kill_process};

const WORKERS: usize = 2;

fn kill(child: &mut Option<Child>) {
    if let Some(mut child) = child.take() {
        let _ = child.kill();
        let _ = child.wait();
    }
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let mut arguments = std::env::args().skip(1).filter_map(|a| a.parse::<u64>().ok());
    let (pictures, seconds) = (arguments.next().unwrap_or(24), arguments.next().unwrap_or(60));
    let mut bed = Bed::start(1, WORKERS).await?;
    let (order, _) = bed.order(pictures as u32, 640, 480).await?;
    let jobs = bed.run(order).await?;
    let began = Instant::now();
    let mut kills: HashMap<&str, u32> = HashMap::new();
    while began.elapsed() < Duration::from_secs(seconds) && bed.ahead().await.unwrap_or(1) > 0 {
        tokio::time::sleep(Duration::from_millis(rand::rng().random_range(700..3500))).await;
        let pause = Duration::from_millis(rand::rng().random_range(0..1500));
        match rand::rng().random_range(0..4) {
            0 => {
                *kills.entry("server").or_default() += 1;
                kill(&mut bed.server);
                tokio::time::sleep(pause).await;
                bed.start_server()?;
                bed.until_healthy().await?;
            }
            1 => {
                *kills.entry("database").or_default() += 1;
                let pid = std::fs::read_to_string(bed.folder.path().join("database/mariadb.pid")).unwrap_or_default();
                if let Some(pid) = pid.trim().parse().ok().and_then(Pid::from_raw) {
                    let _ = kill_process(pid, Signal::KILL);
                }
                bed.until_healthy().await?;
            }
            _ => {
                *kills.entry("worker").or_default() += 1;
                let number = rand::rng().random_range(0..WORKERS);
                kill(&mut bed.workers[number]);
                tokio::time::sleep(pause).await;
                bed.start_worker(number)?;
            }
        }
    }
    let killing = began.elapsed();
    while bed.ahead().await.unwrap_or(1) > 0 {
        anyhow::ensure!(began.elapsed() < Duration::from_secs(seconds + 600), "it did not come to an end");
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    let mut words: Vec<String> = kills.iter().map(|(what, count)| format!("{what} {count}")).collect();
    words.sort();
    println!(
        "{jobs} jobs, {WORKERS} workers and the server's own; killed in {:.0} s: {}; all ended after {:.0} s",
        killing.as_secs_f64(),
        words.join(", "),
        began.elapsed().as_secs_f64()
    );
    count(&bed, order, jobs).await
}

/// Every result against what the core itself makes of the same treatment, byte for byte.
async fn count(bed: &Bed, order: u64, jobs: usize) -> anyhow::Result<()> {
    let url = MariaDb::url_in(&bed.folder.path().join("database")).context("the database runs")?;
    let store = Store::connect(&url).await?;
    let files = FileStore::open(bed.folder.path())?;
    let results = store.enlargements(order).await?;
    let mut of_job: HashMap<u64, u32> = HashMap::new();
    for result in &results {
        *of_job.entry(result.job_id).or_default() += 1;
    }
    let doubled = of_job.values().filter(|count| **count > 1).count();
    let renderer = Renderer::new(Shelf::open(&project().join("models"))?, 256 << 20);
    let due = bed.folder.path().join("due.tif");
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
    let lost = jobs.saturating_sub(of_job.len());
    println!("lost {lost}, doubled {doubled}, corrupt {corrupt} of {jobs}; files that no result names: {orphans}");
    anyhow::ensure!(lost + doubled + corrupt == 0, "that is not as it should be");
    Ok(())
}
