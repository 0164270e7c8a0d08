//! The routes with all that lies around them: who may ask, how much is read, what every answer says.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::{HeaderName, HeaderValue, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Router};
use futures::StreamExt;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{NotForContentType, Predicate, SizeAbove};
use tower_http::services::{ServeDir, ServeFile};
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::RequestBodyTimeoutLayer;
use tower_http::trace::TraceLayer;
use utoipa::openapi::OpenApi;

use super::access::{Access, SESSION, guard};
use super::document;
use super::once::Once;
use super::routes::routes;
use super::sign_ins::SignIns;
use crate::app::App;
use crate::problem::Problem;

/// The document that describes the API.
pub fn openapi() -> OpenApi {
    described().1
}

/// The routes of the API, and the document that describes them.
fn described() -> (Router<App>, OpenApi) {
    let (api, mut document) = utoipa_axum::router::OpenApiRouter::new().nest("/api/v1", routes()).split_for_parts();
    document::complete(&mut document);
    (api, document)
}

/// All routes; `front` is the folder of the built front end.
pub fn router(app: App, access: Access, sign_ins: SignIns, front: PathBuf) -> Router {
    let (sessions, access) = (access.layer(), Arc::new(access));
    let (api, document) = described();
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
        .layer(Extension(Once::default()))
        .layer(Extension(Arc::new(sign_ins)))
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
