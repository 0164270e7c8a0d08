//! How a problem is answered: RFC 9457 problem details, with the status of its kind.

use std::error::Error;

use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use utoipa::ToSchema;

use crate::problem::{Kind, Problem};

/// A problem as it is answered.
#[derive(Serialize, ToSchema)]
pub struct ProblemDetails {
    /// HTTP status.
    pub status: u16,
    #[serde(flatten)]
    pub problem: Problem,
}

/// The status of an answer that tells a problem of this kind.
pub fn status(kind: Kind) -> StatusCode {
    match kind {
        Kind::Malformed => StatusCode::BAD_REQUEST,
        Kind::Refused => StatusCode::UNPROCESSABLE_ENTITY,
        Kind::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
        Kind::SignIn => StatusCode::UNAUTHORIZED,
        Kind::Forbidden => StatusCode::FORBIDDEN,
        Kind::Missing => StatusCode::NOT_FOUND,
        Kind::NoSuchMethod => StatusCode::METHOD_NOT_ALLOWED,
        Kind::Conflict => StatusCode::CONFLICT,
        Kind::Outdated => StatusCode::PRECONDITION_FAILED,
        Kind::TooOften => StatusCode::TOO_MANY_REQUESTS,
        Kind::Outside => StatusCode::BAD_GATEWAY,
        Kind::Unavailable => StatusCode::SERVICE_UNAVAILABLE,
        Kind::Full => StatusCode::INSUFFICIENT_STORAGE,
        Kind::Internal => StatusCode::INTERNAL_SERVER_ERROR,
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = status(self.kind);
        if status.is_server_error() {
            let source = self.source().map(tracing::field::display);
            tracing::error!(code = self.code, detail = %self.detail, source, "a request failed");
        }
        let retry_after = self.retry_after;
        let kind = [(header::CONTENT_TYPE, "application/problem+json")];
        let mut response =
            (status, kind, Json(ProblemDetails { status: status.as_u16(), problem: self })).into_response();
        if let Some(seconds) = retry_after {
            response.headers_mut().insert(header::RETRY_AFTER, seconds.into());
        }
        response
    }
}
