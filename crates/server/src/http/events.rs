//! Changes as they happen: server-sent events.

use std::convert::Infallible;

use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::{Stream, StreamExt};
use tokio_stream::wrappers::BroadcastStream;

use super::jobs::JobView;
use crate::app::App;

/// A stream of events named `job`, each with a job that changed, as JSON.
///
/// One that lagged behind gets an event `again` and is to load everything anew.
#[utoipa::path(get, path = "/events", tag = "events", responses((status = OK, body = JobView, content_type = "text/event-stream")))]
pub async fn events(State(app): State<App>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let stop = app.stop.clone();
    let stream = BroadcastStream::new(app.changes.subscribe())
        .map(|change| {
            Ok(match change {
                Ok(job) => Event::default().event("job").json_data(JobView::from(job)).unwrap_or_default(),
                Err(_) => Event::default().event("again").data(""),
            })
        })
        .take_until(stop.cancelled_owned());
    Sse::new(stream).keep_alive(KeepAlive::default())
}
