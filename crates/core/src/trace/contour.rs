//! Where a field crosses one half, to a fraction of a pixel: marching squares (W. Lorensen, H. Cline, 1987, in the plane).

use std::collections::HashMap;

use dettaglio_domain::geometry::Size;

/// A place in pixels; a pixel's middle lies at halves.
pub type Point = (f64, f64);

/// A field of which the outline at one half is looked for; beyond it there is nothing.
struct Outlined<'a> {
    field: &'a [f32],
    width: i64,
    height: i64,
}

/// Numbers an edge: between a sample and the next to its right, or below it.
type Edge = i64;

impl Outlined<'_> {
    fn value(&self, x: i64, y: i64) -> f32 {
        let inside = x >= 0 && y >= 0 && x < self.width && y < self.height;
        if inside { self.field[(y * self.width + x) as usize] } else { 0.0 }
    }

    /// Edges in a line, with those of the row and column before the field.
    fn stride(&self) -> i64 {
        self.width + 2
    }

    fn edge(&self, x: i64, y: i64, down: bool) -> Edge {
        2 * ((y + 1) * self.stride() + x + 1) + i64::from(down)
    }

    /// From which edge of the square right below a sample the outline goes to which, as marching squares have it; where two corners that
    /// face each other are inside, their mean decides whether they belong together.
    fn steps(&self, x: i64, y: i64) -> Vec<(Edge, Edge)> {
        let corners = [(x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)].map(|(x, y)| self.value(x, y));
        let inside = corners.iter().enumerate().fold(0, |bits, (i, v)| bits | u8::from(*v > 0.5) << i);
        let (top, left) = (self.edge(x, y, false), self.edge(x, y, true));
        let (bottom, right) = (self.edge(x, y + 1, false), self.edge(x + 1, y, true));
        let middle = corners.iter().sum::<f32>() / 4.0 > 0.5;
        match (inside, middle) {
            (1, _) => vec![(left, top)],
            (2, _) => vec![(top, right)],
            (3, _) => vec![(left, right)],
            (4, _) => vec![(right, bottom)],
            (5, true) => vec![(right, top), (left, bottom)],
            (5, false) => vec![(left, top), (right, bottom)],
            (6, _) => vec![(top, bottom)],
            (7, _) => vec![(left, bottom)],
            (8, _) => vec![(bottom, left)],
            (9, _) => vec![(bottom, top)],
            (10, true) => vec![(top, left), (bottom, right)],
            (10, false) => vec![(top, right), (bottom, left)],
            (11, _) => vec![(bottom, right)],
            (12, _) => vec![(right, left)],
            (13, _) => vec![(right, top)],
            (14, _) => vec![(top, left)],
            _ => Vec::new(),
        }
    }

    /// Where on an edge the field passes one half.
    fn place(&self, edge: Edge) -> Point {
        let (at, down) = (edge / 2, edge % 2 == 1);
        let (x, y) = (at % self.stride() - 1, at / self.stride() - 1);
        let (a, b) = (self.value(x, y), if down { self.value(x, y + 1) } else { self.value(x + 1, y) });
        let share = f64::from((0.5 - a) / (b - a)).clamp(0.0, 1.0);
        let (x, y) = (x as f64 + 0.5, y as f64 + 0.5);
        if down { (x, y + share) } else { (x + share, y) }
    }
}

/// Closed loops around what is above one half, with it on their left as rows go down; beyond the field there is none of it.
pub fn loops(field: &[f32], size: Size) -> Vec<Vec<Point>> {
    let outlined = Outlined { field, width: size.width.into(), height: size.height.into() };
    let squares = (-1..outlined.height).flat_map(|y| (-1..outlined.width).map(move |x| (x, y)));
    let mut next: HashMap<Edge, Edge> = squares.flat_map(|(x, y)| outlined.steps(x, y)).collect();
    let mut starts: Vec<Edge> = next.keys().copied().collect();
    // In a fixed order, so that the same picture gives the same file.
    starts.sort_unstable();
    let mut found = Vec::new();
    for start in starts {
        let mut points = Vec::new();
        let mut at = start;
        while let Some(to) = next.remove(&at) {
            points.push(outlined.place(at));
            at = to;
        }
        points.dedup_by(|a, b| (a.0 - b.0).hypot(a.1 - b.1) < 1e-6);
        if points.len() >= 3 {
            found.push(points);
        }
    }
    found
}

/// The area within a loop; that of a hole has the other sign.
pub fn area(points: &[Point]) -> f64 {
    let pairs = points.iter().zip(points.iter().cycle().skip(1));
    pairs.map(|(a, b)| a.0 * b.1 - b.0 * a.1).sum::<f64>() / 2.0
}

#[cfg(test)]
mod tests {
    use super::*;

    fn disc(size: u32, radius: f64) -> Vec<f32> {
        let middle = f64::from(size) / 2.0;
        let at = |i: u32| (f64::from(i) + 0.5) - middle;
        let cover = |x: u32, y: u32| (radius - at(x).hypot(at(y)) + 0.5).clamp(0.0, 1.0) as f32;
        (0..size).flat_map(|y| (0..size).map(move |x| cover(x, y))).collect()
    }

    #[test]
    fn a_disc_is_one_loop_on_its_edge() {
        let found = loops(&disc(40, 12.3), Size::new(40, 40));
        assert_eq!(found.len(), 1);
        let off = found[0].iter().map(|p| ((p.0 - 20.0).hypot(p.1 - 20.0) - 12.3).abs()).fold(0.0, f64::max);
        assert!(off < 0.12, "{off}");
        assert!((area(&found[0]).abs() - std::f64::consts::PI * 12.3 * 12.3).abs() < 2.0);
    }

    #[test]
    fn a_hole_runs_the_other_way_and_what_fills_the_picture_ends_at_its_edge() {
        let ring: Vec<f32> = disc(40, 15.0).iter().zip(disc(40, 8.0)).map(|(a, b)| a - b).collect();
        let areas: Vec<f64> = loops(&ring, Size::new(40, 40)).iter().map(|points| area(points)).collect();
        assert_eq!(areas.len(), 2);
        assert!(areas[0] * areas[1] < 0.0, "{areas:?}");
        let whole = loops(&[1.0; 12], Size::new(4, 3));
        assert!((area(&whole[0]).abs() - 12.0).abs() < 0.6, "{whole:?}");
        assert!(loops(&[0.0; 12], Size::new(4, 3)).is_empty());
    }
}
