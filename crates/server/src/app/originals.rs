//! Originals: how files become pictures of an order.

use std::path::Path;
use std::sync::Arc;

use chrono::{DateTime, Utc};
use dettaglio_core::{codec, sight};
use dettaglio_domain::file::Facts;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::size::Target;
use dettaglio_store::files::FileStore;
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use tempfile::NamedTempFile;
use utoipa::ToSchema;

use super::archive::{self, Unpacking};
use super::faces::look_soon;
use super::state::App;
use crate::compute::studio::blocking;
use crate::problem::Problem;

/// The longer side of a thumbnail in pixels: sharp in the tray at twice its size.
const THUMBNAIL_EDGE: u32 = 320;

/// An imported picture.
#[derive(Debug, Serialize, ToSchema)]
pub struct OriginalView {
    /// Its number.
    pub id: OriginalId,
    /// The order it belongs to.
    pub order_id: OrderId,
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

/// What became of a file; of an archive, of each file in it.
pub async fn import_one(
    app: &App,
    order: OrderId,
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
async fn import_archive(app: &App, order: OrderId, file: &NamedTempFile) -> Result<Vec<Imported>, Problem> {
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
    order: OrderId,
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

/// Reads and measures a file, keeps it with its thumbnail, and adds it to an order.
pub async fn add_file(
    app: &App,
    order: OrderId,
    name: &str,
    file: NamedTempFile,
    hash: ContentHash,
) -> Result<(OriginalView, bool), Problem> {
    let (path, studio) = (file.path().to_owned(), Arc::clone(&app.studio));
    let (decoded, thumbnail, reading) = blocking(move || {
        let decoded = studio.read(&path, hash)?;
        let thumbnail = codec::thumbnail(&decoded.original, THUMBNAIL_EDGE);
        let reading = sight::read(&decoded.original, &decoded.facts, &studio.renderer().shelf())?;
        Ok::<_, Problem>((decoded, thumbnail, reading))
    })
    .await??;
    app.store.begin_keeping(hash).await?;
    keep_files(app, hash, &thumbnail, file.path()).await?;
    let (id, is_new) = app.store.add_original(order, name, hash, &decoded.facts).await?;
    // The same content may just have been deleted for good elsewhere; from here on it is known to be needed.
    keep_files(app, hash, &thumbnail, file.path()).await?;
    app.store.end_keeping(hash).await?;
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
