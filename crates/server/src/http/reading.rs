//! What was measured on an original, what that suggests for a print, and how often people follow it.

use axum::Json;
use axum::extract::State;
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::reading::Reading;
use serde::Serialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::app::App;
use crate::app::faces::faces_of;
use crate::app::followed::{self, SuggestionsFollowed};
use crate::app::readings::{SuggestionFor, SuggestionView, reading_of};
use crate::problem::Problem;

/// A reading with its conclusion.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReadingView {
    /// The figures.
    pub reading: Reading,
    /// Noise and sharpness in a few words.
    pub line: String,
    /// What they come to, in plain words.
    pub conclusion: Vec<String>,
}

/// The reading of an original; measured now if it was not yet.
#[utoipa::path(get, path = "/originals/{id}/reading", tag = "reading", params(("id" = OriginalId, Path)),
    responses((status = OK, body = ReadingView), (status = 404, body = ProblemDetails)))]
pub async fn reading(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<ReadingView>, Problem> {
    let row = app.store.original(id).await?;
    let reading = reading_of(&app, &row).await?;
    let (line, conclusion) = (reading.line(), reading.conclusion());
    Ok(Json(ReadingView { reading, line, conclusion }))
}

/// The suggested treatment of an original for a print, from its own reading and from what is tried on its own parts.
#[utoipa::path(post, path = "/originals/{id}/suggestion", tag = "reading", params(("id" = OriginalId, Path)),
    request_body = SuggestionFor,
    responses((status = OK, body = SuggestionView), (status = 422, body = ProblemDetails)))]
pub async fn suggestion(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(wanted): Body<SuggestionFor>,
) -> Result<Json<SuggestionView>, Problem> {
    let mut row = app.store.original(id).await?;
    row.faces = Some(faces_of(&app, &row).await?);
    Ok(Json(wanted.tried(&app, &row).await?))
}

/// How often what was suggested was kept, over the newest pictures that somebody has worked on, and what was chosen instead.
#[utoipa::path(get, path = "/suggestions", tag = "reading", responses((status = OK, body = SuggestionsFollowed)))]
pub async fn suggestions(State(app): State<App>) -> Result<Json<SuggestionsFollowed>, Problem> {
    Ok(Json(followed::counted(&app).await?))
}
