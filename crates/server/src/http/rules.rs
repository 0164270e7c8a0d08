//! The rules that a front end needs to draw its controls.

use axum::Json;
use axum::http::header;
use axum::response::IntoResponse;
use dettaglio_domain::rules::Rules;

/// Limits, defaults, formats and units: the same for every picture.
#[utoipa::path(get, path = "/rules", tag = "rules", responses((status = OK, body = Rules)))]
pub async fn rules() -> impl IntoResponse {
    // Asked for anew each time, so that a page never goes by another version's rules.
    ([(header::CACHE_CONTROL, "no-cache")], Json(Rules::today()))
}
