//! What a target means for a picture, before anything is computed.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_core::forecast;
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::intent::Intent;
use dettaglio_store::access::Role;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::access::Who;
use super::answer::ProblemDetails;
use super::extract::{Address, Body, Question};
use crate::app::plans::{self, Plan};
use crate::app::{App, intents};
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// Whether an intent is meant.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Remembering {
    /// Remember it as what is asked for; without, it is only tried out.
    #[serde(default = "Remembering::usual")]
    remember: bool,
}

impl Remembering {
    fn usual() -> bool {
        true
    }
}

/// All that was last asked for, or else what is suggested.
#[utoipa::path(get, path = "/originals/{id}/intent", tag = "plan", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Intent), (status = 404, body = ProblemDetails)))]
pub async fn intent(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<Intent>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(intents::of(&app, &row).await?))
}

/// Asks for something else: what was asked for before is replaced.
#[utoipa::path(put, path = "/originals/{id}/intent", tag = "plan", params(("id" = OriginalId, Path)), request_body = Intent,
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn set_intent(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(intent): Body<Intent>,
) -> Result<StatusCode, Problem> {
    app.store.original(id).await?;
    app.store.set_intent(id, Some(&intent)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Forgets what was asked for: the picture starts again from its suggestion.
#[utoipa::path(delete, path = "/originals/{id}/intent", tag = "plan", params(("id" = OriginalId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn forget_intent(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<StatusCode, Problem> {
    app.store.original(id).await?;
    app.store.set_intent(id, None).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How large the file will be.
#[derive(Debug, Serialize, ToSchema)]
pub struct SizeForecast {
    /// Bytes, from patches of the result itself.
    pub bytes: u64,
}

/// Forecasts the size of the file, by encoding a few patches of the result.
#[utoipa::path(post, path = "/originals/{id}/forecast", tag = "plan", params(("id" = OriginalId, Path)), request_body = Intent,
    responses((status = OK, body = SizeForecast), (status = 422, body = ProblemDetails)))]
pub async fn forecast(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(intent): Body<Intent>,
) -> Result<Json<SizeForecast>, Problem> {
    let row = app.store.original(id).await?;
    let treatment = intents::work_out(&intent, &app, &row, None)?.treatment;
    let settings = intent.settings();
    let original = app.studio.original(row.hash).await?;
    let lane = if treatment.needs_model() { Lane::Later } else { Lane::Plain };
    let bytes = app
        .studio
        .view(lane, move |studio, pace| forecast::bytes(studio.renderer(), &original, &treatment, settings, pace))
        .await??;
    Ok(Json(SizeForecast { bytes }))
}

/// Works out size, time, limits and verdict of what is asked for, remembers it, and has the treatment at hand for its tiles.
#[utoipa::path(post, path = "/originals/{id}/plan", tag = "plan", params(("id" = OriginalId, Path), Remembering), request_body = Intent,
    responses((status = OK, body = Plan), (status = 422, body = ProblemDetails)))]
pub async fn plan(
    State(app): State<App>,
    who: Who,
    Address(id): Address<OriginalId>,
    Question(Remembering { remember }): Question<Remembering>,
    Body(intent): Body<Intent>,
) -> Result<Json<Plan>, Problem> {
    let plan = plans::plan(&app, app.store.original(id).await?, &intent).await?;
    // Who may only look tries things out, and nothing of it is remembered.
    if remember && who.role == Role::Technician {
        app.store.set_intent(id, Some(&intent)).await?;
    }
    Ok(Json(plan))
}
