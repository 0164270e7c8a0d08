//! Orders, with all that is in them.

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use chrono::{DateTime, Datelike, Utc};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::words;
use dettaglio_store::orders::{Counts, Order, OrderDetails};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use super::jobs::JobView;
use super::results::EnlargementView;
use crate::app::App;
use crate::app::originals::OriginalView;
use crate::problem::{Kind, Problem};

/// The longest title, client or purpose, in characters.
const LONGEST: usize = 200;

/// The longest notes, in characters.
const LONGEST_NOTES: usize = 10_000;

/// An order in a list.
#[derive(Debug, Serialize, ToSchema)]
pub struct OrderView {
    /// Its number.
    pub id: OrderId,
    /// What was said of it.
    #[serde(flatten)]
    pub details: OrderDetails,
    /// Its usual print in words; what pictures become where nothing is said of it.
    pub print_in_words: String,
    /// What the shop that sent it calls it.
    pub reference: Option<String>,
    /// Names what was said of it as it is now, for If-Match.
    pub version: String,
    /// When it was opened.
    pub created_at: DateTime<Utc>,
    /// When it was put into the archive.
    pub archived_at: Option<DateTime<Utc>>,
    /// How far it is.
    pub counts: Counts,
    /// The first few originals.
    pub first: Vec<OriginalId>,
}

impl From<Order> for OrderView {
    fn from(order: Order) -> Self {
        let Order { id, details, reference, created_at, archived_at, counts, first } = order;
        let (version, print_in_words) = (version_of(&details), words::usual_print(details.print.as_ref()));
        Self { id, version, print_in_words, details, reference, created_at, archived_at, counts, first }
    }
}

/// Names what is said of an order: another text has another name.
fn version_of(details: &OrderDetails) -> String {
    ContentHash::of(serde_json::to_string(details).unwrap_or_default().as_bytes()).to_string()
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

/// All orders, the newest first, those in the archive too.
#[utoipa::path(get, path = "/orders", tag = "orders", responses((status = OK, body = Vec<OrderView>)))]
pub async fn list_orders(State(app): State<App>) -> Result<Json<Vec<OrderView>>, Problem> {
    Ok(Json(app.store.orders().await?.into_iter().map(OrderView::from).collect()))
}

/// Opens an order.
#[utoipa::path(post, path = "/orders", tag = "orders", request_body = OrderDetails,
    responses((status = CREATED, body = OrderView), (status = 422, body = ProblemDetails)))]
pub async fn add_order(
    State(app): State<App>,
    Body(details): Body<OrderDetails>,
) -> Result<(StatusCode, Json<OrderView>), Problem> {
    let order = app.store.open_order(&sound(details)?, None).await?;
    Ok((StatusCode::CREATED, Json(order.into())))
}

/// Says something else of an order. Pictures with settings of their own keep them. With If-Match and a version, nothing is changed
/// when somebody else was quicker.
#[utoipa::path(put, path = "/orders/{id}", tag = "orders", params(("id" = OrderId, Path), ("If-Match" = Option<String>, Header)),
    request_body = OrderDetails,
    responses((status = OK, body = OrderView), (status = 404, body = ProblemDetails), (status = 412, body = ProblemDetails),
        (status = 422, body = ProblemDetails)))]
pub async fn change_order(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    headers: HeaderMap,
    Body(details): Body<OrderDetails>,
) -> Result<Json<OrderView>, Problem> {
    let _alone = app.changing.lock().await;
    if let Some(version) = headers.get(header::IF_MATCH).and_then(|version| version.to_str().ok()) {
        let now = version_of(&app.store.order(id).await?.details);
        if version != "*" && version.trim_matches('"') != now {
            let detail = "somebody else has changed this order since it was opened here";
            return Err(Problem::new(Kind::Outdated, "order.changed", detail));
        }
    }
    app.store.set_order(id, &sound(details)?).await?;
    Ok(Json(app.store.order(id).await?.into()))
}

fn sound(details: OrderDetails) -> Result<OrderDetails, Problem> {
    let plain = |text: &str| text.trim().to_owned();
    let (title, client, purpose) = (plain(&details.title), plain(&details.client), plain(&details.purpose));
    if title.is_empty() {
        return Err(Problem::refused("order.title", "an order needs a title").field("title"));
    }
    if [&title, &client, &purpose].iter().any(|text| text.chars().count() > LONGEST) {
        let detail = format!("title, client and purpose have at most {LONGEST} characters each");
        return Err(Problem::refused("order.title", detail).field("title"));
    }
    if details.notes.chars().count() > LONGEST_NOTES {
        return Err(
            Problem::refused("order.notes", format!("notes have at most {LONGEST_NOTES} characters")).field("notes")
        );
    }
    if details.least_ppi.is_some_and(|ppi| !(1.0..=2400.0).contains(&ppi)) {
        return Err(Problem::refused("order.least-ppi", "the least resolution is 1 to 2400 ppi").field("least_ppi"));
    }
    if details.due_on.is_some_and(|day| !(1900..=9999).contains(&day.year())) {
        return Err(Problem::refused("order.due-on", "the day is between 1900 and 9999").field("due_on"));
    }
    if let Some(print) = details.print {
        print.target.check().map_err(|error| Problem::from(error).field("print"))?;
    }
    Ok(OrderDetails { title, client, purpose, ..details })
}

/// An order with its originals, jobs and results.
#[utoipa::path(get, path = "/orders/{id}", tag = "orders", params(("id" = OrderId, Path)),
    responses((status = OK, body = OrderContents), (status = 404, body = ProblemDetails)))]
pub async fn show_order(State(app): State<App>, Address(id): Address<OrderId>) -> Result<Json<OrderContents>, Problem> {
    let order = app.store.order(id).await?.into();
    let originals = app.store.originals(id).await?.into_iter().map(OriginalView::from).collect();
    let jobs = app.store.jobs(id).await?.into_iter().map(JobView::from).collect();
    let enlargements = app.store.enlargements(id).await?.into_iter().map(EnlargementView::from).collect();
    Ok(Json(OrderContents { order, originals, jobs, enlargements }))
}

/// Where an order is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Shelving {
    /// Among those in work.
    Current,
    /// In the archive.
    Archived,
    /// Off the list; it can be put back.
    Removed,
}

/// Where an order is to be kept.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct Shelve {
    /// There.
    pub to: Shelving,
}

/// Puts an order into the archive, off the list, or back. Nothing in it is touched.
#[utoipa::path(post, path = "/orders/{id}/shelve", tag = "orders", params(("id" = OrderId, Path)), request_body = Shelve,
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn shelve_order(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Body(Shelve { to }): Body<Shelve>,
) -> Result<StatusCode, Problem> {
    app.store.set_archived(id, to == Shelving::Archived).await?;
    app.store.set_order_removed(id, to == Shelving::Removed).await?;
    Ok(StatusCode::NO_CONTENT)
}
