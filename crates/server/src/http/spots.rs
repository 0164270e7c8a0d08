//! Spots of a picture, and what was decided at them.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use chrono::{DateTime, Utc};
use dettaglio_domain::geometry::Place;
use dettaglio_domain::id::{DecisionId, OriginalId};
use dettaglio_domain::spot::{MOST_SPOTS, Spot};
use dettaglio_store::choices::{Decision, KeptDecision};
use serde::Serialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::adapters::report::spots_of;
use crate::app::{App, ahead};
use crate::problem::Problem;

/// The longest name of a spot, in characters.
const LONGEST_NAME: usize = 60;

/// The places at which a picture's candidates are compared.
#[derive(Debug, Serialize, ToSchema)]
pub struct Spots {
    /// In the order of their number keys.
    pub spots: Vec<Spot>,
    /// Whether they are only suggested: nobody set any yet.
    pub suggested: bool,
}

/// The spots of an original: those that were set, or else those that its pixels suggest.
#[utoipa::path(get, path = "/originals/{id}/spots", tag = "spots", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Spots), (status = 404, body = ProblemDetails)))]
pub async fn spots(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<Spots>, Problem> {
    if let Some(spots) = app.store.spots(id).await? {
        return Ok(Json(Spots { spots, suggested: false }));
    }
    let spots = spots_of(&app, &app.store.original(id).await?).await?;
    Ok(Json(Spots { spots, suggested: true }))
}

/// Where an original opens: at its first pinned spot; else at a face's eyes, as far as faces are known; else where it is liveliest.
#[utoipa::path(get, path = "/originals/{id}/opening", tag = "spots", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Place), (status = 404, body = ProblemDetails)))]
pub async fn opening(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<Place>, Problem> {
    let row = app.store.original(id).await?;
    let opening = ahead::opening_of(&app, &row).await?;
    ahead::after(&app, &row);
    Ok(Json(opening))
}

/// Sets the spots of an original: eight at most, each inside the picture.
#[utoipa::path(put, path = "/originals/{id}/spots", tag = "spots", params(("id" = OriginalId, Path)), request_body = Vec<Spot>,
    responses((status = NO_CONTENT), (status = 422, body = ProblemDetails)))]
pub async fn set_spots(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(spots): Body<Vec<Spot>>,
) -> Result<StatusCode, Problem> {
    let size = app.store.original(id).await?.facts.size;
    let inside = |value: f32, side: u32| (0.0..=side as f32).contains(&value);
    if spots.len() > MOST_SPOTS {
        return Err(Problem::refused(
            "spots.too-many",
            format!("a picture has at most {MOST_SPOTS} spots: remove one first"),
        ));
    }
    if let Some(spot) = spots.iter().find(|s| !inside(s.x, size.width) || !inside(s.y, size.height)) {
        let detail = format!("the spot \"{}\" lies outside the picture, which has {size}", spot.name);
        return Err(Problem::refused("spots.outside", detail));
    }
    if spots.iter().any(|s| s.name.chars().count() > LONGEST_NAME) {
        return Err(Problem::refused("spots.name", format!("a spot's name has at most {LONGEST_NAME} characters")));
    }
    app.store.set_spots(id, &spots).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A decision as it was written down.
#[derive(Debug, Serialize, ToSchema)]
pub struct DecisionView {
    /// Its number.
    pub id: DecisionId,
    /// What was decided.
    #[serde(flatten)]
    pub decision: Decision,
    /// When.
    pub created_at: DateTime<Utc>,
}

/// Writes down which of some treatments was chosen.
#[utoipa::path(post, path = "/originals/{id}/decisions", tag = "spots", params(("id" = OriginalId, Path)), request_body = Decision,
    responses((status = CREATED, body = DecisionId), (status = 422, body = ProblemDetails)))]
pub async fn decide(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(decision): Body<Decision>,
) -> Result<(StatusCode, Json<DecisionId>), Problem> {
    app.store.original(id).await?;
    if !decision.candidates.iter().any(|c| c.letter == decision.chosen) {
        return Err(Problem::refused("decision.chosen", "what was chosen is not among what was compared"));
    }
    for compared in &decision.candidates {
        // What is not known any more can still be decided on by its description.
        app.studio
            .keep_treatment(compared.treatment)
            .await
            .map(drop)
            .or_else(|e| if e.is_missing() { Ok(()) } else { Err(e) })?;
    }
    Ok((StatusCode::CREATED, Json(app.store.add_decision(id, &decision).await?)))
}

/// What was decided on an original, the newest first.
#[utoipa::path(get, path = "/originals/{id}/decisions", tag = "spots", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Vec<DecisionView>), (status = 404, body = ProblemDetails)))]
pub async fn decisions(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
) -> Result<Json<Vec<DecisionView>>, Problem> {
    app.store.original(id).await?;
    let view = |KeptDecision { id, decision, created_at }| DecisionView { id, decision, created_at };
    Ok(Json(app.store.decisions(id).await?.into_iter().map(view).collect()))
}
