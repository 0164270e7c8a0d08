//! The renderer, and the work on one treatment of one original: each step pulls what it needs from the step before.

use std::borrow::Cow;
use std::sync::{Arc, RwLock};

use dettaglio_domain::affine::space::{Kept, Result as Enlarged, Sheet, UnscaledSheet, View};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::{Enlarge, Fill, Margin, Pass, Treatment};

use super::amber::in_amber;
use super::cache::TileCache;
use super::descreen::Descreened;
use super::disk::DiskTiles;
use super::drawings::{Drawings, drawings};
use super::gaps::GapCache;
use super::level::{Below, Caches, Level, Marking, SideInput, TILE};
use super::pace::{Cancelled, Pace, RenderError};
use super::repair::{Repaired, WearMarks, bring_back};
use super::{blend_back, sheet};
use crate::enlarge::{self, Averaging, Source};
use crate::frame::Framed;
use crate::model::Shelf;
use crate::picture::{Original, Planes};
use crate::{area, finish};

/// How the last step of a learned chain comes down to the exact size.
pub(super) const LAST_STEP: Kernel = Kernel::Lanczos3;

/// Renders results with the models of a shelf.
pub struct Renderer {
    pub(super) shelf: RwLock<Arc<Shelf>>,
    pub(super) tiles: TileCache,
    pub(super) disk: Option<DiskTiles>,
    gaps: GapCache,
    pub(super) drawings: Drawings,
}

impl Renderer {
    /// A renderer that keeps up to `tile_bytes` of computed tiles.
    pub fn new(shelf: Shelf, tile_bytes: usize) -> Self {
        Self {
            shelf: RwLock::new(Arc::new(shelf)),
            tiles: TileCache::new(tile_bytes),
            disk: None,
            gaps: GapCache::default(),
            drawings: drawings(),
        }
    }

    /// The same, with tiles on disk besides.
    pub fn with_disk(self, disk: DiskTiles) -> Self {
        Self { disk: Some(disk), ..self }
    }

    /// The tiles on disk, where there are any.
    pub fn disk(&self) -> Option<&DiskTiles> {
        self.disk.as_ref()
    }

    /// The models, as they are now.
    pub fn shelf(&self) -> Arc<Shelf> {
        Arc::clone(&self.shelf.read().unwrap_or_else(|e| e.into_inner()))
    }

    /// Puts other models on the shelf; what is being rendered goes on with those it has.
    pub fn set_shelf(&self, shelf: Shelf) {
        *self.shelf.write().unwrap_or_else(|e| e.into_inner()) = Arc::new(shelf);
    }

    /// A region of the result, in the result's pixels; it must lie inside.
    ///
    /// Encoded RGB in [0, 1], in the original's own colour profile. The same whatever else was asked before.
    pub fn render(
        &self,
        original: &Original,
        treatment: &Treatment,
        region: Region<Sheet>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        self.render_with(original, treatment, region, pace, None)
    }

    /// A region of the result as it is seen from further away, at 1 / 2^`level` of its size.
    ///
    /// The region is in pixels of the shrunk result, whose size is [`view_size`]. Level 0 is the result
    /// itself. Where a pixel of the view is no smaller than one of the original, nothing that enlarging or
    /// finishing adds could be seen, and the view is taken from the cleaned original at once.
    pub fn view(
        &self,
        original: &Original,
        treatment: &Treatment,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let sheet = treatment.sheet();
        let size = view_size(sheet, level);
        if level == 0 {
            return self.render(original, treatment, region.seen_as(), pace);
        }
        if !self.enlarges(original, treatment, level)? {
            return self.far_view(original, treatment, size, region, pace);
        }
        let part = enlarge::source_region(sheet, size, region, Kernel::Bicubic);
        let window = Window { whole: sheet, part, planes: self.render(original, treatment, part, pace)? };
        Ok(enlarge::resample(&window, size, region, Kernel::Bicubic))
    }

    /// Cleans what a part of a view shows, all at once, before its tiles are asked for one by one: a cleaner that sees far computes most of
    /// what lies around a tile for nothing. Nothing happens where no cleaner does.
    pub fn clean_ahead(
        &self,
        original: &Original,
        treatment: &Treatment,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<(), RenderError> {
        // Beyond a tile of its own, the enlarging model and what is laid back reach.
        const REACH: u32 = 32;
        let at = Work::new(self, original, treatment, pace, None)?;
        let Below::Level(cleaned) = at.cleaned()? else { return Ok(()) };
        let sheet = treatment.sheet();
        let part = enlarge::source_region(sheet, view_size(sheet, level), region, Kernel::Bicubic);
        let Some(shown) = treatment.picture_in(part) else { return Ok(()) };
        let seen = at.of_original(shown);
        let (x, y) = (seen.x / TILE * TILE, seen.y / TILE * TILE);
        let (right, bottom) = (seen.right().next_multiple_of(TILE), seen.bottom().next_multiple_of(TILE));
        let kept = Region::<Kept>::of(x, y, right - x, bottom - y).grown(REACH, at.framed.size());
        cleaned.ahead(kept.seen_as(), pace)
    }

    /// Whether a view at this level shows what enlarging adds.
    pub fn enlarges(&self, original: &Original, treatment: &Treatment, level: u32) -> Result<bool, RenderError> {
        Ok(shows_more(treatment, treatment.frame.size(original.size())?, level))
    }

    /// Where tone counts as an edge for the Finish step, white, and where as flat, black; a view as of [`view`](Self::view).
    ///
    /// All black where the step is off, and in views so far off that the step could not be seen.
    pub fn edge_mask(
        &self,
        original: &Original,
        treatment: &Treatment,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let Some(edges) = treatment.finish.edges.filter(|_| level < 3) else {
            return Ok(Planes::black(region.size()));
        };
        let at = Work::new(self, original, treatment, pace, None)?;
        let (sheet, size) = (treatment.sheet(), view_size(treatment.sheet(), level));
        let part: Region<Sheet> = enlarge::source_region(sheet, size, region, Kernel::Bicubic);
        let margin = Margin { fill: Fill::Black, ..treatment.margin };
        let planes = sheet::compose(margin, treatment.size, part, |part| {
            let padded = part.grown(finish::halo(&treatment.finish), treatment.size);
            let mut mask = finish::mask(&edges, &at.in_its_tone(padded)?.luminance(), padded.width as usize);
            if let Some(skin) = at.skin(padded) {
                mask.iter_mut().zip(skin).for_each(|(open, skin)| *open *= 1.0 - edges.leave_skin * skin);
            }
            let mask = Planes::from_values(padded.size(), [&mask[..], &mask[..], &mask[..]].concat());
            Ok::<_, RenderError>(mask.into_part(part.inside(padded)))
        })?;
        Ok(enlarge::resample(&Window { whole: sheet, part, planes }, size, region, Kernel::Bicubic))
    }

    /// Where an area of the treatment lies: a view as of [`view`](Self::view) of the original, dim, with amber over it as far
    /// as the area's mask weighs. Nothing of it when the treatment has no such area.
    pub fn area_view(
        &self,
        original: &Original,
        treatment: &Treatment,
        area: usize,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let at = Work::new(self, original, treatment, pace, None)?;
        at.amber_over_original(level, region, |part| {
            Ok(treatment.areas.get(area).map(|area| area::weights(&area.mask, &at.framed, part)))
        })
    }

    /// What is marked as wear of the print: a view as of [`view`](Self::view) of the original, dim, with amber over every marked pixel.
    /// Nothing of it where the Repair step finds or is told of none.
    pub fn wear_view(
        &self,
        original: &Original,
        treatment: &Treatment,
        level: u32,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        let at = Work::new(self, original, treatment, pace, None)?;
        let marks = at.wear_marks()?;
        at.amber_over_original(level, region, |part| marks.as_ref().map(|marks| marks.marks(part, pace)).transpose())
    }

    pub(super) fn render_with(
        &self,
        original: &Original,
        treatment: &Treatment,
        region: Region<Sheet>,
        pace: &dyn Pace,
        own: Option<&TileCache>,
    ) -> Result<Planes, RenderError> {
        if !pace.before_block() {
            return Err(Cancelled.into());
        }
        let at = Work::new(self, original, treatment, pace, own)?;
        sheet::compose(treatment.margin, treatment.size, region, |part| at.whole(part))
    }

    /// The sheet at the original's own scale, shrunk.
    pub(super) fn far_view(
        &self,
        original: &Original,
        treatment: &Treatment,
        size: Size,
        region: Region<View>,
        pace: &dyn Pace,
    ) -> Result<Planes, RenderError> {
        if !pace.before_block() {
            return Err(Cancelled.into());
        }
        let at = Work::new(self, original, treatment, pace, None)?;
        let kept = at.framed.size();
        let margin = at.margin_of_original();
        let whole = margin.sheet(kept);
        let part: Region<UnscaledSheet> = enlarge::source_region(whole, size, region, Kernel::Bicubic);
        let planes = sheet::compose(margin, kept, part, |part| at.whole_cleaned(part))?;
        Ok(enlarge::resample(&Window { whole, part, planes }, size, region, Kernel::Bicubic))
    }
}

/// One treatment of one original, ready to compute regions of it.
pub(super) struct Work<'a> {
    pub(super) renderer: &'a Renderer,
    pub(super) framed: Framed<'a>,
    pub(super) treatment: &'a Treatment,
    pub(super) pace: &'a dyn Pace,
    pub(super) own: Option<&'a TileCache>,
}

impl<'a> Work<'a> {
    pub(super) fn new(
        renderer: &'a Renderer,
        original: &'a Original,
        treatment: &'a Treatment,
        pace: &'a dyn Pace,
        own: Option<&'a TileCache>,
    ) -> Result<Self, RenderError> {
        Ok(Self { renderer, framed: Framed::new(original, treatment.frame)?, treatment, pace, own })
    }

    /// The margin at the original's own scale.
    pub(super) fn margin_of_original(&self) -> Margin {
        let scale = f64::from(self.framed.size().width) / f64::from(self.treatment.size.width);
        let scaled = |px: u32| (f64::from(px) * scale).round() as u32;
        let Margin { left, top, right, bottom, fill } = self.treatment.margin;
        Margin { left: scaled(left), top: scaled(top), right: scaled(right), bottom: scaled(bottom), fill }
    }

    /// A view of something that is drawn over the original at its own scale.
    pub(super) fn over_original(
        &self,
        level: u32,
        region: Region<View>,
        draw: impl FnMut(Region<Kept>) -> Result<Planes, RenderError>,
    ) -> Result<Planes, RenderError> {
        let (kept, size) = (self.framed.size(), view_size(self.treatment.sheet(), level));
        let margin = Margin { fill: Fill::Black, ..self.margin_of_original() };
        let whole = margin.sheet(kept);
        let part: Region<UnscaledSheet> = enlarge::source_region(whole, size, region, Kernel::Nearest);
        let planes = sheet::compose(margin, kept, part, draw)?;
        Ok(enlarge::resample(&Window { whole, part, planes }, size, region, Kernel::Nearest))
    }

    /// A view of the original, dim, with amber over it by a share for each pixel; none of it where there is nothing to share out.
    fn amber_over_original(
        &self,
        level: u32,
        region: Region<View>,
        shares: impl Fn(Region<Kept>) -> Result<Option<Vec<f32>>, RenderError>,
    ) -> Result<Planes, RenderError> {
        self.over_original(level, region, |part| {
            let shares = shares(part)?.unwrap_or_else(|| vec![0.0; part.size().area() as usize]);
            Ok(in_amber(&self.framed.region(part), &shares))
        })
    }

    /// A region of the result with all its areas, without its margin.
    pub(super) fn whole(&self, region: Region<Enlarged>) -> Result<Planes, RenderError> {
        self.laid_over(self.treatment.size, region, |work, part| work.finished(part))
    }

    /// A region of the framed original with what the Clean steps do, of the whole and of all areas.
    pub(super) fn whole_cleaned(&self, region: Region<Kept>) -> Result<Planes, RenderError> {
        self.laid_over(self.framed.size(), region, |work, part| work.cleaned_and_laid_back(part))
    }

    /// A region of the finished picture, without areas or margin.
    pub(super) fn finished(&self, region: Region<Enlarged>) -> Result<Planes, RenderError> {
        let finish = self.treatment.finish;
        if finish.is_off() {
            return self.in_its_tone(region);
        }
        let padded = region.grown(finish::halo(&finish), self.treatment.size);
        let mut planes = self.in_its_tone(padded)?;
        finish::apply_sparing(&finish, &mut planes, padded, self.skin(padded).as_deref());
        Ok(planes.into_part(region.inside(padded)))
    }

    /// A region of the enlarged picture with faded tone brought back. Models see tone as it is in the original: noise and grain are
    /// then as strong as they were measured, and moving the curves costs no model.
    fn in_its_tone(&self, region: Region<Enlarged>) -> Result<Planes, RenderError> {
        let mut planes = self.enlarged(region)?;
        if matches!(self.treatment.enlarge, Enlarge::Traced { .. }) {
            // Shapes have the colours that were brought back.
            return Ok(planes);
        }
        bring_back(self.treatment.repair.fade.as_ref(), &mut planes);
        Ok(planes)
    }

    /// A region of the picture as it is before faces are restored.
    pub(super) fn unrestored(&self, region: Region<Enlarged>) -> Result<Planes, RenderError> {
        let size = self.treatment.size;
        let mut planes = match &self.treatment.enlarge {
            Enlarge::Plain { kernel } => self.plain(region, *kernel)?,
            Enlarge::Traced { passes, tracing } => return self.drawn_shapes(passes, tracing, region),
            Enlarge::Learned { passes, strength, .. } => {
                let learned = self.learned(passes, region)?;
                match self.treatment.enlarge.under() {
                    _ if *strength >= 1.0 => learned,
                    [] => blend(self.plain(region, LAST_STEP)?, &learned, *strength),
                    over => blend(self.learned(over, region)?, &learned, *strength),
                }
            }
        };
        if let Below::Level(cleaned) = self.cleaned()? {
            let part = enlarge::source_region(cleaned.size(), size, region, Kernel::Bicubic);
            if let Some(removed) = blend_back::removed(&cleaned, &self.treatment.clean, part, self.pace)? {
                lay_back(&mut planes, removed, cleaned.size(), part, size, region);
            }
        }
        Ok(planes)
    }

    /// A region of the framed original with what the Clean step does, at the original's own scale.
    pub(super) fn cleaned_and_laid_back(&self, region: Region<Kept>) -> Result<Planes, RenderError> {
        let cleaned = self.cleaned()?;
        let mut planes = cleaned.region(region.seen_as(), self.pace)?;
        if let Below::Level(cleaned) = &cleaned
            && let Some(removed) = blend_back::removed(cleaned, &self.treatment.clean, region.seen_as(), self.pace)?
        {
            lay_back(&mut planes, removed, cleaned.size(), region.seen_as(), cleaned.size(), region);
        }
        bring_back(self.treatment.repair.fade.as_ref(), &mut planes);
        Ok(planes)
    }

    pub(super) fn plain(&self, region: Region<Enlarged>, kernel: Kernel) -> Result<Planes, RenderError> {
        self.resampled(&self.cleaned()?, region, kernel)
    }

    pub(super) fn resampled(
        &self,
        source: &Below<'_>,
        region: Region<Enlarged>,
        kernel: Kernel,
    ) -> Result<Planes, RenderError> {
        let (whole, size) = (source.size(), self.treatment.size);
        let part: Region = enlarge::source_region(whole, size, region, kernel);
        let window = Window { whole, part, planes: source.region(part, self.pace)? };
        Ok(enlarge::resample(&window, size, region, kernel))
    }

    /// The framed original without the dots of a halftone: what wear is looked for in.
    fn ground(&self) -> Below<'_> {
        match &self.treatment.repair.halftone {
            Some(halftone) => Below::Step(Box::new(Descreened::new(&self.framed, halftone))),
            None => Below::Framed(&self.framed),
        }
    }

    /// What counts as wear of the framed original; nothing where Repair is off.
    fn wear_marks(&self) -> Result<Option<WearMarks<'_>>, RenderError> {
        let Some(wear) = &self.treatment.repair.wear else { return Ok(None) };
        let finder = self.renderer.shelf().network(&wear.finder)?;
        Ok(Some(WearMarks::new(wear, &self.framed, self.ground(), &self.treatment.faces, finder, self.caches())))
    }

    /// The framed original without a halftone's dots, with its wear filled.
    pub(super) fn repaired(&self) -> Result<Below<'_>, RenderError> {
        let (Some(marks), Some(wear)) = (self.wear_marks()?, &self.treatment.repair.wear) else {
            return Ok(self.ground());
        };
        let filler = self.renderer.shelf().network(&wear.filler)?;
        let gaps = &self.renderer.gaps;
        Ok(Below::Step(Box::new(Repaired::new(self.ground(), marks, filler, &wear.filler, self.caches(), gaps))))
    }

    /// The repaired original with the Clean step's passes on top.
    pub(super) fn cleaned(&self) -> Result<Below<'_>, RenderError> {
        let mut top = self.repaired()?;
        for (model, level) in self.treatment.clean.passes() {
            let network = self.renderer.shelf().network(model)?;
            // A person's own cleaner is told nothing.
            let side_input = network.level().map(|_| SideInput::Conditioning(level));
            top = Below::Level(Box::new(Level::new(top, network, model, side_input, self.caches())));
        }
        Ok(top)
    }

    /// A region of what a chain of passes makes of the cleaned picture, brought to the result's size.
    pub(super) fn learned(&self, passes: &[Pass], region: Region<Enlarged>) -> Result<Planes, RenderError> {
        match self.top(passes)? {
            Below::Level(level) if level.size() == self.treatment.size => level.region(region.seen_as(), self.pace),
            top => self.resampled(&top, region, LAST_STEP),
        }
    }

    /// A chain of enlarging passes on top of that.
    pub(super) fn top(&self, passes: &[Pass]) -> Result<Below<'_>, RenderError> {
        let mut top = self.cleaned()?;
        for pass in passes {
            let network = self.renderer.shelf().network(&pass.model)?;
            top = Below::Level(Box::new(Level::new(top, network, &pass.model, None, self.caches())));
        }
        Ok(top)
    }

    pub(super) fn caches(&self) -> Caches<'_> {
        Caches { shared: &self.renderer.tiles, own: self.own, disk: self.renderer.disk.as_ref() }
    }
}

/// `share` of the one and the rest of the other.
pub(super) fn blend(mut plain: Planes, learned: &Planes, share: f32) -> Planes {
    plain.values_mut().iter_mut().zip(learned.values()).for_each(|(p, l)| *p += (l - *p) * share);
    plain
}

/// Adds differences at one scale to planes at another.
pub(super) fn lay_back<S>(
    planes: &mut Planes,
    mut removed: Planes,
    from: Size,
    part: Region,
    to: Size,
    region: Region<S>,
) {
    if from != to {
        // Resampling keeps to [0, 1]: differences are shifted there and back.
        removed.values_mut().iter_mut().for_each(|v| *v = 0.5 + 0.5 * *v);
        let window = Window { whole: from, part, planes: removed };
        removed = enlarge::resample_in(&window, to, region, Kernel::Bicubic, Averaging::Encoded);
        removed.values_mut().iter_mut().for_each(|v| *v = 2.0 * *v - 1.0);
    }
    planes.values_mut().iter_mut().zip(removed.values()).for_each(|(p, r)| *p = (*p + r).clamp(0.0, 1.0));
}

/// The size of a result at 1 / 2^`level`, each side at least one pixel.
pub fn view_size(size: Size, level: u32) -> Size {
    let side = |px: u32| px.div_ceil(1 << level.min(31)).max(1);
    Size::new(side(size.width), side(size.height))
}

/// Whether a pixel of the view at a level is smaller than one of what is `kept` of the original.
fn shows_more(treatment: &Treatment, kept: Size, level: u32) -> bool {
    view_size(treatment.size, level).width > kept.width
}

/// How many levels of a result show what enlarging adds, from the result's own on; the result itself always does. `kept` is what the frame keeps of
/// the original.
pub fn own_levels(treatment: &Treatment, kept: Size) -> u32 {
    (1..).take_while(|level| shows_more(treatment, kept, *level)).last().map_or(1, |level| level + 1)
}

/// A part of a larger picture, standing for the whole where only that part is pulled.
pub(super) struct Window<S> {
    pub(super) whole: Size,
    pub(super) part: Region<S>,
    pub(super) planes: Planes,
}

impl<S> Source for Window<S> {
    type Space = S;

    fn size(&self) -> Size {
        self.whole
    }

    fn pull(&self, region: Region<S>) -> Cow<'_, Planes> {
        if region == self.part {
            return Cow::Borrowed(&self.planes);
        }
        Cow::Owned(self.planes.cut(region.inside(self.part)))
    }
}
