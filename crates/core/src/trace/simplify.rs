//! An outline in fewer pieces: short ones at corners go, and two that one line or curve can stand for become one.

use super::contour::Point;
use super::fit::{Outline, Segment, length, meeting, on, pieces, single, sub, unit};

/// A piece shorter than this, in pixels of the picture that was small, is none of what was drawn.
const SHORT: f64 = 1.2;

/// Two pieces that meet at more than this, in radians, meet at a corner.
const CORNER: f64 = 0.35;

/// Distance of the points by which pieces are compared.
const STEP: f64 = 0.25;

/// The outline in as few pieces as keep within `tolerance` of it, corners as they are.
pub fn simplified(outline: Outline, tolerance: f64) -> Outline {
    let mut pieces = Pieces::of(&outline);
    pieces.drop_short();
    pieces.join(tolerance);
    pieces.outline()
}

/// Cubic curves from each to the next, lines too: those have their handles on their ends.
struct Pieces(Vec<[Point; 4]>);

impl Pieces {
    fn of(outline: &Outline) -> Self {
        let mut from = outline.start;
        let curve = |segment: &Segment| {
            let whole = match *segment {
                Segment::Line(end) => [from, from, end, end],
                Segment::Curve(a, b, end) => [from, a, b, end],
            };
            from = segment.end();
            whole
        };
        Self(outline.segments.iter().map(curve).collect())
    }

    fn outline(&self) -> Outline {
        let segment = |curve: &[Point; 4]| {
            if is_line(curve) { Segment::Line(curve[3]) } else { Segment::Curve(curve[1], curve[2], curve[3]) }
        };
        Outline { start: self.0[0][0], segments: self.0.iter().map(segment).collect() }
    }

    /// Takes out short pieces: their neighbours, drawn on, meet where they were.
    fn drop_short(&mut self) {
        let mut i = 0;
        while i < self.0.len() && self.0.len() > 3 {
            let count = self.0.len();
            let [from, .., to] = self.0[i];
            if length(sub(to, from)) >= SHORT {
                i += 1;
                continue;
            }
            let (before, after) = ((i + count - 1) % count, (i + 1) % count);
            let met = meeting(from, arriving(&self.0[before]), to, leaving(&self.0[after]))
                .filter(|p| length(sub(*p, from)).max(length(sub(*p, to))) <= 2.0 * SHORT)
                .unwrap_or(((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0));
            let (by_from, by_to) = (sub(met, from), sub(met, to));
            shift_end(&mut self.0[before], by_from);
            shift_start(&mut self.0[after], by_to);
            self.0.remove(i);
        }
    }

    /// Joins neighbours that meet at no corner and that one piece can stand for.
    fn join(&mut self, tolerance: f64) {
        let mut i = 0;
        let mut refused = 0;
        while self.0.len() > 2 && refused < self.0.len() {
            let count = self.0.len();
            i %= count;
            let next = (i + 1) % count;
            let (a, b) = (self.0[i], self.0[next]);
            match joined(&a, &b, tolerance) {
                Some(one) => {
                    self.0[i] = one;
                    self.0.remove(next);
                    if next < i {
                        i -= 1;
                    }
                    refused = 0;
                }
                None => {
                    refused += 1;
                    i += 1;
                }
            }
        }
    }
}

/// The one piece that stands for two, if there is one.
fn joined(a: &[Point; 4], b: &[Point; 4], tolerance: f64) -> Option<[Point; 4]> {
    let (into, out) = (arriving(a), leaving(b));
    // Both point back into their piece: without a corner they are opposite.
    let turn = (into.0 * out.1 - into.1 * out.0).atan2(-(into.0 * out.0 + into.1 * out.1));
    if turn.abs() > CORNER {
        return None;
    }
    let mut points = points_of(a);
    points.extend(points_of(b).into_iter().skip(1));
    match single(&points, leaving(a), arriving(b), tolerance).ok()? {
        Segment::Line(end) => Some([a[0], a[0], end, end]),
        Segment::Curve(c, d, end) => Some([a[0], c, d, end]),
    }
}

fn is_line(curve: &[Point; 4]) -> bool {
    curve[0] == curve[1] && curve[2] == curve[3]
}

fn points_of(curve: &[Point; 4]) -> Vec<Point> {
    let count = pieces(curve, STEP).max(2);
    (0..=count).map(|k| on(curve, k as f64 / count as f64)).collect()
}

/// The direction in which a piece begins.
fn leaving(curve: &[Point; 4]) -> Point {
    let ahead = curve.iter().skip(1).find(|p| length(sub(**p, curve[0])) > 1e-6);
    ahead.map_or((1.0, 0.0), |p| unit(sub(*p, curve[0])))
}

/// The direction from a piece's end back into it.
fn arriving(curve: &[Point; 4]) -> Point {
    leaving(&[curve[3], curve[2], curve[1], curve[0]])
}

fn shift_start(curve: &mut [Point; 4], by: Point) {
    (0..2).for_each(|i| curve[i] = (curve[i].0 + by.0, curve[i].1 + by.1));
}

fn shift_end(curve: &mut [Point; 4], by: Point) {
    (2..4).for_each(|i| curve[i] = (curve[i].0 + by.0, curve[i].1 + by.1));
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lines(points: &[Point]) -> Outline {
        let rest = points[1..].iter().chain(&points[..1]);
        Outline { start: points[0], segments: rest.map(|p| Segment::Line(*p)).collect() }
    }

    #[test]
    fn places_along_a_side_go_and_corners_stay() {
        let square =
            [(10.0, 10.0), (18.0, 10.05), (30.0, 10.0), (30.0, 22.0), (30.0, 30.0), (10.0, 30.0), (9.95, 20.0)];
        let found = simplified(lines(&square), 0.1);
        assert_eq!(found.segments.len(), 4, "{found:?}");
        for corner in [(10.0, 10.0), (30.0, 10.0), (30.0, 30.0), (10.0, 30.0)] {
            assert!(found.segments.iter().any(|s| s.end() == corner), "{corner:?}: {found:?}");
        }
    }

    #[test]
    fn a_corner_that_was_cut_off_is_drawn_out() {
        let cut = [(10.0, 10.0), (29.5, 10.0), (30.0, 10.5), (30.0, 30.0), (10.0, 30.0)];
        let found = simplified(lines(&cut), 0.1);
        assert_eq!(found.segments.len(), 4, "{found:?}");
        assert!(found.segments.iter().any(|s| length(sub(s.end(), (30.0, 10.0))) < 1e-9), "{found:?}");
    }

    #[test]
    fn short_curves_of_one_circle_become_few() {
        const COUNT: u32 = 20;
        let turn = |k: u32| std::f64::consts::TAU / f64::from(COUNT) * f64::from(k);
        let at = |turn: f64| (40.0 + 30.0 * turn.cos(), 40.0 + 30.0 * turn.sin());
        let by = 30.0 * 4.0 / 3.0 * (turn(1) / 4.0).tan();
        let ahead = |turn: f64, by: f64| (at(turn).0 - by * turn.sin(), at(turn).1 + by * turn.cos());
        let curve = |k: u32| Segment::Curve(ahead(turn(k), by), ahead(turn(k + 1), -by), at(turn(k + 1)));
        let found = simplified(Outline { start: at(0.0), segments: (0..COUNT).map(curve).collect() }, 0.08);
        assert!(found.segments.len() <= 5, "{}", found.segments.len());
        let pieces = Pieces::of(&found).0;
        let off = |p: Point| (length(sub(p, (40.0, 40.0))) - 30.0).abs();
        assert!(pieces.iter().flat_map(points_of).all(|p| off(p) < 0.2), "{found:?}");
    }

    #[test]
    fn a_small_triangle_keeps_its_sides() {
        let found = simplified(lines(&[(5.0, 5.0), (5.8, 5.0), (5.4, 5.7)]), 0.2);
        assert_eq!(found.segments.len(), 3);
    }
}
