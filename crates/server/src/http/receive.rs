//! A file of a form, streamed to the disk.

use axum::extract::multipart::Field;
use dettaglio_domain::hash::{ContentHash, Hasher};
use tempfile::NamedTempFile;
use tokio::io::AsyncWriteExt;

use super::form;
use crate::app::App;
use crate::problem::Problem;

/// Streams a file to disk and hashes it on the way.
pub(super) async fn receive(app: &App, mut field: Field<'_>) -> Result<(NamedTempFile, ContentHash), Problem> {
    let disk_full = |e: std::io::Error| Problem::full(e);
    let file = NamedTempFile::new_in(app.files.work()).map_err(disk_full)?;
    let mut out = tokio::fs::File::from_std(file.reopen().map_err(disk_full)?);
    let (mut hasher, mut bytes) = (Hasher::new(), 0);
    let mut refusal = None;
    // A file beyond the limit is read to its end all the same, so that those after it get their turn.
    while let Some(piece) = field.chunk().await.map_err(form::unreadable)? {
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
