//! Changes as they happen: server-sent events.

use std::convert::Infallible;
use std::time::Duration;

use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use dettaglio_store::Store;
use futures::{Stream, StreamExt};
use tokio::sync::broadcast::Sender;
use tokio_stream::wrappers::BroadcastStream;
use tokio_util::sync::CancellationToken;

use super::jobs::JobView;
use crate::app::App;

/// How often the database is asked what changed: any process may have changed it.
const LOOK: Duration = Duration::from_millis(300);

/// A stream of events named `job`, each with a job that changed, as JSON.
///
/// One that lagged behind gets an event `again` and is to load everything anew.
#[utoipa::path(get, path = "/events", tag = "events", responses((status = OK, body = JobView, content_type = "text/event-stream")))]
pub async fn events(State(app): State<App>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let stop = app.stop.clone();
    let stream = BroadcastStream::new(app.changes.subscribe())
        .map(|change| {
            Ok(match change {
                Ok(job) => Event::default().event("job").json_data(job).unwrap_or_default(),
                Err(_) => Event::default().event("again").data(""),
            })
        })
        .take_until(stop.cancelled_owned());
    Sse::new(stream).keep_alive(KeepAlive::default())
}

/// Tells the changes of jobs to all who listen, until `stop`.
pub async fn tell_changes(store: Store, changes: Sender<JobView>, stop: CancellationToken) {
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
    changes: &Sender<JobView>,
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
        let _ = changes.send(job.into());
    }
    Ok(())
}
