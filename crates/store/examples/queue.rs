//! What the run sheet and the file store cost where many workers share them: workers that compute nothing take jobs, say how far they are
//! and end them, as fast as the database answers.
//!
//! `cargo run --release -p dettaglio-store --example queue -- [jobs] [megabytes]`: how many jobs an order has, and how large a result is.

use std::future::Future;
use std::path::Path;
use std::time::{Duration, Instant};

use dettaglio_domain::id::JobId;
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::jobs::Stage;
use dettaglio_store::leases::SignOfLife;
use dettaglio_store::mariadb::MariaDb;

#[path = "../tests/store/support/mod.rs"]
mod support;

use support::{queued, record};

/// How many workers at once, each with connections of its own as a program has.
const WORKERS: [usize; 3] = [1, 10, 100];

/// Signs of life that a job gives.
const SIGNS: usize = 3;

fn main() {
    let mut arguments = std::env::args().skip(1).filter_map(|text| text.parse().ok());
    let (jobs, megabytes) = (arguments.next().unwrap_or(1000), arguments.next().unwrap_or(512));
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    runtime.block_on(async {
        println!("| workers | call | calls | median, ms | 95 of 100 within, ms | calls a second in all |\n|--:|---|--:|--:|--:|--:|");
        for workers in WORKERS {
            let folder = tempfile::tempdir().expect("a folder");
            let server = MariaDb::start(folder.path()).await.expect("MariaDB comes up");
            order(server.url(), jobs, workers).await;
            server.stop().await;
        }
        let folder = tempfile::tempdir().expect("a folder");
        file_store(folder.path(), megabytes).await;
    });
}

/// An order of so many jobs, done by so many workers.
async fn order(url: &str, jobs: usize, workers: usize) {
    let store = Store::connect(url).await.expect("a migrated database");
    queued(&store, jobs).await;
    let began = Instant::now();
    let mut at_work = tokio::task::JoinSet::new();
    for worker in 0..workers {
        let store = Store::connect(url).await.expect("a connection");
        at_work.spawn(async move { work(&store, &format!("worker-{worker}")).await });
    }
    let mut calls = Calls::default();
    at_work.join_all().await.into_iter().for_each(|of_one| calls.add(of_one));
    let seconds = began.elapsed().as_secs_f64();
    calls.tell(workers, seconds);
    println!("| {workers} | all of a job | {jobs} | | | {:.0} |", jobs as f64 / seconds);
    if workers == 1 {
        let mut watching = Calls::default();
        queued(&store, jobs).await;
        let moment = store.now().await.expect("an answer") - chrono::TimeDelta::seconds(1);
        for _ in 0..20 {
            watching.timed(RUN_SHEET, store.run_sheet(200)).await;
            watching.timed(CHANGES, store.jobs_changed_since(moment + chrono::TimeDelta::hours(1))).await;
        }
        watching.tell(workers, f64::NAN);
    }
}

/// Takes jobs until none waits.
async fn work(store: &Store, name: &str) -> Calls {
    let mut calls = Calls::default();
    while let Some(job) = calls.timed(TAKE, store.take_job(name)).await {
        calls.timed(PRESENCE, store.worker_seen(name, "bench", Some(job.id))).await;
        for sign in 1..=SIGNS {
            let progress = sign as f64 / SIGNS as f64;
            let sign = SignOfLife { stage: Stage::Computing, progress, seconds_left: Some(1.0) };
            calls.timed(SIGN, store.renew_lease(job.id, name, sign)).await;
        }
        let key = FileStore::result_key(job.id, job.attempts, "tif");
        let held = calls.timed(END, store.finish_job(&job, name, &key, 600_000_000, &record(&job))).await;
        assert!(held, "no lease runs out here");
    }
    calls
}

/// Large files in and out of the file store, on this machine's disk.
async fn file_store(folder: &Path, megabytes: usize) {
    let files = FileStore::open(folder).expect("a file store");
    let scratch = files.work().join("result");
    std::fs::create_dir_all(files.work()).expect("a folder");
    let mut seconds = Vec::new();
    for turn in 0..5_u64 {
        // Of no two parts alike, as a compressed picture is.
        let mut state = turn + 1;
        let word = |_| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            state
        };
        let bytes: Vec<u8> = (0..megabytes * 1_000_000 / 8).map(word).flat_map(u64::to_le_bytes).collect();
        std::fs::write(&scratch, bytes).expect("room on the disk");
        let began = Instant::now();
        let key = FileStore::result_key(JobId::from(turn + 1), 1, "tif");
        files.put_file(&key, &scratch).await.expect("it is kept");
        seconds.push(began.elapsed().as_secs_f64());
    }
    seconds.sort_by(f64::total_cmp);
    println!(
        "\nA result of {megabytes} MB is kept in {:.2} s (median of 5), {:.0} MB/s.",
        seconds[2],
        megabytes as f64 / seconds[2]
    );
}

const TAKE: &str = "a job is taken";
const PRESENCE: &str = "a worker says that it is there";
const SIGN: &str = "how far it is";
const END: &str = "a result is recorded";
const RUN_SHEET: &str = "the run sheet is read";
const CHANGES: &str = "what changed is asked";

/// How long calls took.
#[derive(Default)]
struct Calls(Vec<(&'static str, Duration)>);

impl Calls {
    async fn timed<T, E: std::fmt::Debug>(
        &mut self,
        what: &'static str,
        call: impl Future<Output = Result<T, E>>,
    ) -> T {
        let began = Instant::now();
        let answer = call.await.expect("the database answers");
        self.0.push((what, began.elapsed()));
        answer
    }

    fn add(&mut self, other: Calls) {
        self.0.extend(other.0);
    }

    fn tell(&self, workers: usize, seconds: f64) {
        for what in [TAKE, PRESENCE, SIGN, END, RUN_SHEET, CHANGES] {
            let mut of: Vec<f64> =
                self.0.iter().filter(|(call, _)| *call == what).map(|(_, d)| d.as_secs_f64() * 1e3).collect();
            if of.is_empty() {
                continue;
            }
            of.sort_by(f64::total_cmp);
            let at = |share: f64| of[((of.len() - 1) as f64 * share) as usize];
            let rate = if seconds.is_nan() { String::new() } else { format!("{:.0}", of.len() as f64 / seconds) };
            println!("| {workers} | {what} | {} | {:.1} | {:.1} | {rate} |", of.len(), at(0.5), at(0.95));
        }
    }
}
