//! The Repair step: wear that was found, or marked by hand, is filled; faded tone is brought back.

use std::sync::Arc;

use dettaglio_domain::affine::space::Kept;
use dettaglio_domain::affine::{Affine, space};
use dettaglio_domain::face::{Face, is_eye_or_mouth};
use dettaglio_domain::gaps;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::mask::{Mask, Shape, Stroke};
use dettaglio_domain::model::ModelRef;
use dettaglio_domain::repair::{Fade, Wear};
use dettaglio_domain::treatment::TreatedFace;
use rayon::prelude::*;

use super::gaps::{Gap, GapCache, Site};
use super::level::{Below, Caches, Level, Marking, SideInput, Step};
use super::pace::{Pace, RenderError};
use super::weights::{mix, reached};
use crate::area;
use crate::enlarge::Source;
use crate::frame::Framed;
use crate::model::Network;
use crate::picture::Planes;
use crate::plane::{cut, followed, highest};

/// Pixels by which what was found grows: the rim of a mark is fainter than what counts as found.
const GROWN: u32 = 2;

/// How far, in pixels, a mark is followed from where it is sure, over pixels that may belong to it.
const FOLLOWED: u32 = 48;

/// How marks are made of what the finder says; another method needs another name, as what was filled is kept on disk.
const FOUND_BY: &str = "followed from where it is sure, 1";

/// The weight of a stroke from which on a pixel is marked by it.
const PAINTED: f32 = 0.5;

/// How gaps are filled; another method needs another name, as what was computed by this one is kept on disk.
const FILLED_BY: &str = "patches of the picture, 1";

/// What counts as wear of a framed original.
pub struct WearMarks<'a> {
    wear: &'a Wear,
    framed: &'a Framed<'a>,
    /// Names the pixels that it is looked for in.
    ground: ContentHash,
    found: Level<'a>,
    /// What a person marked, and what a person said is none.
    by_hand: Option<[Mask; 2]>,
    /// Faces, in whose eyes and mouth nothing counts as found.
    faces: Vec<Face>,
    /// From the framed original to each one's canvas.
    canvases: Vec<Affine<space::Kept, space::Canvas>>,
}

impl<'a> WearMarks<'a> {
    /// Looked for in `ground`: the framed original, without a halftone's dots. `finder` is the network that the wear names.
    pub fn new(
        wear: &'a Wear,
        framed: &'a Framed<'a>,
        ground: Below<'a>,
        faces: &[TreatedFace],
        finder: Arc<dyn Network>,
        caches: Caches<'a>,
    ) -> Self {
        let faces: Vec<Face> = faces.iter().map(|treated| treated.face).collect();
        let map = framed.map();
        let canvases = faces.iter().filter_map(|face| face.picture_to_canvas(&map)).collect();
        let (content, found) = (ground.hash(), Level::new(ground, finder, &wear.finder, None, caches));
        let painted = |strokes| Mask { shape: Shape::Painted { strokes }, inverted: false };
        let turned = |stroke: &Stroke| Stroke { erases: !stroke.erases, ..stroke.clone() };
        let by_hand = (!wear.strokes.is_empty())
            .then(|| [painted(wear.strokes.clone()), painted(wear.strokes.iter().map(turned).collect())]);
        Self { wear, framed, ground: content, found, by_hand, faces, canvases }
    }

    /// Which pixels of a region a mask of strokes covers.
    fn painted(&self, strokes: &Mask, region: Region<Kept>) -> Vec<bool> {
        area::weights(strokes, self.framed, region).into_iter().map(|weight| weight > PAINTED).collect()
    }

    /// Where a person's strokes lie that may have marked a gap.
    fn sites(&self) -> Vec<Site> {
        let (map, size) = (self.framed.map(), self.framed.size());
        gaps::around(&self.wear.strokes).iter().filter_map(|bounds| Site::of(bounds, &map, size)).collect()
    }

    /// Takes back what was found in eyes and mouths.
    fn spare_faces(&self, marks: &mut [f32], region: Region<Kept>) {
        if self.canvases.is_empty() {
            return;
        }
        for (i, mark) in marks.iter_mut().enumerate().filter(|(_, mark)| **mark > 0.0) {
            let (x, y) = (region.x + i as u32 % region.width, region.y + i as u32 / region.width);
            let place = (f64::from(x) + 0.5, f64::from(y) + 0.5);
            if self.canvases.iter().any(|canvas| is_eye_or_mouth(canvas.at(place.0, place.1))) {
                *mark = 0.0;
            }
        }
    }

    /// What the finder finds in a region: followed from where it is sure, and grown by [`GROWN`] pixels.
    ///
    /// One threshold for all pixels either loses the faint ends of a scratch or takes every doubtful speck of a photograph for dust.
    fn found(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Vec<f32>, RenderError> {
        let padded = region.grown(GROWN + FOLLOWED, self.framed.size());
        let likely = self.found.region(padded.seen_as(), pace)?;
        let mut most = vec![0.0_f32; padded.size().area() as usize];
        for (kind, _) in self.wear.kinds().into_iter().enumerate().filter(|(_, counts)| *counts) {
            most.iter_mut().zip(likely.plane(kind)).for_each(|(most, p)| *most = most.max(*p));
        }
        let sure = self.wear.sure();
        let marks = followed(&most, padded.width as usize, (Wear::POSSIBLE, sure), FOLLOWED);
        let marks = highest(&marks, padded.width as usize, GROWN as usize);
        let (left, top) = ((region.x - padded.x) as usize, (region.y - padded.y) as usize);
        let (right, bottom) = (left + region.width as usize, top + region.height as usize);
        Ok(cut(&marks, padded.width as usize, (left, right), (top, bottom)))
    }
}

impl Marking for WearMarks<'_> {
    fn hash(&self) -> ContentHash {
        ContentHash::of_step(&self.ground, &(FOUND_BY, self.wear, &self.faces))
    }

    fn marks(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Vec<f32>, RenderError> {
        let nothing = !self.wear.kinds().contains(&true);
        let mut marks = if nothing { vec![0.0; region.size().area() as usize] } else { self.found(region, pace)? };
        self.spare_faces(&mut marks, region);
        if let Some([marked, sound]) = &self.by_hand {
            let (marked, sound) = (self.painted(marked, region), self.painted(sound, region));
            for ((mark, marked), sound) in marks.iter_mut().zip(marked).zip(sound) {
                *mark = match (marked, sound) {
                    (true, _) => 1.0,
                    (false, true) => 0.0,
                    (false, false) => *mark,
                };
            }
        }
        Ok(marks)
    }
}

/// A framed original with its wear filled; pixels that are not marked are its own, to the bit.
pub struct Repaired<'a> {
    marks: Arc<WearMarks<'a>>,
    filled: Level<'a>,
    sites: Vec<Site>,
    gaps: &'a GapCache,
    /// Of all strokes with their points, so that it is worked out once.
    hash: ContentHash,
}

impl<'a> Repaired<'a> {
    /// `ground` is what the marks were found in. `filler` is the network that the file `model` names.
    pub fn new(
        ground: Below<'a>,
        marks: WearMarks<'a>,
        filler: Arc<dyn Network>,
        model: &ModelRef,
        caches: Caches<'a>,
        gaps: &'a GapCache,
    ) -> Self {
        let (sites, hash, marks) = (marks.sites(), marks.hash(), Arc::new(marks));
        let hash = if sites.is_empty() { hash } else { ContentHash::of_step(&hash, &FILLED_BY) };
        let side_input = SideInput::Marks(Arc::clone(&marks) as Arc<dyn Marking + 'a>);
        Self { marks, filled: Level::new(ground, filler, model, Some(side_input), caches), sites, gaps, hash }
    }

    /// A region with all that is marked filled by the network.
    fn filled(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Planes, RenderError> {
        let mut planes = self.filled.below().region(region.seen_as(), pace)?;
        let marks = self.marks.marks(region, pace)?;
        if let Some(part) = reached(&marks, region) {
            mix(&mut planes, region, &self.filled.region(part.seen_as(), pace)?, part, &marks);
        }
        Ok(planes)
    }

    /// What lies in the gap of a site, if there is one.
    fn gap(&self, site: &Site, pace: &dyn Pace) -> Result<Option<Arc<Gap>>, RenderError> {
        let Some([marked, _]) = &self.marks.by_hand else { return Ok(None) };
        let name = ContentHash::of_step(&self.hash, &site.part);
        if let Some(kept) = self.gaps.kept(&name) {
            return Ok(kept);
        }
        // Before the gap is locked: while it is, nothing is waited for.
        let (planes, marked) = (self.filled(site.whole, pace)?, self.marks.painted(marked, site.whole));
        Ok(self.gaps.get(name, || site.filled(&planes, &marked)))
    }
}

impl Step for Repaired<'_> {
    fn size(&self) -> Size {
        self.filled.below().size()
    }

    fn hash(&self) -> ContentHash {
        self.hash
    }

    fn region(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Planes, RenderError> {
        let mut planes = self.filled(region, pace)?;
        for site in self.sites.iter().filter(|site| site.part.intersection(region).is_some()) {
            if let Some(gap) = self.gap(site, pace)? {
                gap.lay_over(&mut planes, region);
            }
        }
        Ok(planes)
    }
}

/// Brings faded tone back, channel by channel; nothing happens where there are no curves.
pub fn bring_back(fade: Option<&Fade>, planes: &mut Planes) {
    let Some(fade) = fade else { return };
    let area = planes.size().area() as usize;
    for (channel, plane) in planes.values_mut().chunks_exact_mut(area).enumerate() {
        plane.par_chunks_mut(1 << 14).for_each(|values| {
            values.iter_mut().for_each(|value| *value = fade.at(channel, *value));
        });
    }
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::geometry::Place;
    use dettaglio_domain::model::Grade;
    use dettaglio_domain::repair::Repair;
    use dettaglio_domain::treatment::Treatment;
    use rstest::rstest;

    use super::super::pace::Unhurried;
    use super::super::renderer::Renderer;
    use super::*;
    use crate::model::stand_in::{self, Bright, Paint};
    use crate::model::{Corner, Model, ModelError, Shelf};
    use crate::picture::Original;

    const SIZE: Size = Size::new(400, 300);

    fn shelf() -> Shelf {
        let finder = Model::with_network(stand_in::finder_card(), Arc::new(Bright));
        let filler = Model::with_network(stand_in::filler_card(), Arc::new(Paint { value: 0.25 }));
        let enlarger = Model::with_network(stand_in::card(2, Grade::Draft), Arc::new(stand_in::Repeat { factor: 2 }));
        Shelf::of(vec![enlarger, finder, filler])
    }

    fn renderer() -> Renderer {
        Renderer::new(shelf(), 64 << 20)
    }

    fn wear() -> Wear {
        let named = |card| ModelRef::of(&card);
        Wear::usual(named(stand_in::finder_card()), named(stand_in::filler_card()))
    }

    /// A slope of tone with a white speck at (150, 130), across the border of tiles.
    fn print() -> Original {
        let at = |i: u64| {
            let (x, y) = ((i % 400) as f32, (i / 400 % 300) as f32);
            if (x - 150.0).hypot(y - 130.0) < 5.0 { 1.0 } else { 0.2 + 0.5 * x / 400.0 + 0.1 * (y * 0.3).sin() }
        };
        Original::from_planes(&Planes::from_values(SIZE, (0..3 * SIZE.area()).map(at).collect()))
    }

    fn repaired(wear: Wear) -> Treatment {
        let treatment = Treatment::plain(dettaglio_domain::kernel::Kernel::Nearest, SIZE);
        Treatment { repair: Repair { wear: Some(wear), ..Repair::default() }, ..treatment }
    }

    fn rendered(treatment: &Treatment) -> Planes {
        renderer().render(&print(), treatment, SIZE.whole().seen_as(), &Unhurried).unwrap()
    }

    fn is_filled(planes: &Planes, x: usize, y: u32) -> bool {
        (0..3).all(|channel| (planes.row(channel, y)[x] - 0.25).abs() < 1e-4)
    }

    #[test]
    fn what_is_found_is_filled_and_nothing_else_changes() {
        let (before, after) = (print().region(SIZE.whole().seen_as()), rendered(&repaired(wear())));
        assert!(is_filled(&after, 150, 130) && is_filled(&after, 156, 130), "the speck and its rim");
        let changed = before.values().iter().zip(after.values()).filter(|(b, a)| b != a).count();
        assert!(changed < 3 * 15 * 15, "{changed} values");
        let far = Region::new(200, 0, 200, 300);
        assert!(before.cut(far) == after.cut(far), "to the bit");
    }

    #[rstest]
    #[case(Region::new(140, 120, 20, 20))]
    #[case(Region::new(0, 0, 130, 300))]
    #[case(Region::new(151, 131, 1, 1))]
    fn a_region_is_that_part_of_the_whole(#[case] region: Region) {
        let treatment = repaired(wear());
        let part = renderer().render(&print(), &treatment, region.seen_as(), &Unhurried).unwrap();
        assert_eq!(part, rendered(&treatment).cut(region));
    }

    /// Sure along one end of a line across the picture, doubtful along the rest.
    struct Doubtful;

    impl Network for Doubtful {
        fn factor(&self) -> u32 {
            1
        }

        fn halo(&self) -> u32 {
            0
        }

        fn run_at(&self, input: &Planes, _: Option<&[f32]>, _: Corner) -> Result<Planes, ModelError> {
            let mut likely = Planes::black(input.size());
            likely
                .values_mut()
                .iter_mut()
                .zip(input.values())
                .for_each(|(p, v)| *p = if *v > 0.98 { 0.95 } else { 0.3 * f32::from(u8::from(*v > 0.9)) });
            Ok(likely)
        }
    }

    #[rstest]
    #[case(Region::new(120, 90, 60, 20))]
    #[case(Region::new(140, 100, 1, 1))]
    fn a_line_is_followed_alike_whatever_is_asked_for(#[case] region: Region) {
        let line = |i: u64| match (i % 400, i / 400 % 300) {
            (100..=110, 100) => 1.0,
            (111..=300, 100) => 0.95,
            _ => 0.4,
        };
        let print = Original::from_planes(&Planes::from_values(SIZE, (0..3 * SIZE.area()).map(line).collect()));
        let of = |region: Region| {
            let finder = Model::with_network(stand_in::finder_card(), Arc::new(Doubtful));
            let filler = Model::with_network(stand_in::filler_card(), Arc::new(Paint { value: 0.25 }));
            let renderer = Renderer::new(Shelf::of(vec![finder, filler]), 64 << 20);
            renderer.render(&print, &repaired(wear()), region.seen_as(), &Unhurried).unwrap()
        };
        let whole = of(SIZE.whole());
        assert!(is_filled(&whole, 110 + FOLLOWED as usize, 100), "followed");
        assert!(!is_filled(&whole, 114 + FOLLOWED as usize, 100), "so far");
        assert_eq!(of(region), whole.cut(region));
    }

    #[test]
    fn a_kind_that_does_not_count_is_left() {
        let after = rendered(&repaired(Wear { specks: false, ..wear() }));
        assert!(after == print().region(SIZE.whole().seen_as()));
    }

    fn stroke(x: f32, y: f32, erases: bool) -> Stroke {
        // Narrower than a gap.
        let radius = if erases { 12.0 } else { 5.0 };
        Stroke { points: vec![Place::new(x, y)], radius, feather: 0.0, erases }
    }

    #[test]
    fn what_was_marked_by_hand_is_filled_too_and_what_is_sound_stays() {
        let strokes = vec![stroke(300.0, 200.0, false), stroke(150.0, 130.0, true)];
        let after = rendered(&repaired(Wear { strokes: strokes.clone(), ..wear() }));
        assert!(is_filled(&after, 300, 200) && !is_filled(&after, 150, 130));
        let undone = [strokes, vec![stroke(300.0, 200.0, true)]].concat();
        assert!(!is_filled(&rendered(&repaired(Wear { strokes: undone, ..wear() })), 300, 200));
        let none =
            Wear { specks: false, lines: false, breaks: false, strokes: vec![stroke(300.0, 200.0, false)], ..wear() };
        let after = rendered(&repaired(none));
        assert!(is_filled(&after, 300, 200) && !is_filled(&after, 150, 130), "by hand alone");
    }

    #[test]
    fn what_was_marked_broadly_is_filled_from_the_picture() {
        let broad = |erases| Stroke { radius: 24.0, ..stroke(300.0, 200.0, erases) };
        let treatment = repaired(Wear { strokes: vec![broad(false)], ..wear() });
        let (truth, after) = (print().region(SIZE.whole().seen_as()), rendered(&treatment));
        let at = |planes: &Planes, x: u32, y: u32| planes.row(0, y)[x as usize];
        // The slope of tone and its waves go on, where the network would have painted 0.25.
        let off = |y: u32| (280..320).map(|x| (at(&after, x, y) - at(&truth, x, y)).abs()).fold(0.0, f32::max);
        assert!(off(195) < 0.06 && off(205) < 0.06, "{} {}", off(195), off(205));
        assert!(is_filled(&after, 150, 130), "a speck is filled by the network as ever");
        let region = Region::new(290, 190, 30, 40);
        let part = renderer().render(&print(), &treatment, region.seen_as(), &Unhurried).unwrap();
        assert!(part == after.cut(region), "the same whatever region is asked for");
        let taken_back = repaired(Wear { strokes: vec![broad(false), broad(true)], ..wear() });
        let far = Region::new(200, 150, 200, 150);
        assert!(rendered(&taken_back).cut(far) == truth.cut(far));
    }

    #[test]
    fn a_catchlight_is_no_dust() {
        let eyes = |x: f32, y: f32| Face::of_eyes(Place::new(x, y), Place::new(x + 60.0, y));
        let with = |face, strokes| {
            let faces = vec![TreatedFace { face, restore: None }];
            rendered(&Treatment { faces, ..repaired(Wear { strokes, ..wear() }) })
        };
        assert!(!is_filled(&with(eyes(148.0, 129.0), Vec::new()), 150, 130), "in the left eye");
        assert!(is_filled(&with(eyes(60.0, 60.0), Vec::new()), 150, 130), "on the cheek");
        let by_hand = vec![stroke(150.0, 130.0, false)];
        assert!(is_filled(&with(eyes(148.0, 129.0), by_hand), 150, 130), "but by hand");
    }

    #[test]
    fn strokes_turn_with_the_frame() {
        let mut treatment = repaired(Wear { strokes: vec![stroke(300.0, 200.0, false)], ..wear() });
        treatment.frame.quarter_turns = 1;
        treatment.size = Size::new(300, 400);
        let after = renderer().render(&print(), &treatment, treatment.size.whole().seen_as(), &Unhurried).unwrap();
        assert!(is_filled(&after, 300 - 200 - 1, 300) && is_filled(&after, 300 - 130 - 1, 150));
    }

    #[test]
    fn tone_is_brought_back_after_the_models() {
        let fade = Fade { black: [0.1; 3], white: [0.8; 3], gamma: [1.0; 3], strength: 1.0 };
        let enlarged = Treatment::learned(&shelf(), "everyday", Grade::Draft, SIZE, SIZE.times(2));
        let faded = Treatment { repair: Repair { fade: Some(fade), ..Repair::default() }, ..enlarged.clone() };
        let of =
            |treatment| renderer().render(&print(), treatment, SIZE.times(2).whole().seen_as(), &Unhurried).unwrap();
        let (plain, back) = (of(&enlarged), of(&faded));
        let expected = plain.values().iter().map(|v| fade.at(0, *v));
        assert!(back.values().iter().zip(expected).all(|(b, e)| *b == e));
        let far = renderer().view(&print(), &faded, 1, SIZE.whole().seen_as(), &Unhurried).unwrap();
        assert!(far.row(0, 10)[390] > plain.row(0, 20)[780] + 0.05, "in views from afar too");
    }

    #[test]
    fn the_marks_are_shown() {
        let view = renderer().wear_view(&print(), &repaired(wear()), 0, SIZE.whole().seen_as(), &Unhurried).unwrap();
        let colour = |x: usize, y: u32| [0, 1, 2].map(|c| view.row(c, y)[x]);
        let (marked, plain) = (colour(150, 130), colour(300, 200));
        assert!(marked[0] > marked[2] + 0.2 && (plain[0] - plain[2]).abs() < 0.01, "{marked:?} {plain:?}");
        let off = Treatment { repair: Repair::default(), ..repaired(wear()) };
        let view = renderer().wear_view(&print(), &off, 0, SIZE.whole().seen_as(), &Unhurried).unwrap();
        assert!((view.row(0, 130)[150] - view.row(2, 130)[150]).abs() < 0.01);
    }
}
