//! Jobs and the run sheet: what waits, what runs, what became of it, and what a person wants changed.

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::forecast::together;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{JobId, OrderId, OriginalId, ResultId};
use dettaglio_domain::intent::Intent;
use dettaglio_store::jobs::{Job, JobState, RunSheet, Stage};
use dettaglio_store::leases::WorkerRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use super::once::Once;
use crate::app::{App, jobs};
use crate::problem::Problem;

/// How many of the jobs that ended the run sheet shows.
const ENDED: u32 = 200;

/// The most jobs that one instruction is about.
const MOST: usize = 10_000;

/// An enlargement to be made, and how far it is.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct JobView {
    /// Its number.
    pub id: JobId,
    /// Of which original.
    pub original_id: OriginalId,
    /// What that is called.
    pub original_name: String,
    /// In which order.
    pub order_id: OrderId,
    /// Hash of the treatment.
    #[schema(value_type = String)]
    pub treatment: ContentHash,
    /// Name of the result.
    pub file_name: String,
    /// Format, depth, quality and resolution.
    pub settings: OutputSettings,
    /// Where it stands.
    pub state: JobState,
    /// What is being done, while it runs.
    pub stage: Option<Stage>,
    /// Share done, 0 to 1.
    pub progress: f64,
    /// Seconds left, where they can be told.
    pub seconds_left: Option<f64>,
    /// Seconds that it is forecast to take in all.
    pub forecast: Option<f64>,
    /// Higher ones go first: 1 before others, 0, -1 after them.
    pub priority: i8,
    /// Why it failed, or what it waits for.
    pub reason: Option<String>,
    /// How often it was started.
    pub attempts: u32,
    /// The worker that has it.
    pub worker: Option<String>,
    /// When it was ordered.
    pub created_at: DateTime<Utc>,
    /// When work began.
    pub started_at: Option<DateTime<Utc>>,
    /// When it ended.
    pub finished_at: Option<DateTime<Utc>>,
    /// The enlargement that came of it.
    pub enlargement_id: Option<ResultId>,
}

impl From<Job> for JobView {
    fn from(job: Job) -> Self {
        Self {
            id: job.id,
            original_id: job.original_id,
            original_name: job.original_name,
            order_id: job.order_id,
            treatment: job.treatment,
            file_name: job.file_name,
            settings: job.settings,
            state: job.state,
            stage: job.stage,
            progress: job.progress,
            seconds_left: job.seconds_left,
            forecast: job.forecast,
            priority: job.priority,
            reason: job.reason,
            attempts: job.attempts,
            worker: job.worker,
            created_at: job.created_at,
            started_at: job.started_at,
            finished_at: job.finished_at,
            enlargement_id: job.enlargement_id,
        }
    }
}

/// An enlargement to be made.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct JobRequest {
    /// What is asked for.
    #[serde(flatten)]
    pub intent: Intent,
    /// The result's name: {name}, {width}, {height}, {long}, {ppi} and {method} are filled in.
    #[serde(default)]
    pub pattern: Option<String>,
}

/// Queues an enlargement; limits are checked now. A request that comes again with the same Idempotency-Key within a day queues
/// nothing more.
#[utoipa::path(post, path = "/originals/{id}/jobs", tag = "jobs",
    params(("id" = OriginalId, Path), ("Idempotency-Key" = Option<String>, Header)), request_body = JobRequest,
    responses((status = CREATED, body = JobView), (status = 422, body = ProblemDetails)))]
pub async fn add_job(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Extension(once): Extension<Once>,
    headers: HeaderMap,
    Body(new): Body<JobRequest>,
) -> Result<(StatusCode, Json<JobView>), Problem> {
    let added = once
        .answer(&headers, &format!("job of {id}"), jobs::queue(&app, id, &new.intent, new.pattern.as_deref()))
        .await?;
    Ok((StatusCode::CREATED, Json(app.store.job(added[0]).await?.into())))
}

/// One job.
#[utoipa::path(get, path = "/jobs/{id}", tag = "jobs", params(("id" = JobId, Path)),
    responses((status = OK, body = JobView), (status = 404, body = ProblemDetails)))]
pub async fn show_job(State(app): State<App>, Address(id): Address<JobId>) -> Result<Json<JobView>, Problem> {
    Ok(Json(app.store.job(id).await?.into()))
}

/// A worker that is there.
#[derive(Debug, Serialize, ToSchema)]
pub struct WorkerView {
    /// Its name.
    pub name: String,
    /// The machine that it runs on.
    pub machine: String,
    /// The job that it has.
    pub job_id: Option<JobId>,
}

/// All that is ahead, and what became of the rest.
#[derive(Debug, Serialize, ToSchema)]
pub struct RunSheetView {
    /// What runs, waits or is paused, in the order of its turn.
    pub ahead: Vec<JobView>,
    /// The last that ended, the newest first.
    pub ended: Vec<JobView>,
    /// How many ended in all.
    pub ended_in_all: u64,
    /// Whether everything is held up.
    pub held_up: bool,
    /// Who works.
    pub workers: Vec<WorkerView>,
    /// Seconds until all that waits or runs is done, where they can be told.
    pub seconds_left: Option<f64>,
}

/// The run sheet.
#[utoipa::path(get, path = "/run-sheet", tag = "jobs", responses((status = OK, body = RunSheetView)))]
pub async fn run_sheet(State(app): State<App>) -> Result<Json<RunSheetView>, Problem> {
    let RunSheet { ahead, ended, ended_in_all } = app.store.run_sheet(ENDED).await?;
    let workers = app.store.workers().await?;
    let seconds_left = time_left(&ahead, workers.len());
    let views = |jobs: Vec<Job>| jobs.into_iter().map(JobView::from).collect();
    let worker = |WorkerRow { name, machine, job_id, .. }| WorkerView { name, machine, job_id };
    Ok(Json(RunSheetView {
        ahead: views(ahead),
        ended: views(ended),
        ended_in_all,
        held_up: app.store.is_held_up().await?,
        workers: workers.into_iter().map(worker).collect(),
        seconds_left,
    }))
}

/// Seconds until all is done; a job whose time is not known counts like the others on average.
fn time_left(ahead: &[Job], workers: usize) -> Option<f64> {
    let of_state = |state| ahead.iter().filter(move |job| job.state == state);
    let forecasts: Vec<f64> = ahead.iter().filter_map(|job| job.forecast).collect();
    let mean = (!forecasts.is_empty()).then(|| forecasts.iter().sum::<f64>() / forecasts.len() as f64);
    let due = |job: &Job, left: Option<f64>| left.or(job.forecast.map(|f| f * (1.0 - job.progress))).or(mean);
    let running: Option<Vec<f64>> = of_state(JobState::Running).map(|job| due(job, job.seconds_left)).collect();
    let waiting: Option<Vec<f64>> = of_state(JobState::Waiting).map(|job| due(job, None)).collect();
    Some(together(&running?, &waiting?, workers))
}

/// What is to be done with jobs.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase", tag = "do")]
pub enum JobAction {
    /// Give them up; those that have ended stay as they are.
    Cancel,
    /// Set them aside until they are resumed; what was computed is kept.
    Pause,
    /// Let paused ones wait for their turn.
    Resume,
    /// Queue failed and cancelled ones again; try those that were put off at once.
    Retry,
    /// Let them go before others, or after.
    Priority {
        /// 1 before others, 0, -1 after them.
        priority: i8,
    },
    /// Let them go right before another, in the order given; at the very end without one.
    Move {
        /// The other.
        before: Option<JobId>,
    },
}

/// What is to be done with which jobs.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct Instruction {
    /// Which.
    pub jobs: Vec<JobId>,
    /// What.
    #[serde(flatten)]
    pub action: JobAction,
}

/// Does something with jobs.
#[utoipa::path(post, path = "/jobs", tag = "jobs", request_body = Instruction,
    responses((status = NO_CONTENT), (status = 422, body = ProblemDetails)))]
pub async fn instruct(
    State(app): State<App>,
    Body(Instruction { jobs, action }): Body<Instruction>,
) -> Result<StatusCode, Problem> {
    if jobs.len() > MOST {
        return Err(Problem::refused("jobs.too-many", format!("at most {MOST} jobs at once")).field("jobs"));
    }
    match action {
        JobAction::Cancel => app.store.cancel_jobs(&jobs).await?,
        JobAction::Pause => app.store.pause_jobs(&jobs).await?,
        JobAction::Resume => app.store.resume_jobs(&jobs).await?,
        JobAction::Retry => app.store.retry_jobs(&jobs).await?,
        JobAction::Priority { priority } if (-1..=1).contains(&priority) => {
            app.store.set_priority(&jobs, priority).await?
        }
        JobAction::Priority { .. } => {
            return Err(Problem::refused("jobs.priority", "a priority is 1, 0 or -1").field("priority"));
        }
        JobAction::Move { before } => app.store.move_jobs(&jobs, before).await?,
    }
    app.queued.notify_waiters();
    Ok(StatusCode::NO_CONTENT)
}

/// Whether the run sheet is held up.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct Hold {
    /// Nothing is started, and what runs is set aside with what it has computed.
    pub held_up: bool,
}

/// Holds up the whole run sheet, or lets it go on.
#[utoipa::path(post, path = "/run-sheet/hold", tag = "jobs", request_body = Hold, responses((status = NO_CONTENT)))]
pub async fn hold_up(State(app): State<App>, Body(hold): Body<Hold>) -> Result<StatusCode, Problem> {
    app.store.hold_up(hold.held_up).await?;
    app.queued.notify_waiters();
    Ok(StatusCode::NO_CONTENT)
}
