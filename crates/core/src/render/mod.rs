//! `render(original, treatment, region)`: the one definition of a result.
//!
//! A preview, a comparison and the final run all ask here, for regions of the result. A region pulls
//! what it needs from the step before; learned passes are kept as tiles ([`cache`]), so a pan computes
//! only what is new and a run takes over what the preview made.

pub mod cache;
mod level;
mod run;

use crate::codec::CodecError;
use crate::enlarge::{self, Kernel, Source};
use crate::model::{ModelError, Shelf};
use crate::picture::{Original, Planes, Region, Size};
use crate::treatment::{Enlarge, Treatment};
use cache::TileCache;
use level::{Below, Caches, Level};

pub use run::run;

/// How the last step of a learned chain comes down to the exact size.
const LAST_STEP: Kernel = Kernel::Lanczos3;

/// Why a result could not be rendered.
#[derive(Debug, thiserror::Error)]
pub enum RenderError {
    /// It was given up on request.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// A model is missing or failed.
    #[error(transparent)]
    Model(#[from] ModelError),
    /// The treatment names a model file other than the one at hand.
    #[error("the treatment was made with another version of model {model}: choose the model again")]
    OtherVersion {
        /// Which model.
        model: String,
    },
    /// The result could not be written.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

/// The work was given up on request.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("cancelled")]
pub struct Cancelled;

/// How a rendering shares the machine: asked before, and told after, each run of a network.
pub trait Pace: Sync {
    /// May wait for more urgent work; answers whether to go on.
    fn before_block(&self) -> bool {
        true
    }

    /// So many pixels of a pass's input are done.
    fn after_block(&self, _pixels: u64) {}
}

/// Straight on to the end.
pub struct Unhurried;

impl Pace for Unhurried {}

/// Renders results with the models of a shelf.
pub struct Renderer {
    shelf: Shelf,
    tiles: TileCache,
}

impl Renderer {
    /// A renderer that keeps up to `tile_bytes` of computed tiles.
    pub fn new(shelf: Shelf, tile_bytes: usize) -> Self {
        Self { shelf, tiles: TileCache::new(tile_bytes) }
    }

    /// The models.
    pub fn shelf(&self) -> &Shelf {
        &self.shelf
    }

    /// A region of the result, in the result's pixels; it must lie inside.
    ///
    /// Encoded RGB in [0, 1], in the original's own colour profile. The same whatever else was asked before.
    pub fn render(
        &self,
        original: &Original,
        treatment: &Treatment,
        region: Region,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        self.render_with(original, treatment, region, pace, None)
    }

    /// A region of the result as it is seen from further away, at 1 / 2^`level` of its size.
    ///
    /// The region is in pixels of the shrunk result, whose size is [`view_size`]. Level 0 is the result
    /// itself. Where a pixel of the view is no smaller than one of the original, nothing that a model adds
    /// could be seen, and the view is taken from the original at once.
    pub fn view(
        &self,
        original: &Original,
        treatment: &Treatment,
        level: u32,
        region: Region,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let size = view_size(treatment.size, level);
        if level == 0 {
            return self.render(original, treatment, region, pace);
        }
        if size.width <= original.size().width {
            if !pace.before_block() {
                return Err(Cancelled.into());
            }
            return Ok(enlarge::resample(original, size, region, Kernel::Bicubic));
        }
        let part = enlarge::source_region(treatment.size, size, region, Kernel::Bicubic);
        let window = Window { whole: treatment.size, part, planes: self.render(original, treatment, part, pace)? };
        Ok(enlarge::resample(&window, size, region, Kernel::Bicubic))
    }

    fn render_with(
        &self,
        original: &Original,
        treatment: &Treatment,
        region: Region,
        pace: &dyn Pace,
        own: Option<&TileCache>,
    ) -> Result<Planes, RenderError> {
        match &treatment.enlarge {
            Enlarge::Plain { kernel } => {
                if !pace.before_block() {
                    return Err(Cancelled.into());
                }
                Ok(enlarge::resample(original, treatment.size, region, *kernel))
            }
            Enlarge::Learned { .. } => {
                let Some(level) = self.levels(original, treatment, own)? else {
                    return Ok(enlarge::resample(original, treatment.size, region, LAST_STEP));
                };
                let whole = level.size();
                let part = enlarge::source_region(whole, treatment.size, region, LAST_STEP);
                if whole == treatment.size {
                    return level.region(region, pace);
                }
                let window = Window { whole, part, planes: level.region(part, pace)? };
                Ok(enlarge::resample(&window, treatment.size, region, LAST_STEP))
            }
        }
    }

    /// The learned passes, each on top of the one before.
    fn levels<'a>(
        &'a self,
        original: &'a Original,
        treatment: &Treatment,
        own: Option<&'a TileCache>,
    ) -> Result<Option<Level<'a>>, RenderError> {
        let caches = Caches { shared: &self.tiles, own };
        let mut top: Option<Level<'a>> = None;
        for pass in treatment.passes() {
            let model = self.shelf.get(&pass.model)?;
            if model.card().sha256 != pass.sha256 {
                return Err(RenderError::OtherVersion { model: pass.model.clone() });
            }
            let below = top.map_or(Below::Original(original), |level| Below::Level(Box::new(level)));
            top = Some(Level::new(below, model.network()?, pass.sha256, caches));
        }
        Ok(top)
    }
}

/// The size of a result at 1 / 2^`level`, each side at least one pixel.
pub fn view_size(size: Size, level: u32) -> Size {
    let side = |px: u32| px.div_ceil(1 << level.min(31)).max(1);
    Size::new(side(size.width), side(size.height))
}

/// A part of a larger picture, standing for the whole where only that part is pulled.
struct Window {
    whole: Size,
    part: Region,
    planes: Planes,
}

impl Source for Window {
    fn size(&self) -> Size {
        self.whole
    }

    fn pull(&self, region: Region) -> Planes {
        debug_assert_eq!(region, self.part, "the part that was foreseen");
        self.planes.cut(Region::new(region.x - self.part.x, region.y - self.part.y, region.width, region.height))
    }
}

#[cfg(test)]
mod tests;
