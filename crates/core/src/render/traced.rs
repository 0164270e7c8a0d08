//! Drawings as shapes: traced once from the cleaned and enlarged picture, and drawn at the result's size.

use std::sync::Arc;

use dettaglio_domain::affine::space::Result as Enlarged;
use dettaglio_domain::finish::Finish;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::trace::{Ink, Tracing, traced_at};
use dettaglio_domain::treatment::{Enlarge, Margin, Pass, Treatment};

use super::pace::{Cancelled, Pace, RenderError};
use super::renderer::{LAST_STEP, Renderer, Work};
use super::repair::bring_back;
use crate::enlarge::Source;
use crate::picture::{Original, Planes};
use crate::trace::{Traced, refined, refuse_photograph, refuse_tiny, trace};

/// How shapes are found; another method needs another name, as they are kept by it.
const TRACED_BY: &str = "moved to explain the small picture, 1";

/// A drawing that was traced.
pub struct Shapes {
    /// What each colour that was found is printed as, those that lie lowest first.
    pub inks: Vec<Ink>,
    /// As it is printed.
    pub printed: Traced,
}

impl Renderer {
    /// The shapes of an original; nothing where its treatment does not trace it.
    ///
    /// # Errors
    /// [`RenderError::Trace`] where it is no drawing; those of rendering.
    pub fn shapes(
        &self,
        original: &Original,
        treatment: &Treatment,
        pace: &dyn Pace,
    ) -> Result<Option<Shapes>, RenderError> {
        let Enlarge::Traced { passes, tracing } = &treatment.enlarge else { return Ok(None) };
        let found = Work::new(self, original, treatment, pace, None)?.traced(passes, tracing)?;
        Ok(Some(Shapes { inks: found.inks(tracing), printed: found.printed(tracing) }))
    }
}

impl Work<'_> {
    /// A region of the picture as shapes, in the original's own colours.
    pub(super) fn drawn_shapes(
        &self,
        passes: &[Pass],
        tracing: &Tracing,
        region: Region<Enlarged>,
    ) -> Result<Planes, RenderError> {
        let mut traced = self.traced(passes, tracing)?.printed(tracing);
        let own: Vec<_> = traced.shapes.iter().map(|shape| shape.colour).collect();
        let own = self.framed.original().of_srgb(&own);
        traced.shapes.iter_mut().zip(own).for_each(|(shape, own)| shape.colour = own);
        Ok(traced.pixels(self.treatment.size, region))
    }

    /// The shapes of the picture, in the colours that were found.
    fn traced(&self, passes: &[Pass], tracing: &Tracing) -> Result<Arc<Traced>, RenderError> {
        let drawings = &self.renderer.drawings;
        // What is laid back of what cleaning took, and what is done to tone, is not in the name of the cleaned picture.
        let Treatment { clean, repair, .. } = self.treatment;
        let made_by = (TRACED_BY, passes, tracing.colours, clean, &repair.fade);
        let name = ContentHash::of_step(&self.cleaned()?.hash(), &made_by);
        if let Some(kept) = drawings.kept(&name) {
            return Ok(kept?);
        }
        let kept = self.framed.size();
        // What edges are measured on is the picture as it is: what a cleaner takes for noise of an edge may be its own.
        let small = self.in_srgb(self.repaired()?.region(kept.whole(), self.pace)?);
        // All that runs models goes before the drawing is locked: while it is, nothing is waited for.
        let large = match refuse_tiny(kept).and_then(|()| refuse_photograph(&small)) {
            Ok(()) => Ok(self.closer(passes, kept)?),
            Err(refused) => Err(refused),
        };
        let found = drawings.get(name, || match large.and_then(|large| trace(&large, kept, tracing.colours)) {
            Ok(traced) => Ok::<_, Cancelled>(Ok(Arc::new(refined(traced, &small, self.pace)?))),
            Err(refused) => Ok(Err(refused)),
        })?;
        Ok(found?)
    }

    /// The cleaned picture, enlarged for its edges to be found; sRGB.
    fn closer(&self, passes: &[Pass], kept: Size) -> Result<Planes, RenderError> {
        let size = traced_at(kept);
        let enlarge = match passes {
            [] => Enlarge::Plain { kernel: LAST_STEP },
            _ => Enlarge::Learned { passes: passes.to_vec(), strength: 1.0, over: Vec::new() },
        };
        let (areas, faces, finish, margin) = (Vec::new(), Vec::new(), Finish::default(), Margin::default());
        let treatment = Treatment { enlarge, areas, faces, finish, margin, size, ..self.treatment.clone() };
        let work = Work::new(self.renderer, self.framed.original(), &treatment, self.pace, self.own)?;
        Ok(self.in_srgb(work.unrestored(size.whole().seen_as())?))
    }

    fn in_srgb(&self, mut planes: Planes) -> Planes {
        bring_back(self.treatment.repair.fade.as_ref(), &mut planes);
        self.framed.original().to_srgb(planes)
    }
}
