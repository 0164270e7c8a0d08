//! What this installation is connected to, and what was sent to the printer.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_domain::id::{OrderId, PrintingId, ResultId};
use dettaglio_store::printings::Printing;
use serde::Serialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::Address;
use crate::adapters::printer;
use crate::app::App;
use crate::app::troubles::Trouble;
use crate::config::Devices;
use crate::problem::Problem;

/// Devices and folders.
#[derive(Debug, Serialize, ToSchema)]
pub struct DevicesView {
    /// Shop and printer.
    #[serde(flatten)]
    pub devices: Devices,
    /// The folder for scans: what is put into its folder named like an order's number comes into that order.
    pub inbox: String,
    /// Orders of the shop that could not be taken, and why.
    pub troubles: Vec<Trouble>,
}

/// What this installation is connected to.
#[utoipa::path(get, path = "/devices", tag = "devices", responses((status = OK, body = DevicesView)))]
pub async fn devices(State(app): State<App>) -> Json<DevicesView> {
    let inbox = std::path::absolute(&app.inbox).unwrap_or_else(|_| app.inbox.clone());
    Json(DevicesView {
        devices: (*app.devices).clone(),
        inbox: inbox.display().to_string(),
        troubles: app.troubles.all(),
    })
}

/// Has the orders of the shop that could not be taken tried again at once.
#[utoipa::path(post, path = "/devices/shop/retry", tag = "devices", responses((status = NO_CONTENT)))]
pub async fn retry_shop(State(app): State<App>) -> StatusCode {
    app.troubles.try_now();
    StatusCode::NO_CONTENT
}

/// Sends a result to the printer.
#[utoipa::path(post, path = "/enlargements/{id}/print", tag = "devices", params(("id" = ResultId, Path)),
    responses((status = CREATED, body = PrintingId), (status = 422, body = ProblemDetails), (status = 502, body = ProblemDetails)))]
pub async fn print(
    State(app): State<App>,
    Address(id): Address<ResultId>,
) -> Result<(StatusCode, Json<PrintingId>), Problem> {
    let none = || Problem::refused("printer.none", "no printer is connected: start the server with --printer ADDRESS");
    let printer = app.devices.printer.as_deref().ok_or_else(none)?;
    let result = app.store.enlargement(id).await?;
    Ok((StatusCode::CREATED, Json(printer::send(&app, printer, &result).await?)))
}

/// What was sent of an order, and what the printer said; the newest first.
#[utoipa::path(get, path = "/orders/{id}/printings", tag = "devices", params(("id" = OrderId, Path)),
    responses((status = OK, body = Vec<Printing>)))]
pub async fn printings(State(app): State<App>, Address(id): Address<OrderId>) -> Result<Json<Vec<Printing>>, Problem> {
    Ok(Json(app.store.printings(id).await?))
}
