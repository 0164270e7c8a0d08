//! Finished results: what was said of them, and their files.

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use chrono::{DateTime, Utc};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::{JobId, OriginalId, ResultId};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::naming;
use dettaglio_domain::trace::DrawingFile;
use dettaglio_domain::treatment::TreatmentError;
use dettaglio_store::enlargements::{Approval, Enlargement, Record};
use dettaglio_store::files::FileStore;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use super::serve_file;
use crate::adapters::report::{on_sheet, spots_of};
use crate::app::App;
use crate::problem::Problem;

/// The longest note, in characters.
const LONGEST_NOTE: usize = 500;

/// A finished result.
#[derive(Debug, Serialize, ToSchema)]
pub struct EnlargementView {
    /// Its number.
    pub id: ResultId,
    /// Of which original.
    pub original_id: OriginalId,
    /// The job that made it.
    pub job_id: JobId,
    /// Name of the file.
    pub file_name: String,
    /// Bytes of the file.
    pub bytes: u64,
    /// What was done.
    pub record: Record,
    /// What was said of it, once it was looked at.
    pub verdict: Option<Approval>,
    /// Why it was sent back.
    pub note: String,
    /// When it was finished.
    pub created_at: DateTime<Utc>,
}

impl From<Enlargement> for EnlargementView {
    fn from(e: Enlargement) -> Self {
        let Enlargement { id, original_id, job_id, file_name, bytes, record, verdict, note, created_at, .. } = e;
        Self { id, original_id, job_id, file_name, bytes, record, verdict, note, created_at }
    }
}

/// What is said of a result.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct Opinion {
    /// Accepted or sent back; nothing takes back what was said.
    pub verdict: Option<Approval>,
    /// Why.
    #[serde(default)]
    pub note: String,
}

/// Accepts a result or sends it back.
#[utoipa::path(post, path = "/enlargements/{id}/verdict", tag = "results", params(("id" = ResultId, Path)),
    request_body = Opinion, responses((status = OK, body = EnlargementView), (status = 404, body = ProblemDetails)))]
pub async fn judge(
    State(app): State<App>,
    Address(id): Address<ResultId>,
    Body(Opinion { verdict, note }): Body<Opinion>,
) -> Result<Json<EnlargementView>, Problem> {
    if note.chars().count() > LONGEST_NOTE {
        let detail = format!("a note has at most {LONGEST_NOTE} characters");
        return Err(Problem::refused("result.note", detail).field("note"));
    }
    app.store.set_verdict(id, verdict, note.trim()).await?;
    Ok(Json(app.store.enlargement(id).await?.into()))
}

/// Throws a result away; it can be taken back.
#[utoipa::path(delete, path = "/enlargements/{id}", tag = "results", params(("id" = ResultId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn remove_result(State(app): State<App>, Address(id): Address<ResultId>) -> Result<StatusCode, Problem> {
    app.store.set_enlargement_removed(id, true).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a result back that was thrown away.
#[utoipa::path(post, path = "/enlargements/{id}/restore", tag = "results", params(("id" = ResultId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn restore_result(State(app): State<App>, Address(id): Address<ResultId>) -> Result<StatusCode, Problem> {
    app.store.set_enlargement_removed(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The file of a result, whole or in ranges.
#[utoipa::path(get, path = "/enlargements/{id}/file", tag = "results", params(("id" = ResultId, Path)),
    responses((status = OK, content((Vec<u8> = "image/tiff"), (Vec<u8> = "image/png"), (Vec<u8> = "image/jpeg"), (Vec<u8> = "image/webp"))), (status = 404, body = ProblemDetails)))]
pub async fn result_file(
    State(app): State<App>,
    Address(id): Address<ResultId>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let enlargement = app.store.enlargement(id).await?;
    let path = app.files.local(&enlargement.file_key).await?;
    let media_type = enlargement.record.settings.format.media_type();
    serve_file::download(&path, &enlargement.file_name, media_type, headers).await
}

/// Which drawing of a result.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct DrawingAddress {
    /// Number of the result.
    id: ResultId,
    /// As what kind of file.
    file: DrawingFile,
}

/// The shapes that a traced result was drawn from, as large as it is printed; its margin is not among them.
#[utoipa::path(get, path = "/enlargements/{id}/drawing/{file}", tag = "results", params(DrawingAddress),
    responses((status = OK, content((Vec<u8> = "image/svg+xml"), (Vec<u8> = "application/pdf"))), (status = 404, body = ProblemDetails)))]
pub async fn result_drawing(
    State(app): State<App>,
    Address(DrawingAddress { id, file }): Address<DrawingAddress>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let enlargement = app.store.enlargement(id).await?;
    if enlargement.record.drawing.is_none() {
        let detail = "this result is not made of shapes: only what was traced has a drawing";
        return Err(Problem::missing("result.no-drawing", detail));
    }
    let path = app.files.local(&FileStore::drawing_key(&enlargement.file_key, file)).await?;
    let name = naming::of_drawing(&enlargement.file_name, file);
    serve_file::download(&path, &name, file.media_type(), headers).await
}

/// Where to look at a result, and what to compare it with.
#[derive(Debug, Serialize, ToSchema)]
pub struct Look {
    /// Hash of the original, for crops of what it was before.
    #[schema(value_type = String)]
    pub original: ContentHash,
    /// Hash of its plain bicubic enlargement to the same sheet.
    #[schema(value_type = String)]
    pub before: ContentHash,
    /// Pixels of the sheet.
    pub sheet: Size,
    /// The original's spots that are on the sheet.
    pub spots: Vec<SheetSpot>,
}

/// A spot on a sheet.
#[derive(Debug, Serialize, ToSchema)]
pub struct SheetSpot {
    /// What the person calls it.
    pub name: String,
    /// Across, in the sheet's pixels.
    pub x: u32,
    /// Down.
    pub y: u32,
}

/// Where to look at a result.
#[utoipa::path(get, path = "/enlargements/{id}/look", tag = "results", params(("id" = ResultId, Path)),
    responses((status = OK, body = Look), (status = 404, body = ProblemDetails)))]
pub async fn look(State(app): State<App>, Address(id): Address<ResultId>) -> Result<Json<Look>, Problem> {
    let enlargement = app.store.enlargement(id).await?;
    let row = app.store.original(enlargement.original_id).await?;
    let treatment = app.studio.treatment(enlargement.record.treatment_hash).await?;
    let mut spots = Vec::new();
    for spot in spots_of(&app, &row).await? {
        let at = on_sheet(&spot, row.facts.size, &treatment).map_err(TreatmentError::from)?;
        spots.extend(at.map(|(x, y)| SheetSpot { name: spot.name, x, y }));
    }
    let before = app.studio.offer(treatment.untreated(Kernel::Bicubic));
    Ok(Json(Look { original: row.hash, before, sheet: treatment.sheet(), spots }))
}
