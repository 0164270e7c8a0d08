//! A crop while a hand draws it.

use axum::Json;
use axum::extract::State;
use dettaglio_domain::crop::{Drawing, Drawn};
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::treatment::TreatmentError;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::app::App;
use crate::problem::Problem;

/// What becomes of a crop's rectangle that is dragged, fitted or given a shape; nothing is written down.
#[utoipa::path(post, path = "/originals/{id}/crop", tag = "plan", params(("id" = OriginalId, Path)), request_body = Drawing,
    responses((status = OK, body = Drawn), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn draw_crop(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(drawing): Body<Drawing>,
) -> Result<Json<Drawn>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(drawing.drawn(row.facts.size).map_err(TreatmentError::from)?))
}
