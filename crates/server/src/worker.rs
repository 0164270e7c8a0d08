//! The worker: takes jobs from the queue and makes enlargements of them.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use dettaglio_core::render::{self, Pace, RenderError};
use dettaglio_store::files::FileStore;
use dettaglio_store::jobs::{Job, JobState, Lease, Record};
use dettaglio_store::{Store, StoreError};
use tokio::sync::Notify;
use tokio_util::sync::CancellationToken;

use crate::problem::Problem;
use crate::studio::{Studio, blocking};

/// How often a worker gives a sign of life and tells its progress.
const SIGN_OF_LIFE: Duration = Duration::from_millis(400);

/// How often an idle worker looks for work that another process queued.
const IDLE: Duration = Duration::from_secs(2);

/// Takes jobs one after the other until it is told to stop.
pub struct Worker {
    /// A name that no other worker has.
    name: String,
    store: Store,
    files: FileStore,
    studio: Arc<Studio>,
    /// Told when a job was queued in this process.
    pub queued: Arc<Notify>,
    busy: AtomicBool,
}

impl Worker {
    /// A worker for this process.
    pub fn new(store: Store, files: FileStore, studio: Arc<Studio>) -> Self {
        let name = format!("{}-{:x}", std::process::id(), chrono::Utc::now().timestamp_micros());
        Self { name, store, files, studio, queued: Arc::default(), busy: AtomicBool::new(false) }
    }

    /// Whether it has a job.
    pub fn is_busy(&self) -> bool {
        self.busy.load(Ordering::Relaxed)
    }

    /// Works until `stop`; a job in hand is then given back to the queue.
    pub async fn work(&self, stop: CancellationToken) {
        while !stop.is_cancelled() {
            match self.store.take_job(&self.name).await {
                Ok(Some(job)) => {
                    self.busy.store(true, Ordering::Relaxed);
                    self.carry_out(&job, &stop).await;
                    self.busy.store(false, Ordering::Relaxed);
                }
                Ok(None) => self.rest(&stop).await,
                Err(error) => {
                    tracing::error!(%error, "no job could be taken");
                    self.rest(&stop).await;
                }
            }
        }
    }

    async fn rest(&self, stop: &CancellationToken) {
        tokio::select! {
            () = stop.cancelled() => {}
            () = self.queued.notified() => {}
            () = tokio::time::sleep(IDLE) => {}
        }
    }

    async fn carry_out(&self, job: &Job, stop: &CancellationToken) {
        let watch = Arc::new(Watch::default());
        let work = self.enlarge(job, Arc::clone(&watch));
        tokio::pin!(work);
        let mut ending = None;
        let outcome = loop {
            tokio::select! {
                outcome = &mut work => break outcome,
                () = tokio::time::sleep(SIGN_OF_LIFE) => {
                    let (progress, left) = watch.progress();
                    match self.store.renew_lease(job.id, &self.name, progress, left).await {
                        Ok(Lease::Held) => {}
                        Ok(Lease::CancelRequested) => ending = Some(Ending::Cancelled),
                        Ok(Lease::Lost) => ending = Some(Ending::Lost),
                        // The lease outlasts a short absence of the database.
                        Err(error) => tracing::warn!(%error, job = job.id, "no sign of life could be given"),
                    }
                    if stop.is_cancelled() {
                        ending = ending.or(Some(Ending::Returned));
                    }
                    if ending.is_some() {
                        watch.stop.store(true, Ordering::Relaxed);
                    }
                }
            }
        };
        let ended = match (outcome, ending) {
            (Ok(()), _) | (Err(_), Some(Ending::Lost)) => Ok(()),
            (Err(_), Some(Ending::Returned)) => self.store.return_job(job.id, &self.name).await,
            (Err(_), Some(Ending::Cancelled)) => self.store.end_job(job.id, &self.name, JobState::Cancelled, "").await,
            (Err(problem), None) => {
                tracing::warn!(job = job.id, reason = %problem.detail, "a job failed");
                self.store.end_job(job.id, &self.name, JobState::Failed, &problem.detail).await
            }
        };
        if let Err(error) = ended {
            // Its lease runs out, and a worker takes it again.
            tracing::error!(%error, job = job.id, "the end of a job could not be recorded");
        }
    }

    async fn enlarge(&self, job: &Job, watch: Arc<Watch>) -> Result<(), Problem> {
        let row = self.store.original(job.original_id).await?;
        let treatment = self.studio.treatment(job.treatment).await?;
        self.studio.limits().check_output(
            treatment.sheet(),
            job.settings.format,
            job.settings.depth,
            self.files.free_bytes(),
        )?;
        let original = self.studio.original(row.hash).await?;
        let scratch = Scratch(self.files.work().join(format!("job-{}-{}", job.id, job.attempts)));
        let began = Instant::now();

        let (studio, path, settings) = (Arc::clone(&self.studio), scratch.0.clone(), job.settings);
        let (pace, done) = (Arc::clone(&watch), Arc::clone(&treatment));
        blocking(move || {
            let pace = Courteous { studio: &studio, watch: &pace };
            let progress = |share: f64| pace.watch.tell(share);
            render::run(studio.renderer(), &original, &done, settings, &path, &pace, &progress)
        })
        .await?
        .map_err(|error| match error {
            RenderError::Cancelled(_) => Problem::bad_request("cancelled", "cancelled"),
            other => other.into(),
        })?;

        let seconds = began.elapsed().as_secs_f64();
        let record = Record {
            original: row.name,
            original_sha256: row.hash,
            original_size: row.facts.size,
            size: treatment.sheet(),
            frame: treatment.frame,
            treatment: treatment.describe(&self.studio.renderer().shelf()),
            treatment_hash: job.treatment,
            settings: job.settings,
            profile: row.facts.profile,
            seconds,
            version: env!("CARGO_PKG_VERSION").to_owned(),
        };
        let key = FileStore::result_key(job.id, job.settings.format.extension());
        let bytes = self.files.put_file(&key, &scratch.0).await?;
        self.store.finish_job(job, &self.name, &key, bytes, &record).await.map_err(|e: StoreError| e.into()).map(|_| ())
    }
}

/// Why a job ends before its result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Ending {
    Cancelled,
    Returned,
    Lost,
}

/// A file in the making, removed whatever happens.
struct Scratch(PathBuf);

impl Drop for Scratch {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.0);
    }
}

/// Progress of a run, shared between its thread and the signs of life.
struct Watch {
    began: Instant,
    share: AtomicU64,
    stop: AtomicBool,
}

impl Default for Watch {
    fn default() -> Self {
        Self { began: Instant::now(), share: AtomicU64::new(0), stop: AtomicBool::new(false) }
    }
}

impl Watch {
    fn tell(&self, share: f64) {
        self.share.fetch_max((share * 1e6) as u64, Ordering::Relaxed);
    }

    /// The share done and, once there is enough to go by, the seconds left at the pace so far.
    fn progress(&self) -> (f64, Option<f64>) {
        let share = self.share.load(Ordering::Relaxed) as f64 / 1e6;
        let left = (share > 0.02).then(|| self.began.elapsed().as_secs_f64() / share * (1.0 - share));
        (share, left)
    }
}

/// Gives way to views, and stops when told to.
struct Courteous<'a> {
    studio: &'a Studio,
    watch: &'a Watch,
}

impl Pace for Courteous<'_> {
    fn before_block(&self) -> bool {
        self.studio.let_views_pass();
        !self.watch.stop.load(Ordering::Relaxed)
    }
}
