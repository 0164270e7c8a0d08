//! Orders, with all that is in them.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use chrono::{DateTime, NaiveDate, Utc};
use dettaglio_store::orders::Order;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::jobs::{EnlargementView, JobView};
use super::originals::OriginalView;
use super::{Address, Body};
use crate::app::App;
use crate::problem::Problem;

/// The longest title or client name, in characters.
const LONGEST: usize = 200;

/// An order in a list.
#[derive(Debug, Serialize, ToSchema)]
pub struct OrderView {
    /// Its number.
    pub id: u64,
    /// What it is called.
    pub title: String,
    /// For whom; may be empty.
    pub client: String,
    /// When it is due.
    pub due_on: Option<NaiveDate>,
    /// When it was opened.
    pub created_at: DateTime<Utc>,
    /// How many originals are in it.
    pub originals: i64,
}

impl From<Order> for OrderView {
    fn from(order: Order) -> Self {
        let Order { id, title, client, due_on, created_at, originals } = order;
        Self { id, title, client, due_on, created_at, originals }
    }
}

/// An order with its originals, jobs and results.
#[derive(Debug, Serialize, ToSchema)]
pub struct OrderContents {
    /// The order itself.
    pub order: OrderView,
    /// As they came in.
    pub originals: Vec<OriginalView>,
    /// The newest first.
    pub jobs: Vec<JobView>,
    /// The newest first.
    pub enlargements: Vec<EnlargementView>,
}

/// A new order.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewOrder {
    /// What it is called.
    pub title: String,
    /// For whom.
    #[serde(default)]
    pub client: String,
    /// When it is due.
    #[serde(default)]
    pub due_on: Option<NaiveDate>,
}

/// All orders, the newest first.
#[utoipa::path(get, path = "/orders", tag = "orders", responses((status = OK, body = Vec<OrderView>)))]
pub async fn list_orders(State(app): State<App>) -> Result<Json<Vec<OrderView>>, Problem> {
    Ok(Json(app.store.orders().await?.into_iter().map(OrderView::from).collect()))
}

/// Opens an order.
#[utoipa::path(post, path = "/orders", tag = "orders", request_body = NewOrder,
    responses((status = CREATED, body = OrderView), (status = 422, body = Problem)))]
pub async fn add_order(
    State(app): State<App>,
    Body(new): Body<NewOrder>,
) -> Result<(StatusCode, Json<OrderView>), Problem> {
    let (title, client) = (new.title.trim(), new.client.trim());
    if title.is_empty() {
        return Err(Problem::refused("order.title", "an order needs a title").field("title"));
    }
    if title.chars().count() > LONGEST || client.chars().count() > LONGEST {
        return Err(Problem::refused("order.title", format!("a title or a client has at most {LONGEST} characters")));
    }
    let order = app.store.add_order(title, client, new.due_on).await?;
    Ok((StatusCode::CREATED, Json(order.into())))
}

/// An order with its originals, jobs and results.
#[utoipa::path(get, path = "/orders/{id}", tag = "orders", params(("id" = u64, Path)),
    responses((status = OK, body = OrderContents), (status = 404, body = Problem)))]
pub async fn show_order(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<OrderContents>, Problem> {
    let order = app.store.order(id).await?.into();
    let originals = app.store.originals(id).await?.into_iter().map(OriginalView::from).collect();
    let jobs = app.store.jobs(id).await?.into_iter().map(JobView::from).collect();
    let enlargements = app.store.enlargements(id).await?.into_iter().map(EnlargementView::from).collect();
    Ok(Json(OrderContents { order, originals, jobs, enlargements }))
}
