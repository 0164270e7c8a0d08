//! Jobs and the results that come of them.

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use chrono::{DateTime, Utc};
use dettaglio_core::codec::OutputSettings;
use dettaglio_core::naming::{DEFAULT_PATTERN, NameParts, file_name};
use dettaglio_core::treatment::{Enlarge, Treatment};
use dettaglio_store::jobs::{Enlargement, Job, JobState, Record};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::plan::Wish;
use super::{Address, Body};
use crate::app::App;
use crate::problem::Problem;
use crate::serve_file;

/// One enlargement to be made.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct JobView {
    /// Its number.
    pub id: u64,
    /// Of which original.
    pub original_id: u64,
    /// Under which name.
    pub file_name: String,
    /// Into what kind of file.
    pub settings: OutputSettings,
    /// Where it stands.
    pub state: JobState,
    /// Share done, 0 to 1.
    pub progress: f64,
    /// Seconds left, where they can be told.
    pub seconds_left: Option<f64>,
    /// Why it failed.
    pub reason: Option<String>,
    /// When it was ordered.
    pub created_at: DateTime<Utc>,
    /// When work began.
    pub started_at: Option<DateTime<Utc>>,
    /// When it ended.
    pub finished_at: Option<DateTime<Utc>>,
    /// The enlargement that came of it.
    pub enlargement_id: Option<u64>,
}

impl From<Job> for JobView {
    fn from(job: Job) -> Self {
        Self {
            id: job.id,
            original_id: job.original_id,
            file_name: job.file_name,
            settings: job.settings,
            state: job.state,
            progress: job.progress,
            seconds_left: job.seconds_left,
            reason: job.reason,
            created_at: job.created_at,
            started_at: job.started_at,
            finished_at: job.finished_at,
            enlargement_id: job.enlargement_id,
        }
    }
}

/// A finished result.
#[derive(Debug, Serialize, ToSchema)]
pub struct EnlargementView {
    /// Its number.
    pub id: u64,
    /// Of which original.
    pub original_id: u64,
    /// The job that made it.
    pub job_id: u64,
    /// Name of the file.
    pub file_name: String,
    /// Bytes of the file.
    pub bytes: u64,
    /// What was done.
    pub record: Record,
    /// When it was finished.
    pub created_at: DateTime<Utc>,
}

impl From<Enlargement> for EnlargementView {
    fn from(e: Enlargement) -> Self {
        let Enlargement { id, original_id, job_id, file_name, bytes, record, created_at, .. } = e;
        Self { id, original_id, job_id, file_name, bytes, record, created_at }
    }
}

/// An enlargement to be made.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct NewJob {
    /// What is asked for.
    #[serde(flatten)]
    pub wish: Wish,
    /// The result's name: {name}, {width}, {height}, {long}, {ppi} and {method} are filled in.
    #[serde(default)]
    pub pattern: Option<String>,
}

/// Queues an enlargement; limits are checked now.
#[utoipa::path(post, path = "/originals/{id}/jobs", tag = "jobs", params(("id" = u64, Path)), request_body = NewJob,
    responses((status = CREATED, body = JobView), (status = 422, body = Problem)))]
pub async fn add_job(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(new): Body<NewJob>,
) -> Result<(StatusCode, Json<JobView>), Problem> {
    let row = app.store.original(id).await?;
    let treatment = new.wish.work_out(&app, row.facts.size, app.files.free_bytes())?.treatment;
    let settings = new.wish.settings();
    let name = file_name(
        new.pattern.as_deref().unwrap_or(DEFAULT_PATTERN),
        &NameParts {
            original: &row.name,
            size: treatment.sheet(),
            ppi: settings.ppi,
            method: &method(&treatment),
            format: settings.format,
        },
    )?;
    let hash = app.store.add_treatment(&treatment).await?;
    let job = app.store.add_job(id, hash, &settings, &name).await?;
    app.worker.queued.notify_one();
    Ok((StatusCode::CREATED, Json(job.into())))
}

/// The last model of a treatment, or its plain method: for file names.
fn method(treatment: &Treatment) -> String {
    match &treatment.enlarge {
        Enlarge::Plain { kernel } => kernel.to_string().to_lowercase().replace(' ', ""),
        Enlarge::Learned { passes, .. } => passes.last().map_or_else(String::new, |pass| pass.model.model.clone()),
    }
}

/// One job.
#[utoipa::path(get, path = "/jobs/{id}", tag = "jobs", params(("id" = u64, Path)),
    responses((status = OK, body = JobView), (status = 404, body = Problem)))]
pub async fn show_job(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<JobView>, Problem> {
    Ok(Json(app.store.job(id).await?.into()))
}

/// Asks for a job to be given up; one that has ended stays as it is.
#[utoipa::path(post, path = "/jobs/{id}/cancel", tag = "jobs", params(("id" = u64, Path)),
    responses((status = OK, body = JobView), (status = 404, body = Problem)))]
pub async fn cancel_job(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<JobView>, Problem> {
    Ok(Json(app.store.cancel_job(id).await?.into()))
}

/// Queues a failed or cancelled job again.
#[utoipa::path(post, path = "/jobs/{id}/retry", tag = "jobs", params(("id" = u64, Path)),
    responses((status = OK, body = JobView), (status = 404, body = Problem)))]
pub async fn retry_job(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<JobView>, Problem> {
    let job = app.store.retry_job(id).await?;
    app.worker.queued.notify_one();
    Ok(Json(job.into()))
}

/// The file of a result, whole or in ranges.
#[utoipa::path(get, path = "/enlargements/{id}/file", tag = "jobs", params(("id" = u64, Path)),
    responses((status = OK, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
pub async fn result_file(
    State(app): State<App>,
    Address(id): Address<u64>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let enlargement = app.store.enlargement(id).await?;
    let path = app.files.path(&enlargement.file_key)?;
    let media_type = enlargement.record.settings.format.media_type();
    serve_file::download(&path, &enlargement.file_name, media_type, headers).await
}
