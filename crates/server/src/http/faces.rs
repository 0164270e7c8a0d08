//! Faces of an original, and what restoring one comes to.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use dettaglio_domain::face::LeftAlone;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::OriginalId;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::Address;
use crate::app::App;
use crate::app::faces::{FoundFace, faces_of, look};
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// The faces of an original, the largest first; looked for now if nobody has yet.
#[utoipa::path(get, path = "/originals/{id}/faces", tag = "faces", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Vec<FoundFace>), (status = 404, body = ProblemDetails)))]
pub async fn faces(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<Vec<FoundFace>>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(faces_of(&app, &row).await?.into_iter().map(FoundFace::from).collect()))
}

/// Looks for the faces of an original once more: what was found before is replaced.
#[utoipa::path(post, path = "/originals/{id}/faces", tag = "faces", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Vec<FoundFace>), (status = 404, body = ProblemDetails)))]
pub async fn find_again(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
) -> Result<Json<Vec<FoundFace>>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(look(&app, &row).await?.into_iter().map(FoundFace::from).collect()))
}

/// Which face of which treatment.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct FaceAddress {
    /// The original's SHA-256.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
    original: ContentHash,
    /// The treatment's hash.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
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
    responses((status = OK, body = RestorationView), (status = 404, body = ProblemDetails)))]
pub async fn restoration(
    State(app): State<App>,
    Address(at): Address<FaceAddress>,
) -> Result<Json<RestorationView>, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let nothing = || Problem::missing("face.unknown", "this treatment restores no such face".to_owned());
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
