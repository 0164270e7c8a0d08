use std::f64::consts::TAU;

use dettaglio_domain::geometry::Size;
use rstest::rstest;

use super::*;
use crate::render::Unhurried;
use crate::trace::fit::{Outline, Segment};

type Point = (f64, f64);

const WHITE: [f32; 3] = [1.0; 3];
const INK: [f32; 3] = [0.1, 0.3, 0.6];

/// A closed line through points.
fn polygon(points: &[Point]) -> Outline {
    let rest = points[1..].iter().chain(&points[..1]);
    Outline { start: points[0], segments: rest.map(|p| Segment::Line(*p)).collect() }
}

/// A disc of four curves: nowhere more than 0.03 % of its radius off.
fn disc((x, y): Point, radius: f64) -> Outline {
    const HANDLE: f64 = 0.5523;
    let at = |turn: f64| (x + radius * turn.cos(), y + radius * turn.sin());
    let segments = (0..4).map(|k| {
        let (from, to) = (TAU / 4.0 * f64::from(k), TAU / 4.0 * f64::from(k + 1));
        let (a, b) = (at(from), at(to));
        let handle = |p: Point, turn: f64, by: f64| (p.0 - by * turn.sin(), p.1 + by * turn.cos());
        Segment::Curve(handle(a, from, HANDLE * radius), handle(b, to, -HANDLE * radius), b)
    });
    Outline { start: at(0.0), segments: segments.collect() }
}

fn page(side: f64) -> Shape {
    Shape {
        name: String::new(),
        colour: WHITE,
        outlines: vec![polygon(&[(0.0, 0.0), (0.0, side), (side, side), (side, 0.0)])],
    }
}

fn on_page(side: u32, shapes: Vec<Shape>) -> Traced {
    let mut all = vec![page(side.into())];
    all.extend(shapes);
    Traced { size: Size::new(side, side), shapes: all }
}

/// Shapes as a camera of square pixels would see them, with a little noise.
fn seen(traced: &Traced, noise: f32) -> Planes {
    let area = traced.size.area() as usize;
    let nothing = Planes::from_values(traced.size, vec![0.0; 3 * area]);
    let given = Given::new(&nothing, traced.shapes.iter().map(|shape| shape.colour));
    let paths: Vec<Path> = (traced.shapes.iter().enumerate())
        .flat_map(|(i, shape)| shape.outlines.iter().map(move |outline| Path::of(outline, i)))
        .collect();
    // Back from what colours are weighed as.
    let unweighed = |[luminance, red, blue]: [f32; 3]| {
        let (r, b) = (luminance + red / 0.35, luminance + blue / 0.35);
        [r, (luminance - 0.299 * r - 0.114 * b) / 0.587, b]
    };
    let missing: Vec<[f32; 3]> = Drawn::of(&paths, &given).missing.into_iter().map(unweighed).collect();
    let grain = |i: usize| noise * ((i * 7919 % 101) as f32 / 50.0 - 1.0);
    let values = (0..3).flat_map(|c| missing.iter().enumerate().map(move |(i, v)| grain(i + c) - v[c])).collect();
    Planes::from_values(traced.size, values)
}

/// The same outline, each place moved a little.
fn shaken(outline: &Outline, by: f64) -> Outline {
    let moved = |k: usize, (x, y): Point| {
        let turn = 2.4 * k as f64;
        (x + by * turn.cos(), y + by * turn.sin())
    };
    let mut k = 0;
    let mut next = |p: Point| {
        k += 1;
        moved(k, p)
    };
    let mut segments: Vec<Segment> = (outline.segments.iter())
        .map(|segment| match *segment {
            Segment::Line(end) => Segment::Line(next(end)),
            Segment::Curve(a, b, end) => Segment::Curve(next(a), next(b), next(end)),
        })
        .collect();
    let start = segments.last().expect("a segment").end();
    segments.dedup();
    Outline { start, segments }
}

fn refined_from(shapes: &Traced, shaken_by: f64, noise: f32) -> Traced {
    let mut begun = shapes.clone();
    for outline in begun.shapes.iter_mut().skip(1).flat_map(|shape| &mut shape.outlines) {
        *outline = shaken(outline, shaken_by);
    }
    refined(begun, &seen(shapes, noise), &Unhurried).expect("nobody cancels")
}

fn places(outline: &Outline) -> Vec<Point> {
    Path::of(outline, 0).edges().into_iter().map(|(a, _)| a).collect()
}

#[rstest]
#[case(0.0, 0.1)]
#[case(0.03, 0.12)]
fn a_disc_comes_back_to_where_it_was(#[case] noise: f32, #[case] most: f64) {
    let drawn = on_page(48, vec![Shape { name: String::new(), colour: INK, outlines: vec![disc((23.3, 24.6), 15.4)] }]);
    let found = refined_from(&drawn, 0.35, noise);
    let off = |p: &Point| ((p.0 - 23.3).hypot(p.1 - 24.6) - 15.4).abs();
    let worst = places(&found.shapes[1].outlines[0]).iter().map(off).fold(0.0, f64::max);
    assert!(worst < most, "{worst}");
}

#[test]
fn a_hole_moves_against_its_rim_and_corners_stay_corners() {
    let rim = polygon(&[(6.2, 7.1), (41.7, 7.1), (41.7, 38.4), (6.2, 38.4)]);
    let hole = polygon(&[(15.3, 14.8), (15.3, 30.2), (31.6, 30.2), (31.6, 14.8)]);
    let drawn = on_page(48, vec![Shape { name: String::new(), colour: INK, outlines: vec![rim, hole] }]);
    let found = refined_from(&drawn, 0.3, 0.01);
    for (outline, due) in found.shapes[1].outlines.iter().zip(&drawn.shapes[1].outlines) {
        assert_eq!(outline.segments.len(), 4, "{outline:?}");
        for place in due.segments.iter().map(Segment::end) {
            let off = |s: &Segment| (s.end().0 - place.0).hypot(s.end().1 - place.1);
            let nearest = outline.segments.iter().map(off).fold(f64::INFINITY, f64::min);
            assert!(nearest < 0.1, "{nearest} at {place:?}: {outline:?}");
        }
    }
}

#[test]
fn what_lies_below_another_shape_is_left_alone() {
    let below = polygon(&[(10.0, 10.0), (30.0, 10.0), (30.0, 30.0), (10.0, 30.0)]);
    let above = polygon(&[(5.0, 5.0), (40.0, 5.0), (40.0, 40.0), (5.0, 40.0)]);
    let drawn = on_page(
        48,
        vec![
            Shape { name: String::new(), colour: [0.9, 0.2, 0.2], outlines: vec![below.clone()] },
            Shape { name: String::new(), colour: INK, outlines: vec![above] },
        ],
    );
    let found = refined(drawn.clone(), &seen(&drawn, 0.02), &Unhurried).expect("nobody cancels");
    assert_eq!(found.shapes[1].outlines, [below]);
}

#[test]
fn a_line_for_a_curve_is_split_until_it_follows_the_edge() {
    let drawn = on_page(64, vec![Shape { name: String::new(), colour: INK, outlines: vec![disc((32.0, 32.0), 24.0)] }]);
    let rough: Vec<Point> =
        (0..4).map(|k| TAU / 4.0 * f64::from(k)).map(|a| (32.0 + 24.0 * a.cos(), 32.0 + 24.0 * a.sin())).collect();
    let mut begun = drawn.clone();
    begun.shapes[1].outlines = vec![polygon(&rough)];
    let found = refined(begun, &seen(&drawn, 0.01), &Unhurried).expect("nobody cancels");
    let off = |p: &Point| ((p.0 - 32.0).hypot(p.1 - 32.0) - 24.0).abs();
    let worst = places(&found.shapes[1].outlines[0]).iter().map(off).fold(0.0, f64::max);
    assert!(worst < 0.4, "{worst}");
}

#[test]
fn who_gives_up_gets_nothing() {
    struct Never;
    impl Pace for Never {
        fn before_block(&self) -> bool {
            false
        }
    }
    let drawn = on_page(16, vec![Shape { name: String::new(), colour: INK, outlines: vec![disc((8.0, 8.0), 5.0)] }]);
    assert_eq!(refined(drawn.clone(), &seen(&drawn, 0.0), &Never), Err(Cancelled));
}
