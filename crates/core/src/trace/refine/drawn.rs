//! Shapes drawn at the size of the picture that was small, and what it has more than they.

use dettaglio_domain::geometry::Size;

use super::path::Path;
use crate::picture::Planes;
use crate::trace::contour::Point;
use crate::trace::palette::{Colour, at, weighed};
use crate::trace::raster::{PAPER, Row, crossings, highest};

/// Lines across a pixel along which a drawing is measured; along a line it is exact.
const LINES: usize = 32;

/// Of those, one in so many is kept to tell which shapes lie at a place.
const KEPT: usize = 8;

/// What outlines are held against.
pub struct Given {
    size: Size,
    /// The pixels of the picture that was small, and the colours of the shapes and of the paper: as [`weighed`].
    pixels: Vec<Colour>,
    colours: Vec<Colour>,
    paper: Colour,
}

impl Given {
    pub fn new(small: &Planes, colours: impl Iterator<Item = Colour>) -> Self {
        let pixels = (0..small.size().area() as usize).map(|i| weighed(at(small, i))).collect();
        Self { size: small.size(), pixels, colours: colours.map(weighed).collect(), paper: weighed(PAPER) }
    }

    /// How many shapes there are.
    pub fn shapes(&self) -> usize {
        self.colours.len()
    }

    /// The colour of the highest of some shapes; of paper where there is none.
    fn top(&self, active: u32) -> Colour {
        highest(active).map_or(self.paper, |shape| self.colours[shape])
    }

    /// The number of the pixel at a place, if there is one.
    pub fn pixel(&self, (x, y): Point) -> Option<usize> {
        let Size { width, height } = self.size;
        let inside = x >= 0.0 && y >= 0.0 && x < f64::from(width) && y < f64::from(height);
        inside.then(|| y as usize * width as usize + x as usize)
    }

    /// The pixels that a path passes through, and those next to them, each once.
    pub fn pixels_along(&self, path: &Path) -> Vec<usize> {
        let mut pixels = Vec::new();
        for ((ax, ay), (bx, by)) in path.edges() {
            let steps = ((bx - ax).hypot(by - ay) / 0.5).ceil().max(1.0);
            for k in 0..steps as usize {
                let share = k as f64 / steps;
                let (x, y) = (ax + (bx - ax) * share, ay + (by - ay) * share);
                let around = [-1.0, 0.0, 1.0].into_iter().flat_map(|dy| [-1.0, 0.0, 1.0].map(|dx| (x + dx, y + dy)));
                pixels.extend(around.filter_map(|place| self.pixel(place)));
            }
        }
        pixels.sort_unstable();
        pixels.dedup();
        pixels
    }
}

/// Shapes drawn at the size of the small picture.
pub struct Drawn {
    /// What each pixel of the picture has more than the drawing.
    pub missing: Vec<[f32; 3]>,
    /// The sum of its squares.
    pub error: f64,
    /// Of one in [`KEPT`] lines, from top to bottom: the places from which on other shapes lie there, and which, the lowest as the lowest bit.
    lines: Vec<Vec<(f64, u32)>>,
}

impl Drawn {
    pub fn of(paths: &[Path], given: &Given) -> Self {
        let (width, height) = (given.size.width as usize, given.size.height as usize);
        let edges = paths.iter().flat_map(|path| path.edges().into_iter().map(|(a, b)| (path.shape, a, b)));
        let mut crossings = crossings(edges, 0..height, LINES);
        let mut missing = Vec::with_capacity(width * height);
        let mut error = 0.0;
        let mut row = Row::new(width);
        for (y, lines) in crossings.chunks_mut(LINES).enumerate() {
            for line in lines {
                row.add(line, |active| given.top(active), |x| x);
            }
            row.take(|x, sum| {
                let i = y * width + x;
                let left = [0, 1, 2].map(|c| given.pixels[i][c] - (sum[c] / LINES as f64) as f32);
                error += left.iter().map(|v| f64::from(v * v)).sum::<f64>();
                missing.push(left);
            });
        }
        let lines = crossings.into_iter().skip(KEPT / 2).step_by(KEPT).collect();
        Self { missing, error, lines }
    }

    /// The part of the error that is of some pixels.
    pub fn error_at(&self, pixels: &[usize]) -> f64 {
        pixels.iter().flat_map(|pixel| self.missing[*pixel]).map(|v| f64::from(v * v)).sum()
    }

    /// By what the colour of a place changes where a shape comes to lie there or goes: nothing where another lies on it.
    pub fn contrast(&self, (x, y): Point, shape: usize, given: &Given) -> Option<Colour> {
        let line = self.lines.get((y * (LINES / KEPT) as f64) as usize)?;
        let here = line[..line.partition_point(|(from, _)| *from <= x)].last().map_or(0, |(_, shapes)| *shapes);
        let (below, above) = (here & ((1 << shape) - 1), here >> shape >> 1);
        let (own, under) = (given.colours[shape], given.top(below));
        (above == 0).then(|| [0, 1, 2].map(|c| own[c] - under[c]))
    }
}
