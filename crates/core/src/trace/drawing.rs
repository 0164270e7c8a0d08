//! Tracing an original: enlarged for it, in its own crop and cleaned as its recipe says.

use dettaglio_domain::clean::Clean;
use dettaglio_domain::finish::Finish;
use dettaglio_domain::frame::FrameError;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Grade, LETTERING};
use dettaglio_domain::recipe::{Choice, Recipe, RecipeError, Surround, Worked};
use dettaglio_domain::size::Target;

use super::error::TraceError;
use super::refine::refined;
use super::shapes::{Traced, trace};
use crate::picture::Original;
use crate::render::{Cancelled, Pace, RenderError, Renderer};

/// How many times as large a small picture is made, for its edges to be found to a tenth of its pixels.
const CLOSER: f64 = 4.0;

/// Pixels of the picture that is traced, at most.
const MOST_PIXELS: f64 = 16e6;

/// Why an original is not traced.
#[derive(Debug, thiserror::Error)]
pub enum DrawingError {
    /// Its crop is not one of it.
    #[error(transparent)]
    Frame(#[from] FrameError),
    /// Its recipe cannot be carried out.
    #[error(transparent)]
    Recipe(#[from] RecipeError),
    /// It cannot be enlarged.
    #[error(transparent)]
    Render(#[from] RenderError),
    /// It is no drawing.
    #[error(transparent)]
    Trace(#[from] TraceError),
}

impl From<Cancelled> for DrawingError {
    fn from(cancelled: Cancelled) -> Self {
        Self::Render(cancelled.into())
    }
}

/// Traces an original in `most` colours at most: framed and cleaned as `recipe` says, and enlarged by the models for lettering and line, where
/// there are some.
pub fn drawing(
    renderer: &Renderer,
    original: &Original,
    recipe: &Recipe,
    most: usize,
    pace: &dyn Pace,
) -> Result<Traced, DrawingError> {
    let shelf = renderer.shelf();
    let kept = recipe.frame.size(original.size())?;
    let factor = (MOST_PIXELS / kept.area() as f64).sqrt().clamp(1.0, CLOSER);
    let mut recipe = recipe.clone();
    recipe.surround = Surround::None;
    recipe.areas.clear();
    recipe.steps.faces = None;
    recipe.steps.finish = Finish::default();
    recipe.steps.enlarge = if shelf.enlargers(LETTERING).next().is_some() {
        Choice::Learned { subject: LETTERING.to_owned(), grade: Grade::Fine, strength: 1.0 }
    } else {
        Choice::Plain { kernel: Kernel::Lanczos3 }
    };
    let Worked { treatment, .. } = recipe.work_out(&shelf, original.size(), Target::Factor { factor })?;
    let planes = renderer.render(original, &treatment, treatment.sheet().whole().seen_as(), pace)?;
    let traced = trace(&original.to_srgb(planes), kept, most)?;

    // What edges are measured on is the picture as it is: what a cleaner takes for noise of an edge may be its own.
    recipe.steps.clean = Clean::default();
    recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Lanczos3 };
    let Worked { treatment, .. } = recipe.work_out(&shelf, original.size(), Target::Factor { factor: 1.0 })?;
    let small = renderer.render(original, &treatment, treatment.sheet().whole().seen_as(), pace)?;
    Ok(refined(traced, &original.to_srgb(small), pace)?)
}
