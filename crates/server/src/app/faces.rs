//! The faces of an original: those that are kept, or found now.

use std::time::Duration;

use dettaglio_domain::face::{Face, LeftAlone};
use dettaglio_domain::id::OriginalId;
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use utoipa::ToSchema;

use super::state::App;
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// How long nothing must have been looked at before faces are looked for in the background.
const QUIET: Duration = Duration::from_secs(1);

/// The faces that are kept, or what is found now.
pub async fn faces_of(app: &App, row: &OriginalRow) -> Result<Vec<Face>, Problem> {
    match &row.faces {
        Some(faces) => Ok(faces.clone()),
        None => look(app, row).await,
    }
}

/// Looks for the faces of an original; what was found before is replaced.
pub async fn look(app: &App, row: &OriginalRow) -> Result<Vec<Face>, Problem> {
    let original = app.studio.original(row.hash).await?;
    let faces = app
        .studio
        .view(Lane::Faces, move |studio, pace| studio.finder()?.find(&original, pace).map_err(Problem::from))
        .await??;
    app.store.set_faces(row.id, &faces).await?;
    Ok(faces)
}

/// Looks for the faces of a new original in the background, one picture after the other.
pub fn look_soon(app: &App, id: OriginalId) {
    let app = app.clone();
    tokio::spawn(async move {
        let Ok(_turn) = app.finding.acquire().await else { return };
        let looked = async {
            // Whoever looks at a picture now goes first.
            app.studio.quiet(QUIET).await;
            faces_of(&app, &app.store.original(id).await?).await
        };
        tokio::select! {
            // What was not found now is looked for when the picture is first opened.
            () = app.stop.cancelled() => {}
            outcome = looked => if let Err(problem) = outcome {
                tracing::warn!(original = %id, detail = problem.detail, "faces were not looked for");
            }
        }
    });
}

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
