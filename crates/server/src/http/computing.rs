//! What computes the models, and what a person wants to.

use axum::Json;
use axum::extract::State;
use dettaglio_domain::device::Wanted;
use serde::Deserialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::Body;
use crate::app::App;
use crate::compute::computing::ComputingView;
use crate::problem::Problem;

/// A device that is wanted.
#[derive(Debug, Deserialize, ToSchema)]
pub struct WantedDevice {
    /// "auto" (the fastest that is right), "cpu", "gpu", or a device's name.
    #[schema(value_type = String)]
    pub device: Wanted,
}

/// What computes the models, and what else could.
#[utoipa::path(get, path = "/computing", tag = "computing", responses((status = OK, body = ComputingView)))]
pub async fn computing(State(app): State<App>) -> Json<ComputingView> {
    Json(app.computing.view())
}

/// Has the models computed on a device from now on; views that were computed before stay.
#[utoipa::path(post, path = "/computing", tag = "computing", request_body = WantedDevice,
    responses((status = OK, body = ComputingView), (status = 422, body = ProblemDetails)))]
pub async fn want_device(
    State(app): State<App>,
    Body(wanted): Body<WantedDevice>,
) -> Result<Json<ComputingView>, Problem> {
    app.computing.want(wanted.device, &app.studio).await?;
    Ok(Json(app.computing.view()))
}

/// Tries every device anew, which takes some seconds for each.
#[utoipa::path(post, path = "/computing/try", tag = "computing", responses((status = OK, body = ComputingView)))]
pub async fn try_devices(State(app): State<App>) -> Result<Json<ComputingView>, Problem> {
    app.computing.try_all(&app.studio).await?;
    Ok(Json(app.computing.view()))
}
