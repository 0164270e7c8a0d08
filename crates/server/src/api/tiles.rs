//! Pieces of a result for the screen.

use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use dettaglio_core::codec::png_bytes;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::picture::Region;
use dettaglio_core::render::view_size;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};

use super::{Address, Question};
use crate::app::App;
use crate::problem::Problem;
use crate::studio::Lane;

/// Side of a tile in pixels of the view.
pub const TILE: u32 = 512;

/// Which tile.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct TileAddress {
    /// The original's SHA-256.
    #[param(value_type = String)]
    original: ContentHash,
    /// The treatment's hash.
    #[param(value_type = String)]
    treatment: ContentHash,
    /// 0 for the result itself, 1 for half of its size, and so on.
    level: u32,
    /// Column, from 0.
    column: u32,
    /// Row, from 0.
    row: u32,
}

/// What of a result to show.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Show {
    /// Its pixels.
    #[default]
    Result,
    /// Where Leave flat tone sees edges, white, and flat tone, black; of the result itself only.
    Edges,
}

/// Other than the pixels of the result.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Showing {
    /// What to show.
    #[serde(default)]
    show: Show,
}

/// 512 x 512 px of a result, or of the result shrunk 2^level times, as sRGB PNG; less at the right and lower edges.
///
/// The address names the content, so an answer never changes.
#[utoipa::path(get, path = "/tiles/{original}/{treatment}/{level}/{column}/{row}", tag = "tiles", params(TileAddress, Showing),
    responses((status = OK, content_type = "image/png"), (status = 404, body = Problem)))]
pub async fn tile(
    State(app): State<App>,
    Address(at): Address<TileAddress>,
    Question(Showing { show }): Question<Showing>,
) -> Result<Response, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let size = view_size(treatment.sheet(), at.level);
    let corner = (at.column.checked_mul(TILE), at.row.checked_mul(TILE));
    let region = match corner {
        (Some(x), Some(y)) => Region::new(x, y, TILE, TILE).within(size),
        _ => None,
    };
    let region = region.ok_or_else(|| {
        Problem::new(axum::http::StatusCode::NOT_FOUND, "tile.outside", format!("the view has {size}: no such tile"))
    })?;
    let original = app.studio.original(at.original).await?;
    let near = app.studio.renderer().enlarges(&original, &treatment, at.level)?;
    let by_model = !treatment.clean.is_off() || (near && !treatment.passes().is_empty());
    let lane = if by_model { Lane::Model } else { Lane::Plain };
    let png = app
        .studio
        .view(lane, move |studio, pace| {
            if show == Show::Edges {
                return Ok(png_bytes(&studio.renderer().edge_mask(&original, &treatment, at.level, region, pace)?));
            }
            let planes = studio.renderer().view(&original, &treatment, at.level, region, pace)?;
            let shown = original.profile().map_or_else(|| planes.clone(), |profile| profile.to_srgb(&planes));
            Ok::<_, Problem>(png_bytes(&shown))
        })
        .await??;
    let headers =
        [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")];
    Ok((headers, png).into_response())
}
