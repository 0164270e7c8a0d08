//! Runs an order while workers, server and database are killed at random, and counts what was lost, doubled or spoilt.
//!
//! `cargo run --release --example recovery -- [pictures] [seconds of killing]`

mod bed;

use std::collections::HashMap;
use std::time::{Duration, Instant};

use bed::{Bed, kill};
use rand::Rng;
use rustix::process::{Pid, Signal, kill_process};

const WORKERS: usize = 2;

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
    let counted = bed.count(order).await?;
    let lost = jobs.saturating_sub(counted.jobs);
    println!("lost {lost} of {jobs}; {counted}");
    anyhow::ensure!(lost + counted.doubled + counted.corrupt == 0, "that is not as it should be");
    Ok(())
}
