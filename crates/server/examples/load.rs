//! Fifty people use the API at once while a batch runs: how long each kind of request takes, and how many fail.
//!
//! `cargo run --release --example load -- [clients] [seconds]`

mod bed;

use std::sync::Arc;
use std::time::{Duration, Instant};

use bed::Bed;
use rand::Rng;
use reqwest::{Client, StatusCode};
use serde_json::{Value, json};

/// What people do, and how often.
const KINDS: [(&str, u32); 6] =
    [("orders", 2), ("one order", 2), ("run sheet", 3), ("thumbnail", 6), ("plan", 2), ("tile, bicubic", 6)];

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let mut arguments = std::env::args().skip(1).filter_map(|a| a.parse::<u64>().ok());
    let (clients, seconds) = (arguments.next().unwrap_or(50), arguments.next().unwrap_or(20));
    let bed = Bed::start(1, 0).await?;
    let (order, ids) = bed.order(20, 900, 700).await?;
    let intent = json!({
        "target": { "by": "factor", "factor": 3.0 },
        "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" },
        "output": { "format": "tiff", "depth": 8 },
    });
    let plan = bed.post(&format!("/originals/{}/plan", ids[0]), &intent).await?;
    let contents = bed.get(&format!("/orders/{order}")).await?;
    let hash = contents["originals"][0]["hash"].as_str().unwrap_or_default();
    let tiles = format!("/tiles/{hash}/{}/0", plan["plain"]["bicubic"].as_str().unwrap_or_default());
    bed.run(order).await?;

    let paths = Arc::new((bed.url(""), order, ids, tiles, intent));
    let until = Instant::now() + Duration::from_secs(seconds);
    let people = (0..clients).map(|_| tokio::spawn(person(bed.client.clone(), Arc::clone(&paths), until)));
    let mut all: Vec<(usize, f64, bool)> = Vec::new();
    for person in people.collect::<Vec<_>>() {
        all.extend(person.await?);
    }
    println!(
        "{clients} clients, {seconds} s, one worker busy: {} requests, {:.0} a second",
        all.len(),
        all.len() as f64 / seconds as f64
    );
    println!("| request | count | p50 ms | p95 ms | p99 ms | most ms | failed |\n|---|---|---|---|---|---|---|");
    for (kind, (name, _)) in KINDS.iter().enumerate() {
        let mut times: Vec<f64> = all.iter().filter(|(k, ..)| *k == kind).map(|(_, ms, _)| *ms).collect();
        let failed = all.iter().filter(|(k, _, ok)| *k == kind && !ok).count();
        times.sort_by(f64::total_cmp);
        let at = |share: f64| {
            times
                .get(((times.len() as f64 * share) as usize).min(times.len().saturating_sub(1)))
                .copied()
                .unwrap_or(0.0)
        };
        println!(
            "| {name} | {} | {:.0} | {:.0} | {:.0} | {:.0} | {failed} |",
            times.len(),
            at(0.5),
            at(0.95),
            at(0.99),
            at(1.0)
        );
    }
    Ok(())
}

type Paths = (String, u64, Vec<u64>, String, Value);

/// Asks, waits a moment, and asks again, as a page does.
async fn person(client: Client, paths: Arc<Paths>, until: Instant) -> Vec<(usize, f64, bool)> {
    let (base, order, ids, tiles, intent) = &*paths;
    let mut done = Vec::new();
    while Instant::now() < until {
        let kind = {
            let mut at = rand::rng().random_range(0..KINDS.iter().map(|(_, weight)| weight).sum::<u32>());
            KINDS.iter().position(|(_, weight)| at.checked_sub(*weight).map(|rest| at = rest).is_none()).unwrap_or(0)
        };
        let id = ids[rand::rng().random_range(0..ids.len())];
        let request = match kind {
            0 => client.get(format!("{base}/orders")),
            1 => client.get(format!("{base}/orders/{order}")),
            2 => client.get(format!("{base}/run-sheet")),
            3 => client.get(format!("{base}/originals/{id}/thumbnail")),
            4 => client.post(format!("{base}/originals/{id}/plan")).json(intent),
            _ => {
                let (column, row) = (rand::rng().random_range(0..10), rand::rng().random_range(0..8));
                client.get(format!("{base}{tiles}/{column}/{row}"))
            }
        };
        let began = Instant::now();
        let ok = match request.send().await {
            Ok(answer) => answer.status() == StatusCode::OK && answer.bytes().await.is_ok(),
            Err(_) => false,
        };
        done.push((kind, began.elapsed().as_secs_f64() * 1000.0, ok));
        let pause = rand::rng().random_range(50..350);
        tokio::time::sleep(Duration::from_millis(pause)).await;
    }
    done
}
