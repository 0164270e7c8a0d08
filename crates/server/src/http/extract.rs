//! Parts of a request, whose refusals are problems.

use axum::Json;
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts, Path, Query, Request};
use axum::http::request::Parts;
use dettaglio_domain::numbers::beyond_measure;
use serde::de::DeserializeOwned;
use serde_json::Value;

use crate::problem::Problem;

/// A JSON body whose refusal is a [`Problem`].
///
/// A number that is beyond what single precision holds is refused wherever it stands: read, it would be infinite, and kept, it would
/// be nothing.
pub struct Body<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let Json(value) = Json::<Value>::from_request(request, state).await?;
        if let Some(number) = beyond_measure(&value) {
            return Err(Problem::bad_request("request.body", format!("{number} is beyond every measure")));
        }
        match serde_path_to_error::deserialize(value) {
            Ok(value) => Ok(Self(value)),
            Err(error) => Err(Problem::bad_request("request.body", error)),
        }
    }
}

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        Problem::bad_request("request.body", rejection.body_text())
    }
}

/// Parts of the address whose refusal is a [`Problem`].
pub struct Address<T>(pub T);

impl<T, S> FromRequestParts<S> for Address<T>
where
    Path<T>: FromRequestParts<S, Rejection = PathRejection>,
    S: Send + Sync,
{
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match Path::from_request_parts(parts, state).await {
            Ok(Path(value)) => Ok(Self(value)),
            Err(rejection) => Err(Problem::bad_request("request.address", rejection.body_text())),
        }
    }
}

/// The address's query, whose refusal is a [`Problem`].
#[derive(FromRequestParts)]
#[from_request(via(Query), rejection(Problem))]
pub struct Question<T>(pub T);

impl From<QueryRejection> for Problem {
    fn from(rejection: QueryRejection) -> Self {
        Problem::bad_request("request.query", rejection.body_text())
    }
}
