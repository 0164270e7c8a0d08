//! Faces, restored on their canvas and laid on the enlarged picture.
//!
//! The restorer sees the face as the enlarging model left it, brought to the canvas: it goes on from there, and where it has
//! nothing to add it changes nothing. What is laid on the picture is what it changed: what the enlarging model brought out
//! beyond the canvas's resolution stays, and no detail is added twice.

use std::sync::Arc;

use dettaglio_domain::affine::Affine;
use dettaglio_domain::affine::space::{Canvas, Kept, Result as Enlarged};
use dettaglio_domain::face::{CANVAS, EYES, Face, LeftAlone, MOST_DEPARTURE};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::model::ModelRef;
use dettaglio_domain::treatment::{Restore, Treatment};

use super::cache::{Tile, TileKey};
use super::pace::{Cancelled, Pace, RenderError};
use super::renderer::{Renderer, Work};
use crate::enlarge::Source;
use crate::face::canvas;
use crate::picture::{Original, Planes};

/// Rows of the canvas that are drawn at once: a face in a large print is many megapixels.
const BAND: u32 = 32;

/// No change at all in a tile, which holds nothing below 0: 0.5 itself is no whole level of 16 bits.
const NO_CHANGE: f32 = 32768.0 / 65535.0;

/// What restoring a face comes to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Restoration {
    /// Departure of the face from the original at the strength that is set, 95th percentile of CIEDE2000.
    pub departure: f32,
    /// Why it is left to the general model, where it is.
    pub left: Option<LeftAlone>,
}

/// A face on the canvas: as it came, as the enlarged picture shows it, and what the restorer would change.
struct OnCanvas {
    before: Planes,
    seen: Planes,
    change: Planes,
    scale: f32,
}

impl OnCanvas {
    fn departure(&self, strength: f32) -> f32 {
        canvas::departure(&self.before, &canvas::changed(&self.seen, &self.change, strength), self.scale)
    }

    /// Whether the whole change would take the face further from the original than is allowed.
    fn departs(&self) -> bool {
        self.departure(1.0) > MOST_DEPARTURE
    }
}

impl Renderer {
    /// What restoring a face of the treatment comes to; nothing where that face is not to be restored.
    pub fn restoration(
        &self,
        original: &Original,
        treatment: &Treatment,
        face: &Face,
        pace: &dyn Pace,
    ) -> Result<Option<Restoration>, RenderError> {
        let Some((face, restore)) = treatment.restored().find(|(treated, _)| *treated == face) else {
            return Ok(None);
        };
        let at = Work::new(self, original, treatment, pace, None)?;
        let Some(drawn) = at.on_canvas(face, &restore.model)? else { return Ok(None) };
        if drawn.departs() {
            return Ok(Some(Restoration { departure: drawn.departure(1.0), left: Some(LeftAlone::Departs) }));
        }
        Ok(Some(Restoration { departure: drawn.departure(restore.strength), left: None }))
    }
}

impl Work<'_> {
    /// A region of the picture as it is before the Finish step.
    pub(super) fn enlarged(&self, region: Region<Enlarged>) -> Result<Planes, RenderError> {
        let mut planes = self.unrestored(region)?;
        for (face, restore) in self.treatment.restored() {
            self.lay_face(face, restore, &mut planes, region)?;
        }
        Ok(planes)
    }

    /// How far each pixel of a region of the picture is the skin of a face; nothing when that makes no difference.
    pub(super) fn skin(&self, region: Region<Enlarged>) -> Option<Vec<f32>> {
        self.treatment.finish.edges.filter(|edges| edges.leave_skin > 0.0)?;
        let size = self.treatment.size;
        let near = |face: &Face| {
            let map = self.to_canvas(face, size)?;
            Some((map, on_picture(&map, size)?.intersection(region)?))
        };
        let near: Vec<(Affine<Enlarged, Canvas>, Region<Enlarged>)> =
            self.treatment.faces.iter().filter_map(|f| near(&f.face)).collect();
        if near.is_empty() {
            return None;
        }
        let mut skin = vec![0.0_f32; region.size().area() as usize];
        for (map, part) in near {
            for y in part.y..part.bottom() {
                for x in part.x..part.right() {
                    let (u, v) = map.at(f64::from(x) + 0.5, f64::from(y) + 0.5);
                    let at = (y - region.y) as usize * region.width as usize + (x - region.x) as usize;
                    skin[at] = skin[at].max(canvas::skin(u as f32, v as f32));
                }
            }
        }
        Some(skin)
    }

    /// From the framed picture at `size` to the canvas.
    fn to_canvas(&self, face: &Face, size: Size) -> Option<Affine<Enlarged, Canvas>> {
        let kept = self.framed.size();
        let scale = |side: u32, kept: u32| f64::from(side) / f64::from(kept);
        let grow: Affine<Kept, Enlarged> =
            Affine::scale(scale(size.width, kept.width), scale(size.height, kept.height));
        face.picture_to_canvas(&self.framed.map().then(&grow))
    }

    fn lay_face(
        &self,
        face: &Face,
        restore: &Restore,
        planes: &mut Planes,
        region: Region<Enlarged>,
    ) -> Result<(), RenderError> {
        let size = self.treatment.size;
        let Some(map) = self.to_canvas(face, size) else { return Ok(()) };
        let Some(part) = on_picture(&map, size).and_then(|reached| reached.intersection(region)) else { return Ok(()) };
        let Some(tile) = self.change(face, &restore.model)? else { return Ok(()) };
        let mut change = Planes::black(CANVAS);
        for channel in 0..3 {
            for y in 0..CANVAS.height {
                tile.copy_row(channel, Region::new(0, y, CANVAS.width, 1), 0, change.row_mut(channel, y));
            }
        }
        let change = canvas::seen_through(&map, &change, (0, 0), part);
        let (left, top) = ((part.x - region.x) as usize, part.y - region.y);
        for channel in 0..3 {
            for y in 0..part.height {
                let row = &mut planes.row_mut(channel, top + y)[left..];
                for (value, change) in row.iter_mut().zip(change.row(channel, y)) {
                    *value = (*value + restore.strength * 2.0 * (change - NO_CHANGE)).clamp(0.0, 1.0);
                }
            }
        }
        Ok(())
    }

    /// What the restorer changes on a face's canvas, as [`NO_CHANGE`] + half of it; nothing for one that would depart too far.
    fn change(&self, face: &Face, model: &ModelRef) -> Result<Option<Arc<Tile>>, RenderError> {
        let Treatment { clean, enlarge, size, .. } = self.treatment;
        let step = ("face 2", clean, enlarge, size, face, &model.sha256);
        let key = TileKey { content: ContentHash::of_step(&self.framed.hash(), &step), column: 0, row: 0 };
        // One that is left alone is kept as well, as a tile of a single pixel, so that it is not tried again.
        let restored = |tile: Arc<Tile>| Some(tile).filter(|tile| tile.size() == CANVAS);
        if let Some(tile) = self.caches().get(&key) {
            return Ok(restored(tile));
        }
        let Some(drawn) = self.on_canvas(face, model)? else { return Ok(None) };
        let mut change = if drawn.departs() { Planes::black(Size::new(1, 1)) } else { drawn.change };
        change.values_mut().iter_mut().for_each(|v| *v = (NO_CHANGE + 0.5 * *v).clamp(0.0, 1.0));
        let tile = Arc::new(Tile::cut(&change, change.size().whole()));
        self.caches().put(key, Arc::clone(&tile));
        Ok(restored(tile))
    }

    /// Nothing for a face that the frame cuts off.
    fn on_canvas(&self, face: &Face, model: &ModelRef) -> Result<Option<OnCanvas>, RenderError> {
        let (kept, size) = (self.framed.size(), self.treatment.size);
        let (Some(of_kept), Some(of_size)) = (self.to_canvas(face, kept), self.to_canvas(face, size)) else {
            return Ok(None);
        };
        if on_picture(&of_size, size).is_none() {
            return Ok(None);
        }
        let cleaned = self.cleaned()?;
        let before = draw(&of_kept, kept, |part| cleaned.region(part.seen_as(), self.pace))?;
        let seen = draw(&of_size, size, |part| self.unrestored(part))?;
        if !self.pace.before_block() {
            return Err(Cancelled.into());
        }
        let network = self.renderer.shelf().network(model)?;
        let scale = network.level().map(|_| vec![canvas::scale_level(face.eyes()); CANVAS.area() as usize]);
        let restored = network.run(&seen, scale.as_deref())?;
        self.pace.after_block(CANVAS.area());
        let change = canvas::change(&seen, &restored);
        Ok(Some(OnCanvas { before, seen, change, scale: EYES as f32 / face.eyes() }))
    }
}

/// The pixels of a picture that the canvas covers.
fn on_picture(to_canvas: &Affine<Enlarged, Canvas>, size: Size) -> Option<Region<Enlarged>> {
    Region::covering(&to_canvas.inverse(), f64::from(CANVAS.width), f64::from(CANVAS.height), size)
}

/// A picture of that size as the canvas shows it, band by band.
fn draw(
    to_canvas: &Affine<Enlarged, Canvas>,
    size: Size,
    mut pull: impl FnMut(Region<Enlarged>) -> Result<Planes, RenderError>,
) -> Result<Planes, RenderError> {
    let back = to_canvas.inverse();
    let mut out = Planes::black(CANVAS);
    for y in (0..CANVAS.height).step_by(BAND as usize) {
        let band: Region<Canvas> = Region::of(0, y, CANVAS.width, BAND.min(CANVAS.height - y));
        // Bicubic reaches two pixels further; a band that lies outside shows the edge.
        let from = Affine::<Canvas, Canvas>::shift(0.0, f64::from(y)).then(&back);
        let near = Region::covering(&from, f64::from(band.width), f64::from(band.height), size);
        let part = near.map_or_else(|| nearest(&from, size), |part| part.grown(3, size));
        let seen = canvas::seen_through(&back, &pull(part)?, (part.x, part.y), band);
        out.paste(&seen, 0, y);
    }
    Ok(out)
}

/// The pixel of a picture that is nearest to where a map leads the origin.
fn nearest(map: &Affine<Canvas, Enlarged>, size: Size) -> Region<Enlarged> {
    let (x, y) = map.at(0.0, 0.0);
    let side = |at: f64, side: u32| at.clamp(0.0, f64::from(side - 1)) as u32;
    Region::of(side(x, size.width), side(y, size.height), 1, 1)
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicUsize, Ordering};

    use rstest::rstest;

    use super::*;
    use crate::model::stand_in::{self, Etch};
    use crate::model::{Corner, Model, ModelError, Network, Shelf};
    use crate::render::Unhurried;
    use dettaglio_domain::finish::{Edges, Finish};
    use dettaglio_domain::frame::Frame;
    use dettaglio_domain::geometry::Place;
    use dettaglio_domain::model::{Grade, LevelKind};
    use dettaglio_domain::treatment::TreatedFace;

    /// Counts how often it is asked, and is told the scale of the face.
    struct Counted(Etch, Arc<AtomicUsize>);

    impl Network for Counted {
        fn factor(&self) -> u32 {
            1
        }

        fn halo(&self) -> u32 {
            0
        }

        fn level(&self) -> Option<LevelKind> {
            Some(LevelKind::Scale)
        }

        fn run_at(&self, input: &Planes, level: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
            assert_eq!(input.size(), CANVAS);
            let scale = level.expect("the scale");
            // Some 40 px between the eyes on a canvas that has 80.
            assert!(
                scale.len() as u64 == CANVAS.area() && scale.iter().all(|v| (v - 0.5).abs() < 0.02),
                "{}",
                scale[0]
            );
            self.1.fetch_add(1, Ordering::Relaxed);
            self.0.run(input, level)
        }
    }

    fn renderer(etch: Etch) -> (Renderer, Arc<AtomicUsize>) {
        let asked = Arc::new(AtomicUsize::new(0));
        let network = Arc::new(Counted(etch, Arc::clone(&asked)));
        let repeat = Arc::new(stand_in::Repeat { factor: 2 });
        let enlarger = Model::with_network(stand_in::card(2, Grade::Draft), repeat);
        let shelf = Shelf::of(vec![enlarger, Model::with_network(stand_in::restorer_card(), network)]);
        (Renderer::new(shelf, 64 << 20), asked)
    }

    const FINE: Etch = Etch { side: 1, depth: 0.05 };

    fn picture() -> Original {
        let size = Size::new(300, 260);
        let values = (0..3 * size.area()).map(|i| {
            let (x, y) = ((i % 300) as f32, (i / 300 % 260) as f32);
            0.5 + 0.15 * (x * 0.13).sin() * (y * 0.09).cos()
        });
        Original::from_planes(&Planes::from_values(size, values.collect()))
    }

    fn face() -> Face {
        Face::of_eyes(Place::new(120.0, 100.0), Place::new(159.0, 108.0))
    }

    fn treatment(shelf: &Shelf, frame: Frame, factor: u32, strength: f32) -> Treatment {
        let kept = frame.size(picture().size()).unwrap();
        let restore = Restore { model: ModelRef::of(&stand_in::restorer_card()), strength };
        let faces = vec![TreatedFace { face: face(), restore: Some(restore) }];
        Treatment { frame, faces, ..Treatment::learned(shelf, "everyday", Grade::Draft, kept, kept.times(factor)) }
    }

    fn rendered(renderer: &Renderer, treatment: &Treatment, region: Region) -> Planes {
        renderer.render(&picture(), treatment, region.seen_as(), &Unhurried).unwrap()
    }

    fn worst(a: &Planes, b: &Planes) -> f32 {
        a.values().iter().zip(b.values()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
    }

    const TURNED: Frame = Frame { mirrored: true, quarter_turns: 1, degrees: 0.0, crop: None };

    #[rstest]
    #[case::upright(Frame::default())]
    #[case::mirrored_and_turned(TURNED)]
    fn the_head_changes_and_nothing_else_and_tiles_join(#[case] frame: Frame) {
        let (renderer, _) = renderer(FINE);
        let with = treatment(&renderer.shelf(), frame, 2, 1.0);
        let without = Treatment { faces: Vec::new(), ..with.clone() };
        let whole = with.size.whole();
        let (after, before) = (rendered(&renderer, &with, whole), rendered(&renderer, &without, whole));
        // Between the eyes, in the result's own pixels.
        let (x, y) = with.frame.to_kept(picture().size()).unwrap().at(140.0, 104.0);
        let middle = Region::new((2.0 * x) as u32 - 20, (2.0 * y) as u32 - 20, 40, 40);
        assert!(worst(&after.cut(middle), &before.cut(middle)) > 0.02);
        let corner = Region::new(whole.width - 60, whole.height - 60, 60, 60);
        assert_eq!(worst(&after.cut(corner), &before.cut(corner)), 0.0);
        let part = Region::new(middle.x - 33, middle.y - 7, 71, 90);
        assert!(rendered(&renderer, &with, part) == after.cut(part), "a part is that part of the whole");
    }

    #[test]
    fn strength_is_a_share_and_asks_no_model() {
        let (renderer, asked) = renderer(FINE);
        let region = Region::new(200, 160, 120, 120);
        let at = |strength| rendered(&renderer, &treatment(&renderer.shelf(), Frame::default(), 2, strength), region);
        let (none, half, all) = (at(0.0), at(0.5), at(1.0));
        assert!(worst(&none, &all) > 0.02);
        let middle = none.values().iter().zip(all.values()).map(|(a, b)| (a + b) / 2.0).collect();
        assert!(worst(&half, &Planes::from_values(region.size(), middle)) < 1e-4);
        assert_eq!(asked.load(Ordering::Relaxed), 1);
    }

    #[rstest]
    #[case::fine(FINE, None)]
    #[case::another_face(Etch { side: 16, depth: 0.3 }, Some(LeftAlone::Departs))]
    fn a_face_that_would_depart_is_left_alone(#[case] etch: Etch, #[case] left: Option<LeftAlone>) {
        let (renderer, _) = renderer(etch);
        let with = treatment(&renderer.shelf(), Frame::default(), 2, 0.5);
        let outcome = renderer.restoration(&picture(), &with, &face(), &Unhurried).unwrap().unwrap();
        assert_eq!(outcome.left, left, "{outcome:?}");
        assert_eq!(outcome.departure > MOST_DEPARTURE, left.is_some(), "{outcome:?}");
        let without = Treatment { faces: Vec::new(), ..with.clone() };
        let same = rendered(&renderer, &with, with.size.whole()) == rendered(&renderer, &without, with.size.whole());
        assert_eq!(same, left.is_some());
        let other = Face::of_eyes(Place::new(20.0, 20.0), Place::new(60.0, 20.0));
        assert_eq!(renderer.restoration(&picture(), &with, &other, &Unhurried).unwrap(), None);
    }

    #[test]
    fn a_face_that_is_cropped_away_costs_nothing() {
        let (renderer, asked) = renderer(FINE);
        let frame = Frame { crop: Some(Region::of(260, 220, 40, 40)), ..Frame::default() };
        let with = treatment(&renderer.shelf(), frame, 4, 1.0);
        rendered(&renderer, &with, with.size.whole());
        assert_eq!(asked.load(Ordering::Relaxed), 0);
    }

    #[test]
    pub(super) fn skin_is_left_and_eyes_are_not() {
        let (renderer, _) = renderer(FINE);
        let plain = treatment(&renderer.shelf(), Frame::default(), 2, 0.0);
        let edges = |leave_skin| {
            let edges = Some(Edges { strength: 2.0, width: 1.0, halo_guard: 0.0, leave_flat: 0.0, leave_skin });
            Treatment { finish: Finish { edges, grain: None }, ..plain.clone() }
        };
        let map = face().to_canvas().unwrap().inverse();
        let around = |u: f64, v: f64| {
            let (x, y) = map.at(u, v);
            Region::new((2.0 * x) as u32 - 5, (2.0 * y) as u32 - 5, 10, 10)
        };
        let (cheek, eye) = (around(75.0, 190.0), around(88.0, 128.0));
        let change =
            |leave_skin, at| worst(&rendered(&renderer, &edges(leave_skin), at), &rendered(&renderer, &plain, at));
        let (all, spared) = (change(0.0, cheek), change(1.0, cheek));
        assert!(all > 0.001 && spared < 0.2 * all, "{all} {spared}");
        assert_eq!(change(1.0, eye), change(0.0, eye));
        let masked = renderer.edge_mask(&picture(), &edges(1.0), 0, cheek.seen_as(), &Unhurried).unwrap();
        assert!(masked.values().iter().all(|v| *v < 0.2), "the mask that is shown says so");
    }
}
