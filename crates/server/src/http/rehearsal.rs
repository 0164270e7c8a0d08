//! Rehearsals: a picture shrunk, enlarged again by every candidate, and compared with itself.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::Response;
use chrono::{DateTime, Utc};
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::rehearsal::{PutBack, Rehearsal, SIDE, SMALLEST, as_rehearsed, choose, divided};
use dettaglio_domain::affine::space;
use dettaglio_domain::clean::Clean;
use dettaglio_domain::geometry::Region;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::intent::Intent;
use dettaglio_domain::recipe::Steps;
use dettaglio_domain::rehearsal::{Candidate, Figures, Standing, candidates};
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::{Address, Body, Question};
use super::tiles::answer;
use crate::app::readings::reading_of;
use crate::app::{App, intents};
use crate::compute::rehearsals::{Kept, Planned, crop};
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// The most parts of one rehearsal.
const MOST_PARTS: u32 = 48;

/// Parts that are looked at where nothing is said.
const USUAL_PARTS: u32 = 9;

/// How much a difference is enlarged around middle grey.
const DIFFERENCE_GAIN: f32 = 4.0;

/// What is to be rehearsed.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct RehearsalRequest {
    /// How many times it is enlarged again: 2, 3 or 4; the print's own factor, brought into that range, where nothing is said.
    #[serde(default)]
    pub factor: Option<u32>,
    /// How many parts are looked at, 1 to 48.
    #[serde(default)]
    pub parts: Option<u32>,
    /// Only this part of the picture, in pixels of the original.
    #[serde(default)]
    #[schema(value_type = Option<Region>)]
    pub region: Option<Region<space::Original>>,
    /// Whether the picture's own noise and compression are put back.
    #[serde(default)]
    pub put_back: bool,
    /// Treatments that take part as they are; those that are kept for the picture where nothing is said.
    #[serde(default)]
    pub intent: Option<Intent>,
}

/// The last rehearsal of a picture: the one that goes on, or the one that was kept.
#[utoipa::path(get, path = "/originals/{id}/rehearsal", tag = "rehearsal", params(("id" = OriginalId, Path)),
    responses((status = OK, body = Option<Kept>), (status = 404, body = ProblemDetails)))]
pub async fn rehearsal(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
) -> Result<Json<Option<Kept>>, Problem> {
    Ok(Json(last(&app, id).await?))
}

/// Lets a rehearsal begin. One of the same picture that goes on is given up.
#[utoipa::path(post, path = "/originals/{id}/rehearsal", tag = "rehearsal", params(("id" = OriginalId, Path)),
    request_body = RehearsalRequest,
    responses((status = CREATED, body = Kept), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn begin_rehearsal(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(asked): Body<RehearsalRequest>,
) -> Result<(StatusCode, Json<Kept>), Problem> {
    let row = app.store.original(id).await?;
    let planned = asked.plan(&app, &row).await?;
    let store = app.store.clone();
    let kept = app.rehearsals.begin(Arc::clone(&app.studio), planned, app.stop.child_token(), move |kept| async move {
        if let Err(error) = store.set_rehearsal(id, Some(&kept)).await {
            tracing::warn!(%error, picture = %id, "a rehearsal could not be kept");
        }
    });
    Ok((StatusCode::CREATED, Json(kept)))
}

/// Gives up the rehearsal that goes on, or forgets the one that is kept.
#[utoipa::path(delete, path = "/originals/{id}/rehearsal", tag = "rehearsal", params(("id" = OriginalId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn forget_rehearsal(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<StatusCode, Problem> {
    app.store.original(id).await?;
    if app.rehearsals.standing(id).is_some() {
        app.rehearsals.give_up(id);
    } else {
        app.store.set_rehearsal(id, None::<&Kept>).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Which piece of a rehearsal.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Piece {
    /// Which candidate, from 0; the part as it is, where nothing is said.
    candidate: Option<usize>,
    /// How it differs from the part as it is, four times as much around middle grey.
    #[serde(default)]
    difference: bool,
    /// When the rehearsal began: the address names the content.
    began_at: DateTime<Utc>,
}

/// One part as a candidate made it, as sRGB PNG.
#[utoipa::path(get, path = "/originals/{id}/rehearsal/{part}", tag = "rehearsal",
    params(("id" = OriginalId, Path), ("part" = usize, Path), Piece),
    responses((status = OK, content_type = "image/png"), (status = 404, body = ProblemDetails)))]
pub async fn rehearsed_part(
    State(app): State<App>,
    Address((id, part)): Address<(OriginalId, usize)>,
    Question(piece): Question<Piece>,
) -> Result<Response, Problem> {
    let nothing = |what: &str| Problem::missing("rehearsal.unknown", what.to_owned());
    let row = app.store.original(id).await?;
    let kept = last(&app, id).await?.ok_or_else(|| nothing("this picture was not rehearsed yet"))?;
    if piece.began_at != kept.began_at {
        return Err(nothing("another rehearsal has begun since: ask for it anew"));
    }
    let candidate = match piece.candidate {
        None => None,
        Some(i) => {
            let row = kept.standing.rows.get(i).ok_or_else(|| nothing("this rehearsal has no such candidate"))?;
            Some(row.candidate.clone())
        }
    };
    let original = app.studio.original(row.hash).await?;
    let picture = Arc::clone(&original);
    let lane = if candidate.is_some() { Lane::Model } else { Lane::Plain };
    let planes = app
        .studio
        .view(lane, move |studio, pace| {
            let truth = || crop(studio, &picture, &kept, part, None, pace);
            let made = crop(studio, &picture, &kept, part, candidate, pace)?;
            Ok::<_, Problem>(if piece.difference { difference(made, truth()?) } else { made })
        })
        .await??;
    let planes = planes.ok_or_else(|| nothing("this rehearsal has no such part"))?;
    answer(planes, (!piece.difference).then_some(original)).await
}

/// Around middle grey, where nothing differs.
fn difference(made: Option<Planes>, truth: Option<Planes>) -> Option<Planes> {
    let (made, truth) = (made?, truth?);
    let values =
        made.values().iter().zip(truth.values()).map(|(m, t)| (0.5 + DIFFERENCE_GAIN * (m - t)).clamp(0.0, 1.0));
    Some(Planes::from_values(made.size(), values.collect()))
}

/// What an order's rehearsals come to together.
#[derive(Debug, Serialize, ToSchema)]
pub struct RehearsalsTogether {
    /// The pictures that were rehearsed, by name of the file.
    pub pictures: Vec<String>,
    /// Every candidate over all of them.
    pub rows: Vec<CandidateTogether>,
}

/// A candidate over several pictures.
#[derive(Debug, Serialize, ToSchema)]
pub struct CandidateTogether {
    /// What it is called.
    pub name: String,
    /// On how many pictures it performed.
    pub pictures: usize,
    /// Over these.
    pub figures: Figures,
}

/// The last rehearsals of all pictures of an order together.
#[utoipa::path(get, path = "/orders/{id}/rehearsals", tag = "rehearsal", params(("id" = OrderId, Path)),
    responses((status = OK, body = RehearsalsTogether), (status = 404, body = ProblemDetails)))]
pub async fn rehearsals_of_order(
    State(app): State<App>,
    Address(id): Address<OrderId>,
) -> Result<Json<RehearsalsTogether>, Problem> {
    app.store.order(id).await?;
    let kept = app.store.rehearsals::<Kept>(id).await?;
    let (pictures, standings): (Vec<String>, Vec<Standing>) =
        kept.into_iter().map(|(name, kept)| (name, kept.standing)).unzip();
    let rows = Standing::together(&standings).into_iter().filter_map(|(name, tally)| {
        Some(CandidateTogether { name, pictures: tally.parts(), figures: tally.over_all()? })
    });
    Ok(Json(RehearsalsTogether { pictures, rows: rows.collect() }))
}

async fn last(app: &App, id: OriginalId) -> Result<Option<Kept>, Problem> {
    match app.rehearsals.standing(id) {
        Some(kept) => Ok(Some(kept)),
        None => Ok(app.store.rehearsal(id).await?),
    }
}

impl RehearsalRequest {
    async fn plan(&self, app: &App, row: &OriginalRow) -> Result<Planned, Problem> {
        let refused = |what: String, field| Problem::refused("rehearsal.out-of-range", what).field(field);
        let intent = match &self.intent {
            Some(intent) => intent.clone(),
            None => intents::of(app, row).await?,
        };
        let factor = match self.factor {
            Some(factor @ 2..=4) => factor,
            Some(factor) => {
                return Err(refused(format!("a rehearsal enlarges 2, 3 or 4 times, not {factor}"), "factor"));
            }
            None => intent.target.resolve(row.facts.size)?.factor.round().clamp(2.0, 4.0) as u32,
        };
        let count = self.parts.unwrap_or(USUAL_PARTS);
        if !(1..=MOST_PARTS).contains(&count) {
            return Err(refused(format!("{count} parts: 1 to {MOST_PARTS} can be rehearsed"), "parts"));
        }
        let reading = reading_of(app, row).await?;
        let put_back = if self.put_back { PutBack::of(&reading) } else { PutBack::default() };
        let original = app.studio.original(row.hash).await?;
        let parts = self.parts_of(&original, count as usize)?;
        let shelf = app.studio.renderer().shelf();
        let all = take_part(&shelf, factor, put_back, &intent);
        let rehearsal = Rehearsal::new(&original, &parts, factor, put_back, all)?;
        Ok(Planned { picture: row.id, rehearsal, put_back })
    }

    fn parts_of(&self, original: &Original, count: usize) -> Result<Vec<Region<space::Original>>, Problem> {
        let Some(region) = self.region else { return Ok(choose(original, count, SIDE)) };
        let inside = region.within(original.size()).filter(|part| *part == region);
        let inside = inside.filter(|part| part.width.min(part.height) >= SMALLEST);
        let Some(region) = inside else {
            let what = format!("the part must lie inside the picture, with {SMALLEST} px a side at least");
            return Err(Problem::refused("rehearsal.part", what).field("region"));
        };
        let parts = divided(region.size(), SIDE).into_iter();
        Ok(parts.map(|p| Region::of(p.x + region.x, p.y + region.y, p.width, p.height)).take(count).collect())
    }
}

/// The treatments of the picture first, then every method and model of the shelf.
fn take_part(shelf: &Shelf, factor: u32, put_back: PutBack, intent: &Intent) -> Vec<Candidate> {
    let named = |letter: &str, steps: &Steps| Candidate {
        name: format!("Treatment {letter}"),
        steps: as_rehearsed(steps, put_back),
    };
    let letter = |letter| format!("{letter:?}");
    let mut all = vec![named(&letter(intent.letter), &intent.recipe.steps)];
    all.extend(intent.alternatives.iter().map(|other| named(&letter(other.letter), &other.steps)));
    all.extend(candidates(shelf, factor, &Clean { marks: put_back.marks(shelf), ..Clean::default() }));
    all
}
