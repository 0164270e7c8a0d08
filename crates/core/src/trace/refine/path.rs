//! An outline as numbers that may be changed.

use crate::trace::contour::Point;
use crate::trace::fit::{Outline, Segment, on, pieces, straight, sub, weights};

/// Distance of the points at which an edge is looked at, in pixels.
const STEP: f64 = 0.25;

/// The standard deviations that are expected of one step: how far a node or a free handle moves, in pixels; how far a tangent turns, in radians;
/// how much longer a handle becomes, in powers of e. Of each, twice as much is the most.
const MOVES: f64 = 0.3;
const TURNS: f64 = 0.2;
const STRETCHES: f64 = 0.2;

/// Two handles of a node that differ from a straight line by less, in radians, are one tangent.
const STRAIGHT: f64 = 0.2;

/// An outline by what may move of it.
#[derive(Clone)]
pub struct Path {
    pub shape: usize,
    nodes: Vec<Point>,
    /// Of the piece from each node to the next: its handles, from the node that each belongs to. None: it is straight.
    handles: Vec<Option<[Point; 2]>>,
    /// Whether a node's two handles are one tangent.
    smooth: Vec<bool>,
}

/// A number of a path, and by how much a point moves with it.
pub type Influence = (usize, Point);

/// A point of a path.
pub struct Visited<'a> {
    /// Its piece, and how far along that it lies, 0 to 1.
    pub piece: usize,
    pub share: f64,
    pub at: Point,
    /// From half a step before to half a step behind it.
    pub along: Point,
    pub influences: &'a [Influence],
}

impl Path {
    pub fn of(outline: &Outline, shape: usize) -> Self {
        let count = outline.segments.len();
        let mut nodes = vec![outline.start];
        nodes.extend(outline.segments.iter().map(Segment::end));
        nodes.truncate(count);
        let handles: Vec<Option<[Point; 2]>> = outline
            .segments
            .iter()
            .enumerate()
            .map(|(i, segment)| match *segment {
                Segment::Line(_) => None,
                Segment::Curve(a, b, _) => Some([sub(a, nodes[i]), sub(b, nodes[(i + 1) % count])]),
            })
            .collect();
        let smooth = (0..count).map(|i| match (handles[(i + count - 1) % count], handles[i]) {
            (Some([_, before]), Some([after, _])) => {
                let (cross, dot) = (before.0 * after.1 - before.1 * after.0, before.0 * after.0 + before.1 * after.1);
                cross.atan2(-dot).abs() < STRAIGHT
            }
            _ => false,
        });
        let smooth = smooth.collect();
        Self { shape, nodes, handles, smooth }
    }

    pub fn outline(&self) -> Outline {
        let count = self.nodes.len();
        let segments = (0..count).map(|i| {
            let [_, a, b, to] = self.piece(i);
            if self.handles[i].is_some() { Segment::Curve(a, b, to) } else { Segment::Line(to) }
        });
        Outline { start: self.nodes[0], segments: segments.collect() }
    }

    /// How many pieces it has.
    pub fn pieces(&self) -> usize {
        self.nodes.len()
    }

    /// The four points of a piece: of a straight one, its ends twice.
    fn piece(&self, i: usize) -> [Point; 4] {
        let (from, to) = (self.nodes[i], self.nodes[(i + 1) % self.nodes.len()]);
        let [a, b] = self.handles[i].unwrap_or_default();
        [from, add(from, a), add(to, b), to]
    }

    /// The first number of each node and of each piece's handles, from `column` on, and where the next path's begin: two numbers a node and one
    /// for its tangent; one for the length of a handle along a tangent, two for a free one.
    fn columns(&self, column: usize) -> (Vec<usize>, Vec<[usize; 2]>, usize) {
        let mut next = column;
        let mut taken = |count: usize| {
            next += count;
            next - count
        };
        let nodes = self.smooth.iter().map(|smooth| taken(2 + usize::from(*smooth))).collect();
        let mut of_handles = Vec::with_capacity(self.nodes.len());
        for i in 0..self.nodes.len() {
            let ends = [i, (i + 1) % self.nodes.len()];
            of_handles.push(match self.handles[i] {
                None => [usize::MAX; 2],
                Some(_) => ends.map(|end| taken(if self.smooth[end] { 1 } else { 2 })),
            });
        }
        (nodes, of_handles, next)
    }

    /// Moves by a share of a step, of which its numbers begin at `column`; answers where the next path's begin.
    pub fn moved(&mut self, step: &[f64], column: usize, share: f64) -> usize {
        let (nodes, of_handles, next) = self.columns(column);
        let count = self.nodes.len();
        let by = |number: usize, most: f64| (step[number] * share).clamp(-most, most);
        let old = self.handles.clone();
        for i in 0..count {
            let limit = |number| by(number, 2.0 * MOVES);
            self.nodes[i] = add(self.nodes[i], (limit(nodes[i]), limit(nodes[i] + 1)));
            let Some(ends) = old[i] else { continue };
            let mut now = ends;
            for (end, node) in [i, (i + 1) % count].into_iter().enumerate() {
                let (handle, first) = (ends[end], of_handles[i][end]);
                now[end] = if self.smooth[node] {
                    let (turn, stretch) = (by(nodes[node] + 2, 2.0 * TURNS), by(first, 2.0 * STRETCHES).exp());
                    let (sin, cos) = turn.sin_cos();
                    (stretch * (cos * handle.0 - sin * handle.1), stretch * (sin * handle.0 + cos * handle.1))
                } else {
                    add(handle, (limit(first), limit(first + 1)))
                };
            }
            self.handles[i] = Some(now);
        }
        next
    }

    /// Visits points along the path, of which the numbers begin at `column`.
    pub fn visit(&self, column: usize, mut visitor: impl FnMut(Visited)) {
        let (nodes, of_handles, _) = self.columns(column);
        let count = self.nodes.len();
        let mut influences: Vec<Influence> = Vec::with_capacity(10);
        for i in 0..count {
            let j = (i + 1) % count;
            let curve = self.piece(i);
            let pieces = pieces(&curve, STEP);
            for k in 0..pieces {
                let t = (k as f64 + 0.5) / pieces as f64;
                let ends = [k, k + 1].map(|k| on(&curve, k as f64 / pieces as f64));
                influences.clear();
                let mut whole = |column: usize, weight: f64| {
                    influences.extend([(column, (weight, 0.0)), (column + 1, (0.0, weight))]);
                };
                let [b0, b1, b2, b3] = weights(t);
                whole(nodes[i], b0 + b1);
                whole(nodes[j], b2 + b3);
                if let Some(handles) = self.handles[i] {
                    for (end, (node, weight)) in [(i, b1), (j, b2)].into_iter().enumerate() {
                        let (handle, first) = (handles[end], of_handles[i][end]);
                        if self.smooth[node] {
                            influences.push((nodes[node] + 2, (-weight * handle.1, weight * handle.0)));
                            influences.push((first, (weight * handle.0, weight * handle.1)));
                        } else {
                            influences.extend([(first, (weight, 0.0)), (first + 1, (0.0, weight))]);
                        }
                    }
                }
                let along = sub(ends[1], ends[0]);
                visitor(Visited { piece: i, share: t, at: on(&curve, t), along, influences: &influences });
            }
        }
    }

    /// The same path with some of its pieces in two; those that are straight become curves.
    pub fn split(&self, which: &[bool]) -> Self {
        let count = self.nodes.len();
        let mut out = Self { shape: self.shape, nodes: Vec::new(), handles: Vec::new(), smooth: Vec::new() };
        for (i, split) in which.iter().enumerate() {
            let (from, to) = (self.nodes[i], self.nodes[(i + 1) % count]);
            out.nodes.push(from);
            out.smooth.push(self.smooth[i]);
            match (split, self.handles[i]) {
                (false, handles) => out.handles.push(handles),
                (true, None) => {
                    let third = ((to.0 - from.0) / 3.0, (to.1 - from.1) / 3.0);
                    out.handles.push(Some([third, (-third.0, -third.1)]));
                }
                (true, Some(_)) => {
                    let middle = |a: Point, b: Point| ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
                    let [_, a, b, _] = self.piece(i);
                    let (first, between, last) = (middle(from, a), middle(a, b), middle(b, to));
                    let (before, after) = (middle(first, between), middle(between, last));
                    let node = middle(before, after);
                    out.handles.push(Some([sub(first, from), sub(before, node)]));
                    out.nodes.push(node);
                    out.smooth.push(true);
                    out.handles.push(Some([sub(after, node), sub(last, to)]));
                }
            }
        }
        out
    }

    /// What each number is expected to move by: its standard deviation.
    pub fn expected(&self, out: &mut Vec<f64>) {
        for smooth in &self.smooth {
            out.extend([MOVES, MOVES]);
            out.extend(smooth.then_some(TURNS));
        }
        for i in 0..self.nodes.len() {
            if self.handles[i].is_some() {
                for node in [i, (i + 1) % self.nodes.len()] {
                    out.extend(if self.smooth[node] { &[STRETCHES][..] } else { &[MOVES, MOVES][..] });
                }
            }
        }
    }

    /// The area that it encloses, less than 0 where it goes around the other way; in square pixels.
    pub fn area(&self) -> f64 {
        self.edges().iter().map(|(a, b)| a.0 * b.1 - b.0 * a.1).sum::<f64>() / 2.0
    }

    /// Its edge as short straight lines.
    pub fn edges(&self) -> Vec<(Point, Point)> {
        let of_piece = |i: usize| {
            let curve = self.piece(i);
            // A straight piece is exact as it is.
            straight(curve, self.handles[i].map_or(1, |_| pieces(&curve, 2.0 * STEP)))
        };
        (0..self.nodes.len()).flat_map(of_piece).collect()
    }
}

fn add(a: Point, b: Point) -> Point {
    (a.0 + b.0, a.1 + b.1)
}
