//! The routes with all that lies around them: who may ask, how much is read, what every answer says.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use axum::routing::{any, get};
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
use utoipa_axum::router::OpenApiRouter;

use super::access::{Access, guard, keep_strangers_out};
use super::document;
use super::once::Once;
use super::routes::{Group, groups, preface};
use super::sign_ins::SignIns;
use super::terms::{Brings, LARGEST_MESSAGE, Needs};
use crate::app::App;
use crate::problem::{Kind, Problem};

/// The document that describes the API.
pub fn openapi() -> OpenApi {
    described(|routes, _, _| routes).1
}

/// The routes of the API, each behind what `terms` sets before it, and the document that describes them.
fn described(terms: impl Fn(OpenApiRouter<App>, Needs, Brings) -> OpenApiRouter<App>) -> (Router<App>, OpenApi) {
    let all = groups().into_iter().fold(OpenApiRouter::with_openapi(preface()), |all, group| {
        let Group { needs, brings, mut routes } = group;
        document::say_who(routes.get_openapi_mut(), needs);
        all.merge(terms(routes, needs, brings))
    });
    let (api, mut document) = OpenApiRouter::with_openapi(preface()).nest("/api/v1", all).split_for_parts();
    document::complete(&mut document);
    (api, document)
}

/// All routes; `front` is the folder of the built front end.
pub fn router(app: App, access: Access, sign_ins: SignIns, front: PathBuf) -> Router {
    let (sessions, access) = (access.layer(), Arc::new(access));
    let guarded = |needs| middleware::from_fn_with_state((Arc::clone(&access), needs), guard);
    let (api, document) = described(|routes, needs, brings| {
        // Who may not ask is told so before a byte of the message is read.
        routes.route_layer(middleware::from_fn_with_state(brings, read_whole)).route_layer(guarded(needs))
    });
    let document = Arc::new(document);
    let pages = ServeDir::new(&front).fallback(ServeFile::new(front.join("index.html")));
    // Pictures and events gain nothing from compression.
    let compressed = SizeAbove::default().and(NotForContentType::IMAGES).and(NotForContentType::SSE);
    let of_the_api = Router::new()
        .route("/api/v1/openapi.json", get(move || async move { axum::Json(document.as_ref().clone()) }))
        .route("/api/{*rest}", any(no_such_address))
        .route_layer(middleware::from_fn_with_state(Brings::Message(LARGEST_MESSAGE), read_whole))
        .route_layer(guarded(Needs::Account));
    api.merge(of_the_api)
        .fallback_service(pages)
        .method_not_allowed_fallback(no_such_method)
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
        .layer(sessions)
        .layer(middleware::from_fn_with_state(access, keep_strangers_out))
        .layer(RequestBodyTimeoutLayer::new(QUIET))
        .layer(CatchPanicLayer::custom(|_| Problem::internal("the request met an error in the program").into_response()))
        .layer(TraceLayer::new_for_http())
        .layer(middleware::from_fn_with_state(app.clone(), note_presence))
        .with_state(app)
}

/// What a page that is only left open asks for again and again, to follow what becomes of it: it does not tell that somebody is there.
const FOLLOWED: [&str; 5] =
    ["/api/v1/models", "/api/v1/run-sheet", "/api/v1/events", "/api/v1/jobs/", "/api/v1/health"];

/// Whatever is computed ahead gives way to whoever asks for anything.
async fn note_presence(State(app): State<App>, request: Request, next: Next) -> Response {
    if !FOLLOWED.iter().any(|path| request.uri().path().starts_with(path)) {
        app.studio.note_request();
    }
    next.run(request).await
}

/// How long a message may pause.
const QUIET: Duration = Duration::from_secs(30);

/// How much of a message that is refused for its size is still read, and dropped: 1 MiB. The refusal is lost to whoever is still
/// sending when the connection closes.
const DRAINED: usize = 1 << 20;

/// Reads a message to its end before anything answers it, unless it is a form with files. A connection on which the answer overtook
/// the message is closed without a word, and the next request on it would be lost.
async fn read_whole(State(brings): State<Brings>, request: Request, next: Next) -> Response {
    let most = match brings {
        Brings::Files if is_form(request.headers()) => return next.run(request).await,
        Brings::Files => LARGEST_MESSAGE,
        Brings::Message(most) => most,
    };
    let (parts, body) = request.into_parts();
    match whole(body, most).await {
        Some(message) => next.run(Request::from_parts(parts, Body::from(message))).await,
        None => {
            let detail = format!("the message is larger than {} kB, or broke off", most >> 10);
            Problem::new(Kind::TooLarge, "message-too-large", detail).into_response()
        }
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

/// Whether a message says that it is a form with files.
fn is_form(headers: &HeaderMap) -> bool {
    const FORM: &str = "multipart/form-data";
    let kind = headers.get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    kind.trim_start().get(..FORM.len()).is_some_and(|start| start.eq_ignore_ascii_case(FORM))
}

async fn no_such_address() -> Problem {
    Problem::missing("not-found", "there is nothing at this address; see /api/v1/openapi.json")
}

async fn no_such_method() -> Problem {
    Problem::new(Kind::NoSuchMethod, "method", "this address does not do that; see /api/v1/openapi.json")
}

#[cfg(test)]
mod tests {
    use axum::body::{Bytes, to_bytes};
    use axum::http::StatusCode;
    use axum::routing::post;
    use rstest::rstest;
    use tower::ServiceExt;

    use super::super::terms::LARGEST_SIGN_IN;
    use super::*;

    const SIGN_IN: Brings = Brings::Message(LARGEST_SIGN_IN);
    const MESSAGE: Brings = Brings::Message(LARGEST_MESSAGE);

    /// How many bytes a handler is given of a message that has so many.
    async fn taken(brings: Brings, kind: &str, size: usize) -> (StatusCode, String) {
        let echo = Router::new()
            .route("/", post(|message: Bytes| async move { message.len().to_string() }))
            .layer(DefaultBodyLimit::disable())
            .layer(middleware::from_fn_with_state(brings, read_whole));
        let request = Request::post("/").header(header::CONTENT_TYPE, kind).body(Body::from(vec![b' '; size])).unwrap();
        let answer = echo.oneshot(request).await.unwrap();
        let status = answer.status();
        let text = to_bytes(answer.into_body(), 10_000).await.unwrap();
        (status, String::from_utf8(text.to_vec()).unwrap())
    }

    #[rstest]
    #[case(MESSAGE, "application/json", 0)]
    #[case(MESSAGE, "application/json; charset=utf-8", 300_000)]
    #[case(MESSAGE, "application/json", LARGEST_MESSAGE)]
    #[case(SIGN_IN, "application/json", LARGEST_SIGN_IN)]
    #[case(Brings::Files, "Multipart/Form-Data; boundary=x", LARGEST_MESSAGE + 1)]
    #[tokio::test]
    async fn a_message_is_passed_on_whole(#[case] brings: Brings, #[case] kind: &str, #[case] size: usize) {
        assert_eq!(taken(brings, kind, size).await, (StatusCode::OK, size.to_string()));
    }

    #[rstest]
    #[case(MESSAGE, "application/json", LARGEST_MESSAGE + 1)]
    #[case(MESSAGE, "application/x+json", LARGEST_MESSAGE + 1)]
    #[case(MESSAGE, "Application/JSON", LARGEST_MESSAGE + 1)]
    #[case(MESSAGE, "multipart/form-data; boundary=x", LARGEST_MESSAGE + 1)]
    #[case(Brings::Files, "application/json", LARGEST_MESSAGE + 1)]
    #[case(SIGN_IN, "application/x+json", LARGEST_SIGN_IN + 1)]
    #[case(SIGN_IN, "", LARGEST_SIGN_IN + 1)]
    #[tokio::test]
    async fn a_message_without_end_is_refused_whatever_it_calls_itself(
        #[case] brings: Brings,
        #[case] kind: &str,
        #[case] size: usize,
    ) {
        let (status, problem) = taken(brings, kind, size).await;
        assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE);
        assert!(problem.contains("message-too-large"), "{problem}");
    }
}
