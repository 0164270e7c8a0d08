//! What was removed and may still be put back; and deleting it for good.

use axum::Json;
use axum::extract::State;
use chrono::{DateTime, Utc};
use dettaglio_store::removed::{Removed, RemovedKind};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::extract::Question;
use crate::app::App;
use crate::problem::Problem;

/// What kind of thing was removed.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RemovedKindView {
    /// A whole order, off the list.
    Order,
    /// A picture, out of its order.
    Original,
    /// A result, thrown away.
    Result,
}

/// Something that was removed. What lies in a removed order, or belongs to a removed picture, is not named by itself.
#[derive(Debug, Serialize, ToSchema)]
pub struct RemovedView {
    /// What it is.
    pub kind: RemovedKindView,
    /// Its number among its kind.
    pub id: u64,
    /// The order's title, or the file's name.
    pub name: String,
    /// The title of the order that it was in; of an order, its client.
    pub of: String,
    /// Bytes of its originals and results. An original that another order has too stays when it is deleted.
    pub bytes: u64,
    /// When it was removed.
    pub removed_at: DateTime<Utc>,
}

impl From<Removed> for RemovedView {
    fn from(removed: Removed) -> Self {
        let Removed { kind, id, name, of, bytes, removed_at } = removed;
        let kind = match kind {
            RemovedKind::Order => RemovedKindView::Order,
            RemovedKind::Original => RemovedKindView::Original,
            RemovedKind::Result => RemovedKindView::Result,
        };
        Self { kind, id, name, of, bytes, removed_at }
    }
}

/// Up to when things must have been removed.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Until {
    /// What was removed later stays. Without it: up to now.
    until: Option<DateTime<Utc>>,
}

/// How much was deleted for good.
#[derive(Debug, Serialize, ToSchema)]
pub struct DeletedView {
    /// Orders that are gone.
    pub orders: u64,
    /// Pictures that are gone, those in the orders among them.
    pub originals: u64,
    /// Results that are gone, those of the pictures among them.
    pub results: u64,
    /// Pictures that stay, because a job of theirs waits or runs.
    pub busy: u64,
}

/// All that was removed, the latest first.
#[utoipa::path(get, path = "/removed", tag = "housekeeping", responses((status = OK, body = Vec<RemovedView>)))]
pub async fn removed(State(app): State<App>) -> Result<Json<Vec<RemovedView>>, Problem> {
    Ok(Json(app.store.removed().await?.into_iter().map(RemovedView::from).collect()))
}

/// Deletes for good what was removed, with its files. Nothing brings it back.
#[utoipa::path(delete, path = "/removed", tag = "housekeeping", params(Until),
    responses((status = OK, body = DeletedView)))]
pub async fn delete_removed(
    State(app): State<App>,
    Question(Until { until }): Question<Until>,
) -> Result<Json<DeletedView>, Problem> {
    let deleted = app.store.delete_removed(until.unwrap_or_else(Utc::now)).await?;
    if let Err(error) = app.store.delete_leaving_files(&app.files).await {
        tracing::warn!("files of what was deleted are still there, to be tried again at the next start: {error}");
    }
    let (orders, originals, results, busy) = (deleted.orders, deleted.originals, deleted.results, deleted.busy);
    Ok(Json(DeletedView { orders, originals, results, busy }))
}
