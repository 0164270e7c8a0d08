//! Originals: import, facts, thumbnail, file.

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use dettaglio_core::codec;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::naming;
use dettaglio_store::files::FileStore;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::{Address, Question};
use super::form::{self, Form};
use super::receive::receive;
use super::serve_file;
use crate::app::App;
use crate::app::originals::{Imported, OriginalView, import_one};
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// The longest side of one that is made on demand: what a screen shows whole.
const LARGEST_THUMBNAIL: u32 = 1600;

/// The files of an import.
#[derive(ToSchema)]
#[allow(dead_code, reason = "describes the form for the API document")]
pub struct ImportForm {
    /// Any number of pictures, or zip archives of them.
    #[schema(value_type = Vec<String>, format = Binary)]
    files: Vec<Vec<u8>>,
}

/// Imports pictures into an order, those in zip archives too; each is accepted or refused by itself.
#[utoipa::path(post, path = "/orders/{id}/originals", tag = "originals", params(("id" = OrderId, Path)),
    request_body(content = ImportForm, content_type = "multipart/form-data"),
    responses((status = OK, body = Vec<Imported>), (status = 404, body = ProblemDetails)))]
pub async fn import_originals(
    State(app): State<App>,
    Address(order): Address<OrderId>,
    form: Result<Form, Problem>,
) -> Result<Json<Vec<Imported>>, Problem> {
    app.store.order(order).await?;
    let mut form = form?;
    let mut outcomes = Vec::new();
    while let Some(part) = form.next().await? {
        let Some(name) = part.file_name().map(naming::plain) else {
            form::skip(part).await?;
            continue;
        };
        match receive(&app, part).await {
            // A connection that broke off has nobody left to be told about the rest.
            Err(problem) if problem.code == "request.form" => return Err(problem),
            received => outcomes.extend(import_one(&app, order, name, received).await),
        }
    }
    Ok(Json(outcomes))
}

/// One original.
#[utoipa::path(get, path = "/originals/{id}", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = OK, body = OriginalView), (status = 404, body = ProblemDetails)))]
pub async fn show_original(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
) -> Result<Json<OriginalView>, Problem> {
    Ok(Json(app.store.original(id).await?.into()))
}

/// Takes an original out of its order. Its file and results stay, and it can be put back.
#[utoipa::path(delete, path = "/originals/{id}", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn remove_original(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<StatusCode, Problem> {
    app.store.set_removed(id, true).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Puts an original back into its order.
#[utoipa::path(post, path = "/originals/{id}/restore", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn restore_original(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<StatusCode, Problem> {
    app.store.set_removed(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How large a picture of an original is wanted.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ThumbnailSize {
    /// Its longer side in pixels, 320 when not given; 1600 at most.
    edge: Option<u32>,
}

/// A small picture of an original, PNG.
#[utoipa::path(get, path = "/originals/{id}/thumbnail", tag = "originals", params(("id" = OriginalId, Path), ThumbnailSize),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn thumbnail(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Question(ThumbnailSize { edge }): Question<ThumbnailSize>,
) -> Result<Response, Problem> {
    let row = app.store.original(id).await?;
    let bytes = match edge {
        None => app.files.get(&FileStore::thumbnail_key(row.hash)).await?,
        Some(edge) => {
            let original = app.studio.original(row.hash).await?;
            let edge = edge.clamp(1, LARGEST_THUMBNAIL);
            app.studio.view(Lane::Plain, move |_, _| codec::thumbnail(&original, edge)).await?
        }
    };
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=86400")], bytes)
        .into_response())
}

/// The file as it was imported.
#[utoipa::path(get, path = "/originals/{id}/file", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = OK, content_type = "application/octet-stream"), (status = 404, body = ProblemDetails)))]
pub async fn original_file(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let row = app.store.original(id).await?;
    let path = app.files.local(&FileStore::original_key(row.hash)).await?;
    serve_file::download(&path, &row.name, "application/octet-stream", headers).await
}
