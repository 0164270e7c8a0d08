//! Few lines and curves through many points, with corners where corners are.
//!
//! Curves are fitted by least squares (P. Schneider, "An algorithm for automatically fitting digitized curves", Graphics Gems, 1990).

use super::contour::Point;

/// A piece of an outline, from where the last one ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Segment {
    /// A straight line.
    Line(Point),
    /// A cubic curve: its two handles and its end.
    Curve(Point, Point, Point),
}

impl Segment {
    /// Where it ends.
    pub fn end(&self) -> Point {
        match *self {
            Self::Line(end) | Self::Curve(_, _, end) => end,
        }
    }
}

/// A closed outline.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline {
    /// Where it begins and ends.
    pub start: Point,
    /// Its pieces.
    pub segments: Vec<Segment>,
}

impl Outline {
    /// So many times as large.
    pub fn scaled(self, by: f64) -> Self {
        let at = |p: Point| (p.0 * by, p.1 * by);
        let segments = self.segments.into_iter().map(|segment| match segment {
            Segment::Line(end) => Segment::Line(at(end)),
            Segment::Curve(a, b, end) => Segment::Curve(at(a), at(b), at(end)),
        });
        Self { start: at(self.start), segments: segments.collect() }
    }
}

/// Distance of the points that an outline is looked at by.
const STEP: f64 = 0.75;

/// Points to either side from which the direction at a split is taken, at most.
const MOST_AROUND: usize = 12;

/// How far to either side of a point its direction is measured, in small pixels.
const REACH: f64 = 1.6;

/// A turn of more than this within that reach is a corner, in radians.
const CORNER: f64 = 0.62;

/// Enlarging rounds a corner; so much of either side of it is not what was drawn, in small pixels.
const ROUNDED: f64 = 1.1;

/// A corner is drawn out to where its sides meet, by this much at most, in small pixels.
const DRAWN_OUT: f64 = 1.6;

/// The outline along a closed loop of points, none of which it leaves by more than `tolerance`; `scale` points make a small pixel.
pub fn outline(points: &[Point], tolerance: f64, scale: f64) -> Outline {
    let points = evened(points, STEP);
    let reach = (REACH * scale / STEP).round().max(2.0) as usize;
    let corners = corners(&smoothed(&points, &[], reach / 2), reach);
    let points = smoothed(&points, &corners, 2 * reach);
    if corners.is_empty() {
        let mut closed = points.clone();
        closed.push(points[0]);
        // Smooth all around: both ends share a direction.
        let around = reach.min(points.len() / 8).max(1);
        let tangent = unit(sub(points[around], points[points.len() - around]));
        let mut segments = Vec::new();
        fit(&closed, tangent, (-tangent.0, -tangent.1), tolerance, &mut segments);
        return Outline { start: points[0], segments };
    }
    let pieces: Vec<Vec<Point>> = corners
        .iter()
        .enumerate()
        .map(|(i, &from)| {
            let to = corners[(i + 1) % corners.len()];
            let count = (to + points.len() - from - 1) % points.len() + 1;
            (0..=count).map(|k| points[(from + k) % points.len()]).collect()
        })
        .collect();
    let trim = (ROUNDED * scale / STEP).round() as usize;
    let trimmed: Vec<&[Point]> = pieces
        .iter()
        .map(|piece| if piece.len() > 4 * trim { &piece[trim..piece.len() - trim] } else { &piece[..] })
        .collect();
    // Each corner is where its two sides, drawn on, meet.
    let places: Vec<Point> = (0..pieces.len())
        .map(|i| {
            let before = trimmed[(i + pieces.len() - 1) % pieces.len()];
            let (after, corner) = (trimmed[i], pieces[i][0]);
            let ahead = direction(before.iter().rev(), reach);
            let back = direction(after.iter(), reach);
            let met = meeting(before[before.len() - 1], ahead, after[0], back);
            met.filter(|p| length(sub(*p, corner)) <= DRAWN_OUT * scale).unwrap_or(corner)
        })
        .collect();
    let mut segments = Vec::new();
    for (i, piece) in trimmed.iter().enumerate() {
        let (from, to) = (places[i], places[(i + 1) % places.len()]);
        let mut all = Vec::with_capacity(piece.len() + 2);
        all.push(from);
        all.extend(piece.iter().copied().filter(|p| length(sub(*p, from)) > 1e-6 && length(sub(*p, to)) > 1e-6));
        all.push(to);
        let leaving = direction(all.iter(), reach);
        let arriving = direction(all.iter().rev(), reach);
        fit(&all, leaving, arriving, tolerance, &mut segments);
    }
    Outline { start: places[0], segments }
}

/// The same loop with points at even distances of about `step`.
fn evened(points: &[Point], step: f64) -> Vec<Point> {
    let closed = || points.iter().zip(points.iter().cycle().skip(1));
    let whole: f64 = closed().map(|(a, b)| length(sub(*b, *a))).sum();
    let count = (whole / step).round().max(8.0) as usize;
    let step = whole / count as f64;
    let (mut out, mut gone, mut due) = (Vec::with_capacity(count), 0.0, 0.0);
    for (a, b) in closed() {
        let part = length(sub(*b, *a));
        while due < gone + part && out.len() < count {
            let share = (due - gone) / part;
            out.push((a.0 + (b.0 - a.0) * share, a.1 + (b.1 - a.1) * share));
            due += step;
        }
        gone += part;
    }
    out
}

/// Each point as the mean of those around it, `reach` to either side and no further than the next corner: an edge is as smooth as it was drawn,
/// and what is left of noise and compression is not.
fn smoothed(points: &[Point], corners: &[usize], reach: usize) -> Vec<Point> {
    let count = points.len();
    let free = |i: usize| {
        let apart = |corner: &usize| {
            let gap = i.abs_diff(*corner);
            gap.min(count - gap)
        };
        corners.iter().map(apart).min().unwrap_or(count).min(reach).min(count / 8)
    };
    (0..count)
        .map(|i| {
            let free = free(i);
            let (mut sum, mut weights) = ((0.0, 0.0), 0.0);
            for k in 0..=2 * free {
                let weight = (free + 1 - k.abs_diff(free)) as f64;
                let p = points[(i + count + k - free) % count];
                sum = (sum.0 + p.0 * weight, sum.1 + p.1 * weight);
                weights += weight;
            }
            (sum.0 / weights, sum.1 / weights)
        })
        .collect()
}

/// The places of a closed loop at which it turns sharply, in order.
fn corners(points: &[Point], reach: usize) -> Vec<usize> {
    let count = points.len();
    let at = |i: usize| points[i % count];
    let turns: Vec<f64> = (0..count)
        .map(|i| {
            let (a, b) = (sub(at(i), at(i + count - reach)), sub(at(i + reach), at(i)));
            (a.0 * b.1 - a.1 * b.0).atan2(a.0 * b.0 + a.1 * b.1).abs()
        })
        .collect();
    (0..count)
        .filter(|&i| {
            turns[i] > CORNER
                && (1..=reach).all(|k| turns[i] >= turns[(i + k) % count] && turns[i] > turns[(i + count - k) % count])
        })
        .collect()
}

/// The direction from the first of some points towards those that follow.
fn direction<'a>(points: impl Iterator<Item = &'a Point>, reach: usize) -> Point {
    let few: Vec<Point> = points.take(reach + 1).copied().collect();
    let Some((first, rest)) = few.split_first() else { return (1.0, 0.0) };
    let sum = rest.iter().fold((0.0, 0.0), |sum, p| (sum.0 + p.0 - first.0, sum.1 + p.1 - first.1));
    unit(sum)
}

/// Where a line from `a` against direction `u` and one from `b` against `v` meet.
pub fn meeting(a: Point, u: Point, b: Point, v: Point) -> Option<Point> {
    let cross = u.0 * v.1 - u.1 * v.0;
    if cross.abs() < 0.2 {
        return None;
    }
    let between = sub(b, a);
    let along = (between.0 * v.1 - between.1 * v.0) / cross;
    Some((a.0 + u.0 * along, a.1 + u.1 * along))
}

/// Lines and curves through points, with these directions at the ends, both away from them.
fn fit(points: &[Point], leaving: Point, arriving: Point, tolerance: f64, out: &mut Vec<Segment>) {
    let split = match single(points, leaving, arriving, tolerance) {
        Ok(segment) => return out.push(segment),
        Err(_) if points.len() < 4 => return out.push(Segment::Line(points[points.len() - 1])),
        Err(split) => split.clamp(1, points.len() - 2),
    };
    let around = (points.len() / 8).clamp(1, MOST_AROUND);
    let through = unit(sub(points[split.saturating_sub(around)], points[(split + around).min(points.len() - 1)]));
    fit(&points[..=split], leaving, through, tolerance, out);
    fit(&points[split..], (-through.0, -through.1), arriving, tolerance, out);
}

/// The line or the curve along points, none of which it leaves by more than `tolerance`, with these directions at the ends, both away from
/// them; where there is none, the place of the point that is farthest from the best.
pub fn single(points: &[Point], leaving: Point, arriving: Point, tolerance: f64) -> Result<Segment, usize> {
    let (first, last) = (points[0], points[points.len() - 1]);
    let chord = sub(last, first);
    if length(chord) < 1e-9 {
        return Err(points.len() / 2);
    }
    let (along, span) = (unit(chord), length(chord));
    let off = |p: &Point| {
        let from = sub(*p, first);
        let ahead = from.0 * along.0 + from.1 * along.1;
        let beside = (from.0 * along.1 - from.1 * along.0).abs();
        if ahead < -tolerance || ahead > span + tolerance { f64::INFINITY } else { beside }
    };
    if points.iter().map(off).fold(0.0, f64::max) <= tolerance {
        return Ok(Segment::Line(last));
    }
    let mut split = points.len() / 2;
    let mut at = by_length(points);
    for _ in 0..6 {
        let curve = bezier(points, &at, leaving, arriving);
        let (worst, error) = farthest(points, &at, &curve);
        if error <= tolerance {
            return Ok(Segment::Curve(curve[1], curve[2], curve[3]));
        }
        split = worst;
        // Far off, another try does not help.
        if error > 6.0 * tolerance {
            break;
        }
        at = points.iter().zip(&at).map(|(p, t)| nearer(&curve, *p, *t)).collect();
    }
    Err(split)
}

/// Parameters of points by how far along they lie, 0 to 1.
fn by_length(points: &[Point]) -> Vec<f64> {
    let mut gone = vec![0.0];
    for pair in points.windows(2) {
        gone.push(gone[gone.len() - 1] + length(sub(pair[1], pair[0])));
    }
    let whole = gone[gone.len() - 1].max(1e-12);
    gone.iter().map(|v| v / whole).collect()
}

/// The cubic curve with these end directions that lies nearest to points at these parameters.
fn bezier(points: &[Point], at: &[f64], leaving: Point, arriving: Point) -> [Point; 4] {
    let (first, last) = (points[0], points[points.len() - 1]);
    let (mut c00, mut c01, mut c11, mut x0, mut x1) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for (p, &t) in points.iter().zip(at) {
        let [b0, b1, b2, b3] = weights(t);
        let (u, v) = ((leaving.0 * b1, leaving.1 * b1), (arriving.0 * b2, arriving.1 * b2));
        c00 += u.0 * u.0 + u.1 * u.1;
        c01 += u.0 * v.0 + u.1 * v.1;
        c11 += v.0 * v.0 + v.1 * v.1;
        let left = (p.0 - first.0 * (b0 + b1) - last.0 * (b2 + b3), p.1 - first.1 * (b0 + b1) - last.1 * (b2 + b3));
        x0 += u.0 * left.0 + u.1 * left.1;
        x1 += v.0 * left.0 + v.1 * left.1;
    }
    let chord = length(sub(last, first));
    let det = c00 * c11 - c01 * c01;
    let (mut a, mut b) =
        if det.abs() > 1e-12 { ((x0 * c11 - x1 * c01) / det, (c00 * x1 - c01 * x0) / det) } else { (0.0, 0.0) };
    // Handles that point backwards, or far beyond the curve, are none: a third of the chord each.
    if a < 1e-3 * chord || b < 1e-3 * chord || a > 3.0 * chord || b > 3.0 * chord {
        (a, b) = (chord / 3.0, chord / 3.0);
    }
    [
        first,
        (first.0 + leaving.0 * a, first.1 + leaving.1 * a),
        (last.0 + arriving.0 * b, last.1 + arriving.1 * b),
        last,
    ]
}

/// How much each of a cubic curve's four points has of the place at `t`.
pub fn weights(t: f64) -> [f64; 4] {
    let s = 1.0 - t;
    [s * s * s, 3.0 * t * s * s, 3.0 * t * t * s, t * t * t]
}

/// Into how many pieces a cubic curve goes that are about so long; one at least.
pub fn pieces(curve: &[Point; 4], long: f64) -> usize {
    let around: f64 = curve.windows(2).map(|pair| length(sub(pair[1], pair[0]))).sum();
    ((around / long).ceil() as usize).max(1)
}

/// A cubic curve as so many straight lines, from its first point to its last.
pub fn straight(curve: [Point; 4], count: usize) -> impl Iterator<Item = (Point, Point)> {
    let place = move |k: usize| match k {
        0 => curve[0],
        k if k == count => curve[3],
        k => on(&curve, k as f64 / count as f64),
    };
    (0..count).map(move |k| (place(k), place(k + 1)))
}

/// The place of a cubic curve at `t`, 0 to 1.
pub fn on(curve: &[Point; 4], t: f64) -> Point {
    weights(t).iter().zip(curve).fold((0.0, 0.0), |sum, (weight, p)| (sum.0 + weight * p.0, sum.1 + weight * p.1))
}

/// The point that lies farthest from a curve, and how far.
fn farthest(points: &[Point], at: &[f64], curve: &[Point; 4]) -> (usize, f64) {
    let off = points.iter().zip(at).map(|(p, t)| length(sub(on(curve, *t), *p)));
    off.enumerate().fold((0, 0.0), |worst, (i, error)| if error > worst.1 { (i, error) } else { worst })
}

/// A step of Newton's method towards the parameter of a curve that is nearest to a point.
fn nearer(curve: &[Point; 4], point: Point, t: f64) -> f64 {
    let [a, b, c, d] = *curve;
    let s = 1.0 - t;
    let slope = |of: fn(&Point) -> f64| {
        3.0 * (s * s * (of(&b) - of(&a)) + 2.0 * s * t * (of(&c) - of(&b)) + t * t * (of(&d) - of(&c)))
    };
    let bend =
        |of: fn(&Point) -> f64| 6.0 * (s * (of(&c) - 2.0 * of(&b) + of(&a)) + t * (of(&d) - 2.0 * of(&c) + of(&b)));
    let off = sub(on(curve, t), point);
    let (d1, d2) = ((slope(|p| p.0), slope(|p| p.1)), (bend(|p| p.0), bend(|p| p.1)));
    let down = d1.0 * d1.0 + d1.1 * d1.1 + off.0 * d2.0 + off.1 * d2.1;
    if down.abs() < 1e-12 { t } else { (t - (off.0 * d1.0 + off.1 * d1.1) / down).clamp(0.0, 1.0) }
}

pub fn sub(a: Point, b: Point) -> Point {
    (a.0 - b.0, a.1 - b.1)
}

pub fn length(a: Point) -> f64 {
    a.0.hypot(a.1)
}

pub fn unit(a: Point) -> Point {
    let length = length(a).max(1e-12);
    (a.0 / length, a.1 / length)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(side: f64) -> Vec<Point> {
        let steps = (side * 2.0) as usize;
        let along = |k: usize| side * k as f64 / steps as f64;
        let mut points = Vec::new();
        points.extend((0..steps).map(|k| (10.0 + along(k), 10.0)));
        points.extend((0..steps).map(|k| (10.0 + side, 10.0 + along(k))));
        points.extend((0..steps).map(|k| (10.0 + side - along(k), 10.0 + side)));
        points.extend((0..steps).map(|k| (10.0, 10.0 + side - along(k))));
        points
    }

    #[test]
    fn a_square_is_four_lines_with_sharp_corners() {
        let outline = outline(&square(60.0), 0.5, 4.0);
        assert_eq!(outline.segments.len(), 4, "{outline:?}");
        assert!(outline.segments.iter().all(|s| matches!(s, Segment::Line(_))), "{outline:?}");
        for (x, y) in [(10.0, 10.0), (70.0, 10.0), (70.0, 70.0), (10.0, 70.0)] {
            let off = outline.segments.iter().map(|s| length(sub(s.end(), (x, y)))).fold(f64::INFINITY, f64::min);
            assert!(off < 0.3, "{off} at {x} {y}: {outline:?}");
        }
    }

    #[test]
    fn a_circle_is_a_few_curves_that_stay_on_it() {
        let points: Vec<Point> = (0..400)
            .map(|k| f64::from(k) / 400.0 * std::f64::consts::TAU)
            .map(|angle| (50.0 + 40.0 * angle.cos(), 50.0 + 40.0 * angle.sin()))
            .collect();
        let outline = outline(&points, 0.5, 4.0);
        assert!(outline.segments.len() <= 8, "{}", outline.segments.len());
        let mut from = outline.start;
        for segment in &outline.segments {
            if let Segment::Curve(a, b, end) = *segment {
                for t in [0.25, 0.5, 0.75] {
                    let off = (length(sub(on(&[from, a, b, end], t), (50.0, 50.0))) - 40.0).abs();
                    // A fifth of a small pixel.
                    assert!(off < 0.8, "{off}");
                }
            }
            from = segment.end();
        }
        assert_eq!(from, outline.start, "it is closed");
    }

    #[test]
    fn a_rounded_corner_is_drawn_out() {
        // A right angle of which the last small pixel was rounded off.
        let radius = 4.0;
        let mut points = square(60.0);
        points.retain(|p| p.0 < 70.0 - radius || p.1 > 10.0 + radius);
        let arc = (0..8).map(|k| f64::from(k) / 8.0 * std::f64::consts::FRAC_PI_2 - std::f64::consts::FRAC_PI_2);
        let at = points.iter().position(|p| p.0 >= 70.0).unwrap();
        let arc: Vec<Point> =
            arc.map(|a| (70.0 - radius + radius * a.cos(), 10.0 + radius + radius * a.sin())).collect();
        points.splice(at..at, arc);
        let outline = outline(&points, 0.5, 4.0);
        let off = outline.segments.iter().map(|s| length(sub(s.end(), (70.0, 10.0)))).fold(f64::INFINITY, f64::min);
        assert!(off < 0.6, "{off}: {outline:?}");
    }
}
