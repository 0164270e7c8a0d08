//! The whole under fire: twenty people who send hostile files, models and messages, while programs are killed, the database is held
//! up and the disk fills; then what was lost, doubled, spoilt or left behind is counted.
//!
//! `cargo run --release --example endure -- [minutes] [people] [hostile pictures] [hostile models]`
//!
//! A third of the time nothing is broken on purpose: whatever fails then is a fault. As root the data lie on a file system of their
//! own (ext4 in a file, on a loop device), which is filled to the last byte, and made slow: it is frozen for a part of each half second,
//! so that every write waits. Without root these two are left out.

#[path = "../bed/mod.rs"]
mod bed;
mod corpus;
mod disk;
mod left;
mod people;
mod watch;

use std::path::Path;
use std::process::Child;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use bed::{Bed, project};
use disk::OwnDisk;
use people::World;
use rand::Rng;
use rustix::process::{Pid, Signal, kill_process};
use serde_json::Value;
use watch::Taken;

const WORKERS: usize = 2;

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(60);

/// How long after a fault is over its consequences may show.
const AFTER: Duration = Duration::from_secs(4);

/// How long jobs may take after the last fault.
const LAST_JOBS: Duration = Duration::from_secs(900);

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let mut numbers = std::env::args().skip(1).map(|argument| argument.parse::<u64>());
    let mut number = |otherwise: u64| numbers.next().unwrap_or(Ok(otherwise));
    let (minutes, people, hostile, models) = (number(30)?, number(20)?, number(2000)?, number(300)?);
    let own_disk = OwnDisk::mounted();
    let mut bed = match &own_disk {
        Some(disk) => Bed::start_in(tempfile::tempdir_in(disk.path())?, 1, WORKERS).await?,
        None => Bed::start(1, WORKERS).await?,
    };
    let (order, originals) = bed.order(12, 320, 240).await?;
    let document = bed.get("/openapi.json").await?;
    let world = Arc::new(World {
        // A connection that was kept from before the server was killed would be a failure of the client.
        client: reqwest::Client::builder().timeout(PATIENCE).pool_max_idle_per_host(0).build()?,
        base: bed.url(""),
        order,
        originals,
        operations: people::operations(&document),
        hostile: corpus::pictures(hostile as usize, 1)?,
        models: corpus::models(&project().join("crates/core/tests/own"), models as usize, 2)?,
        sent: Default::default(),
        models_sent: Default::default(),
        in_trouble: AtomicBool::new(false),
        found: Default::default(),
        began: Instant::now(),
    });
    let began = Instant::now();
    let (peace_ends, ends) = (began + Duration::from_secs(20 * minutes), began + Duration::from_secs(60 * minutes));
    let crowd: Vec<_> = (0..people).map(|_| tokio::spawn(people::person(Arc::clone(&world), ends))).collect();

    let first = Taken::by(bed.server.as_ref().map_or(0, Child::id));
    let mut most = first;
    while Instant::now() < peace_ends {
        most = most.most(Taken::by(bed.server.as_ref().map_or(0, Child::id)));
        tokio::time::sleep(Duration::from_millis(300)).await;
    }
    let after_peace = Taken::by(bed.server.as_ref().map_or(0, Child::id));
    let mut faults = std::collections::BTreeMap::<&str, u32>::new();
    while Instant::now() < ends {
        let server = bed.server.as_ref().map_or(0, Child::id);
        for _ in 0..rand::rng().random_range(10..40) {
            most = most.most(Taken::by(server));
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        world.in_trouble.store(true, Ordering::Relaxed);
        let fault = break_something(&mut bed, own_disk.as_ref()).await?;
        *faults.entry(fault).or_default() += 1;
        bed.until_healthy().await?;
        tokio::time::sleep(AFTER).await;
        world.in_trouble.store(false, Ordering::Relaxed);
    }
    for person in crowd {
        person.await?;
    }
    while bed.ahead().await.unwrap_or(1) > 0 {
        anyhow::ensure!(ends.elapsed() < LAST_JOBS, "the jobs did not come to an end");
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    let last = Taken::by(bed.server.as_ref().map_or(0, Child::id));

    let found = std::mem::take(&mut *world.found());
    let megabytes = |bytes: u64| bytes >> 20;
    println!("{minutes} min, {people} people, {} requests, {WORKERS} workers and the server's own", found.requests);
    println!(
        "hostile pictures {}, models {}",
        world.sent.load(Ordering::Relaxed),
        world.models_sent.load(Ordering::Relaxed)
    );
    println!("broken on purpose: {faults:?}");
    println!("answers by status: {:?}", found.answers);
    println!(
        "in peace: unanswered {}, failures of the server {}, slowest health {:.2} s",
        found.unanswered_in_peace.len(),
        found.failures.len(),
        found.slowest_health
    );
    found.failures.iter().chain(&found.unanswered_in_peace).take(20).for_each(|failure| println!("  {failure}"));
    println!("| | server, MB | with helpers, MB | open files | threads |\n|---|--:|--:|--:|--:|");
    for (when, taken) in
        [("at first", first), ("most", most), ("after the time in peace", after_peace), ("at last", last)]
    {
        let Taken { server, all, files, threads } = taken;
        println!("| {when} | {} | {} | {files} | {threads} |", megabytes(server), megabytes(all));
    }
    let mut missing = 0;
    for id in &found.imports {
        missing += usize::from(bed.get(&format!("/originals/{id}")).await.is_err());
    }
    println!("imports acknowledged {}, lost {missing}", found.imports.len());
    let mut unended = 0;
    for id in &found.jobs {
        let job = bed.get(&format!("/jobs/{id}")).await.unwrap_or(Value::Null);
        unended += usize::from(!["done", "failed", "cancelled"].contains(&job["state"].as_str().unwrap_or_default()));
    }
    let jobs = found.jobs.len();
    let failures = found.failures.len();
    println!("jobs acknowledged {jobs}, lost {unended}");
    let counted = bed.count(order).await?;
    println!("{counted}");
    let left = left::behind(&bed).await?;
    println!("{left}");
    let clean = missing + unended + failures + counted.doubled + counted.corrupt + left.faults() == 0;
    anyhow::ensure!(clean, "that is not as it should be");
    Ok(())
}

/// Breaks one thing and mends it again; what it was.
async fn break_something(bed: &mut Bed, disk: Option<&OwnDisk>) -> anyhow::Result<&'static str> {
    let (kind, pause) = {
        let mut random = rand::rng();
        (random.random_range(0..8), Duration::from_millis(random.random_range(0..1500)))
    };
    Ok(match (kind, disk) {
        (0, _) => {
            bed::kill(&mut bed.server);
            tokio::time::sleep(pause).await;
            bed.start_server()?;
            "server killed"
        }
        (1, _) => {
            signal_database(bed.folder.path(), Signal::KILL);
            "database killed"
        }
        (2, _) => {
            signal_database(bed.folder.path(), Signal::STOP);
            tokio::time::sleep(Duration::from_secs(5) + pause).await;
            signal_database(bed.folder.path(), Signal::CONT);
            "database held up"
        }
        (3, Some(disk)) => {
            let filler = disk.fill()?;
            tokio::time::sleep(Duration::from_secs(6) + pause).await;
            std::fs::remove_file(filler)?;
            "disk filled"
        }
        (4, Some(disk)) => {
            disk.slow(Duration::from_secs(10)).await;
            "disk slow"
        }
        (3..=5, _) => {
            let server = bed.server.as_ref().map_or(0, Child::id);
            for helper in watch::children(server) {
                if let Some(pid) = Pid::from_raw(helper as i32) {
                    let _ = kill_process(pid, Signal::KILL);
                }
            }
            "decoders killed"
        }
        _ => {
            let number = rand::rng().random_range(0..WORKERS);
            bed::kill(&mut bed.workers[number]);
            tokio::time::sleep(pause).await;
            bed.start_worker(number)?;
            "worker killed"
        }
    })
}

fn signal_database(folder: &Path, signal: Signal) {
    let number = std::fs::read_to_string(folder.join("database/mariadb.pid")).unwrap_or_default();
    if let Some(pid) = number.trim().parse().ok().and_then(Pid::from_raw) {
        let _ = kill_process(pid, signal);
    }
}
