//! Files that nothing names: left by an import or a run that was cut short between keeping the file and saying so.

use std::collections::HashSet;

use chrono::{DateTime, Utc};

use crate::files::FileStore;
use crate::{Store, StoreError};

impl Store {
    /// Puts files of pictures and results that were written before a moment, and that no row names, among those that are to go; answers
    /// how many. They go as all such files do, with [`delete_leaving_files`](Self::delete_leaving_files), which looks once more.
    pub async fn give_up_orphans(&self, files: &FileStore, before: DateTime<Utc>) -> Result<u64, StoreError> {
        let hashes: Vec<String> =
            sqlx::query_scalar("SELECT DISTINCT hash FROM originals").fetch_all(&self.pool).await?;
        let results: Vec<String> =
            sqlx::query_scalar("SELECT file_key FROM enlargements").fetch_all(&self.pool).await?;
        let (hashes, results): (HashSet<String>, HashSet<String>) =
            (hashes.into_iter().collect(), results.into_iter().collect());
        let mut orphans = Vec::new();
        for kind in ["originals", "thumbnails"] {
            for key in files.keys_before(kind, before).await? {
                let name = key.rsplit('/').next().unwrap_or_default();
                let hash = name.strip_suffix(".png").unwrap_or(name).to_owned();
                if !hashes.contains(&hash) {
                    orphans.push((key, Some(hash)));
                }
            }
        }
        for key in files.keys_before("enlargements", before).await? {
            if !results.contains(&key) {
                orphans.push((key, None));
            }
        }
        for (key, content) in &orphans {
            sqlx::query("INSERT IGNORE INTO leaving_files (file_key, content) VALUES (?, ?)")
                .bind(key)
                .bind(content)
                .execute(&self.pool)
                .await?;
        }
        Ok(orphans.len() as u64)
    }
}
