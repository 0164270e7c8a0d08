//! What is left behind when all is over: rows without their file, files without their row, rows that nothing needs.

use std::collections::HashSet;
use std::fmt;

use anyhow::Context;
use dettaglio_domain::hash::ContentHash;
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::mariadb::MariaDb;

use crate::bed::Bed;

/// Counts of what should not be there.
pub struct Left {
    /// Pictures in the database whose file is missing.
    rows_without_file: usize,
    /// Files of pictures that no row names.
    files_without_row: usize,
    /// Treatments that no job, result or decision refers to, after a sweep.
    treatments_unneeded: u64,
    /// Jobs that a worker has taken and nobody works on.
    jobs_held: i64,
    /// Files that are to go and have not gone.
    files_leaving: usize,
}

impl Left {
    /// What is a fault: a print lost, or something that stays for ever.
    pub fn faults(&self) -> usize {
        self.rows_without_file + self.treatments_unneeded as usize + self.jobs_held as usize
    }
}

impl fmt::Display for Left {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { rows_without_file, files_without_row, treatments_unneeded, jobs_held, files_leaving } = self;
        write!(
            f,
            "rows without their file {rows_without_file}, files without their row {files_without_row}, files still to go \
             {files_leaving}, treatments that nothing needs {treatments_unneeded}, jobs held by nobody {jobs_held}"
        )
    }
}

/// Looks through the database and the files of a bed whose jobs have all ended.
pub async fn behind(bed: &Bed) -> anyhow::Result<Left> {
    let url = MariaDb::url_in(&bed.folder.path().join("database")).context("the database runs")?;
    let store = Store::connect(&url).await?;
    let files = FileStore::open(bed.folder.path())?;
    let hashes: Vec<String> = sqlx::query_scalar("SELECT DISTINCT hash FROM originals").fetch_all(store.pool()).await?;
    let hashes: Vec<ContentHash> = hashes.iter().map(|hash| hash.parse()).collect::<Result<_, _>>()?;
    let named: HashSet<String> = hashes.into_iter().map(FileStore::original_key).collect();
    let kept: HashSet<String> = files.keys("originals").await?.into_iter().collect();
    store.sweep_treatments(chrono::Utc::now()).await?;
    let swept_again = store.sweep_treatments(chrono::Utc::now()).await?;
    let jobs_held =
        sqlx::query_scalar("SELECT COUNT(*) FROM jobs WHERE state = 'running'").fetch_one(store.pool()).await?;
    Ok(Left {
        rows_without_file: named.difference(&kept).count(),
        files_without_row: kept.difference(&named).count(),
        treatments_unneeded: swept_again,
        jobs_held,
        files_leaving: store.leaving_files().await?.len(),
    })
}
