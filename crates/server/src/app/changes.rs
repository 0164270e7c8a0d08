//! Changes of jobs, told to all who listen.

use std::time::Duration;

use dettaglio_store::Store;
use dettaglio_store::jobs::Job;
use tokio::sync::broadcast::Sender;
use tokio_util::sync::CancellationToken;

/// How often the database is asked what changed: any process may have changed it.
const LOOK: Duration = Duration::from_millis(300);

/// Tells the changes of jobs to all who listen, until `stop`.
pub async fn tell_changes(store: Store, changes: Sender<Job>, stop: CancellationToken) {
    let mut seen = None;
    while !stop.is_cancelled() {
        if let Err(error) = tell(&store, &changes, &mut seen).await {
            tracing::warn!(%error, "changes could not be read");
        }
        tokio::select! {
            () = stop.cancelled() => {}
            () = tokio::time::sleep(LOOK) => {}
        }
    }
}

async fn tell(
    store: &Store,
    changes: &Sender<Job>,
    seen: &mut Option<chrono::DateTime<chrono::Utc>>,
) -> Result<(), dettaglio_store::StoreError> {
    let since = match *seen {
        Some(moment) => moment,
        None => store.now().await?,
    };
    let jobs = store.jobs_changed_since(since).await?;
    *seen = Some(jobs.last().map_or(since, |job| job.changed_at));
    for job in jobs {
        // Nobody listening is no error.
        let _ = changes.send(job);
    }
    Ok(())
}
