//! An original as shapes.

use axum::Json;
use axum::extract::State;
use axum::response::Response;
use dettaglio_core::render::Pace;
use dettaglio_core::trace::{DrawingError, Traced, drawing, hex, pdf, svg};
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::naming::stem;
use dettaglio_domain::size::Target;
use dettaglio_domain::trace::{LEAST_COLOURS, MOST_COLOURS};
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use super::answer::ProblemDetails;
use super::extract::{Address, Question};
use super::serve_file::attachment;
use crate::app::{App, intents};
use crate::compute::studio::{Lane, Studio};
use crate::problem::Problem;

/// How a picture is traced.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Tracing {
    /// How many colours it is drawn in at most, 2 to 32.
    #[serde(default = "Tracing::usual")]
    #[param(minimum = 2, maximum = 32)]
    colours: usize,
}

impl Tracing {
    fn usual() -> usize {
        MOST_COLOURS
    }
}

/// A picture as shapes.
#[derive(Debug, Serialize, ToSchema)]
pub struct TracedView {
    /// The SVG file, at the print's size where the picture is printed.
    pub svg: String,
    /// Outlines of shapes and holes.
    pub outlines: usize,
    /// Places at which lines and curves meet.
    pub nodes: usize,
    /// The colours that it is drawn in, such as "#9c5200", those that lie lowest first.
    pub colours: Vec<String>,
}

/// Traces an original as it is framed and cleaned now, and hands out the file. A photograph is refused, with the reason.
#[utoipa::path(get, path = "/originals/{id}/trace", tag = "originals", params(("id" = OriginalId, Path), Tracing),
    responses((status = OK, body = TracedView), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn trace(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Question(Tracing { colours }): Question<Tracing>,
) -> Result<Json<TracedView>, Problem> {
    let (_, traced, print) = traced(&app, id, colours).await?;
    Ok(Json(TracedView {
        svg: svg(&traced, print),
        outlines: traced.outlines(),
        nodes: traced.nodes(),
        colours: traced.colours().into_iter().map(hex).collect(),
    }))
}

/// The same as a PDF file of one page, at the print's size where the picture is printed.
#[utoipa::path(get, path = "/originals/{id}/trace.pdf", tag = "originals", params(("id" = OriginalId, Path), Tracing),
    responses((status = OK, content_type = "application/pdf"), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn trace_pdf(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Question(Tracing { colours }): Question<Tracing>,
) -> Result<Response, Problem> {
    let (row, traced, print) = traced(&app, id, colours).await?;
    attachment(&format!("{}.pdf", stem(&row.name)), "application/pdf", pdf(&traced, print))
}

/// An original, traced as it is framed and cleaned now, and the millimetres that it is printed in.
async fn traced(
    app: &App,
    id: OriginalId,
    colours: usize,
) -> Result<(OriginalRow, Traced, Option<(f64, f64)>), Problem> {
    if !(LEAST_COLOURS..=MOST_COLOURS).contains(&colours) {
        let detail = format!("a drawing is traced in {LEAST_COLOURS} to {MOST_COLOURS} colours, not in {colours}");
        return Err(Problem::refused("trace.colours", detail).field("colours"));
    }
    let row = app.store.original(id).await?;
    let intent = intents::of(app, &row).await?;
    let original = app.studio.original(row.hash).await?;
    let (recipe, target) = (intent.recipe, intent.target);
    let work = move |studio: &Studio, pace: &dyn Pace| drawing(studio.renderer(), &original, &recipe, colours, pace);
    let traced = app.studio.view(Lane::Aside, work).await?.map_err(refusal)?;
    let print = match target {
        Target::Print { paper, .. } => Some(paper.holding_mm(traced.size)),
        _ => None,
    };
    Ok((row, traced, print))
}

fn refusal(error: DrawingError) -> Problem {
    match error {
        DrawingError::Trace(why) => Problem::refused("trace.not-drawn", why),
        DrawingError::Render(error) => error.into(),
        DrawingError::Recipe(error) => error.into(),
        DrawingError::Frame(error) => dettaglio_domain::treatment::TreatmentError::from(error).into(),
    }
}
