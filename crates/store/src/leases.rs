//! Jobs as workers see them: leased rows that any worker, on any machine, may take.
//!
//! A worker takes a job with a lease and renews it while it works. When it dies, the lease runs out and
//! another takes the job, up to [`MOST_ATTEMPTS`] times.

use chrono::{DateTime, Utc};
use dettaglio_domain::file::Facts;
use dettaglio_domain::forecast::Rates;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::JobId;

use crate::enlargements::Record;
use crate::jobs::{Job, JobState, Stage};
use crate::{Store, StoreError, from_text, missing, once_more_on_conflict, to_text};

/// After so many starts without an end a job counts as failed. What was computed is kept from one to the next, so that a
/// machine that is switched off now and then gets to the end all the same.
pub const MOST_ATTEMPTS: u32 = 8;

/// Why such a job failed.
pub const STOPPED_TOO_OFTEN: &str =
    "its worker stopped without an end too often: see the log of the server, or run it again";

/// Seconds for which a lease holds without a sign of life.
pub const LEASE_SECONDS: u32 = 15;

/// Seconds after which a worker that says nothing counts as gone.
const WORKER_SECONDS: u32 = 10;

/// Who finds a job taken looks among the next 2, then 4, up to two to this power.
const FARTHEST: u32 = 7;

/// Name of the switch that holds up the whole run sheet.
const HELD_UP: &str = "run-sheet-held-up";

/// What a worker learns when it renews its lease.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lease {
    /// Go on.
    Held,
    /// The person wants the job given up.
    CancelRequested,
    /// The person wants the job set aside.
    PauseRequested,
    /// The whole run sheet is held up.
    HeldUp,
    /// The job is another's by now: drop the work.
    Lost,
}

/// How far a job is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SignOfLife {
    /// What is being done.
    pub stage: Stage,
    /// Share done, 0 to 1.
    pub progress: f64,
    /// Seconds left, where they can be told.
    pub seconds_left: Option<f64>,
}

/// A worker that has given a sign of life lately.
#[derive(Clone, Debug)]
pub struct WorkerRow {
    /// Its name.
    pub name: String,
    /// The machine that it runs on.
    pub machine: String,
    /// The job that it has.
    pub job_id: Option<JobId>,
    /// When it last gave a sign of life.
    pub seen_at: DateTime<Utc>,
}

/// A job whose turn it is.
struct NextJob {
    id: u64,
    /// It was started too often.
    is_given_up: bool,
}

impl Store {
    /// Takes the next job that waits, or whose worker gave no sign of life, under a lease for `worker`.
    ///
    /// Jobs that were started too often without an end are marked as failed on the way. Nothing while the run sheet is held up.
    ///
    /// Nothing is locked while the next job is looked for: with a hundred workers, each would lock what all others search. Whoever changes
    /// the row first has the job, and the others look again, farther and farther down the run sheet, so that not all of them meet once more.
    pub async fn take_job(&self, worker: &str) -> Result<Option<Job>, StoreError> {
        let mut lost: u32 = 0;
        loop {
            let skipped = rand::random_range(0..1_u32 << lost.min(FARTHEST));
            let next = match self.next_job(skipped).await? {
                None if skipped > 0 => self.next_job(0).await?,
                next => next,
            };
            let Some(next) = next else { return Ok(None) };
            if next.is_given_up {
                self.give_up(next.id).await?;
            } else if self.is_held_up().await? {
                return Ok(None);
            } else if self.lease(next.id, worker).await? {
                return Ok(Some(self.job(next.id.into()).await?));
            } else {
                lost += 1;
            }
        }
    }

    /// The job whose turn it is, as it is seen now; of those that wait, so many are skipped.
    async fn next_job(&self, skipped: u32) -> Result<Option<NextJob>, StoreError> {
        let next = sqlx::query_as!(
            NextJob,
            r#"SELECT id AS "id!", is_given_up AS "is_given_up!: bool" FROM (
                (SELECT id, priority, place, attempts >= ? AS is_given_up FROM jobs
                 WHERE state = 'running' AND lease_until < CURRENT_TIMESTAMP(3)
                 ORDER BY attempts >= ? DESC, priority DESC, place, id LIMIT 1)
                UNION ALL
                (SELECT id, priority, place, FALSE FROM jobs
                 WHERE state = 'waiting' AND (not_before IS NULL OR not_before < CURRENT_TIMESTAMP(3))
                 ORDER BY priority DESC, place, id LIMIT 1 OFFSET ?)
             ) AS turn ORDER BY is_given_up DESC, priority DESC, place, id LIMIT 1"#,
            MOST_ATTEMPTS,
            MOST_ATTEMPTS,
            skipped
        );
        Ok(next.fetch_optional(&self.pool).await?)
    }

    /// Marks a job as failed that was started too often, unless someone has changed it meanwhile.
    async fn give_up(&self, id: u64) -> Result<(), StoreError> {
        once_more_on_conflict(|| async move {
            sqlx::query!(
                "UPDATE jobs SET state = 'failed', stage = NULL, lease_owner = NULL, finished_at = CURRENT_TIMESTAMP(3), reason = ?
                 WHERE id = ? AND state = 'running' AND lease_until < CURRENT_TIMESTAMP(3) AND attempts >= ?",
                STOPPED_TOO_OFTEN,
                id,
                MOST_ATTEMPTS
            )
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// Gives a job to a worker, unless someone has changed it meanwhile; whether it has it.
    async fn lease(&self, id: u64, worker: &str) -> Result<bool, StoreError> {
        once_more_on_conflict(|| async move {
            let taken = sqlx::query!(
                "UPDATE jobs SET state = 'running', stage = 'reading', attempts = attempts + 1, seconds_left = NULL, reason = NULL,
                     not_before = NULL, started_at = CURRENT_TIMESTAMP(3), lease_owner = ?,
                     lease_until = CURRENT_TIMESTAMP(3) + INTERVAL ? SECOND
                 WHERE id = ? AND ((state = 'waiting' AND (not_before IS NULL OR not_before < CURRENT_TIMESTAMP(3)))
                     OR (state = 'running' AND lease_until < CURRENT_TIMESTAMP(3) AND attempts < ?))",
                worker,
                LEASE_SECONDS,
                id,
                MOST_ATTEMPTS
            )
            .execute(&self.pool)
            .await?;
            Ok(taken.rows_affected() == 1)
        })
        .await
    }

    /// Says that a job in hand was begun so many seconds ago: for a run that was made elsewhere and is put down here.
    pub async fn begun_before(&self, job: JobId, worker: &str, seconds: f64) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET started_at = CURRENT_TIMESTAMP(3) - INTERVAL ? SECOND
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            seconds,
            job,
            worker
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Renews a lease and tells how far the work is.
    pub async fn renew_lease(&self, job: JobId, worker: &str, sign: SignOfLife) -> Result<Lease, StoreError> {
        once_more_on_conflict(|| async move {
            sqlx::query!(
                "UPDATE jobs SET stage = ?, progress = ?, seconds_left = ?,
                     lease_until = CURRENT_TIMESTAMP(3) + INTERVAL ? SECOND
                 WHERE id = ? AND state = 'running' AND lease_owner = ?",
                sign.stage,
                sign.progress,
                sign.seconds_left,
                LEASE_SECONDS,
                job,
                worker
            )
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await?;
        let row = sqlx::query!(
            r#"SELECT cancel_requested AS "cancel: bool", pause_requested AS "pause: bool" FROM jobs
               WHERE id = ? AND state = 'running' AND lease_owner = ?"#,
            job,
            worker
        )
        .fetch_optional(&self.pool)
        .await?;
        Ok(match row {
            None => Lease::Lost,
            Some(row) if row.cancel => Lease::CancelRequested,
            Some(row) if row.pause => Lease::PauseRequested,
            Some(_) if self.is_held_up().await? => Lease::HeldUp,
            Some(_) => Lease::Held,
        })
    }

    /// Gives a job back unfinished, to wait or to stay paused: for a worker that is told to stop. The start does not count.
    pub async fn return_job(&self, job: JobId, worker: &str, paused: bool) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = IF(?, 'paused', 'waiting'), attempts = attempts - 1, seconds_left = NULL, stage = NULL,
                 pause_requested = FALSE, lease_owner = NULL, lease_until = NULL
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            paused,
            job,
            worker
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Puts a job off for want of something that may come back. The start does not count.
    pub async fn put_off_job(&self, job: JobId, worker: &str, reason: &str, seconds: u32) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = 'waiting', attempts = attempts - 1, seconds_left = NULL, stage = NULL, reason = ?,
                 not_before = CURRENT_TIMESTAMP(3) + INTERVAL ? SECOND, lease_owner = NULL, lease_until = NULL
             WHERE id = ? AND state = 'running' AND lease_owner = ?",
            reason,
            seconds,
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
        once_more_on_conflict(|| async move {
            let mut transaction = self.pool.begin().await?;
            let done = sqlx::query!(
                "UPDATE jobs SET state = 'done', stage = NULL, progress = 1, seconds_left = 0, pause_requested = FALSE,
                 finished_at = CURRENT_TIMESTAMP(3), lease_owner = NULL, lease_until = NULL
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
        })
        .await
    }

    /// Ends a running job without a result.
    pub async fn end_job(&self, job: JobId, worker: &str, state: JobState, reason: &str) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs SET state = ?, stage = NULL, reason = NULLIF(?, ''), seconds_left = NULL,
                 finished_at = CURRENT_TIMESTAMP(3), lease_owner = NULL, lease_until = NULL
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

    /// Whether no job is to be taken.
    pub async fn is_held_up(&self) -> Result<bool, StoreError> {
        let row = sqlx::query!("SELECT value FROM settings WHERE name = ?", HELD_UP).fetch_optional(&self.pool).await?;
        Ok(row.is_some_and(|row| row.value == "true"))
    }

    /// Holds up the whole run sheet, or lets it go on.
    pub async fn hold_up(&self, held: bool) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO settings (name, value) VALUES (?, ?) ON DUPLICATE KEY UPDATE value = VALUES(value)",
            HELD_UP,
            if held { "true" } else { "false" }
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// A worker's sign of life.
    pub async fn worker_seen(&self, name: &str, machine: &str, job: Option<JobId>) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO workers (name, machine, job_id) VALUES (?, ?, ?)
             ON DUPLICATE KEY UPDATE job_id = VALUES(job_id), seen_at = CURRENT_TIMESTAMP(3)",
            name,
            machine,
            job
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Takes leave, and sweeps out those that went without.
    pub async fn worker_left(&self, name: &str) -> Result<(), StoreError> {
        sqlx::query!("DELETE FROM workers WHERE name = ? OR seen_at < CURRENT_TIMESTAMP(3) - INTERVAL 1 HOUR", name)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The workers that are there.
    pub async fn workers(&self) -> Result<Vec<WorkerRow>, StoreError> {
        let rows = sqlx::query!(
            r#"SELECT name, machine, job_id, seen_at AS "seen_at: DateTime<Utc>" FROM workers
               WHERE seen_at > CURRENT_TIMESTAMP(3) - INTERVAL ? SECOND ORDER BY machine, name"#,
            WORKER_SECONDS
        )
        .fetch_all(&self.pool)
        .await?;
        let workers = rows.into_iter().map(|row| WorkerRow {
            name: row.name,
            machine: row.machine,
            job_id: row.job_id.map(JobId::from),
            seen_at: row.seen_at,
        });
        Ok(workers.collect())
    }

    /// What a machine does in a second, as far as it was ever measured; one of an earlier version is measured again.
    pub async fn rates(&self, machine: &str) -> Result<Rates, StoreError> {
        let row = sqlx::query!("SELECT rates FROM machines WHERE name = ?", machine).fetch_optional(&self.pool).await?;
        Ok(row.and_then(|row| from_text("list of rates", &row.rates).ok()).unwrap_or_default())
    }

    /// Keeps what a machine does in a second.
    pub async fn set_rates(&self, machine: &str, rates: &Rates) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO machines (name, rates) VALUES (?, ?) ON DUPLICATE KEY UPDATE rates = VALUES(rates)",
            machine,
            to_text(rates)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// The jobs that wait, with their treatments and the sizes of their originals.
    pub async fn waiting_treatments(&self) -> Result<Vec<(JobId, ContentHash, Size)>, StoreError> {
        let rows = sqlx::query!(
            "SELECT j.id, j.treatment, o.facts FROM jobs j JOIN originals o ON o.id = j.original_id
             WHERE j.state IN ('waiting', 'paused')"
        )
        .fetch_all(&self.pool)
        .await?;
        rows.into_iter()
            .map(|row| {
                let facts: Facts = from_text("description of a file", &row.facts)?;
                let treatment = row.treatment.parse().map_err(|_| missing("treatment", &row.treatment))?;
                Ok((row.id.into(), treatment, facts.size))
            })
            .collect()
    }

    /// Keeps what jobs are now forecast to take, in seconds.
    pub async fn set_forecasts(&self, forecasts: &[(JobId, f64)]) -> Result<(), StoreError> {
        sqlx::query!(
            "UPDATE jobs j JOIN JSON_TABLE(?, '$[*]' COLUMNS (id BIGINT UNSIGNED PATH '$[0]', seconds DOUBLE PATH '$[1]')) AS f
                 ON f.id = j.id SET j.forecast = f.seconds",
            to_text(&forecasts)
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Lets a lease run out at once, as if its worker had been silent for too long.
    #[cfg(feature = "testing")]
    pub async fn expire_lease_for_tests(&self, job: JobId) -> Result<(), StoreError> {
        sqlx::query("UPDATE jobs SET lease_until = CURRENT_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE id = ?")
            .bind(job)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
