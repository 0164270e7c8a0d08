//! The application: its state, its routes, and who may talk to it.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::{HeaderName, HeaderValue, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use futures::StreamExt;
use tokio::sync::{Mutex, Notify, Semaphore, broadcast};
use tokio_util::sync::CancellationToken;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{NotForContentType, Predicate, SizeAbove};
use tower_http::services::{ServeDir, ServeFile};
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::RequestBodyTimeoutLayer;
use tower_http::trace::TraceLayer;
use utoipa::openapi::OpenApi;

use crate::access::{Access, SESSION, SignIns, guard};
use crate::api;
use crate::api::jobs::JobView;
use crate::devices::{Devices, Troubles};
use crate::once::Once;
use crate::problem::Problem;
use crate::rehearsals::Rehearsals;
use crate::studio::Studio;
use crate::worker::Worker;

/// What handlers share.
#[derive(Clone)]
pub struct App {
    /// The database.
    pub store: Store,
    /// The files.
    pub files: FileStore,
    /// Where pictures are computed.
    pub studio: Arc<Studio>,
    /// This process's workers.
    pub workers: Arc<[Arc<Worker>]>,
    /// Told when there is something to do.
    pub queued: Arc<Notify>,
    /// Small pictures, one a subject, on which models show what they do.
    pub examples: PathBuf,
    /// The program in whose process a strange model is tried.
    pub trial_program: PathBuf,
    /// Devices and services outside.
    pub devices: Arc<Devices>,
    /// Orders of the shop that could not be taken.
    pub troubles: Arc<Troubles>,
    /// The folder into which devices drop files for orders.
    pub inbox: PathBuf,
    /// Faces of new originals are looked for one picture at a time.
    pub finding: Arc<Semaphore>,
    /// Strange models are tried one at a time: each may take gigabytes.
    pub trying: Arc<Semaphore>,
    /// Runs are looked over a few at a time.
    pub looking_over: Arc<Semaphore>,
    /// Requests that are to have their effect once.
    pub once: Once,
    /// Rehearsals that go on.
    pub rehearsals: Arc<Rehearsals>,
    /// Orders are changed one at a time, so that none is changed between a look and a change.
    pub changing: Arc<Mutex<()>>,
    /// Who tries to sign in, and how often.
    pub sign_ins: Arc<SignIns>,
    /// Jobs that changed.
    pub changes: broadcast::Sender<JobView>,
    /// Set when the program is to end.
    pub stop: CancellationToken,
}

/// The document that describes the API.
pub fn openapi() -> OpenApi {
    utoipa_axum::router::OpenApiRouter::new().nest("/api/v1", api::routes()).split_for_parts().1
}

/// All routes; `front` is the folder of the built front end.
pub fn router(app: App, access: Access, front: PathBuf) -> Router {
    let (sessions, access) = (access.layer(), Arc::new(access));
    let (api, document) = utoipa_axum::router::OpenApiRouter::new().nest("/api/v1", api::routes()).split_for_parts();
    let document = Arc::new(document);
    let pages = ServeDir::new(&front).fallback(ServeFile::new(front.join("index.html")));
    // Pictures and events gain nothing from compression.
    let compressed = SizeAbove::default().and(NotForContentType::IMAGES).and(NotForContentType::SSE);
    api.route("/api/v1/openapi.json", axum::routing::get(move || async move { axum::Json(document.as_ref().clone()) }))
        .route("/api/{*rest}", axum::routing::any(no_such_address))
        .fallback_service(pages)
        .layer(DefaultBodyLimit::disable())
        .layer(CompressionLayer::new().compress_when(compressed))
        .layer(SetResponseHeaderLayer::if_not_present(
            header::CONTENT_SECURITY_POLICY,
            HeaderValue::from_static(
                "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'",
            ),
        ))
        .layer(SetResponseHeaderLayer::if_not_present(
            header::X_CONTENT_TYPE_OPTIONS,
            HeaderValue::from_static("nosniff"),
        ))
        .layer(SetResponseHeaderLayer::if_not_present(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer")))
        .layer(SetResponseHeaderLayer::if_not_present(
            HeaderName::from_static("cross-origin-resource-policy"),
            HeaderValue::from_static("same-origin"),
        ))
        .layer(middleware::from_fn(read_whole))
        // Who may not ask is told so before a byte of the message is read.
        .layer(middleware::from_fn_with_state(access, guard))
        .layer(sessions)
        .layer(RequestBodyTimeoutLayer::new(QUIET))
        .layer(CatchPanicLayer::custom(|_| Problem::internal("the request met an error in the program").into_response()))
        .layer(TraceLayer::new_for_http())
        .with_state(app)
}

/// The largest message in bytes, of whatever kind it calls itself; forms with files have limits of their own.
const LARGEST_MESSAGE: usize = 8 << 20;

/// The largest message of somebody who is not signed in.
const LARGEST_SIGN_IN: usize = 4 << 10;

/// How long a message may pause.
const QUIET: Duration = Duration::from_secs(30);

/// How much of a message that is refused for its size is still read, and dropped: 1 MiB. The refusal is lost to whoever is still
/// sending when the connection closes.
const DRAINED: usize = 1 << 20;

/// Reads a message to its end before anything answers it, unless it is a form with files. A connection on which the answer overtook
/// the message is closed without a word, and the next request on it would be lost.
async fn read_whole(request: Request, next: Next) -> Response {
    let kind = request.headers().get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    let is_form = kind.trim_start().get(..FORM.len()).is_some_and(|start| start.eq_ignore_ascii_case(FORM));
    if is_form && takes_forms(request.uri().path()) {
        return next.run(request).await;
    }
    let most = if request.uri().path() == SESSION { LARGEST_SIGN_IN } else { LARGEST_MESSAGE };
    let (parts, body) = request.into_parts();
    match whole(body, most).await {
        Some(message) => next.run(Request::from_parts(parts, Body::from(message))).await,
        None => Problem::new(
            StatusCode::PAYLOAD_TOO_LARGE,
            "message-too-large",
            format!("the message is larger than {} kB, or broke off", most >> 10),
        )
        .into_response(),
    }
}

/// A message of at most so many bytes. `None` when it broke off, or is larger: then up to [`DRAINED`] bytes more have been dropped.
async fn whole(body: Body, most: usize) -> Option<Vec<u8>> {
    let (mut parts, mut message, mut read) = (body.into_data_stream(), Vec::new(), 0);
    while let Some(part) = parts.next().await {
        let part = part.ok()?;
        read += part.len();
        if read <= most {
            message.extend_from_slice(&part);
        } else if read > most + DRAINED {
            return None;
        } else {
            message = Vec::new();
        }
    }
    (read <= most).then_some(message)
}

const FORM: &str = "multipart/form-data";

/// Where files are sent to: pictures, and models.
fn takes_forms(path: &str) -> bool {
    path == "/api/v1/models" || (path.starts_with("/api/v1/orders/") && path.ends_with("/originals"))
}

async fn no_such_address() -> Problem {
    Problem::new(StatusCode::NOT_FOUND, "not-found", "there is nothing at this address; see /api/v1/openapi.json")
}

/// Measures the models' speed on this machine, a moment after the start so as not to delay it.
pub async fn calibrate(studio: Arc<Studio>) {
    tokio::time::sleep(Duration::from_millis(200)).await;
    let measured = tokio::task::spawn_blocking(move || {
        let mut rates = studio.rates();
        let troubles = rates.measure(&studio.renderer().shelf());
        studio.update_rates(|kept| {
            // What a run has corrected meanwhile stays.
            for (model, rate) in rates.models {
                kept.models.entry(model).or_insert(rate);
            }
        });
        troubles
    })
    .await;
    match measured {
        Ok(troubles) => {
            for error in troubles {
                tracing::warn!(%error, "a model's speed could not be measured");
            }
        }
        Err(error) => tracing::warn!(%error, "the models' speed could not be measured"),
    }
}

#[cfg(test)]
mod tests {
    use axum::body::{Bytes, to_bytes};
    use axum::routing::post;
    use rstest::rstest;
    use tower::ServiceExt;

    use super::*;

    /// How many bytes a handler at an address is given of a message that has so many.
    async fn taken(path: &str, kind: &str, size: usize) -> (StatusCode, String) {
        let echo = Router::new()
            .route("/{*path}", post(|message: Bytes| async move { message.len().to_string() }))
            .layer(DefaultBodyLimit::disable())
            .layer(middleware::from_fn(read_whole));
        let request =
            Request::post(path).header(header::CONTENT_TYPE, kind).body(Body::from(vec![b' '; size])).unwrap();
        let answer = echo.oneshot(request).await.unwrap();
        let status = answer.status();
        let text = to_bytes(answer.into_body(), 10_000).await.unwrap();
        (status, String::from_utf8(text.to_vec()).unwrap())
    }

    #[rstest]
    #[case("/api/v1/orders", "application/json", 0)]
    #[case("/api/v1/orders", "application/json; charset=utf-8", 300_000)]
    #[case("/api/v1/orders", "application/json", LARGEST_MESSAGE)]
    #[case("/api/v1/session", "application/json", LARGEST_SIGN_IN)]
    #[case("/api/v1/orders/7/originals", "Multipart/Form-Data; boundary=x", LARGEST_MESSAGE + 1)]
    #[tokio::test]
    async fn a_message_is_passed_on_whole(#[case] path: &str, #[case] kind: &str, #[case] size: usize) {
        assert_eq!(taken(path, kind, size).await, (StatusCode::OK, size.to_string()));
    }

    #[rstest]
    #[case("/api/v1/orders", "application/json", LARGEST_MESSAGE + 1)]
    #[case("/api/v1/orders", "application/x+json", LARGEST_MESSAGE + 1)]
    #[case("/api/v1/orders", "Application/JSON", LARGEST_MESSAGE + 1)]
    #[case("/api/v1/orders", "multipart/form-data; boundary=x", LARGEST_MESSAGE + 1)]
    #[case("/api/v1/session", "application/x+json", LARGEST_SIGN_IN + 1)]
    #[case("/api/v1/session", "", LARGEST_SIGN_IN + 1)]
    #[tokio::test]
    async fn a_message_without_end_is_refused_whatever_it_calls_itself(
        #[case] path: &str,
        #[case] kind: &str,
        #[case] size: usize,
    ) {
        let (status, problem) = taken(path, kind, size).await;
        assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE);
        assert!(problem.contains("message-too-large"), "{problem}");
    }
}
