//! Shapes as pixels: along many lines a pixel, and exact along each.

use std::ops::Range;

use dettaglio_domain::affine::space::Result as Enlarged;
use dettaglio_domain::geometry::{Region, Size};
use rayon::prelude::*;

use super::contour::Point;
use super::fit::{Outline, Segment, pieces, straight};
use super::palette::Colour;
use crate::picture::Planes;

/// Bare paper, where no shape lies.
pub const PAPER: Colour = [1.0; 3];

/// Lines across a pixel of a result.
const LINES: usize = 16;

/// Steps across a pixel in which an edge lies.
const STEPS: f64 = 4096.0;

/// Length of the straight lines that stand for a curve, in pixels of the result: shorter than anybody sees.
const STEP: f64 = 1.0;

/// Of the lines across some rows of pixels, `lines` a row: where along each a shape begins or ends, in pixels, and its bit, the lowest shape's the
/// lowest; in no order. An edge is two points of a shape's outline.
pub fn crossings(
    edges: impl Iterator<Item = (usize, Point, Point)>,
    rows: Range<usize>,
    lines: usize,
) -> Vec<Vec<(f64, u32)>> {
    let mut crossings: Vec<Vec<(f64, u32)>> = vec![Vec::new(); rows.len() * lines];
    let (top, count) = (rows.start as f64, crossings.len());
    for (shape, a, b) in edges {
        let line = |y: f64| ((y - top) * lines as f64 - 0.5).ceil().clamp(0.0, count as f64) as usize;
        let (first, end) = (line(a.1.min(b.1)), line(a.1.max(b.1)));
        for (number, line) in crossings.iter_mut().enumerate().take(end).skip(first) {
            let y = top + (number as f64 + 0.5) / lines as f64;
            line.push((a.0 + (y - a.1) / (b.1 - a.1) * (b.0 - a.0), 1 << shape));
        }
    }
    crossings
}

/// The highest of some shapes, of which the lowest is the lowest bit; nothing where there is none.
pub fn highest(shapes: u32) -> Option<usize> {
    shapes.checked_ilog2().map(|bit| bit as usize)
}

/// The sums of a row's pixels, by where along it the colour changes.
pub struct Row {
    /// What a pixel has in part.
    part: Vec<[f64; 3]>,
    /// What it and all to its right have more.
    on: Vec<[f64; 3]>,
}

impl Row {
    /// A row of so many pixels.
    pub fn new(width: usize) -> Self {
        Self { part: vec![[0.0; 3]; width + 1], on: vec![[0.0; 3]; width + 2] }
    }

    /// Adds a line, and turns each of its crossings into the place from which on other shapes lie there, and which. `top` is the colour of the
    /// highest of some shapes, `place` where in the row a crossing lies.
    pub fn add(&mut self, line: &mut [(f64, u32)], top: impl Fn(u32) -> Colour, place: impl Fn(f64) -> f64) {
        line.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut active, mut before) = (0, top(0));
        self.change(0.0, [0.0; 3], before);
        for (x, shapes) in line {
            active ^= *shapes;
            *shapes = active;
            let after = top(active);
            self.change(place(*x), before, after);
            before = after;
        }
    }

    /// From `x` on the colour is another.
    fn change(&mut self, x: f64, before: Colour, after: Colour) {
        let x = x.clamp(0.0, (self.part.len() - 1) as f64);
        let (pixel, left) = (x as usize, 1.0 - x.fract());
        for c in 0..3 {
            let by = f64::from(after[c]) - f64::from(before[c]);
            self.part[pixel][c] += by * left;
            self.on[pixel + 1][c] += by;
        }
    }

    /// Hands over the sums of all pixels from left to right, and begins anew.
    pub fn take(&mut self, mut pixel: impl FnMut(usize, [f64; 3])) {
        let mut so_far = [0.0; 3];
        for x in 0..self.part.len() - 1 {
            (0..3).for_each(|c| so_far[c] += self.on[x][c]);
            pixel(x, [0, 1, 2].map(|c| so_far[c] + self.part[x][c]));
        }
        self.part.fill([0.0; 3]);
        self.on.fill([0.0; 3]);
    }
}

/// A region of shapes drawn `scale` times as large as they are, at most 32 of them: each pixel is the mean of the colours that lie in it. The
/// same wherever regions are cut.
pub fn planes(shapes: &[(Colour, &[Outline])], scale: [f64; 2], region: Region<Enlarged>) -> Planes {
    let size = Size::new(region.width, region.height);
    let (width, area) = (size.width as usize, size.area() as usize);
    let all: Vec<(usize, Point, Point)> = shapes
        .iter()
        .enumerate()
        .flat_map(|(number, (_, outlines))| outlines.iter().map(move |outline| (number, outline)))
        .flat_map(|(number, outline)| edges(outline, scale).into_iter().map(move |(a, b)| (number, a, b)))
        .filter(|(_, a, b)| a.1.min(b.1) < f64::from(region.bottom()) && a.1.max(b.1) > f64::from(region.y))
        .collect();
    let top = |active: u32| highest(active).map_or(PAPER, |shape| shapes[shape].0);
    // In steps that sums are exact in, from whatever column they begin.
    let place = |x: f64| (x * STEPS).round() / STEPS - f64::from(region.x);
    let rows: Vec<Vec<[f32; 3]>> = (region.y as usize..region.bottom() as usize)
        .into_par_iter()
        .map(|y| {
            let mut row = Row::new(width);
            let touching =
                all.iter().copied().filter(|(_, a, b)| a.1.min(b.1) < (y + 1) as f64 && a.1.max(b.1) > y as f64);
            for mut line in crossings(touching, y..y + 1, LINES) {
                row.add(&mut line, top, place);
            }
            let mut pixels = Vec::with_capacity(width);
            row.take(|_, sum| pixels.push(sum.map(|v| (v / LINES as f64) as f32)));
            pixels
        })
        .collect();
    let mut values = vec![0.0; 3 * area];
    for (i, pixel) in rows.iter().flatten().enumerate() {
        (0..3).for_each(|c| values[c * area + i] = pixel[c]);
    }
    Planes::from_values(size, values)
}

/// An outline as straight lines, scaled.
fn edges(outline: &Outline, scale: [f64; 2]) -> Vec<(Point, Point)> {
    let scaled = |p: Point| (p.0 * scale[0], p.1 * scale[1]);
    let mut edges = Vec::new();
    let mut from = scaled(outline.start);
    for segment in &outline.segments {
        match *segment {
            Segment::Line(end) => edges.push((from, scaled(end))),
            Segment::Curve(a, b, end) => {
                let curve = [from, scaled(a), scaled(b), scaled(end)];
                edges.extend(straight(curve, pieces(&curve, STEP)));
            }
        }
        from = scaled(segment.end());
    }
    edges.push((from, scaled(outline.start)));
    edges
}

#[cfg(test)]
mod tests {
    use super::*;

    const INK: Colour = [0.2, 0.4, 0.6];

    /// A square from 2, 2 to 6.5, 6 with a hole from 3, 3 to 4, 4.
    fn square() -> Vec<Outline> {
        let ring = |left: f64, top: f64, right: f64, bottom: f64| Outline {
            start: (left, top),
            segments: [(right, top), (right, bottom), (left, bottom), (left, top)].map(Segment::Line).to_vec(),
        };
        vec![ring(2.0, 2.0, 6.5, 6.0), ring(3.0, 3.0, 4.0, 4.0)]
    }

    #[test]
    fn a_pixel_is_the_mean_of_what_lies_in_it() {
        let drawn = planes(&[(INK, &square())], [1.0, 1.0], Region::of(0, 0, 8, 8));
        let red = |x: usize, y: usize| drawn.plane(0)[y * 8 + x];
        assert!((red(2, 2) - INK[0]).abs() < 1e-6);
        assert!((red(6, 3) - (1.0 + INK[0]) / 2.0).abs() < 1e-6, "half of it lies beyond");
        assert_eq!([red(3, 3), red(1, 3), red(7, 3)], [1.0; 3]);
    }

    #[test]
    fn what_is_drawn_is_the_same_wherever_regions_are_cut() {
        let round = Outline {
            start: (1.0, 4.0),
            segments: vec![
                Segment::Curve((1.0, 0.0), (7.0, 0.0), (7.0, 4.0)),
                Segment::Curve((7.0, 8.0), (1.0, 8.0), (1.0, 4.0)),
            ],
        };
        let (square, round) = (square(), [round]);
        let shapes: [(Colour, &[Outline]); 2] = [(INK, &square), ([0.9, 0.1, 0.1], &round)];
        let scale = [5.3, 5.3];
        let whole = planes(&shapes, scale, Region::of(0, 0, 42, 42));
        let region = Region::of(9, 13, 20, 17);
        let part = planes(&shapes, scale, region);
        let cut = whole.cut(region);
        assert_eq!(part.values(), cut.values());
    }
}
