//! Pieces of a result for the screen.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use dettaglio_core::codec::png_bytes;
use dettaglio_core::colour::ColourProfile;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Measures, Pace, RenderError, view_size};
use dettaglio_core::tones::{Tones, lost_in};
use dettaglio_domain::affine::space::{Sheet, View};
use dettaglio_domain::file::OutputProfile;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::ResultId;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::access::Role;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::access::Who;
use super::answer::ProblemDetails;
use super::extract::{Address, Question};
use crate::app::App;
use crate::compute::studio::{Lane, Studio, blocking};
use crate::problem::Problem;

/// Side of a tile in pixels of the view: small enough that little is computed beyond the view's rim.
pub const TILE: u32 = 256;

/// Which tile.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct TileAddress {
    /// The original's SHA-256.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
    original: ContentHash,
    /// The treatment's hash.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
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
    /// Where the result, brought back to the original's size, departs from it: dim where it agrees, amber from some
    /// 1 CIEDE2000 on, white from 10 on.
    Departure,
    /// Where one of the treatment's areas lies, in amber over the dim original.
    Area,
    /// What counts as wear of a print, in amber over the dim original.
    Wear,
}

/// Other than the pixels of the result.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Showing {
    /// What to show.
    #[serde(default)]
    show: Show,
    /// Which area, from 0.
    #[serde(default)]
    area: usize,
}

/// Which tiles are looked at together, so that what they have in common is computed once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct InView {
    columns: (u32, u32),
    rows: (u32, u32),
}

/// The header that says it: the first and last column, and the first and last row.
const IN_VIEW: &str = "tiles-in-view";

/// Tiles along a side of what is computed ahead, at most: a large screen shows no more.
const MOST_IN_VIEW: u32 = 16;

impl InView {
    /// What the header of a request says; nothing where it says nothing that can be meant.
    fn of(headers: &HeaderMap) -> Option<Self> {
        let text = headers.get(IN_VIEW)?.to_str().ok()?;
        let (columns, rows) = text.split_once(',')?;
        let range = |text: &str| {
            let (first, last) = text.trim().split_once('-')?;
            let (first, last) = (first.parse::<u32>().ok()?, last.parse::<u32>().ok()?);
            (first <= last && last - first < MOST_IN_VIEW).then_some((first, last))
        };
        Some(Self { columns: range(columns)?, rows: range(rows)? })
    }

    /// Their part of a view of this size, where it has the tile that is asked for.
    fn part(self, view: Size, at: &TileAddress) -> Option<Region<View>> {
        let has = |(first, last): (u32, u32), asked: u32| (first..=last).contains(&asked);
        if !has(self.columns, at.column) || !has(self.rows, at.row) {
            return None;
        }
        let side = |(first, last): (u32, u32)| Some((first.checked_mul(TILE)?, (last - first + 1) * TILE));
        let ((x, width), (y, height)) = (side(self.columns)?, side(self.rows)?);
        Region::of(x, y, width, height).within(view)
    }
}

/// 256 x 256 px of a result, or of the result shrunk 2^level times, as sRGB PNG; less at the right and lower edges.
///
/// The address names the content, so an answer never changes.
#[utoipa::path(get, path = "/tiles/{original}/{treatment}/{level}/{column}/{row}", tag = "tiles",
    params(TileAddress, Showing,
        ("Tiles-In-View" = Option<String>, Header, description = "First and last column, first and last row of the tiles that are looked at \
            together, as 4-9,3-5: what they have in common is computed once")),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn tile(
    State(app): State<App>,
    who: Who,
    Address(at): Address<TileAddress>,
    Question(Showing { show, area }): Question<Showing>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    // What somebody who may only look tries out leaves nothing behind.
    let treatment = match who.role {
        Role::Technician => app.studio.keep_treatment(at.treatment).await?,
        Role::Viewer => app.studio.treatment(at.treatment).await?,
    };
    let region = part_of(treatment.sheet(), at.level, at.column, at.row)?;
    let original = app.studio.original(at.original).await?;
    let near = app.studio.renderer().enlarges(&original, &treatment, at.level)?;
    let by_model = if near { treatment.needs_model() } else { treatment.mends() };
    let lane = if by_model && show != Show::Area { Lane::Model } else { Lane::Plain };
    let picture = Arc::clone(&original);
    let together = InView::of(&headers).filter(|_| near && show == Show::Result);
    let together = together.and_then(|tiles| tiles.part(view_size(treatment.sheet(), at.level), &at));
    let planes = app
        .studio
        .view(lane, move |studio, pace| {
            let renderer = studio.renderer();
            if let Some(together) = together {
                renderer.clean_ahead(&original, &treatment, at.level, together, pace)?;
            }
            match show {
                Show::Result => renderer.view(&original, &treatment, at.level, region, pace),
                Show::Edges => renderer.edge_mask(&original, &treatment, at.level, region, pace),
                Show::Area => renderer.area_view(&original, &treatment, area, at.level, region, pace),
                Show::Wear => renderer.wear_view(&original, &treatment, at.level, region, pace),
                Show::Departure => renderer.departure_view(&original, &treatment, None, at.level, region, pace),
            }
        })
        .await??;
    // Masks and maps are drawn in the screen's own colours.
    let own_colours = show == Show::Result;
    answer(planes, own_colours.then_some(picture)).await
}

/// A view is shrunk 2^31 times at most: any picture is a single pixel by then.
const DEEPEST_LEVEL: u32 = 31;

/// A tile's part of a view of something of this size.
fn part_of(size: Size, level: u32, column: u32, row: u32) -> Result<Region<View>, Problem> {
    if level > DEEPEST_LEVEL {
        let detail = format!("a view is shrunk 2^{DEEPEST_LEVEL} times at most");
        return Err(Problem::missing("tile.outside", detail));
    }
    let view = view_size(size, level);
    let corner = column.checked_mul(TILE).zip(row.checked_mul(TILE));
    corner.and_then(|(x, y)| Region::of(x, y, TILE, TILE).within(view)).ok_or_else(|| outside(view))
}

fn outside(view: Size) -> Problem {
    Problem::missing("tile.outside", format!("the view has {view}: nothing lies there"))
}

/// Planes as sRGB PNG, out of the colours of the picture that they come from where one is given.
///
/// After the lane: while one view is encoded, the next is computed. The address names the content, so that the answer
/// may be kept for ever.
pub(super) async fn answer(planes: Planes, from: Option<Arc<Original>>) -> Result<Response, Problem> {
    let png = blocking(move || match from {
        Some(original) => png_bytes(&original.to_srgb(planes)),
        None => png_bytes(&planes),
    })
    .await?;
    let headers =
        [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")];
    Ok((headers, png).into_response())
}

/// A part of a result's sheet, in its pixels.
#[derive(Clone, Copy, Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct SheetPart {
    /// Left edge.
    x: u32,
    /// Upper edge.
    y: u32,
    /// Pixels across.
    width: u32,
    /// Pixels down.
    height: u32,
}

/// The longest side of a part that is cut out or measured.
const LONGEST_PART: u32 = 2048;

impl SheetPart {
    /// The part that lies on the sheet, its middle where it is larger than can be computed in a moment.
    fn on(self, sheet: Size) -> Result<Region<Sheet>, Problem> {
        let part = Region::<Sheet>::of(self.x, self.y, self.width, self.height).within(sheet);
        let part = part.filter(|p| p.size().area() > 0).ok_or_else(|| outside(sheet))?;
        let (width, height) = (part.width.min(LONGEST_PART), part.height.min(LONGEST_PART));
        Ok(Region::of(part.x + (part.width - width) / 2, part.y + (part.height - height) / 2, width, height))
    }
}

/// Which result.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct ResultAddress {
    /// The original's SHA-256.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
    original: ContentHash,
    /// The treatment's hash.
    #[param(value_type = String, pattern = "^[0-9a-f]{64}$")]
    treatment: ContentHash,
}

/// A part of a result at its own scale, up to 2048 px a side, as sRGB PNG.
#[utoipa::path(get, path = "/crops/{original}/{treatment}", tag = "tiles", params(ResultAddress, SheetPart),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn crop(
    State(app): State<App>,
    Address(at): Address<ResultAddress>,
    Question(part): Question<SheetPart>,
) -> Result<Response, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let region = part.on(treatment.sheet())?;
    let original = app.studio.original(at.original).await?;
    let lane = if treatment.needs_model() { Lane::Model } else { Lane::Plain };
    let picture = Arc::clone(&original);
    let work = move |studio: &Studio, pace: &dyn Pace| studio.renderer().render(&original, &treatment, region, pace);
    answer(app.studio.view(lane, work).await??, Some(picture)).await
}

/// Figures of a part of a result.
#[derive(Debug, Serialize, ToSchema)]
pub struct MeasuresView {
    /// 95 % of its pixels, brought back to the original's size, depart from the original by no more, in CIEDE2000.
    pub departure_p95: f32,
    /// Mean departure.
    pub departure_mean: f32,
    /// Mean gradient over that of the same part by bicubic resampling: above 1 it is sharper.
    pub sharpness: f64,
}

impl From<Measures> for MeasuresView {
    fn from(Measures { departure_p95, departure_mean, sharpness }: Measures) -> Self {
        Self { departure_p95, departure_mean, sharpness }
    }
}

/// Measures a part of a result, of at most 2048 px a side, against the original; nothing where it holds no picture.
#[utoipa::path(get, path = "/measures/{original}/{treatment}", tag = "tiles", params(ResultAddress, SheetPart),
    responses((status = OK, body = Option<MeasuresView>), (status = 404, body = ProblemDetails)))]
pub async fn measures(
    State(app): State<App>,
    Address(at): Address<ResultAddress>,
    Question(part): Question<SheetPart>,
) -> Result<Json<Option<MeasuresView>>, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let region = part.on(treatment.sheet())?;
    let original = app.studio.original(at.original).await?;
    let lane = if treatment.needs_model() { Lane::Model } else { Lane::Plain };
    let work =
        move |studio: &Studio, pace: &dyn Pace| studio.renderer().measures(&original, &treatment, None, region, pace);
    Ok(Json(app.studio.view(lane, work).await??.map(MeasuresView::from)))
}

/// The spread of tones of a part, in the original's own encoded values.
#[derive(Debug, Serialize, ToSchema)]
pub struct TonesView {
    /// Pixels of red, green and blue at each step from black to white.
    #[schema(value_type = Vec<Vec<u32>>)]
    pub counts: Vec<Vec<u32>>,
    /// Share of pixels of which a value is as dark as 8 bits can say.
    pub black: f32,
    /// Share of pixels of which a value is as light as that.
    pub white: f32,
}

impl From<Tones> for TonesView {
    fn from(Tones { counts, black, white }: Tones) -> Self {
        Self { counts: counts.iter().map(|channel| channel.to_vec()).collect(), black, white }
    }
}

/// Tones of a part, of the original and of a result.
#[derive(Debug, Serialize, ToSchema)]
pub struct TonesOf {
    /// Of the original, by bicubic resampling.
    pub original: TonesView,
    /// Of the result.
    pub result: TonesView,
    /// Share of the result's pixels whose colour the file's profile cannot hold; nothing where it is the original's own.
    pub lost: Option<f32>,
}

/// What profile the file is to have.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct InProfile {
    /// The file's profile.
    #[serde(default)]
    #[param(inline)]
    profile: OutputProfile,
}

/// How the tones of a part of a result are spread, of at most 2048 px a side, beside the original's.
#[utoipa::path(get, path = "/tones/{original}/{treatment}", tag = "tiles", params(ResultAddress, SheetPart, InProfile),
    responses((status = OK, body = TonesOf), (status = 404, body = ProblemDetails)))]
pub async fn tones(
    State(app): State<App>,
    Address(at): Address<ResultAddress>,
    Question(part): Question<SheetPart>,
    Question(InProfile { profile }): Question<InProfile>,
) -> Result<Json<TonesOf>, Problem> {
    let treatment = app.studio.treatment(at.treatment).await?;
    let region = part.on(treatment.sheet())?;
    // Bare paper and bleed are no part of the picture.
    let region = region.intersection(treatment.place()).ok_or_else(|| outside(treatment.sheet()))?;
    let original = app.studio.original(at.original).await?;
    let lane = if treatment.needs_model() { Lane::Model } else { Lane::Plain };
    let work = move |studio: &Studio, pace: &dyn Pace| {
        let plain = treatment.untreated(Kernel::Bicubic);
        let before = studio.renderer().render(&original, &plain, region, pace)?;
        let after = studio.renderer().render(&original, &treatment, region, pace)?;
        let to = ColourProfile::standard(profile);
        Ok::<_, RenderError>(TonesOf {
            original: Tones::of(&before).into(),
            result: Tones::of(&after).into(),
            lost: to.and_then(|to| lost_in(&after, original.profile().map(|own| &**own), &to)),
        })
    };
    Ok(Json(app.studio.view(lane, work).await??))
}

/// Which tile of a finished enlargement.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Path)]
pub struct EnlargementTile {
    /// The enlargement's number.
    id: ResultId,
    /// 0 for the file's own pixels, 1 for half of its size, and so on.
    level: u32,
    /// Column, from 0.
    column: u32,
    /// Row, from 0.
    row: u32,
}

/// What of a finished enlargement to show.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ShowFile {
    /// Its pixels.
    #[default]
    Result,
    /// Where it departs from its original, as for a treatment.
    Departure,
}

/// Other than the pixels of the file.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ShowingFile {
    /// What to show.
    #[serde(default)]
    show: ShowFile,
}

/// A finished enlargement, with what it was made of.
struct Finished {
    file: Arc<Original>,
    original: Arc<Original>,
    treatment: Arc<Treatment>,
}

impl Finished {
    async fn of(app: &App, id: ResultId) -> Result<Self, Problem> {
        let enlargement = app.store.enlargement(id).await?;
        Ok(Self {
            file: app.studio.enlargement(&enlargement.file_key).await?,
            original: app.studio.original(enlargement.record.original_sha256).await?,
            treatment: app.studio.treatment(enlargement.record.treatment_hash).await?,
        })
    }
}

/// 256 x 256 px of a finished enlargement, out of its file, or of it shrunk 2^level times, as sRGB PNG.
#[utoipa::path(get, path = "/enlargements/{id}/tiles/{level}/{column}/{row}", tag = "tiles", params(EnlargementTile, ShowingFile),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn enlargement_tile(
    State(app): State<App>,
    Address(at): Address<EnlargementTile>,
    Question(ShowingFile { show }): Question<ShowingFile>,
) -> Result<Response, Problem> {
    if show == ShowFile::Departure {
        let Finished { file, original, treatment } = Finished::of(&app, at.id).await?;
        let region = part_of(treatment.sheet(), at.level, at.column, at.row)?;
        let work = move |studio: &Studio, pace: &dyn Pace| {
            studio.renderer().departure_view(&original, &treatment, Some(&file), at.level, region, pace)
        };
        return answer(app.studio.view(Lane::Plain, work).await??, None).await;
    }
    let enlargement = app.store.enlargement(at.id).await?;
    let picture = app.studio.enlargement(&enlargement.file_key).await?;
    let as_it_is = Treatment::plain(Kernel::Nearest, picture.size());
    let region = part_of(picture.size(), at.level, at.column, at.row)?;
    let source = Arc::clone(&picture);
    let work =
        move |studio: &Studio, pace: &dyn Pace| studio.renderer().view(&source, &as_it_is, at.level, region, pace);
    answer(app.studio.view(Lane::Plain, work).await??, Some(picture)).await
}

/// Measures a part of a finished enlargement, out of its file, of at most 2048 px a side, against its original; nothing where
/// it holds no picture.
#[utoipa::path(get, path = "/enlargements/{id}/measures", tag = "tiles", params(("id" = ResultId, Path), SheetPart),
    responses((status = OK, body = Option<MeasuresView>), (status = 404, body = ProblemDetails)))]
pub async fn enlargement_measures(
    State(app): State<App>,
    Address(id): Address<ResultId>,
    Question(part): Question<SheetPart>,
) -> Result<Json<Option<MeasuresView>>, Problem> {
    let Finished { file, original, treatment } = Finished::of(&app, id).await?;
    let region = part.on(treatment.sheet())?;
    let work = move |studio: &Studio, pace: &dyn Pace| {
        studio.renderer().measures(&original, &treatment, Some(&file), region, pace)
    };
    Ok(Json(app.studio.view(Lane::Plain, work).await??.map(MeasuresView::from)))
}

/// A part of a finished enlargement, out of its file, up to 2048 px a side, as sRGB PNG.
#[utoipa::path(get, path = "/enlargements/{id}/crop", tag = "tiles", params(("id" = ResultId, Path), SheetPart),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn enlargement_crop(
    State(app): State<App>,
    Address(id): Address<ResultId>,
    Question(part): Question<SheetPart>,
) -> Result<Response, Problem> {
    let enlargement = app.store.enlargement(id).await?;
    let picture = app.studio.enlargement(&enlargement.file_key).await?;
    let as_it_is = Treatment::plain(Kernel::Nearest, picture.size());
    let region = part.on(picture.size())?;
    let source = Arc::clone(&picture);
    let work = move |studio: &Studio, pace: &dyn Pace| studio.renderer().render(&source, &as_it_is, region, pace);
    answer(app.studio.view(Lane::Plain, work).await??, Some(picture)).await
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn at(column: u32, row: u32) -> TileAddress {
        let hash = ContentHash::of(b"vases");
        TileAddress { original: hash, treatment: hash, level: 0, column, row }
    }

    #[rstest]
    #[case::some("4-9,3-5", Some(Region::of(1024, 768, 1536, 768)))]
    #[case::to_the_edge("4-19,3-5", Some(Region::of(1024, 768, 1976, 768)))]
    #[case::without_the_tile("5-9,3-5", None)]
    #[case::too_many("0-16,0-5", None)]
    #[case::backwards("9-4,3-5", None)]
    #[case::beyond_all_measure("4-4294967295,3-5", None)]
    #[case::no_numbers("a-b,c", None)]
    fn what_is_looked_at_together_is_believed_as_far_as_it_makes_sense(
        #[case] text: &str,
        #[case] due: Option<Region<View>>,
    ) {
        let headers = HeaderMap::from_iter([(IN_VIEW.parse().unwrap(), text.parse().unwrap())]);
        let together = InView::of(&headers).and_then(|tiles| tiles.part(Size::new(3000, 2000), &at(4, 3)));
        assert_eq!(together, due);
    }
}
