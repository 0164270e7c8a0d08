//! Originals: import, facts, thumbnail, file.

use std::path::Path;
use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::extract::multipart::{Field, Multipart, MultipartRejection};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use chrono::{DateTime, Utc};
use dettaglio_core::codec::{self, Facts};
use dettaglio_core::hash::{ContentHash, Hasher};
use dettaglio_core::naming;
use dettaglio_core::reading::Reading;
use dettaglio_core::size::Target;
use dettaglio_store::files::FileStore;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use tempfile::NamedTempFile;
use tokio::io::AsyncWriteExt;
use utoipa::{IntoParams, ToSchema};

use super::faces::look_soon;
use super::{Address, Question};
use crate::app::App;
use crate::archive::{self, Unpacking};
use crate::problem::Problem;
use crate::serve_file;
use crate::studio::{Lane, blocking};

/// The longer side of a thumbnail in pixels: sharp in the tray at twice its size.
const THUMBNAIL_EDGE: u32 = 320;

/// The longest side of one that is made on demand: what a screen shows whole.
const LARGEST_THUMBNAIL: u32 = 1600;

/// An imported picture.
#[derive(Debug, Serialize, ToSchema)]
pub struct OriginalView {
    /// Its number.
    pub id: u64,
    /// The order it belongs to.
    pub order_id: u64,
    /// The name of the file that was imported.
    pub name: String,
    /// The file's SHA-256.
    #[schema(value_type = String)]
    pub hash: ContentHash,
    /// What is known of the file.
    pub facts: Facts,
    /// The print that it came in with.
    pub target: Option<Target>,
    /// When it was imported.
    pub created_at: DateTime<Utc>,
}

impl From<OriginalRow> for OriginalView {
    fn from(row: OriginalRow) -> Self {
        let OriginalRow { id, order_id, name, hash, facts, target, created_at, .. } = row;
        Self { id, order_id, name, hash, facts, target, created_at }
    }
}

/// What became of one file of an import.
#[derive(Debug, Serialize, ToSchema)]
pub struct Imported {
    /// The file's name.
    pub name: String,
    /// The original, when it was accepted.
    pub original: Option<OriginalView>,
    /// Whether the order had the very same file already.
    pub already_there: bool,
    /// Why it was refused.
    pub refused: Option<Problem>,
}

/// The files of an import.
#[derive(ToSchema)]
#[allow(dead_code, reason = "describes the form for the API document")]
pub struct ImportForm {
    /// Any number of pictures, or zip archives of them.
    #[schema(value_type = Vec<String>, format = Binary)]
    files: Vec<Vec<u8>>,
}

/// Imports pictures into an order, those in zip archives too; each is accepted or refused by itself.
#[utoipa::path(post, path = "/orders/{id}/originals", tag = "originals", params(("id" = u64, Path)),
    request_body(content = ImportForm, content_type = "multipart/form-data"),
    responses((status = OK, body = Vec<Imported>), (status = 404, body = Problem)))]
pub async fn import_originals(
    State(app): State<App>,
    Address(order): Address<u64>,
    form: Result<Multipart, MultipartRejection>,
) -> Result<Json<Vec<Imported>>, Problem> {
    app.store.order(order).await?;
    let mut form = form.map_err(|e| Problem::bad_request("request.form", e.body_text()))?;
    let mut outcomes = Vec::new();
    let broken = |e: axum::extract::multipart::MultipartError| Problem::bad_request("request.form", e.body_text());
    while let Some(field) = form.next_field().await.map_err(broken)? {
        let Some(name) = field.file_name().map(naming::plain) else { continue };
        match receive(&app, field).await {
            // A connection that broke off has nobody left to be told about the rest.
            Err(problem) if problem.code == "request.form" => return Err(problem),
            received => outcomes.extend(import_one(&app, order, name, received).await),
        }
    }
    Ok(Json(outcomes))
}

/// What became of a file; of an archive, of each file in it.
async fn import_one(
    app: &App,
    order: u64,
    name: String,
    received: Result<(NamedTempFile, ContentHash), Problem>,
) -> Vec<Imported> {
    match received {
        Ok((file, _)) if archive::is_archive(file.path()) => {
            import_archive(app, order, &file).await.unwrap_or_else(|problem| vec![refused(name, problem)])
        }
        received => vec![import_file(app, order, name, received).await],
    }
}

/// One file after another: only one of them lies unpacked on the disk.
async fn import_archive(app: &App, order: u64, file: &NamedTempFile) -> Result<Vec<Imported>, Problem> {
    let (path, work, limits) = (file.path().to_owned(), app.files.work().to_owned(), *app.studio.limits());
    let mut unpacking = blocking(move || Unpacking::open(&path, &limits)).await??;
    let mut outcomes = Vec::new();
    loop {
        let work = work.clone();
        let (rest, unpacked) = blocking(move || {
            let unpacked = unpacking.next_into(&work);
            (unpacking, unpacked)
        })
        .await?;
        unpacking = rest;
        let Some((name, unpacked)) = unpacked else { return Ok(outcomes) };
        outcomes.push(import_file(app, order, name, unpacked).await);
    }
}

async fn import_file(
    app: &App,
    order: u64,
    name: String,
    received: Result<(NamedTempFile, ContentHash), Problem>,
) -> Imported {
    let outcome = match received {
        Ok((file, hash)) => add_file(app, order, &name, file, hash).await,
        Err(problem) => Err(problem),
    };
    match outcome {
        Ok((original, is_new)) => Imported { name, original: Some(original), already_there: !is_new, refused: None },
        Err(problem) => refused(name, problem),
    }
}

fn refused(name: String, problem: Problem) -> Imported {
    Imported { name, original: None, already_there: false, refused: Some(problem) }
}

/// Streams a file to disk and hashes it on the way.
pub(super) async fn receive(app: &App, mut field: Field<'_>) -> Result<(NamedTempFile, ContentHash), Problem> {
    let disk_full = |e: std::io::Error| Problem::full(e);
    let file = NamedTempFile::new_in(app.files.work()).map_err(disk_full)?;
    let mut out = tokio::fs::File::from_std(file.reopen().map_err(disk_full)?);
    let (mut hasher, mut bytes) = (Hasher::new(), 0);
    let mut refusal = None;
    // A file beyond the limit is read to its end all the same, so that those after it get their turn.
    while let Some(piece) = field.chunk().await.map_err(|e| Problem::bad_request("request.form", e.body_text()))? {
        bytes += piece.len() as u64;
        if refusal.is_some() {
            continue;
        }
        if let Err(limit) = app.studio.limits().check_file(bytes) {
            refusal = Some(Problem::from(limit));
            continue;
        }
        hasher.update(&piece);
        out.write_all(&piece).await.map_err(disk_full)?;
    }
    out.flush().await.map_err(disk_full)?;
    match refusal {
        Some(problem) => Err(problem),
        None => Ok((file, hasher.finish())),
    }
}

/// Reads and measures a file, keeps it with its thumbnail, and adds it to an order.
pub async fn add_file(
    app: &App,
    order: u64,
    name: &str,
    file: NamedTempFile,
    hash: ContentHash,
) -> Result<(OriginalView, bool), Problem> {
    let (path, studio) = (file.path().to_owned(), Arc::clone(&app.studio));
    let (decoded, thumbnail, reading) = blocking(move || {
        // The memory is held until the picture is measured as well.
        studio.read(&path, hash).map(|(decoded, _held)| {
            let thumbnail = codec::thumbnail(&decoded.original, THUMBNAIL_EDGE);
            let reading = Reading::of(&decoded.original, &decoded.facts);
            (decoded, thumbnail, reading)
        })
    })
    .await??;
    keep_files(app, hash, &thumbnail, file.path()).await?;
    let (id, is_new) = app.store.add_original(order, name, hash, &decoded.facts).await?;
    // The same content may just have been deleted for good elsewhere; from here on it is known to be needed.
    keep_files(app, hash, &thumbnail, file.path()).await?;
    if is_new {
        app.store.set_reading(id, &reading).await?;
        look_soon(app, id);
    }
    app.studio.keep(Arc::new(decoded.original));
    Ok((app.store.original(id).await?.into(), is_new))
}

/// Keeps a file and its thumbnail, where they are not kept.
async fn keep_files(app: &App, hash: ContentHash, thumbnail: &[u8], file: &Path) -> Result<(), Problem> {
    let (small, whole) = (FileStore::thumbnail_key(hash), FileStore::original_key(hash));
    if !app.files.has(&small).await? {
        app.files.put(&small, thumbnail.to_vec()).await?;
    }
    if !app.files.has(&whole).await? {
        app.files.put_file(&whole, file).await?;
    }
    Ok(())
}

/// One original.
#[utoipa::path(get, path = "/originals/{id}", tag = "originals", params(("id" = u64, Path)),
    responses((status = OK, body = OriginalView), (status = 404, body = Problem)))]
pub async fn show_original(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<OriginalView>, Problem> {
    Ok(Json(app.store.original(id).await?.into()))
}

/// Takes an original out of its order. Its file and results stay, and it can be put back.
#[utoipa::path(delete, path = "/originals/{id}", tag = "originals", params(("id" = u64, Path)),
    responses((status = NO_CONTENT), (status = 404, body = Problem)))]
pub async fn remove_original(State(app): State<App>, Address(id): Address<u64>) -> Result<StatusCode, Problem> {
    app.store.set_removed(id, true).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Puts an original back into its order.
#[utoipa::path(post, path = "/originals/{id}/restore", tag = "originals", params(("id" = u64, Path)),
    responses((status = NO_CONTENT), (status = 404, body = Problem)))]
pub async fn restore_original(State(app): State<App>, Address(id): Address<u64>) -> Result<StatusCode, Problem> {
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
#[utoipa::path(get, path = "/originals/{id}/thumbnail", tag = "originals", params(("id" = u64, Path), ThumbnailSize),
    responses((status = OK, content_type = "image/png"), (status = 404, body = Problem)))]
pub async fn thumbnail(
    State(app): State<App>,
    Address(id): Address<u64>,
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
#[utoipa::path(get, path = "/originals/{id}/file", tag = "originals", params(("id" = u64, Path)),
    responses((status = OK, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
pub async fn original_file(
    State(app): State<App>,
    Address(id): Address<u64>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let row = app.store.original(id).await?;
    let path = app.files.local(&FileStore::original_key(row.hash)).await?;
    serve_file::download(&path, &row.name, "application/octet-stream", headers).await
}
