//! The worker: takes jobs from the queue and makes enlargements of them.

use std::convert::Infallible;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU8, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use dettaglio_core::codec::CameraPicture;
use dettaglio_core::model::Engine;
use dettaglio_core::picture::Original;
use dettaglio_core::render::{self, Destination, Pace, RenderError};
use dettaglio_domain::file::Format;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::id::JobId;
use dettaglio_domain::treatment::{Treatment, TreatmentError};
use dettaglio_store::enlargements::Record;
use dettaglio_store::files::FileStore;
use dettaglio_store::jobs::{Job, JobState, Stage};
use dettaglio_store::leases::{Lease, SignOfLife};
use dettaglio_store::orders::OriginalRow;
use dettaglio_store::{Store, StoreError};
use tokio::sync::Notify;
use tokio_util::sync::CancellationToken;

use super::drawn::Drawn;
use super::studio::{Studio, blocking};
use crate::problem::Problem;

/// How often a worker says that it is there.
const PRESENCE: Duration = Duration::from_secs(2);

/// How often an idle worker looks for work that another process queued.
const IDLE: Duration = Duration::from_secs(2);

/// How long a job is put off for want of room or of the file store.
const PUT_OFF_SECONDS: u32 = 15;

/// For how long the end of a job is told again while the database is away.
const PATIENCE: Duration = Duration::from_secs(120);

/// A forecast that changes by less is not worth telling anew.
const WORTH_TELLING: f64 = 0.05;

/// Takes jobs one after the other until it is told to stop.
pub struct Worker {
    /// A name that no other worker has.
    name: String,
    store: Store,
    files: FileStore,
    studio: Arc<Studio>,
    /// Told when a job was queued in this process.
    queued: Arc<Notify>,
    /// How often it tells the progress of a job.
    sign_of_life: Duration,
    /// The job in hand; 0 for none.
    job: AtomicU64,
}

impl Worker {
    /// A worker of this process; `queued` is told when there is something to do.
    pub fn new(
        store: Store,
        files: FileStore,
        studio: Arc<Studio>,
        queued: Arc<Notify>,
        sign_of_life: Duration,
    ) -> Self {
        static COUNT: AtomicU64 = AtomicU64::new(0);
        let number = COUNT.fetch_add(1, Ordering::Relaxed);
        let name = format!("{}-{:x}-{number}", std::process::id(), chrono::Utc::now().timestamp_micros());
        Self { name, store, files, studio, queued, sign_of_life, job: AtomicU64::new(0) }
    }

    /// Whether it has a job.
    pub fn is_busy(&self) -> bool {
        self.job.load(Ordering::Relaxed) != 0
    }

    /// Works until `stop`; a job in hand is then given back to the queue.
    pub async fn work(&self, stop: CancellationToken) {
        let done = CancellationToken::new();
        tokio::join!(
            async {
                self.take_jobs(&stop).await;
                done.cancel();
            },
            self.show_presence(&done)
        );
        let _ = self.store.worker_left(&self.name).await;
    }

    async fn take_jobs(&self, stop: &CancellationToken) {
        while !stop.is_cancelled() {
            match self.store.take_job(&self.name).await {
                Ok(Some(job)) => {
                    self.job.store(job.id.get(), Ordering::Relaxed);
                    self.carry_out(&job, stop).await;
                    self.job.store(0, Ordering::Relaxed);
                }
                Ok(None) => self.rest(stop).await,
                Err(error) => {
                    tracing::error!(%error, "no job could be taken");
                    self.rest(stop).await;
                }
            }
        }
    }

    async fn show_presence(&self, done: &CancellationToken) {
        while !done.is_cancelled() {
            let job = Some(self.job.load(Ordering::Relaxed)).filter(|id| *id != 0).map(JobId::from);
            if let Err(error) = self.store.worker_seen(&self.name, self.studio.machine(), job).await {
                tracing::warn!(%error, "a worker could not say that it is there");
            }
            tokio::select! {
                () = done.cancelled() => {}
                () = tokio::time::sleep(PRESENCE) => {}
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
        let ending = Mutex::new(None);
        // Both go on side by side: the work may hold the job's row while the lease is being renewed, and must come to let go of it.
        let outcome = tokio::select! {
            outcome = self.enlarge(job, Arc::clone(&watch)) => outcome,
            never = self.keep_lease(job, &watch, &ending, stop) => match never {},
        };
        let ending = *ending.lock().unwrap_or_else(|e| e.into_inner());
        let (id, name) = (job.id, &self.name);
        let ended = match (outcome, ending) {
            (Ok(()), _) | (Err(_), Some(Ending::Lost)) => return,
            (Err(_), Some(Ending::Returned)) => self.retried(|| self.store.return_job(id, name, false)).await,
            (Err(_), Some(Ending::Paused)) => self.retried(|| self.store.return_job(id, name, true)).await,
            (Err(_), Some(Ending::Cancelled)) => {
                self.retried(|| self.store.end_job(id, name, JobState::Cancelled, "")).await
            }
            (Err(problem), None) if problem.is_transient() => {
                tracing::warn!(job = %id, reason = %problem.detail, "a job is put off");
                let reason = format!("tried again every {PUT_OFF_SECONDS} s: {}", problem.detail);
                self.retried(|| self.store.put_off_job(id, name, &reason, PUT_OFF_SECONDS)).await
            }
            (Err(problem), None) => {
                tracing::warn!(job = %id, reason = %problem.detail, "a job failed");
                self.retried(|| self.store.end_job(id, name, JobState::Failed, &problem.detail)).await
            }
        };
        if let Err(error) = ended {
            // Its lease runs out, and a worker takes it again.
            tracing::error!(%error, job = %id, "the end of a job could not be recorded");
        }
    }

    /// Gives signs of life for a job in hand, and has its work stopped when there is reason to.
    async fn keep_lease(
        &self,
        job: &Job,
        watch: &Watch,
        ending: &Mutex<Option<Ending>>,
        stop: &CancellationToken,
    ) -> Infallible {
        loop {
            tokio::time::sleep(self.sign_of_life).await;
            let renewed = self.store.renew_lease(job.id, &self.name, watch.sign_of_life()).await;
            let mut ending = ending.lock().unwrap_or_else(|e| e.into_inner());
            match renewed {
                Ok(Lease::Held) => {}
                Ok(Lease::CancelRequested) => *ending = Some(Ending::Cancelled),
                Ok(Lease::PauseRequested) => *ending = Some(Ending::Paused),
                Ok(Lease::HeldUp) => *ending = ending.or(Some(Ending::Returned)),
                Ok(Lease::Lost) => *ending = Some(Ending::Lost),
                // The lease outlasts a short absence of the database.
                Err(error) => tracing::warn!(%error, job = %job.id, "no sign of life could be given"),
            }
            if stop.is_cancelled() {
                *ending = ending.or(Some(Ending::Returned));
            }
            if ending.is_some() {
                watch.stop.store(true, Ordering::Relaxed);
            }
        }
    }

    /// Does something with the database, again and again while it is away, for as long as [`PATIENCE`].
    async fn retried<T, F: Future<Output = Result<T, StoreError>>>(
        &self,
        mut attempt: impl FnMut() -> F,
    ) -> Result<T, StoreError> {
        let began = Instant::now();
        loop {
            match attempt().await {
                Err(error) if error.is_absence() && began.elapsed() < PATIENCE => {
                    tracing::warn!(%error, "the database is away; trying again");
                    tokio::time::sleep(Duration::from_secs(1)).await;
                }
                outcome => return outcome,
            }
        }
    }

    async fn enlarge(&self, job: &Job, watch: Arc<Watch>) -> Result<(), Problem> {
        let row = self.store.original(job.original_id).await?;
        let treatment = self.studio.treatment(job.treatment).await?;
        self.studio.limits().check_output(&row.facts, treatment.sheet(), job.settings, self.files.free_bytes())?;
        let source = self.source(&row, job.settings.format).await?;
        let kept = treatment.frame.size(row.facts.size).map_err(TreatmentError::from)?;
        let forecast = self.studio.rates().seconds(kept, &treatment);
        watch.begin(forecast);
        let device = Engine::device_name();
        let scratch = Scratch(self.files.work().join(format!("job-{}-{}", job.id, job.attempts)));

        let (studio, path, settings) = (Arc::clone(&self.studio), scratch.0.clone(), job.settings);
        let (pace, done, reading) = (Arc::clone(&watch), Arc::clone(&treatment), row.reading.clone());
        let drawn = blocking(move || {
            let pace = Courteous { studio: &studio, watch: &pace };
            let progress = |share: f64| pace.watch.tell(share);
            let (renderer, reading) = (studio.renderer(), reading.as_ref());
            match source {
                Source::Finished(original) => {
                    let to = Destination { path: &path, settings, reading };
                    render::run(renderer, &original, &done, to, &pace, &progress)?;
                    let shapes = renderer.shapes(&original, &done, &pace)?;
                    Ok(shapes.map(|shapes| Drawn::of(&shapes.printed, done.size, settings.ppi)))
                }
                Source::Camera(camera) => {
                    let done = match reading {
                        Some(reading) => &render::in_camera_colours(&done, reading, &camera),
                        None => &done,
                    };
                    render::run_camera(renderer, &camera, done, &path, reading, &pace, &progress)?;
                    Ok(None)
                }
            }
        })
        .await?
        .map_err(|error| match error {
            RenderError::Cancelled(_) => Problem::bad_request("cancelled", "cancelled"),
            other => other.into(),
        })?;

        let seconds = watch.seconds_of_work();
        watch.at(Stage::Keeping);
        let mut record = record(&self.studio, job, &row, &treatment, seconds, forecast, Some(device_since(device)));
        let key = FileStore::result_key(job.id, job.attempts, job.settings.format.extension());
        let bytes = self.files.put_file(&key, &scratch.0).await?;
        if let Some(drawn) = drawn {
            record.drawing = Some(drawn.keep(&self.files, &key).await?);
        }
        let held = self.retried(|| self.store.finish_job(job, &self.name, &key, bytes, &record)).await?;
        if held {
            self.learn(kept, &treatment, &watch, seconds).await;
        } else {
            // Another worker has the job by now, and its own files.
            for key in record.keys(&key) {
                self.files.delete(&key).await?;
            }
        }
        Ok(())
    }

    /// The pixels that a result of a format is made of.
    async fn source(&self, row: &OriginalRow, format: Format) -> Result<Source, Problem> {
        if format != Format::Dng {
            return Ok(Source::Finished(self.studio.original(row.hash).await?));
        }
        let path = self.files.local(&FileStore::original_key(row.hash)).await?;
        let (studio, hash) = (Arc::clone(&self.studio), row.hash);
        let camera = blocking(move || studio.read_camera(&path, hash)).await??;
        Ok(Source::Camera(Box::new(camera)))
    }

    /// Corrects this machine's rates by what a run took, and with them the forecasts of what waits.
    async fn learn(&self, kept: Size, treatment: &Treatment, watch: &Watch, seconds: f64) {
        let due: u64 = treatment.model_inputs(kept).iter().map(|(_, pixels)| pixels).sum();
        // One that found its tiles computed says nothing of how long they take.
        if (watch.computed.load(Ordering::Relaxed) as f64) < 0.9 * due as f64 {
            return;
        }
        let before = self.studio.rates().seconds(kept, treatment);
        self.studio.update_rates(|rates| rates.learn(kept, treatment, seconds));
        let rates = self.studio.rates();
        let changed =
            before.zip(rates.seconds(kept, treatment)).is_some_and(|(b, a)| (a / b - 1.0).abs() > WORTH_TELLING);
        let signs = async {
            self.studio.keep_rates().await?;
            if changed { self.studio.restate_forecasts().await } else { Ok(()) }
        };
        if let Err(error) = signs.await {
            tracing::warn!(%error, "what was learnt of this machine's speed could not be kept");
        }
    }
}

/// What has computed since `before` did, in words: another where it failed in the midst.
fn device_since(before: String) -> String {
    let now = Engine::device_name();
    if now == before { before } else { format!("{before}, then {now}") }
}

/// What was done, to be kept with the enlargement that came of it.
pub(crate) fn record(
    studio: &Studio,
    job: &Job,
    row: &OriginalRow,
    treatment: &Treatment,
    seconds: f64,
    forecast: Option<f64>,
    device: Option<String>,
) -> Record {
    Record {
        original: row.name.clone(),
        original_sha256: row.hash,
        original_size: row.facts.size,
        size: treatment.sheet(),
        frame: treatment.frame,
        treatment: treatment.describe(&studio.renderer().shelf()),
        treatment_hash: job.treatment,
        settings: job.settings,
        profile: row.facts.profile.clone(),
        seconds,
        forecast,
        device,
        version: env!("CARGO_PKG_VERSION").to_owned(),
        drawing: None,
    }
}

/// What a result is made of.
enum Source {
    /// The picture as it is seen everywhere.
    Finished(Arc<Original>),
    /// A raw file in its camera's own colours.
    Camera(Box<CameraPicture>),
}

/// Why a job ends before its result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Ending {
    Cancelled,
    Paused,
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
    stage: AtomicU8,
    share: AtomicU64,
    /// Seconds forecast, as bits of an f64; NaN when unknown.
    forecast: AtomicU64,
    /// Microseconds that were left to views.
    waited: AtomicU64,
    /// Input pixels of models that were computed rather than found.
    computed: AtomicU64,
    stop: AtomicBool,
}

impl Default for Watch {
    fn default() -> Self {
        Self {
            began: Instant::now(),
            stage: AtomicU8::new(Stage::Reading as u8),
            share: AtomicU64::new(0),
            forecast: AtomicU64::new(f64::NAN.to_bits()),
            waited: AtomicU64::new(0),
            computed: AtomicU64::new(0),
            stop: AtomicBool::new(false),
        }
    }
}

impl Watch {
    fn begin(&self, forecast: Option<f64>) {
        self.forecast.store(forecast.unwrap_or(f64::NAN).to_bits(), Ordering::Relaxed);
        self.at(Stage::Computing);
    }

    fn at(&self, stage: Stage) {
        self.stage.store(stage as u8, Ordering::Relaxed);
    }

    fn tell(&self, share: f64) {
        self.share.fetch_max((share * 1e6) as u64, Ordering::Relaxed);
    }

    /// Seconds since the start but those that were left to views.
    fn seconds_of_work(&self) -> f64 {
        self.began.elapsed().as_secs_f64() - self.waited.load(Ordering::Relaxed) as f64 / 1e6
    }

    fn sign_of_life(&self) -> SignOfLife {
        let share = self.share.load(Ordering::Relaxed) as f64 / 1e6;
        let stage = match self.stage.load(Ordering::Relaxed) {
            s if s == Stage::Reading as u8 => Stage::Reading,
            s if s == Stage::Computing as u8 => Stage::Computing,
            _ => Stage::Keeping,
        };
        let forecast = Some(f64::from_bits(self.forecast.load(Ordering::Relaxed))).filter(|f| f.is_finite());
        SignOfLife { stage, progress: share, seconds_left: seconds_left(share, self.seconds_of_work(), forecast) }
    }
}

/// Seconds left: at first by the forecast, then more and more by the pace so far.
fn seconds_left(share: f64, seconds: f64, forecast: Option<f64>) -> Option<f64> {
    let by_pace = (share > 0.02).then(|| seconds / share * (1.0 - share));
    let by_forecast = forecast.map(|all| all * (1.0 - share));
    match (by_pace, by_forecast) {
        (Some(pace), Some(forecast)) => {
            let trust = (share / 0.25).min(1.0);
            Some(pace * trust + forecast * (1.0 - trust))
        }
        (pace, forecast) => pace.or(forecast),
    }
}

/// Gives way to views, and stops when told to.
struct Courteous<'a> {
    studio: &'a Studio,
    watch: &'a Watch,
}

impl Pace for Courteous<'_> {
    fn before_block(&self) -> bool {
        let began = Instant::now();
        self.studio.let_views_pass();
        self.watch.waited.fetch_add(began.elapsed().as_micros() as u64, Ordering::Relaxed);
        !self.watch.stop.load(Ordering::Relaxed)
    }

    fn after_block(&self, pixels: u64) {
        self.watch.computed.fetch_add(pixels, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::nothing_known(0.0, 3.0, None, None)]
    #[case::only_the_forecast(0.0, 3.0, Some(60.0), Some(60.0))]
    #[case::only_the_pace(0.5, 30.0, None, Some(30.0))]
    #[case::half_way_the_pace_alone_counts(0.5, 30.0, Some(600.0), Some(30.0))]
    #[case::early_both_count(0.125, 10.0, Some(40.0), Some(52.5))]
    fn time_left(#[case] share: f64, #[case] seconds: f64, #[case] forecast: Option<f64>, #[case] due: Option<f64>) {
        assert_eq!(seconds_left(share, seconds, forecast), due);
    }
}
