//! Areas: how much each pixel belongs to a masked part of the picture.
//!
//! The weights of a mask, 0 to 1, are worked out at the scale of the framed original and resampled to the result.

use dettaglio_domain::affine::{Affine, space};
use dettaglio_domain::geometry::{Place, Region};
use dettaglio_domain::mask::{Mask, Shape, Stroke};
use rayon::prelude::*;

use crate::compare::{ciede2000, lab};
use crate::enlarge::Source;
use crate::frame::Framed;
use crate::picture::Original;
use crate::plane::{box_mean, smoothstep};

/// Pixels around a pixel over which tone and colour are averaged, so that noise does not make holes.
const TONE_REACH: u32 = 3;

/// The part of a reach over which tone and colour fade out.
const TONE_FADE: f32 = 0.35;

/// The weights of a mask in a region of the framed original, 0 to 1, row by row.
///
/// The same whatever region is asked for.
pub fn weights(mask: &Mask, framed: &Framed<'_>, region: Region<space::Kept>) -> Vec<f32> {
    let (original, back) = (framed.original(), framed.map().inverse());
    let mut weights = match &mask.shape {
        Shape::Painted { strokes } => painted(strokes, &back, region),
        Shape::Gradient { from, to } => by_place(&back, region, |x, y| gradient(*from, *to, x, y)),
        Shape::Tone { at, reach } => {
            let here = tone_at(original, *at);
            by_colour(framed, region, |lab| fading((lab[0] - here[0]).abs(), *reach))
        }
        Shape::Colour { at, reach } => {
            let here = tone_at(original, *at);
            by_colour(framed, region, |lab| fading(ciede2000(lab, here), *reach))
        }
    };
    if mask.inverted {
        weights.par_iter_mut().for_each(|w| *w = 1.0 - *w);
    }
    weights
}

/// A weight from each pixel's place on the original.
fn by_place(
    back: &Affine<space::Kept, space::Original>,
    region: Region<space::Kept>,
    weight: impl Fn(f32, f32) -> f32 + Sync,
) -> Vec<f32> {
    let mut out = vec![0.0; region.size().area() as usize];
    out.par_chunks_mut(region.width as usize).enumerate().for_each(|(row, line)| {
        for (column, out) in line.iter_mut().enumerate() {
            let place = (f64::from(region.x) + column as f64 + 0.5, f64::from(region.y) + row as f64 + 0.5);
            let (x, y) = back.at(place.0, place.1);
            *out = weight(x as f32, y as f32);
        }
    });
    out
}

fn gradient(from: Place, to: Place, x: f32, y: f32) -> f32 {
    let (dx, dy) = (to.x - from.x, to.y - from.y);
    let along = ((x - from.x) * dx + (y - from.y) * dy) / (dx * dx + dy * dy);
    1.0 - smoothstep(along, 0.0, 1.0)
}

/// Pixels along a side of a block, for each of which it is found out beforehand which parts of strokes count there.
const BLOCK: u32 = 32;

fn painted(strokes: &[Stroke], back: &Affine<space::Kept, space::Original>, region: Region<space::Kept>) -> Vec<f32> {
    let mut out = vec![0.0; region.size().area() as usize];
    let band = (region.width * BLOCK) as usize;
    out.par_chunks_mut(band).enumerate().for_each(|(row, lines)| {
        let height = (lines.len() / region.width as usize) as u32;
        for left in (0..region.width).step_by(BLOCK as usize) {
            let width = BLOCK.min(region.width - left);
            let block = Region::of(region.x + left, region.y + row as u32 * BLOCK, width, height);
            let counting = counting(strokes, back, block);
            if counting.is_empty() {
                continue;
            }
            for y in 0..height {
                for x in 0..width {
                    let place = (f64::from(block.x + x) + 0.5, f64::from(block.y + y) + 0.5);
                    let (px, py) = back.at(place.0, place.1);
                    lines[(y * region.width + left + x) as usize] = laid_down(&counting, px as f32, py as f32);
                }
            }
        }
    });
    out
}

/// The strokes that reach a block, in their order, each with those of its segments that may be the nearest to a pixel of it.
fn counting<'a>(
    strokes: &'a [Stroke],
    back: &Affine<space::Kept, space::Original>,
    block: Region<space::Kept>,
) -> Vec<(&'a Stroke, Vec<(Place, Place)>)> {
    let middle =
        back.at(f64::from(block.x) + f64::from(block.width) / 2.0, f64::from(block.y) + f64::from(block.height) / 2.0);
    let reach = (block.corners())
        .map(|(x, y)| back.at(x, y))
        .map(|(x, y)| (x - middle.0).hypot(y - middle.1))
        .into_iter()
        .fold(0.0, f64::max);
    // A pixel's room for rounding.
    let reach = reach as f32 + 1.0;
    let from_middle = |segment: &(Place, Place)| distance_squared(*segment, middle.0 as f32, middle.1 as f32).sqrt();
    let reaching = strokes.iter().filter_map(|stroke| {
        let nearest = segments(stroke).map(|segment| from_middle(&segment)).fold(f32::INFINITY, f32::min);
        if nearest - reach > stroke.radius + 0.5 {
            return None;
        }
        Some((stroke, segments(stroke).filter(|segment| from_middle(segment) <= nearest + 2.0 * reach).collect()))
    });
    reaching.collect()
}

/// The weight that strokes give a place, one after the other.
fn laid_down(strokes: &[(&Stroke, Vec<(Place, Place)>)], x: f32, y: f32) -> f32 {
    strokes.iter().fold(0.0_f32, |weight, (stroke, segments)| {
        let nearest = segments.iter().map(|s| distance_squared(*s, x, y)).fold(f32::INFINITY, f32::min).sqrt();
        let hard = stroke.radius * (1.0 - stroke.feather.clamp(0.0, 1.0));
        // Even a hard brush fades over a pixel: no stairs.
        let laid = 1.0 - smoothstep(nearest, hard.min(stroke.radius - 0.5), stroke.radius + 0.5);
        if stroke.erases { weight * (1.0 - laid) } else { weight.max(laid) }
    })
}

/// The straight pieces of a stroke; one without length for a dot.
fn segments(stroke: &Stroke) -> impl Iterator<Item = (Place, Place)> + '_ {
    let dot = (stroke.points.len() == 1).then(|| (stroke.points[0], stroke.points[0]));
    dot.into_iter().chain(stroke.points.windows(2).map(|pair| (pair[0], pair[1])))
}

fn distance_squared((a, b): (Place, Place), x: f32, y: f32) -> f32 {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    let length = dx * dx + dy * dy;
    let along = if length > 0.0 { (((x - a.x) * dx + (y - a.y) * dy) / length).clamp(0.0, 1.0) } else { 0.0 };
    (x - a.x - along * dx).powi(2) + (y - a.y - along * dy).powi(2)
}

/// 1 within a reach, fading to 0 beyond it.
fn fading(difference: f32, reach: f32) -> f32 {
    1.0 - smoothstep(difference, reach * (1.0 - TONE_FADE), reach * (1.0 + TONE_FADE))
}

/// A weight from each pixel's colour, averaged over its surroundings.
fn by_colour(framed: &Framed<'_>, region: Region<space::Kept>, weight: impl Fn([f32; 3]) -> f32 + Sync) -> Vec<f32> {
    // Twice the reach around: the mean is taken over a window that the picture's edge alone may cut.
    let padded = region.grown(TONE_REACH, framed.size());
    let planes = framed.region(padded);
    let soft = [0, 1, 2].map(|c| box_mean(planes.plane(c), padded.width as usize, TONE_REACH as usize));
    let width = region.width as usize;
    let mut out = vec![0.0; region.size().area() as usize];
    out.par_chunks_mut(width).enumerate().for_each(|(row, line)| {
        let start = (row + (region.y - padded.y) as usize) * padded.width as usize + (region.x - padded.x) as usize;
        for (column, out) in line.iter_mut().enumerate() {
            *out = weight(lab([0, 1, 2].map(|c: usize| soft[c][start + column])));
        }
    });
    out
}

/// The colour of a place of the original and what lies around it.
fn tone_at(original: &Original, at: Place) -> [f32; 3] {
    let size = original.size();
    let near = |value: f32, side: u32| (value.max(0.0) as u32).min(side - 1);
    let (x, y) = (near(at.x, size.width), near(at.y, size.height));
    let planes = original.region(Region::of(x, y, 1, 1).grown(TONE_REACH, size));
    let mean = |c: usize| planes.plane(c).iter().sum::<f32>() / planes.plane(c).len() as f32;
    lab([mean(0), mean(1), mean(2)])
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::frame::Frame;
    use dettaglio_domain::geometry::Size;
    use dettaglio_domain::mask::MaskError;
    use proptest::prelude::*;
    use rstest::rstest;

    const SIZE: Size = Size::new(60, 40);

    /// Dark on the left, light and warm on the right.
    fn halves() -> Original {
        let mut planes = crate::picture::Planes::black(SIZE);
        for (channel, light) in [0.9, 0.7, 0.3].into_iter().enumerate() {
            for y in 0..SIZE.height {
                let row = planes.row_mut(channel, y);
                row[..30].fill(0.1);
                row[30..].fill(light);
            }
        }
        Original::from_planes(&planes)
    }

    fn at(x: f32, y: f32) -> Place {
        Place::new(x, y)
    }

    fn dot(x: f32, y: f32, radius: f32, feather: f32, erases: bool) -> Stroke {
        Stroke { points: vec![at(x, y)], radius, feather, erases }
    }

    fn weight(shape: Shape, frame: Frame, x: u32, y: u32) -> f32 {
        let (original, mask) = (halves(), Mask { shape, inverted: false });
        weights(&mask, &Framed::new(&original, frame).unwrap(), Region::of(x, y, 1, 1))[0]
    }

    #[rstest]
    #[case::within(20, 20, 1.0)]
    #[case::outside(40, 20, 0.0)]
    #[case::erased(16, 20, 0.0)]
    fn a_brush_lays_down_and_takes_away(#[case] x: u32, #[case] y: u32, #[case] expected: f32) {
        let strokes = vec![dot(20.5, 20.5, 8.0, 0.0, false), dot(16.5, 20.5, 2.0, 0.0, true)];
        assert_eq!(weight(Shape::Painted { strokes }, Frame::default(), x, y), expected);
    }

    #[test]
    fn a_feathered_edge_fades_evenly() {
        let shape = || Shape::Painted { strokes: vec![dot(20.5, 20.5, 10.0, 1.0, false)] };
        let along: Vec<f32> = (20..32).map(|x| weight(shape(), Frame::default(), x, 20)).collect();
        assert!(along.windows(2).all(|pair| pair[0] >= pair[1]), "{along:?}");
        assert!((along[5] - 0.5).abs() < 0.06, "half at half of the radius: {along:?}");
    }

    #[test]
    fn a_stroke_joins_its_points() {
        let strokes =
            vec![Stroke { points: vec![at(5.0, 5.0), at(50.0, 35.0)], radius: 2.0, feather: 0.0, erases: false }];
        assert_eq!(weight(Shape::Painted { strokes }, Frame::default(), 27, 20), 1.0);
    }

    #[rstest]
    #[case(Shape::Tone { at: at(5.0, 5.0), reach: 10.0 }, 3, 1.0)]
    #[case(Shape::Tone { at: at(5.0, 5.0), reach: 10.0 }, 50, 0.0)]
    #[case(Shape::Colour { at: at(50.0, 5.0), reach: 10.0 }, 55, 1.0)]
    #[case(Shape::Colour { at: at(50.0, 5.0), reach: 10.0 }, 3, 0.0)]
    #[case(Shape::Gradient { from: at(10.0, 0.0), to: at(50.0, 0.0) }, 5, 1.0)]
    #[case(Shape::Gradient { from: at(10.0, 0.0), to: at(50.0, 0.0) }, 55, 0.0)]
    fn tone_colour_and_gradient(#[case] shape: Shape, #[case] x: u32, #[case] expected: f32) {
        assert_eq!(weight(shape, Frame::default(), x, 20), expected);
    }

    #[test]
    fn an_area_stays_on_what_it_was_drawn_on() {
        let strokes = || vec![dot(20.5, 10.5, 6.0, 0.5, false)];
        let whole = weight(Shape::Painted { strokes: strokes() }, Frame::default(), 17, 10);
        let turned = Frame { quarter_turns: 1, ..Frame::default() };
        // (17, 10) of 60 x 40 lies at (40 - 1 - 10, 17) after a quarter turn clockwise.
        assert_eq!(weight(Shape::Painted { strokes: strokes() }, turned, 29, 17), whole);
        let cropped = Frame { crop: Some(Region::of(10, 5, 30, 20)), ..Frame::default() };
        assert_eq!(weight(Shape::Painted { strokes: strokes() }, cropped, 7, 5), whole);
    }

    #[rstest]
    #[case(Shape::Gradient { from: at(1.0, 1.0), to: at(1.2, 1.0) }, MaskError::NoLength)]
    #[case(Shape::Gradient { from: at(f32::NAN, 1.0), to: at(1.2, 1.0) }, MaskError::NotANumber)]
    #[case(Shape::Tone { at: at(1.0, 1.0), reach: 0.0 }, MaskError::Reach(0.0))]
    #[case(Shape::Painted { strokes: vec![dot(1.0, 1.0, 0.1, 0.0, false)] }, MaskError::Radius(0.1))]
    #[case(Shape::Painted { strokes: vec![dot(1.0, 1.0, 2.0, 1.5, false)] }, MaskError::Feather(1.5))]
    #[case(Shape::Painted { strokes: vec![dot(1.0, 1.0, 2.0, 0.5, false); 401] }, MaskError::TooMany)]
    fn nonsense_is_refused(#[case] shape: Shape, #[case] error: MaskError) {
        assert_eq!(Mask { shape, inverted: false }.check(), Err(error));
    }

    proptest! {
        #[test]
        fn what_is_left_out_for_a_block_never_counted(
            points in prop::collection::vec((-200.0..400.0_f32, -200.0..400.0_f32), 1..30), radius in 1.0..300.0_f32
        ) {
            let points: Vec<Place> = points.into_iter().map(|(x, y)| at(x, y)).collect();
            let strokes = [Stroke { points, radius, feather: 0.5, erases: false }];
            let region = Region::new(10, 20, 100, 70);
            let all = vec![(&strokes[0], segments(&strokes[0]).collect::<Vec<_>>())];
            let original = halves();
            let back = Framed::new(&original, Frame::default()).unwrap().map().inverse();
            let quick = painted(&strokes, &back, region.seen_as());
            for (i, weight) in quick.into_iter().enumerate() {
                let (x, y) = ((10 + i % 100) as f32 + 0.5, (20 + i / 100) as f32 + 0.5);
                prop_assert_eq!(weight, laid_down(&all, x, y));
            }
        }
    }

    #[test]
    fn what_a_brush_never_reached_costs_nothing() {
        let strokes = vec![dot(6.0, 4.0, 6.0, 0.0, false)];
        let mask = |inverted| Mask { shape: Shape::Painted { strokes: strokes.clone() }, inverted };
        assert_eq!(mask(false).extent(), Some(144.0));
        assert_eq!(mask(true).extent(), None);
    }

    fn shapes() -> impl Strategy<Value = Shape> {
        let place = || (0.0..60.0_f32, 0.0..40.0_f32).prop_map(|(x, y)| at(x, y));
        let stroke = (prop::collection::vec(place(), 1..5), 1.0..20.0_f32, 0.0..1.0_f32, any::<bool>())
            .prop_map(|(points, radius, feather, erases)| Stroke { points, radius, feather, erases });
        prop_oneof![
            prop::collection::vec(stroke, 1..4).prop_map(|strokes| Shape::Painted { strokes }),
            (place(), 5.0..60.0_f32).prop_map(|(at, reach)| Shape::Tone { at, reach }),
            (place(), 5.0..60.0_f32).prop_map(|(at, reach)| Shape::Colour { at, reach }),
        ]
    }

    proptest! {
        #[test]
        fn a_region_has_the_weights_of_the_whole(
            shape in shapes(), inverted: bool, degrees in prop_oneof![Just(0.0), -9.0..9.0_f64], fx in 0.0..1.0_f64, fy in 0.0..1.0_f64
        ) {
            let (original, frame) = (halves(), Frame { degrees, ..Frame::default() });
            let mask = Mask { shape, inverted };
            let framed = Framed::new(&original, frame).unwrap();
            let kept = framed.size();
            let whole = weights(&mask, &framed, kept.whole().seen_as());
            let (x, y) = ((f64::from(kept.width - 1) * fx) as u32, (f64::from(kept.height - 1) * fy) as u32);
            let region = Region::new(x, y, (kept.width - x).min(9), (kept.height - y).min(7));
            let part = weights(&mask, &framed, region.seen_as());
            for (i, value) in part.iter().enumerate() {
                let (column, row) = (x as usize + i % region.width as usize, y as usize + i / region.width as usize);
                prop_assert!((value - whole[row * kept.width as usize + column]).abs() < 1e-4);
                prop_assert!((0.0..=1.0).contains(value));
            }
        }
    }
}
