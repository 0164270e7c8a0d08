//! How much an order gains from one, two and four workers, each a program of its own.
//!
//! `cargo run --release --example workers -- [pictures]`

mod bed;

use std::time::{Duration, Instant};

use bed::Bed;

const WIDTH: u32 = 800;
const HEIGHT: u32 = 600;

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let pictures = std::env::args().nth(1).and_then(|a| a.parse().ok()).unwrap_or(16);
    println!(
        "{pictures} pictures of {WIDTH} x {HEIGHT} px, four times as large by the draft model, on {} cores",
        cores()
    );
    println!("| workers | threads each | seconds | input MP/s | against one |\n|---|---|---|---|---|");
    let mut one = None;
    for (workers, threads) in [(1, cores()), (2, cores()), (2, cores().div_ceil(2)), (4, 1)] {
        let bed = Bed::start_with(0, workers, Some(threads)).await?;
        // Each worker measures the models once when it starts.
        tokio::time::sleep(Duration::from_secs(12)).await;
        let (order, _) = bed.order(pictures, WIDTH, HEIGHT).await?;
        let began = Instant::now();
        bed.run(order).await?;
        while bed.ahead().await? > 0 {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        let seconds = began.elapsed().as_secs_f64();
        let rate = f64::from(pictures * WIDTH * HEIGHT) / 1e6 / seconds;
        println!("| {workers} | {threads} | {seconds:.1} | {rate:.2} | {:.2} |", rate / *one.get_or_insert(rate));
    }
    Ok(())
}

fn cores() -> usize {
    std::thread::available_parallelism().map_or(0, |n| n.get())
}
