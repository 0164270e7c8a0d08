//! The model shelf.

use axum::Json;
use axum::extract::State;
use dettaglio_core::model::Card;
use serde::Serialize;
use utoipa::ToSchema;

use crate::app::App;

/// A model and what it does here.
#[derive(Debug, Serialize, ToSchema)]
pub struct ModelView {
    /// Its card.
    pub card: Card,
    /// Name and grade.
    pub title: String,
    /// Input pixels a second on this machine, once measured.
    pub pixels_per_second: Option<f64>,
}

/// All models, with their cards and their measured speed on this machine.
#[utoipa::path(get, path = "/models", tag = "models", responses((status = OK, body = Vec<ModelView>)))]
pub async fn models(State(app): State<App>) -> Json<Vec<ModelView>> {
    let rates = app.studio.rates();
    let view = |card: &Card| ModelView {
        title: card.title(),
        pixels_per_second: rates.models.get(&card.id).copied(),
        card: card.clone(),
    };
    Json(app.studio.renderer().shelf().models().iter().map(|model| view(model.card())).collect())
}
