//! Links that let a client look at one order's results for a while, before and after, and do nothing else.

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use chrono::{DateTime, Utc};
use dettaglio_core::codec::png_bytes;
use dettaglio_core::render::{RenderError, view_size};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{LinkId, OrderId, ResultId};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::access::Link;
use dettaglio_store::enlargements::{Approval, Enlargement};
use rand::distr::{Alphanumeric, SampleString};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::app::App;
use crate::compute::studio::{Lane, blocking};
use crate::problem::Problem;

/// The longest that a link holds, in days.
const MOST_DAYS: u32 = 365;

/// The longer side of what a client is shown, in pixels at most.
const SHOWN: u32 = 1600;

/// A link for a client.
#[derive(Debug, Serialize, ToSchema)]
pub struct LinkView {
    /// Its number.
    pub id: LinkId,
    /// The path of its page; told once, when it is made.
    pub path: Option<String>,
    /// Until when it holds.
    pub expires_at: DateTime<Utc>,
}

/// A link to be made.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewLink {
    /// For how many days, 1 to 365.
    pub days: u32,
}

/// The links to an order that hold.
#[utoipa::path(get, path = "/orders/{id}/links", tag = "access", params(("id" = OrderId, Path)),
    responses((status = OK, body = Vec<LinkView>)))]
pub async fn links(State(app): State<App>, Address(id): Address<OrderId>) -> Result<Json<Vec<LinkView>>, Problem> {
    let view = |Link { id, expires_at, .. }| LinkView { id, path: None, expires_at };
    Ok(Json(app.store.links(id).await?.into_iter().map(view).collect()))
}

/// Makes a link to an order. Its path is told now and never again.
#[utoipa::path(post, path = "/orders/{id}/links", tag = "access", params(("id" = OrderId, Path)), request_body = NewLink,
    responses((status = CREATED, body = LinkView), (status = 422, body = ProblemDetails)))]
pub async fn add_link(
    State(app): State<App>,
    Address(order): Address<OrderId>,
    Body(NewLink { days }): Body<NewLink>,
) -> Result<(StatusCode, Json<LinkView>), Problem> {
    if !(1..=MOST_DAYS).contains(&days) {
        return Err(Problem::refused("link.days", format!("a link holds for 1 to {MOST_DAYS} days")).field("days"));
    }
    let token = Alphanumeric.sample_string(&mut rand::rng(), 32);
    let link = app.store.add_link(order, ContentHash::of(token.as_bytes()), days).await?;
    let path = Some(format!("/look/{token}"));
    Ok((StatusCode::CREATED, Json(LinkView { id: link.id, path, expires_at: link.expires_at })))
}

/// Ends a link.
#[utoipa::path(delete, path = "/orders/{id}/links/{link}", tag = "access",
    params(("id" = OrderId, Path), ("link" = LinkId, Path)), responses((status = NO_CONTENT)))]
pub async fn remove_link(
    State(app): State<App>,
    Address((order, link)): Address<(OrderId, LinkId)>,
) -> Result<StatusCode, Problem> {
    app.store.remove_link(order, link).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a client is shown.
#[derive(Debug, Serialize, ToSchema)]
pub struct SharedOrder {
    /// What the order is called.
    pub title: String,
    /// For whom it is.
    pub client: String,
    /// Until when it is shown.
    pub expires_at: DateTime<Utc>,
    /// The results that were not sent back.
    pub results: Vec<SharedResult>,
}

/// One result.
#[derive(Debug, Serialize, ToSchema)]
pub struct SharedResult {
    /// Its number.
    pub id: ResultId,
    /// Name of its original.
    pub name: String,
    /// Its pixels.
    pub size: Size,
    /// What was done, in words.
    pub treatment: String,
}

async fn link(app: &App, token: &str) -> Result<Link, Problem> {
    let gone = || Problem::missing("link.gone", "this link has expired or never was: ask for a new one");
    app.store.link(ContentHash::of(token.as_bytes())).await?.ok_or_else(gone)
}

async fn shown(app: &App, order: OrderId) -> Result<Vec<Enlargement>, Problem> {
    let mut results = app.store.enlargements(order).await?;
    results.retain(|result| result.verdict != Some(Approval::SentBack));
    Ok(results)
}

/// What a link shows.
#[utoipa::path(get, path = "/shared/{token}", tag = "access", params(("token" = String, Path)),
    responses((status = OK, body = SharedOrder), (status = 404, body = ProblemDetails)))]
pub async fn shared(State(app): State<App>, Address(token): Address<String>) -> Result<Json<SharedOrder>, Problem> {
    let Link { order_id, expires_at, .. } = link(&app, &token).await?;
    let details = app.store.order(order_id).await?.details;
    let view = |e: Enlargement| SharedResult {
        id: e.id,
        name: e.record.original,
        size: e.record.size,
        treatment: e.record.treatment,
    };
    let results = shown(&app, order_id).await?.into_iter().map(view).collect();
    Ok(Json(SharedOrder { title: details.title, client: details.client, expires_at, results }))
}

/// Which picture of a link.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct SharedAddress {
    /// The link's own text.
    token: String,
    /// Number of the result.
    result: ResultId,
    /// Before or after.
    side: SharedSide,
}

/// Before or after.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum SharedSide {
    /// The original by bicubic resampling.
    Before,
    /// The result.
    After,
}

/// A result, or what it was made of, as a client is shown it: 1600 px at most, PNG.
#[utoipa::path(get, path = "/shared/{token}/{result}/{side}", tag = "access", params(SharedAddress),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn shared_picture(State(app): State<App>, Address(at): Address<SharedAddress>) -> Result<Response, Problem> {
    let link = link(&app, &at.token).await?;
    let result = shown(&app, link.order_id).await?.into_iter().find(|result| result.id == at.result);
    let missing = || Problem::missing("not-found", "there is no such picture in this link");
    let result = result.ok_or_else(missing)?;
    let (picture, treatment) = match at.side {
        SharedSide::After => {
            let file = app.studio.enlargement(&result.file_key).await?;
            let as_it_is = Treatment::plain(Kernel::Nearest, file.size());
            (file, as_it_is)
        }
        SharedSide::Before => {
            let treatment = app.studio.treatment(result.record.treatment_hash).await?;
            (app.studio.original(result.record.original_sha256).await?, treatment.untreated(Kernel::Bicubic))
        }
    };
    let sheet = treatment.sheet();
    let level = (0..).find(|level| view_size(sheet, *level).long_edge() <= SHOWN).unwrap_or(0);
    let whole = view_size(sheet, level).whole();
    let source = picture.clone();
    let planes = app
        .studio
        .view(Lane::Plain, move |studio, pace| {
            let planes = studio.renderer().view(&source, &treatment, level, whole.seen_as(), pace)?;
            Ok::<_, RenderError>(picture.to_srgb(planes))
        })
        .await??;
    let png = blocking(move || png_bytes(&planes)).await?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=3600")], png).into_response())
}
