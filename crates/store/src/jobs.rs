//! Jobs as a person sees them: the run sheet, its order, and what is to become of each.
//!
//! What workers do with them is in [`leases`](crate::leases).

use chrono::{DateTime, Utc};
use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{JobId, OrderId, OriginalId, ResultId};
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError, from_text, missing, to_text};

/// Where a job stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[sqlx(rename_all = "lowercase")]
pub enum JobState {
    /// No worker has it.
    Waiting,
    /// It waits until a person says otherwise; what was computed is kept.
    Paused,
    /// A worker has it.
    Running,
    /// Its enlargement is there.
    Done,
    /// It ended with a reason.
    Failed,
    /// It was given up on request.
    Cancelled,
}

/// What a worker is doing with a running job.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, sqlx::Type)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[sqlx(rename_all = "lowercase")]
pub enum Stage {
    /// The original is fetched and decoded.
    Reading,
    /// Cleaned, enlarged, finished and encoded, band by band.
    Computing,
    /// The file is put where it stays.
    Keeping,
}

/// One enlargement to be made.
#[derive(Clone, Debug)]
pub struct Job {
    /// Its number.
    pub id: JobId,
    /// Of which original.
    pub original_id: OriginalId,
    /// What that original is called.
    pub original_name: String,
    /// In which order.
    pub order_id: OrderId,
    /// How.
    pub treatment: ContentHash,
    /// Into what kind of file.
    pub settings: OutputSettings,
    /// Under which name.
    pub file_name: String,
    /// Where it stands.
    pub state: JobState,
    /// What is being done, while it runs.
    pub stage: Option<Stage>,
    /// Share done, 0 to 1.
    pub progress: f64,
    /// Seconds left, where they can be told.
    pub seconds_left: Option<f64>,
    /// Seconds that it was forecast to take.
    pub forecast: Option<f64>,
    /// Higher ones go first.
    pub priority: i8,
    /// Among equals, the lower place goes first.
    pub place: f64,
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
    /// When anything of this last changed.
    pub changed_at: DateTime<Utc>,
}

/// A job to be queued.
#[derive(Clone, Debug)]
pub struct NewJob {
    /// Of which original.
    pub original: OriginalId,
    /// How.
    pub treatment: ContentHash,
    /// Into what kind of file.
    pub settings: OutputSettings,
    /// Under which name.
    pub file_name: String,
    /// Seconds that it is forecast to take.
    pub forecast: Option<f64>,
}

/// The run sheet.
#[derive(Clone, Debug)]
pub struct RunSheet {
    /// What runs, waits or is paused, in the order of its turn.
    pub ahead: Vec<Job>,
    /// The last that ended, the newest first.
    pub ended: Vec<Job>,
    /// How many ended in all.
    pub ended_in_all: u64,
}

struct RawJob {
    id: u64,
    original_id: u64,
    original_name: String,
    order_id: u64,
    treatment: String,
    settings: String,
    file_name: String,
    state: JobState,
    stage: Option<Stage>,
    progress: f64,
    seconds_left: Option<f64>,
    forecast: Option<f64>,
    priority: i8,
    place: f64,
    reason: Option<String>,
    attempts: u32,
    worker: Option<String>,
    created_at: DateTime<Utc>,
    started_at: Option<DateTime<Utc>>,
    finished_at: Option<DateTime<Utc>>,
    enlargement_id: Option<u64>,
    changed_at: DateTime<Utc>,
}

impl TryFrom<RawJob> for Job {
    type Error = StoreError;

    fn try_from(raw: RawJob) -> Result<Self, StoreError> {
        Ok(Self {
            id: raw.id.into(),
            original_id: raw.original_id.into(),
            original_name: raw.original_name,
            order_id: raw.order_id.into(),
            treatment: raw.treatment.parse().map_err(|_| missing("treatment", &raw.treatment))?,
            settings: from_text("output setting", &raw.settings)?,
            file_name: raw.file_name,
            state: raw.state,
            stage: raw.stage,
            progress: raw.progress,
            seconds_left: raw.seconds_left,
            forecast: raw.forecast,
            priority: raw.priority,
            place: raw.place,
            reason: raw.reason,
            attempts: raw.attempts,
            worker: raw.worker,
            created_at: raw.created_at,
            started_at: raw.started_at,
            finished_at: raw.finished_at,
            enlargement_id: raw.enlargement_id.map(ResultId::from),
            changed_at: raw.changed_at,
        })
    }
}

/// All columns of a job, with what follows FROM.
macro_rules! select_jobs {
    ($tail:tt $(, $argument:expr)*) => {
        sqlx::query_as!(
            RawJob,
            r#"SELECT j.id, j.original_id, o.name AS "original_name!", o.order_id AS "order_id!", j.treatment, j.settings,
                   j.file_name, j.state AS "state: JobState", j.stage AS "stage: Stage", j.progress, j.seconds_left,
                   j.forecast, j.priority, j.place, j.reason, j.attempts, j.lease_owner AS worker,
                   j.created_at AS "created_at: DateTime<Utc>", j.started_at AS "started_at: DateTime<Utc>",
                   j.finished_at AS "finished_at: DateTime<Utc>", e.id AS "enlargement_id?",
                   j.changed_at AS "changed_at: DateTime<Utc>"
               FROM jobs j JOIN originals o ON o.id = j.original_id LEFT JOIN enlargements e ON e.job_id = j.id "# + $tail
            $(, $argument)*
        )
    };
}

fn whole(rows: Vec<RawJob>) -> Result<Vec<Job>, StoreError> {
    rows.into_iter().map(Job::try_from).collect()
}

impl Store {
    /// Puts jobs at the end of the queue, all or none; their numbers.
    pub async fn add_jobs(&self, jobs: &[NewJob]) -> Result<Vec<JobId>, StoreError> {
        let mut transaction = self.pool.begin().await?;
        let mut added = Vec::with_capacity(jobs.len());
        for job in jobs {
            let row = sqlx::query!(
                "INSERT INTO jobs (original_id, treatment, settings, file_name, forecast) VALUES (?, ?, ?, ?, ?)",
                job.original,
                job.treatment.to_string(),
                to_text(&job.settings),
                job.file_name,
                job.forecast
            )
            .execute(&mut *transaction)
            .await?;
            let id = row.last_insert_id();
            sqlx::query!("UPDATE jobs SET place = id WHERE id = ?", id).execute(&mut *transaction).await?;
            added.push(id.into());
        }
        transaction.commit().await?;
        Ok(added)
    }

    /// One job.
    pub async fn job(&self, id: JobId) -> Result<Job, StoreError> {
        let row = select_jobs!("WHERE j.id = ?", id).fetch_optional(&self.pool).await?;
        row.ok_or_else(|| missing("job", id))?.try_into()
    }

    /// The jobs on an order's originals, the newest first.
    pub async fn jobs(&self, order: OrderId) -> Result<Vec<Job>, StoreError> {
        whole(select_jobs!("WHERE o.order_id = ? ORDER BY j.id DESC", order).fetch_all(&self.pool).await?)
    }

    /// All that is ahead, and the last `ended` that ended.
    pub async fn run_sheet(&self, ended: u32) -> Result<RunSheet, StoreError> {
        let ahead = select_jobs!(
            "WHERE j.state IN ('running', 'waiting', 'paused')
             ORDER BY j.state = 'running' DESC, j.priority DESC, j.place, j.id"
        )
        .fetch_all(&self.pool)
        .await?;
        let last = select_jobs!(
            "WHERE j.state IN ('done', 'failed', 'cancelled') ORDER BY j.finished_at DESC, j.id DESC LIMIT ?",
            ended
        )
        .fetch_all(&self.pool)
        .await?;
        let all = sqlx::query!(
            r#"SELECT COUNT(*) AS "count!: i64" FROM jobs WHERE state IN ('done', 'failed', 'cancelled')"#
        )
        .fetch_one(&self.pool)
        .await?;
        Ok(RunSheet { ahead: whole(ahead)?, ended: whole(last)?, ended_in_all: all.count as u64 })
    }

    /// The jobs that changed after a moment, in the order of their changes: for telling those who watch.
    pub async fn jobs_changed_since(&self, moment: DateTime<Utc>) -> Result<Vec<Job>, StoreError> {
        whole(select_jobs!("WHERE j.changed_at > ? ORDER BY j.changed_at, j.id", moment).fetch_all(&self.pool).await?)
    }

    /// The moment as the database sees it.
    pub async fn now(&self) -> Result<DateTime<Utc>, StoreError> {
        let row = sqlx::query!(r#"SELECT CURRENT_TIMESTAMP(6) AS "now!: DateTime<Utc>""#).fetch_one(&self.pool).await?;
        Ok(row.now)
    }

    /// Asks for jobs to be given up: at once when they wait, at the worker's next sign of life when they run.
    pub async fn cancel_jobs(&self, ids: &[JobId]) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET finished_at = IF(state = 'running', finished_at, CURRENT_TIMESTAMP(3)),
                 cancel_requested = TRUE, state = IF(state = 'running', state, 'cancelled')
             WHERE state IN ('waiting', 'paused', 'running')
               AND id IN (SELECT id FROM JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) AS chosen)",
            to_text(&ids)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Pauses jobs: those that run are set aside at the worker's next sign of life, with what they have computed.
    pub async fn pause_jobs(&self, ids: &[JobId]) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET pause_requested = (state = 'running'), state = IF(state = 'running', state, 'paused')
             WHERE state IN ('waiting', 'running')
               AND id IN (SELECT id FROM JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) AS chosen)",
            to_text(&ids)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Lets paused jobs wait for their turn again.
    pub async fn resume_jobs(&self, ids: &[JobId]) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET pause_requested = FALSE, state = IF(state = 'paused', 'waiting', state)
             WHERE state IN ('paused', 'running')
               AND id IN (SELECT id FROM JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) AS chosen)",
            to_text(&ids)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Puts failed and cancelled jobs at the end of the queue again; one that was put off is tried at once.
    pub async fn retry_jobs(&self, ids: &[JobId]) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET place = IF(state = 'waiting', place, (SELECT MAX(place) + 1 FROM jobs)), state = 'waiting',
                 cancel_requested = FALSE, pause_requested = FALSE, attempts = 0, reason = NULL, not_before = NULL,
                 progress = 0, started_at = NULL, finished_at = NULL
             WHERE (state IN ('failed', 'cancelled') OR (state = 'waiting' AND not_before IS NOT NULL))
               AND id IN (SELECT id FROM JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) AS chosen)",
            to_text(&ids)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Gives jobs that are ahead another priority.
    pub async fn set_priority(&self, ids: &[JobId], priority: i8) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET priority = ?
             WHERE state IN ('waiting', 'paused', 'running')
               AND id IN (SELECT id FROM JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$')) AS chosen)",
            priority,
            to_text(&ids)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Puts jobs, in the order given, right before another that is ahead and takes on its priority; at the end without one.
    pub async fn move_jobs(&self, ids: &[JobId], before: Option<JobId>) -> Result<(), StoreError> {
        let mut transaction = self.pool.begin().await?;
        sqlx::query!(
            "UPDATE jobs j JOIN (
                 SELECT id, ROW_NUMBER() OVER (ORDER BY priority DESC, place, id) AS turn
                 FROM jobs WHERE state IN ('waiting', 'paused', 'running')) AS ranked ON ranked.id = j.id
             SET j.place = ranked.turn"
        )
        .execute(&mut *transaction)
        .await?;
        let goal = match before {
            Some(id) => sqlx::query!("SELECT place, priority FROM jobs WHERE id = ?", id)
                .fetch_optional(&mut *transaction)
                .await?
                .map(|row| (row.place, row.priority))
                .ok_or_else(|| missing("job", id))?,
            None => {
                let last = sqlx::query!(
                    r#"SELECT COALESCE(MAX(place), 0) + 1 AS "place!: f64", COALESCE(MIN(priority), 0) AS "priority!: i8"
                       FROM jobs WHERE state IN ('waiting', 'paused', 'running')"#
                )
                .fetch_one(&mut *transaction)
                .await?;
                (last.place, last.priority)
            }
        };
        for (i, id) in ids.iter().enumerate() {
            // Places are whole numbers now: what moves fits between two of them.
            let place = goal.0 - 1.0 + (i + 1) as f64 / (ids.len() + 1) as f64;
            sqlx::query!("UPDATE jobs SET place = ?, priority = ? WHERE id = ?", place, goal.1, id)
                .execute(&mut *transaction)
                .await?;
        }
        transaction.commit().await?;
        Ok(())
    }
}
