//! Jobs: leased rows that any worker may take, and the enlargements that come of them.
//!
//! A worker takes a job with a lease and renews it while it works. When it dies, the lease runs out and
//! another takes the job, up to [`MOST_ATTEMPTS`] times.

use chrono::{DateTime, Utc};
use dettaglio_core::codec::OutputSettings;
use dettaglio_core::frame::Frame;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::picture::Size;
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError, from_text, missing, to_text};

/// After so many starts without an end a job counts as failed.
pub const MOST_ATTEMPTS: u32 = 3;

/// Seconds for which a lease holds without a sign of life.
pub const LEASE_SECONDS: u32 = 15;

/// Where a job stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[sqlx(rename_all = "lowercase")]
pub enum JobState {
    /// No worker has it.
    Waiting,
    /// A worker has it.
    Running,
    /// Its enlargement is there.
    Done,
    /// It ended with a reason.
    Failed,
    /// It was given up on request.
    Cancelled,
}

/// One enlargement to be made.
#[derive(Clone, Debug)]
pub struct Job {
    /// Its number.
    pub id: u64,
    /// Of which original.
    pub original_id: u64,
    /// How.
    pub treatment: ContentHash,
    /// Into what kind of file.
    pub settings: OutputSettings,
    /// Under which name.
    pub file_name: String,
    /// Where it stands.
    pub state: JobState,
    /// Share done, 0 to 1.
    pub progress: f64,
    /// Seconds left, where they can be told.
    pub seconds_left: Option<f64>,
    /// Why it failed.
    pub reason: Option<String>,
    /// How often it was started.
    pub attempts: u32,
    /// When it was ordered.
    pub created_at: DateTime<Utc>,
    /// When work began.
    pub started_at: Option<DateTime<Utc>>,
    /// When it ended.
    pub finished_at: Option<DateTime<Utc>>,
    /// The enlargement that came of it.
    pub enlargement_id: Option<u64>,
}

/// What was done, kept with an enlargement.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Record {
    /// Name of the original's file.
    pub original: String,
    /// Its SHA-256.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub original_sha256: ContentHash,
    /// Its size in pixels.
    pub original_size: Size,
    /// Size of the result in pixels.
    pub size: Size,
    /// How the original was turned and cropped.
    #[serde(default)]
    pub frame: Frame,
    /// What was done, in words.
    pub treatment: String,
    /// Hash of the treatment, which can be looked up.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub treatment_hash: ContentHash,
    /// Format, depth, quality and resolution.
    pub settings: OutputSettings,
    /// Name of the colour profile that was carried over.
    pub profile: Option<String>,
    /// Seconds that it took.
    pub seconds: f64,
    /// Version of the program.
    pub version: String,
}

/// A finished result, kept beside its original.
#[derive(Clone, Debug)]
pub struct Enlargement {
    /// Its number.
    pub id: u64,
    /// Of which original.
    pub original_id: u64,
    /// The job that made it.
    pub job_id: u64,
    /// Name of the file, for the person.
    pub file_name: String,
    /// Where it is in the file store.
    pub file_key: String,
    /// Bytes of the file.
    pub bytes: u64,
    /// What was done.
    pub record: Record,
    /// When it was finished.
    pub created_at: DateTime<Utc>,
}

struct RawJob {
    id: u64,
    original_id: u64,
    treatment: String,
    settings: String,
    file_name: String,
    state: JobState,
    progress: f64,
    seconds_left: Option<f64>,
    reason: Option<String>,
    attempts: u32,
    created_at: DateTime<Utc>,
    started_at: Option<DateTime<Utc>>,
    finished_at: Option<DateTime<Utc>>,
    enlargement_id: Option<u64>,
}

impl TryFrom<RawJob> for Job {
    type Error = StoreError;

    fn try_from(raw: RawJob) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id,
            original_id: raw.original_id,
            treatment: raw.treatment.parse().map_err(|_| missing("treatment", &raw.treatment))?,
            settings: from_text("output setting", &raw.settings)?,
            file_name: raw.file_name,
            state: raw.state,
            progress: raw.progress,
            seconds_left: raw.seconds_left,
            reason: raw.reason,
            attempts: raw.attempts,
            created_at: raw.created_at,
            started_at: raw.started_at,
            finished_at: raw.finished_at,
            enlargement_id: raw.enlargement_id,
        })
    }
}

struct RawEnlargement {
    id: u64,
    original_id: u64,
    job_id: u64,
    file_name: String,
    file_key: String,
    bytes: u64,
    record: String,
    created_at: DateTime<Utc>,
}

impl TryFrom<RawEnlargement> for Enlargement {
    type Error = StoreError;

    fn try_from(raw: RawEnlargement) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id,
            original_id: raw.original_id,
            job_id: raw.job_id,
            file_name: raw.file_name,
            file_key: raw.file_key,
            bytes: raw.bytes,
            record: from_text("record", &raw.record)?,
            created_at: raw.created_at,
        })
    }
}

/// What a worker learns when it renews its lease.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lease {
    /// Go on.
    Held,
    /// The person wants the job given up.
    CancelRequested,
    /// The job is another's by now: drop the work.
    Lost,
}

impl Store {
    /// Puts a job into the queue.
    pub async fn add_job(
        &self,
        original: u64,
        treatment: ContentHash,
        settings: &OutputSettings,
        file_name: &str,
    ) -> Result<Job, StoreError> {
        let added = sqlx::query!(
            "INSERT INTO jobs (original_id, treatment, settings, file_name) VALUES (?, ?, ?, ?)",
            original,
            treatment.to_string(),
            to_text(settings),
            file_name
        )
        .execute(&self.pool)
        .await?;
        self.job(added.last_insert_id()).await
    }

    /// One job.
    pub async fn job(&self, id: u64) -> Result<Job, StoreError> {
        sqlx::query_as!(
            RawJob,
            r#"SELECT j.id, j.original_id, j.treatment, j.settings, j.file_name, j.state AS "state: JobState", j.progress,
                   j.seconds_left, j.reason, j.attempts, j.created_at AS "created_at: DateTime<Utc>",
                   j.started_at AS "started_at: DateTime<Utc>", j.finished_at AS "finished_at: DateTime<Utc>",
                   e.id AS "enlargement_id?"
               FROM jobs j LEFT JOIN enlargements e ON e.job_id = j.id WHERE j.id = ?"#,
            id
        )
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| missing("job", id))?
        .try_into()
    }

    /// The jobs on an order's originals, the newest first.
    pub async fn jobs(&self, order: u64) -> Result<Vec<Job>, StoreError> {
        sqlx::query_as!(
            RawJob,
            r#"SELECT j.id, j.original_id, j.treatment, j.settings, j.file_name, j.state AS "state: JobState", j.progress,
                   j.seconds_left, j.reason, j.attempts, j.created_at AS "created_at: DateTime<Utc>",
                   j.started_at AS "started_at: DateTime<Utc>", j.finished_at AS "finished_at: DateTime<Utc>",
                   e.id AS "enlargement_id?"
               FROM jobs j JOIN originals o ON o.id = j.original_id LEFT JOIN enlargements e ON e.job_id = j.id
               WHERE o.order_id = ? ORDER BY j.id DESC"#,
            order
        )
        .fetch_all(&self.pool)
        .await?
        .into_iter()
        .map(Job::try_from)
        .collect()
    }

    /// The jobs that changed after a moment, and the moment of the latest change: for telling those who watch.
    pub async fn jobs_changed_since(&self, moment: DateTime<Utc>) -> Result<(Vec<Job>, DateTime<Utc>), StoreError> {
        let changed = sqlx::query!(
            r#"SELECT id, changed_at AS "changed_at: DateTime<Utc>" FROM jobs WHERE changed_at > ? ORDER BY changed_at"#,
            moment
        )
        .fetch_all(&self.pool)
        .await?;
        let latest = changed.last().map_or(moment, |row| row.changed_at);
        let mut jobs = Vec::with_capacity(changed.len());
        for row in changed {
            jobs.push(self.job(row.id).await?);
        }
        Ok((jobs, latest))
    }

    /// The moment as the database sees it.
    pub async fn now(&self) -> Result<DateTime<Utc>, StoreError> {
        let row = sqlx::query!(r#"SELECT CURRENT_TIMESTAMP(6) AS "now!: DateTime<Utc>""#).fetch_one(&self.pool).await?;
        Ok(row.now)
    }

    /// Takes the next job that waits, or whose worker gave no sign of life, under a lease for `worker`.
    ///
    /// Jobs that were started too often without an end are marked as failed on the way.
    pub async fn take_job(&self, worker: &str) -> Result<Option<Job>, StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = 'failed', reason = 'it stopped without an end too often', lease_owner = NULL,
                 finished_at = CURRENT_TIMESTAMP(3)
             WHERE state = 'running' AND lease_until < CURRENT_TIMESTAMP(3) AND attempts >= ?",
            MOST_ATTEMPTS
        )
        .execute(&self.pool)
        .await?;
        let mut transaction = self.pool.begin().await?;
        let next = sqlx::query!(
            "SELECT id FROM jobs
             WHERE state = 'waiting' OR (state = 'running' AND lease_until < CURRENT_TIMESTAMP(3))
             ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED"
        )
        .fetch_optional(&mut *transaction)
        .await?;
        let Some(next) = next else { return Ok(None) };
        sqlx::query!(
            "UPDATE jobs SET state = 'running', attempts = attempts + 1, progress = 0, seconds_left = NULL,
                 started_at = CURRENT_TIMESTAMP(3), lease_owner = ?,
                 lease_until = CURRENT_TIMESTAMP(3) + INTERVAL ? SECOND
             WHERE id = ?",
            worker,
            LEASE_SECONDS,
            next.id
        )
        .execute(&mut *transaction)
        .await?;
        transaction.commit().await?;
        Ok(Some(self.job(next.id).await?))
    }

    /// Renews a lease and tells how far the work is.
    pub async fn renew_lease(
        &self,
        job: u64,
        worker: &str,
        progress: f64,
        seconds_left: Option<f64>,
    ) -> Result<Lease, StoreError> {
        sqlx::query!(
            "UPDATE jobs SET progress = ?, seconds_left = ?,
                 lease_until = CURRENT_TIMESTAMP(3) + INTERVAL ? SECOND
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            progress,
            seconds_left,
            LEASE_SECONDS,
            job,
            worker
        )
        .execute(&self.pool)
        .await?;
        let row = sqlx::query!(
            r#"SELECT cancel_requested AS "cancel_requested: bool" FROM jobs
               WHERE id = ? AND state = 'running' AND lease_owner = ?"#,
            job,
            worker
        )
        .fetch_optional(&self.pool)
        .await?;
        Ok(match row {
            None => Lease::Lost,
            Some(row) if row.cancel_requested => Lease::CancelRequested,
            Some(_) => Lease::Held,
        })
    }

    /// Gives a job back unfinished, to be started anew: for a worker that is told to stop.
    pub async fn return_job(&self, job: u64, worker: &str) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = 'waiting', attempts = attempts - 1, progress = 0, seconds_left = NULL,
                 lease_owner = NULL, lease_until = NULL
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            job,
            worker
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Marks a job as done and keeps its enlargement: both or neither. Answers whether the lease still held.
    pub async fn finish_job(
        &self,
        job: &Job,
        worker: &str,
        file_key: &str,
        bytes: u64,
        record: &Record,
    ) -> Result<bool, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let done = sqlx::query!(
            "UPDATE jobs SET state = 'done', progress = 1, seconds_left = 0, finished_at = CURRENT_TIMESTAMP(3),
                 lease_owner = NULL, lease_until = NULL
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            job.id,
            worker
        )
        .execute(&mut *transaction)
        .await?;
        if done.rows_affected() == 0 {
            return Ok(false);
        }
        sqlx::query!(
            "INSERT INTO enlargements (original_id, job_id, file_key, bytes, record) VALUES (?, ?, ?, ?, ?)",
            job.original_id,
            job.id,
            file_key,
            bytes,
            to_text(record)
        )
        .execute(&mut *transaction)
        .await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// Ends a running job without a result.
    pub async fn end_job(&self, job: u64, worker: &str, state: JobState, reason: &str) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = ?, reason = NULLIF(?, ''), seconds_left = NULL, finished_at = CURRENT_TIMESTAMP(3),
                 lease_owner = NULL, lease_until = NULL
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            state,
            reason,
            job,
            worker
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Asks for a job to be given up: at once when it waits, at the worker's next sign of life when it runs.
    pub async fn cancel_job(&self, id: u64) -> Result<Job, StoreError> {
        sqlx::query!(
            "UPDATE jobs SET finished_at = IF(state = 'waiting', CURRENT_TIMESTAMP(3), finished_at),
                 cancel_requested = TRUE, state = IF(state = 'waiting', 'cancelled', state)
             WHERE id = ? AND state IN ('waiting', 'running')",
            id
        )
        .execute(&self.pool)
        .await?;
        self.job(id).await
    }

    /// Puts a failed or cancelled job into the queue again.
    pub async fn retry_job(&self, id: u64) -> Result<Job, StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = 'waiting', cancel_requested = FALSE, attempts = 0, reason = NULL, progress = 0,
                 started_at = NULL, finished_at = NULL
             WHERE id = ? AND state IN ('failed', 'cancelled')",
            id
        )
        .execute(&self.pool)
        .await?;
        self.job(id).await
    }

    /// The results for an order's originals, the newest first.
    pub async fn enlargements(&self, order: u64) -> Result<Vec<Enlargement>, StoreError> {
        sqlx::query_as!(
            RawEnlargement,
            r#"SELECT e.id, e.original_id, e.job_id, j.file_name, e.file_key, e.bytes, e.record,
                   e.created_at AS "created_at: DateTime<Utc>"
               FROM enlargements e JOIN jobs j ON j.id = e.job_id JOIN originals o ON o.id = e.original_id
               WHERE o.order_id = ? ORDER BY e.id DESC"#,
            order
        )
        .fetch_all(&self.pool)
        .await?
        .into_iter()
        .map(Enlargement::try_from)
        .collect()
    }

    /// One result.
    pub async fn enlargement(&self, id: u64) -> Result<Enlargement, StoreError> {
        sqlx::query_as!(
            RawEnlargement,
            r#"SELECT e.id, e.original_id, e.job_id, j.file_name, e.file_key, e.bytes, e.record,
                   e.created_at AS "created_at: DateTime<Utc>"
               FROM enlargements e JOIN jobs j ON j.id = e.job_id WHERE e.id = ?"#,
            id
        )
        .fetch_optional(&self.pool)
        .await?
        .ok_or_else(|| missing("enlargement", id))?
        .try_into()
    }

    /// Lets a lease run out at once, as if its worker had been silent for too long.
    #[cfg(feature = "testing")]
    pub async fn expire_lease_for_tests(&self, job: u64) -> Result<(), StoreError> {
        sqlx::query("UPDATE jobs SET lease_until = CURRENT_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE id = ?")
            .bind(job)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
