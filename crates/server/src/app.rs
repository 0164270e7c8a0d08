//! The application: its state, its routes, and who may talk to it.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use tokio::sync::broadcast;
use tokio_util::sync::CancellationToken;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{NotForContentType, Predicate, SizeAbove};
use tower_http::services::{ServeDir, ServeFile};
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::trace::TraceLayer;
use utoipa::openapi::OpenApi;

use crate::api;
use crate::api::jobs::JobView;
use crate::problem::Problem;
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
    /// This process's worker.
    pub worker: Arc<Worker>,
    /// Small pictures, one a subject, on which models show what they do.
    pub examples: PathBuf,
    /// The program in whose process a strange model is tried.
    pub trial_program: PathBuf,
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
pub fn router(app: App, front: PathBuf) -> Router {
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
        .layer(middleware::from_fn(only_from_here))
        .layer(CatchPanicLayer::custom(|_| Problem::internal("the request met an error in the program").into_response()))
        .layer(TraceLayer::new_for_http())
        .with_state(app)
}

async fn no_such_address() -> Problem {
    Problem::new(StatusCode::NOT_FOUND, "not-found", "there is nothing at this address; see /api/v1/openapi.json")
}

/// The server listens on loopback and asks for no password, so pages from elsewhere must not reach it through a browser.
async fn only_from_here(request: Request, next: Next) -> Response {
    if is_from_here(request.headers()) {
        return next.run(request).await;
    }
    let detail = "this server answers only to pages of its own, opened on 127.0.0.1 or localhost";
    Problem::new(StatusCode::FORBIDDEN, "access.foreign", detail).into_response()
}

/// Whether host and origin, where given, are loopback names.
fn is_from_here(headers: &HeaderMap) -> bool {
    let text = |name| headers.get(name).map(|value| value.to_str().unwrap_or("?"));
    let host = text(header::HOST).is_none_or(is_loopback);
    let origin = text(header::ORIGIN).is_none_or(|origin| {
        origin.strip_prefix("http://").or_else(|| origin.strip_prefix("https://")).is_some_and(is_loopback)
    });
    host && origin
}

fn is_loopback(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "127.0.0.1" | "localhost" | "[::1]")
}

/// Measures the models' speed on this machine, a moment after the start so as not to delay it.
pub async fn calibrate(studio: Arc<Studio>) {
    tokio::time::sleep(Duration::from_millis(200)).await;
    let measured = tokio::task::spawn_blocking(move || {
        let mut rates = studio.rates();
        let troubles = rates.measure(&studio.renderer().shelf());
        studio.update_rates(|kept| kept.models.extend(rates.models));
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
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(Some("127.0.0.1:4390"), None, true)]
    #[case(Some("localhost:4390"), Some("http://localhost:4390"), true)]
    #[case(Some("[::1]:4390"), None, true)]
    #[case(None, None, true)]
    #[case(Some("prints.example"), None, false)]
    #[case(Some("127.0.0.1:4390"), Some("http://prints.example"), false)]
    #[case(Some("127.0.0.1:4390"), Some("null"), false)]
    #[case(Some("127.0.0.1.example:80"), None, false)]
    fn pages_from_elsewhere_are_kept_out(
        #[case] host: Option<&str>,
        #[case] origin: Option<&str>,
        #[case] let_in: bool,
    ) {
        let mut headers = HeaderMap::new();
        host.map(|h| headers.insert(header::HOST, h.parse().unwrap()));
        origin.map(|o| headers.insert(header::ORIGIN, o.parse().unwrap()));
        assert_eq!(is_from_here(&headers), let_in);
    }
}
