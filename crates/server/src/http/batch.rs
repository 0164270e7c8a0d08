//! Many pictures at once: changed together, looked over before the run, and queued.

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::{Extension, Json};
use dettaglio_domain::id::{JobId, OrderId};

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use super::once::Once;
use crate::app::App;
use crate::app::batch::{self, Batch, Edit};
use crate::app::intents::Applied;
use crate::problem::Problem;
use dettaglio_domain::batch::BatchPlan;

/// Looks over a batch, and starts nothing.
#[utoipa::path(post, path = "/orders/{id}/preflight", tag = "batch", params(("id" = OrderId, Path)), request_body = Batch,
    responses((status = OK, body = BatchPlan), (status = 422, body = ProblemDetails)))]
pub async fn preflight(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Body(batch): Body<Batch>,
) -> Result<Json<BatchPlan>, Problem> {
    Ok(Json(batch::look_over(&app, id, &batch).await?.plan))
}

/// Queues all results of a batch that are not left out; none when one of them cannot be run. A request that comes again with the
/// same Idempotency-Key within a day queues nothing more.
#[utoipa::path(post, path = "/orders/{id}/jobs", tag = "batch",
    params(("id" = OrderId, Path), ("Idempotency-Key" = Option<String>, Header)), request_body = Batch,
    responses((status = CREATED, body = Vec<JobId>), (status = 422, body = ProblemDetails)))]
pub async fn run_batch(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Extension(once): Extension<Once>,
    headers: HeaderMap,
    Body(batch): Body<Batch>,
) -> Result<(StatusCode, Json<Vec<JobId>>), Problem> {
    let added = once.answer(&headers, &format!("batch of {id}"), batch::queue(&app, id, &batch)).await?;
    Ok((StatusCode::CREATED, Json(added)))
}

/// Changes several pictures at once, and answers what each had before.
#[utoipa::path(post, path = "/orders/{id}/edit", tag = "batch", params(("id" = OrderId, Path)), request_body = Edit,
    responses((status = OK, body = Vec<Applied>), (status = 422, body = ProblemDetails)))]
pub async fn edit(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Body(edit): Body<Edit>,
) -> Result<Json<Vec<Applied>>, Problem> {
    Ok(Json(batch::edit(&app, id, edit).await?))
}
