//! Where a field crosses one half, to a fraction of a pixel: marching squares (W. Lorensen, H. Cline, 1987, in the plane).

use std::collections::HashMap;

use dettaglio_domain::geometry::Size;

/// A place in pixels; a pixel's middle lies at halves.
pub type Point = (f64, f64);

/// Closed loops around what is above one half, with it on their left as rows go down; beyond the field there is none of it.
pub fn loops(field: &[f32], size: Size) -> Vec<Vec<Point>> {
    let (width, height) = (size.width as i64, size.height as i64);
    let value = |x: i64, y: i64| {
        let inside = x >= 0 && y >= 0 && x < width && y < height;
        if inside { field[(y * width + x) as usize] } else { 0.0 }
    };
    // An edge lies between a sample and the next to its right, or below it.
    let stride = width + 2;
    let edge = |x: i64, y: i64, down: bool| 2 * ((y + 1) * stride + x + 1) + i64::from(down);
    let mut next: HashMap<i64, i64> = HashMap::new();
    for y in -1..height {
        for x in -1..width {
            let corners = [value(x, y), value(x + 1, y), value(x + 1, y + 1), value(x, y + 1)];
            let inside = corners.iter().enumerate().fold(0, |bits, (i, v)| bits | u8::from(*v > 0.5) << i);
            let (top, left) = (edge(x, y, false), edge(x, y, true));
            let (bottom, right) = (edge(x, y + 1, false), edge(x + 1, y, true));
            let middle = corners.iter().sum::<f32>() / 4.0 > 0.5;
            let steps: &[(i64, i64)] = match (inside, middle) {
                (1, _) => &[(left, top)],
                (2, _) => &[(top, right)],
                (3, _) => &[(left, right)],
                (4, _) => &[(right, bottom)],
                (5, true) => &[(right, top), (left, bottom)],
                (5, false) => &[(left, top), (right, bottom)],
                (6, _) => &[(top, bottom)],
                (7, _) => &[(left, bottom)],
                (8, _) => &[(bottom, left)],
                (9, _) => &[(bottom, top)],
                (10, true) => &[(top, left), (bottom, right)],
                (10, false) => &[(top, right), (bottom, left)],
                (11, _) => &[(bottom, right)],
                (12, _) => &[(right, left)],
                (13, _) => &[(right, top)],
                (14, _) => &[(top, left)],
                _ => &[],
            };
            next.extend(steps.iter().copied());
        }
    }
    let place = |edge: i64| {
        let (at, down) = (edge / 2, edge % 2 == 1);
        let (x, y) = (at % stride - 1, at / stride - 1);
        let (a, b) = (value(x, y), if down { value(x, y + 1) } else { value(x + 1, y) });
        let share = f64::from((0.5 - a) / (b - a)).clamp(0.0, 1.0);
        let (x, y) = (x as f64 + 0.5, y as f64 + 0.5);
        if down { (x, y + share) } else { (x + share, y) }
    };
    let mut starts: Vec<i64> = next.keys().copied().collect();
    // In a fixed order, so that the same picture gives the same file.
    starts.sort_unstable();
    let mut found = Vec::new();
    for start in starts {
        let mut points = Vec::new();
        let mut at = start;
        while let Some(to) = next.remove(&at) {
            points.push(place(at));
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
