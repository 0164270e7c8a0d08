//! Whether everything works.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_core::model::Engine;
use serde::Serialize;
use utoipa::ToSchema;

use crate::app::App;

/// The state of each part: "ok", or what is wrong.
#[derive(Debug, Serialize, ToSchema)]
pub struct Health {
    /// Version of the program.
    pub version: &'static str,
    /// The database.
    pub database: String,
    /// The file store.
    pub store: String,
    /// The runtime that computes models.
    pub engine: String,
    /// How many workers there are in this process.
    pub workers: u32,
    /// How many of them have a job.
    pub busy: u32,
}

/// The state of database, file store, engine and workers.
#[utoipa::path(get, path = "/health", tag = "health", responses((status = OK, body = Health), (status = 503, body = Health, description = "a part does not work")))]
pub async fn health(State(app): State<App>) -> (StatusCode, Json<Health>) {
    fn said<E: std::fmt::Display>(outcome: Result<(), E>) -> String {
        outcome.map_or_else(|error| error.to_string(), |()| "ok".to_owned())
    }
    let health = Health {
        version: env!("CARGO_PKG_VERSION"),
        database: said(app.store.ping().await),
        store: said(app.files.check().await),
        engine: said(Engine::load().map(|_| ())),
        workers: app.workers.len() as u32,
        busy: app.workers.iter().filter(|worker| worker.is_busy()).count() as u32,
    };
    let works = [&health.database, &health.store, &health.engine].iter().all(|state| *state == "ok");
    (if works { StatusCode::OK } else { StatusCode::SERVICE_UNAVAILABLE }, Json(health))
}
