//! An original as shapes: what its Enlarge step traces.

use axum::Json;
use axum::extract::State;
use axum::response::Response;
use dettaglio_core::render::{Pace, Shapes};
use dettaglio_core::trace::drawing_bytes;
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::naming;
use dettaglio_domain::size::Target;
use dettaglio_domain::trace::{DrawingFile, Ink};
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::Address;
use super::serve_file::attachment;
use crate::app::{App, intents};
use crate::compute::studio::{Lane, Studio};
use crate::problem::Problem;

/// A picture as shapes.
#[derive(Debug, Serialize, ToSchema)]
pub struct TracedView {
    /// Outlines of shapes and holes.
    pub outlines: usize,
    /// Places at which lines and curves meet.
    pub nodes: usize,
    /// Bytes of the SVG file.
    pub bytes: usize,
    /// The colours that were found and what each is printed as, those that lie lowest first.
    pub inks: Vec<Ink>,
}

/// What the Enlarge step's tracing makes of an original, framed, repaired and cleaned as it is now. A photograph is refused, with the reason.
#[utoipa::path(get, path = "/originals/{id}/trace", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = OK, body = TracedView), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn trace(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Json<TracedView>, Problem> {
    let Drawing { shapes: Shapes { printed, inks, .. }, print_mm, .. } = Drawing::of(&app, id).await?;
    let (outlines, nodes, bytes) =
        (printed.outlines(), printed.nodes(), drawing_bytes(&printed, DrawingFile::Svg, print_mm).len());
    Ok(Json(TracedView { outlines, nodes, bytes, inks }))
}

/// The shapes as an SVG file, at the print's size where the picture is printed.
#[utoipa::path(get, path = "/originals/{id}/trace.svg", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = OK, content_type = "image/svg+xml"), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn trace_svg(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Response, Problem> {
    Drawing::of(&app, id).await?.file(DrawingFile::Svg)
}

/// The same as a PDF file of one page; named inks are spot colours.
#[utoipa::path(get, path = "/originals/{id}/trace.pdf", tag = "originals", params(("id" = OriginalId, Path)),
    responses((status = OK, content_type = "application/pdf"), (status = 404, body = ProblemDetails), (status = 422, body = ProblemDetails)))]
pub async fn trace_pdf(State(app): State<App>, Address(id): Address<OriginalId>) -> Result<Response, Problem> {
    Drawing::of(&app, id).await?.file(DrawingFile::Pdf)
}

/// An original, traced.
struct Drawing {
    row: OriginalRow,
    shapes: Shapes,
    /// What it is printed in, across and down.
    print_mm: Option<(f64, f64)>,
}

impl Drawing {
    async fn of(app: &App, id: OriginalId) -> Result<Self, Problem> {
        let row = app.store.original(id).await?;
        let intent = intents::of(app, &row).await?;
        let treatment = intents::worked_out(&intent, &app.studio.renderer().shelf(), &row)?.treatment;
        let original = app.studio.original(row.hash).await?;
        let work = move |studio: &Studio, pace: &dyn Pace| studio.renderer().shapes(&original, &treatment, pace);
        let Some(shapes) = app.studio.view(Lane::Aside, work).await?? else {
            let detail = "this picture is not traced: choose it in Enlarge first";
            return Err(Problem::refused("trace.not-chosen", detail).field("enlarge"));
        };
        let print_mm = match intent.target {
            Target::Print { paper, .. } => Some(paper.holding_mm(shapes.printed.size)),
            _ => None,
        };
        Ok(Self { row, shapes, print_mm })
    }

    fn file(&self, format: DrawingFile) -> Result<Response, Problem> {
        let name = naming::of_drawing(&self.row.name, format);
        attachment(&name, format.media_type(), drawing_bytes(&self.shapes.printed, format, self.print_mm))
    }
}
