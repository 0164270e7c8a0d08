//! Treatments by their hash: kept for as long as a job, a result or a decision needs them, and some days longer.

use std::collections::HashSet;

use chrono::{DateTime, Utc};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::treatment::Treatment;

use crate::choices::Decision;
use crate::{Store, StoreError, from_text, missing, to_text};

impl Store {
    /// Keeps a treatment under its hash.
    pub async fn add_treatment(&self, treatment: &Treatment) -> Result<ContentHash, StoreError> {
        let hash = treatment.hash();
        sqlx::query!(
            "INSERT INTO treatments (hash, body) VALUES (?, ?) ON DUPLICATE KEY UPDATE kept_at = CURRENT_TIMESTAMP(3)",
            hash.to_string(),
            to_text(treatment)
        )
        .execute(&self.pool)
        .await?;
        Ok(hash)
    }

    /// The treatment with this hash.
    pub async fn treatment(&self, hash: ContentHash) -> Result<Treatment, StoreError> {
        let row = sqlx::query!("SELECT body FROM treatments WHERE hash = ?", hash.to_string())
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| missing("treatment", hash))?;
        from_text("treatment", &row.body)
    }

    /// How many treatments are kept.
    pub async fn kept_treatments(&self) -> Result<u64, StoreError> {
        let count: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM treatments").fetch_one(&self.pool).await?;
        Ok(count.unsigned_abs())
    }

    /// Sweeps out what was last kept before a moment and no job, result or decision refers to; answers how many.
    pub async fn sweep_treatments(&self, before: DateTime<Utc>) -> Result<u64, StoreError> {
        let needed = self.needed_treatments().await?;
        let old: Vec<String> = sqlx::query_scalar("SELECT hash FROM treatments WHERE kept_at < ?")
            .bind(before)
            .fetch_all(&self.pool)
            .await?;
        let mut swept = 0;
        for hash in old.iter().filter(|hash| !needed.contains(*hash)) {
            // One by one and by its age again: it may be kept anew meanwhile.
            let gone = sqlx::query!("DELETE FROM treatments WHERE hash = ? AND kept_at < ?", hash, before);
            match gone.execute(&self.pool).await {
                Ok(done) => swept += done.rows_affected(),
                // A job that came meanwhile refers to it.
                Err(error) if error.as_database_error().is_some_and(|e| e.is_foreign_key_violation()) => {}
                Err(error) => return Err(error.into()),
            }
        }
        Ok(swept)
    }

    async fn needed_treatments(&self) -> Result<HashSet<String>, StoreError> {
        let of_jobs: Vec<String> =
            sqlx::query_scalar("SELECT DISTINCT treatment FROM jobs").fetch_all(&self.pool).await?;
        let of_results: Vec<Option<String>> =
            sqlx::query_scalar("SELECT JSON_VALUE(record, '$.treatment_hash') FROM enlargements")
                .fetch_all(&self.pool)
                .await?;
        let decisions: Vec<String> = sqlx::query_scalar("SELECT body FROM decisions").fetch_all(&self.pool).await?;
        let mut needed: HashSet<String> = of_jobs.into_iter().chain(of_results.into_iter().flatten()).collect();
        for body in decisions {
            let decision: Decision = from_text("decision", &body)?;
            needed.extend(decision.candidates.iter().map(|compared| compared.treatment.to_string()));
        }
        Ok(needed)
    }
}
