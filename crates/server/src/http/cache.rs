//! What is kept so as not to be computed again, and how much of the disk it takes.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Serialize;
use utoipa::ToSchema;

use crate::app::App;
use crate::compute::studio::blocking;
use crate::problem::Problem;

/// Computed tiles on this machine's disk.
#[derive(Debug, Serialize, ToSchema)]
pub struct CacheView {
    /// Bytes that they take.
    pub bytes: u64,
    /// Bytes that they may take; those not used longest go first.
    pub limit: u64,
    /// Bytes that the disk has free.
    pub free: Option<u64>,
}

/// How much is kept.
#[utoipa::path(get, path = "/cache", tag = "housekeeping", responses((status = OK, body = CacheView)))]
pub async fn cache(State(app): State<App>) -> Result<Json<CacheView>, Problem> {
    let studio = app.studio.clone();
    let (bytes, limit) =
        blocking(move || studio.renderer().disk().map_or((0, 0), |disk| (disk.bytes(), disk.limit()))).await?;
    Ok(Json(CacheView { bytes, limit, free: app.files.free_bytes() }))
}

/// Throws all of it away; what is needed is computed again.
#[utoipa::path(delete, path = "/cache", tag = "housekeeping", responses((status = NO_CONTENT)))]
pub async fn clear_cache(State(app): State<App>) -> Result<StatusCode, Problem> {
    let studio = app.studio.clone();
    blocking(move || studio.renderer().disk().map(|disk| disk.clear())).await?;
    Ok(StatusCode::NO_CONTENT)
}
