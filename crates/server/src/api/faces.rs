//! Faces of an original, and what restoring one comes to.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_core::face::{Face, LeftAlone};
use dettaglio_core::hash::ContentHash;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::Address;
use crate::app::App;
use crate::problem::Problem;
use crate::studio::Lane;

/// A face that was found.
#[derive(Debug, Serialize, ToSchema)]
pub struct FoundFace {
    /// Where it is.
    pub face: Face,
    /// Pixels of the original between the eyes.
    pub eyes: f32,
    /// Why it is left to the general model, where it is for its size.
    pub left: Option<LeftAlone>,
}

impl From<Face> for FoundFace {
    fn from(face: Face) -> Self {
        Self { face, eyes: face.eyes(), left: face.left_for_size() }
    }
}

/// The faces of an original, the largest first; looked for now if nobody has yet.
#[utoipa::path(get, path = "/originals/{id}/faces", tag = "faces", params(("id" = u64, Path)),
    responses((status = OK, body = Vec<FoundFace>), (status = 404, body = Problem)))]
pub async fn faces(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<Vec<FoundFace>>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(faces_of(&app, &row).await?.into_iter().map(FoundFace::from).collect()))
}

/// Looks for the faces of an original once more: what was found before is replaced.
#[utoipa::path(post, path = "/originals/{id}/faces", tag = "faces", params(("id" = u64, Path)),
    responses((status = OK, body = Vec<FoundFace>), (status = 404, body = Problem)))]
pub async fn find_again(State(app): State<App>, Address(id): Address<u64>) -> Result<Json<Vec<FoundFace>>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(look(&app, &row).await?.into_iter().map(FoundFace::from).collect()))
}

/// The faces that are kept, or what is found now.
pub async fn faces_of(app: &App, row: &OriginalRow) -> Result<Vec<Face>, Problem> {
    match &row.faces {
        Some(faces) => Ok(faces.clone()),
        None => look(app, row).await,
    }
}

async fn look(app: &App, row: &OriginalRow) -> Result<Vec<Face>, Problem> {
    let original = app.studio.original(row.hash).await?;
    let faces = app.studio.view(Lane::Plain, move |studio, _| studio.finder()?.find(&original)).await??;
    app.store.set_faces(row.id, &faces).await?;
    Ok(faces)
}

/// Looks for the faces of a new original in the background, one picture after the other.
pub fn look_soon(app: &App, id: u64) {
    let app = app.clone();
    tokio::spawn(async move {
        let Ok(_turn) = app.finding.acquire().await else { return };
        let looked = async { faces_of(&app, &app.store.original(id).await?).await };
        tokio::select! {
            // What was not found now is looked for when the picture is first opened.
            () = app.stop.cancelled() => {}
            outcome = looked => if let Err(problem) = outcome {
                tracing::warn!(original = id, detail = problem.detail, "faces were not looked for");
            }
        }
    });
}

/// Which face of which treatment.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct FaceAddress {
    /// The original's SHA-256.
    #[param(value_type = String)]
    original: ContentHash,
    /// The treatment's hash.
    #[param(value_type = String)]
    treatment: ContentHash,
    /// Which of the treatment's faces, from 0.
    face: usize,
}

/// What restoring a face comes to.
#[derive(Debug, Serialize, ToSchema)]
pub struct RestorationView {
    /// How far the face departs from the original at the strength that is set: the 95th percentile of CIEDE2000.
    pub departure: f32,
    /// Why it is left to the general model, where it is.
    pub left: Option<LeftAlone>,
}

/// How far a restored face departs from the original, and whether that is too far.
#[utoipa::path(get, path = "/faces/{original}/{treatment}/{face}", tag = "faces", params(FaceAddress),
    responses((status = OK, body = RestorationView), (status = 404, body = Problem)))]
pub async fn restoration(
    State(app): State<App>,
    Address(at): Address<FaceAddress>,
) -> Result<Json<RestorationView>, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let nothing =
        || Problem::new(StatusCode::NOT_FOUND, "face.unknown", "this treatment restores no such face".to_owned());
    let face = treatment.faces.get(at.face).ok_or_else(nothing)?.face;
    let original = app.studio.original(at.original).await?;
    let (treatment, picture) = (Arc::clone(&treatment), Arc::clone(&original));
    let outcome = app
        .studio
        .view(Lane::Model, move |studio, pace| studio.renderer().restoration(&picture, &treatment, &face, pace))
        .await??;
    let outcome = outcome.ok_or_else(nothing)?;
    Ok(Json(RestorationView { departure: outcome.departure, left: outcome.left }))
}
