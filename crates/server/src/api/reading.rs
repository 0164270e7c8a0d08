//! What was measured on an original, and what that suggests for a print.

use axum::Json;
use axum::extract::State;
use dettaglio_core::frame::Frame;
use dettaglio_core::model::Shelf;
use dettaglio_core::reading::Reading;
use dettaglio_core::recipe::{Recipe, Surround};
use dettaglio_core::size::Target;
use dettaglio_core::suggest::{PrintFacts, Reason, Suggestion};
use dettaglio_core::treatment::TreatmentError;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::faces::faces_of;
use super::{Address, Body};
use crate::app::App;
use crate::problem::Problem;
use crate::studio::blocking;

/// A reading with its conclusion.
#[derive(Debug, Serialize, ToSchema)]
pub struct ReadingView {
    /// The figures.
    pub reading: Reading,
    /// What they come to, in plain words.
    pub conclusion: Vec<String>,
}

/// The reading of an original; measured now if it was not yet.
#[utoipa::path(get, path = "/originals/{id}/reading", tag = "reading", params(("id" = u64, Path)),
    responses((status = OK, body = ReadingView), (status = 404, body = Problem)))]
pub async fn reading(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<ReadingView>, Problem> {
    let row = app.store.original(id).await?;
    let reading = reading_of(&app, &row).await?;
    let conclusion = reading.conclusion();
    Ok(Json(ReadingView { reading, conclusion }))
}

/// For which print a suggestion is wanted.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct SuggestionFor {
    /// How large.
    pub target: Target,
    /// What is kept of the original.
    #[serde(default)]
    pub frame: Frame,
    /// What lies around it.
    #[serde(default)]
    pub surround: Surround,
    /// From how far it is seen, in metres; 1.5 times the print's diagonal when not given.
    #[serde(default)]
    pub distance_m: Option<f64>,
}

/// What is suggested, with reasons.
#[derive(Debug, Serialize, ToSchema)]
pub struct SuggestionView {
    /// All settings.
    pub recipe: Recipe,
    /// Whether a model would gain anything that the eye could see on this print.
    pub gains: bool,
    /// Why.
    pub reasons: Vec<Reason>,
}

/// The suggested treatment of an original for a print, from its own reading alone.
#[utoipa::path(post, path = "/originals/{id}/suggestion", tag = "reading", params(("id" = u64, Path)),
    request_body = SuggestionFor,
    responses((status = OK, body = SuggestionView), (status = 422, body = Problem)))]
pub async fn suggestion(
    State(app): State<App>,
    Address(id): Address<u64>,
    Body(wanted): Body<SuggestionFor>,
) -> Result<Json<SuggestionView>, Problem> {
    let mut row = app.store.original(id).await?;
    row.faces = Some(faces_of(&app, &row).await?);
    let reading = reading_of(&app, &row).await?;
    Ok(Json(wanted.suggest(&row, &reading, &app.studio.renderer().shelf())?))
}

impl SuggestionFor {
    /// What is suggested for an original with this reading.
    pub fn suggest(&self, row: &OriginalRow, reading: &Reading, shelf: &Shelf) -> Result<SuggestionView, Problem> {
        let kept = self.frame.size(row.facts.size).map_err(TreatmentError::from)?;
        let resolved = self.target.resolve(kept)?;
        let print = PrintFacts {
            factor: resolved.factor,
            ppi: resolved.print.map(|p| p.ppi),
            distance_m: resolved.print.map(|p| self.distance_m.unwrap_or_else(|| p.usual_distance_m())),
        };
        let suggestion = Suggestion::of(reading, row.faces.as_deref().unwrap_or_default(), &row.facts, shelf, print);
        Ok(SuggestionView {
            recipe: Recipe::suggested(&suggestion, self.frame, self.surround),
            gains: suggestion.gains,
            reasons: suggestion.reasons,
        })
    }
}

/// The reading that is kept, or a fresh one.
pub async fn reading_of(app: &App, row: &OriginalRow) -> Result<Reading, Problem> {
    if let Some(reading) = &row.reading {
        return Ok(reading.clone());
    }
    let original = app.studio.original(row.hash).await?;
    let facts = row.facts.clone();
    let reading = blocking(move || Reading::of(&original, &facts)).await?;
    app.store.set_reading(row.id, &reading).await?;
    Ok(reading)
}
