//! The paper, or the lid of a scanner, that lies around a picture: found by its four straight edges.
//!
//! From each side of the picture inwards, every row has a place where the colour of the outermost strip ends for good. Where these places
//! lie on one straight line along most of a side, on all sides at one angle, and nothing but paper lies outside, the picture begins
//! there. What lies inside is looked at once more: a print with a border of its own may lie on a lid.
//!
//! How often, and how exactly, `docs/readings.md` tells.

use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::reading::Border;

use crate::enlarge::{Averaging, resample_in};
use crate::picture::{Original, Planes};
use crate::plane::median;
use crate::warp::{BICUBIC, Window};

/// Pixels of the longer side that is looked at.
const LOOKED_AT: u32 = 640;

/// The furthest that a border reaches in, as a share of the picture.
const DEEPEST: f64 = 0.4;

/// The least colour distance, in 8-bit levels of the channel that differs most, that is no paper; more where the paper is uneven.
const LEAST_DISTANCE: f32 = 14.0;

/// The unevenness of an outermost strip (median absolute deviation, in 8-bit levels) from which on it is no paper.
const MOST_UNEVEN: f32 = 10.0;

/// Pixels along which a row is no paper any more, and the share of them that must not be: lettering on a border is thinner.
const STAYS: (usize, f64) = (19, 0.75);

/// How far off its line an edge may lie, in pixels.
const STRAIGHT: f64 = 1.6;

/// How far apart the edges' angles may be, in degrees.
const ONE_ANGLE: f64 = 0.5;

/// The largest angle, in degrees: beyond it a person laid it so.
const STEEPEST: f64 = 14.0;

/// The least width of a border, in pixels looked at.
const NARROWEST: f64 = 2.5;

/// Angles below this, in degrees, are not worth resampling the picture for.
const LEAST_ANGLE: f64 = 0.05;

/// How far inside its edges a picture is cut, in pixels looked at.
const INSET: f64 = 1.5;

/// The least share of the whole that a picture in a border takes.
const LEAST_PICTURE: f64 = 0.15;

/// The border of an original, if it has one.
pub fn find(original: &Original) -> Option<Border> {
    let size = original.size();
    let scale = (f64::from(LOOKED_AT) / f64::from(size.long_edge())).min(1.0);
    let side = |px: u32| ((f64::from(px) * scale).round() as u32).max(1);
    let small = Size::new(side(size.width), side(size.height));
    if small.width.min(small.height) < 64 {
        return None;
    }
    let planes = resample_in(original, small, small.whole(), Kernel::Bicubic, Averaging::Encoded);
    let outer = ring(&planes)?;
    let inner = within(&planes, &outer).and_then(|(part, place)| Some(ring(&part)?.seen_from(&place)));
    let Ring { degrees, middles, writing } = inner.unwrap_or(outer);
    let (sx, sy) = (f64::from(size.width) / f64::from(small.width), f64::from(size.height) / f64::from(small.height));
    let degrees = if degrees.abs() < LEAST_ANGLE { 0.0 } else { -degrees };
    let frame = Frame { degrees, ..Frame::default() };
    let straighten = frame.straightened_to_turned(size).inverse();
    let [left, right, top, bottom] = middles.map(|(x, y)| straighten.at(x * sx, y * sy));
    let inset = INSET / scale;
    let (x, y) = ((left.0 + inset).ceil().max(0.0), (top.1 + inset).ceil().max(0.0));
    let (width, height) = ((right.0 - inset - x).floor(), (bottom.1 - inset - y).floor());
    if width < 16.0 || height < 16.0 || width * height < LEAST_PICTURE * size.area() as f64 {
        return None;
    }
    let frame = Frame { crop: Some(Region::of(x as u32, y as u32, width as u32, height as u32)), ..frame };
    frame.kept(size).ok()?;
    Some(Border { frame, writing })
}

/// A border that was found: the picture inside is turned clockwise by so many degrees, and its left, right, upper and lower edge go
/// through these places.
#[derive(Clone, Copy, Debug)]
struct Ring {
    degrees: f64,
    middles: [(f64, f64); 4],
    writing: bool,
}

/// Where a straightened part lies: its corner, and how far it was turned.
struct Place {
    corner: (f64, f64),
    degrees: f64,
}

impl Place {
    /// A place of the part, in the whole.
    fn at(&self, (x, y): (f64, f64)) -> (f64, f64) {
        let (sin, cos) = self.degrees.to_radians().sin_cos();
        (self.corner.0 + x * cos - y * sin, self.corner.1 + x * sin + y * cos)
    }
}

impl Ring {
    fn seen_from(self, place: &Place) -> Self {
        Self { degrees: self.degrees + place.degrees, middles: self.middles.map(|at| place.at(at)), ..self }
    }
}

/// What lies inside a ring, straightened, where there is enough of it to look at.
fn within(planes: &Planes, ring: &Ring) -> Option<(Planes, Place)> {
    let (sin, cos) = ring.degrees.to_radians().sin_cos();
    // In coordinates along the edges.
    let along = |(x, y): (f64, f64)| x * cos + y * sin;
    let across = |(x, y): (f64, f64)| -x * sin + y * cos;
    let [left, right, top, bottom] = ring.middles;
    let (u, v) = (along(left) + 2.0, across(top) + 2.0);
    let (width, height) = (along(right) - 2.0 - u, across(bottom) - 2.0 - v);
    if width < 64.0 || height < 64.0 {
        return None;
    }
    let place = Place { corner: (u * cos - v * sin, u * sin + v * cos), degrees: ring.degrees };
    let size = Size::new(width as u32, height as u32);
    let window = Window::new(planes, (0, 0), &BICUBIC);
    let seen = |i: u64| {
        let (x, y) = (i % u64::from(size.width), i / u64::from(size.width));
        window.at(place.at((x as f64 + 0.5, y as f64 + 0.5)))
    };
    let mut part = Planes::black(size);
    let [red, green, blue] = part.planes_mut();
    for (i, ((red, green), blue)) in red.iter_mut().zip(green).zip(blue).enumerate() {
        [*red, *green, *blue] = seen(i as u64);
    }
    Some((part, place))
}

/// A side of the picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Side {
    Left,
    Right,
    Top,
    Bottom,
}

impl Side {
    const ALL: [Side; 4] = [Side::Left, Side::Right, Side::Top, Side::Bottom];

    fn upright(self) -> bool {
        matches!(self, Side::Left | Side::Right)
    }

    /// The slope (pixels inwards a pixel along) of an edge of this side when the picture is turned clockwise by a small positive angle of
    /// slope 1.
    fn sign(self) -> f64 {
        if matches!(self, Side::Right | Side::Top) { 1.0 } else { -1.0 }
    }
}

/// A side, seen as rows that go inwards.
struct Strip {
    side: Side,
    /// Pixels along the side, and across the picture.
    length: usize,
    across: usize,
    /// The paper's colour, 0 to 255.
    colour: [f32; 3],
    /// Row by row, as deep as a border may reach: whether it is no paper.
    other: Vec<bool>,
    deep: usize,
    /// Row by row, where the paper ends for good.
    ends: Vec<Option<f64>>,
}

impl Strip {
    /// Nothing where the outermost pixels are no paper.
    fn of(planes: &Planes, side: Side) -> Option<Self> {
        let (w, h) = (planes.size().width as usize, planes.size().height as usize);
        let (length, across) = if side.upright() { (h, w) } else { (w, h) };
        let level = |along: usize, inwards: usize| {
            let at = match side {
                Side::Left => along * w + inwards,
                Side::Right => along * w + w - 1 - inwards,
                Side::Top => inwards * w + along,
                Side::Bottom => (h - 1 - inwards) * w + along,
            };
            [0, 1, 2].map(|channel| planes.plane(channel)[at] * 255.0)
        };
        let thin = (across * 6 / 1000).max(2);
        let outermost: Vec<[f32; 3]> = (0..length)
            .flat_map(|along| (0..thin).map(move |inwards| (along, inwards)))
            .map(|(a, i)| level(a, i))
            .collect();
        let middle = |channel: usize| median(&mut outermost.iter().map(|pixel| pixel[channel]).collect::<Vec<_>>());
        let colour = [middle(0)?, middle(1)?, middle(2)?];
        let distance = |pixel: [f32; 3]| (0..3).map(|c| (pixel[c] - colour[c]).abs()).fold(0.0, f32::max);
        let uneven = median(&mut outermost.iter().map(|pixel| distance(*pixel)).collect::<Vec<_>>())?;
        if uneven > MOST_UNEVEN {
            return None;
        }
        let far = LEAST_DISTANCE.max(6.0 * uneven);
        let deep = (across as f64 * DEEPEST) as usize;
        let (mut other, mut ends) = (Vec::with_capacity(length * deep), Vec::with_capacity(length));
        for along in 0..length {
            let distances: Vec<f32> = (0..(deep + STAYS.0).min(across)).map(|i| distance(level(along, i))).collect();
            other.extend(distances[..deep].iter().map(|d| *d > far));
            ends.push(end_of_paper(&distances, far, deep));
        }
        Some(Self { side, length, across, colour, other, deep, ends })
    }

    /// The line that most rows' ends lie on, of any slope.
    fn line(&self) -> Option<Line> {
        let ends: Vec<(f64, f64)> = self.known().collect();
        if ends.len() * 5 < self.length {
            return None;
        }
        let step = (ends.len() / 48).max(1);
        let some: Vec<(f64, f64)> = ends.iter().copied().step_by(step).collect();
        let mut best: Option<(usize, Line)> = None;
        for (i, (y, x)) in some.iter().enumerate() {
            for (other_y, other_x) in &some[i + 1..] {
                if other_y - y < 0.2 * self.length as f64 {
                    continue;
                }
                let slope = (other_x - x) / (other_y - y);
                let line = Line { start: x - slope * y, slope };
                if slope.atan().to_degrees().abs() > STEEPEST {
                    continue;
                }
                let count = ends.iter().filter(|end| line.is_near(**end)).count();
                if best.is_none_or(|(most, _)| count > most) {
                    best = Some((count, line));
                }
            }
        }
        let (_, line) = best?;
        Some((0..3).fold(line, |line, _| line.fitted(&ends)))
    }

    /// The line of a given slope that most rows' ends lie on.
    fn line_of_slope(&self, slope: f64) -> Option<Line> {
        let mut starts: Vec<f64> = self.known().map(|(y, x)| x - slope * y).collect();
        starts.sort_by(f64::total_cmp);
        let mut best = (0, 0..0);
        let mut first = 0;
        for last in 0..starts.len() {
            while starts[last] - starts[first] > 2.0 * STRAIGHT {
                first += 1;
            }
            if last + 1 - first > best.0 {
                best = (last + 1 - first, first..last + 1);
            }
        }
        let near = &starts[best.1];
        (!near.is_empty()).then(|| Line { start: near[near.len() / 2], slope })
    }

    fn known(&self) -> impl Iterator<Item = (f64, f64)> + '_ {
        self.ends.iter().enumerate().filter_map(|(y, end)| Some((y as f64, (*end)?)))
    }

    /// How well a line parts paper from picture between two rows.
    fn edge(&self, line: Line, from: f64, to: f64) -> Option<Edge> {
        let rows: Vec<usize> = (0..self.length).filter(|y| (from + 2.0..to - 2.0).contains(&(*y as f64))).collect();
        if (rows.len() as f64) < 0.3 * self.length as f64 {
            return None;
        }
        let near = rows.iter().filter(|y| self.ends[**y].is_some_and(|end| line.is_near((**y as f64, end)))).count();
        let (mut outside, mut marked) = (0, 0);
        for y in &rows {
            let paper = ((line.at(*y as f64) - 2.0).max(0.0) as usize).min(self.deep);
            outside += paper;
            marked += self.other[y * self.deep..][..paper].iter().filter(|other| **other).count();
        }
        Some(Edge {
            line,
            share: near as f64 / rows.len() as f64,
            marked: marked as f64 / outside.max(1) as f64,
            width: line.at(self.length as f64 / 2.0),
        })
    }

    /// A place on a line, in the picture.
    fn middle(&self, line: Line) -> (f64, f64) {
        let (y, x) = (self.length as f64 / 2.0, line.at(self.length as f64 / 2.0));
        match self.side {
            Side::Left => (x, y),
            Side::Right => (self.across as f64 - x, y),
            Side::Top => (y, x),
            Side::Bottom => (y, self.across as f64 - x),
        }
    }
}

/// Where a row is paper no more: between two pixels, by how far both are from it.
fn end_of_paper(distances: &[f32], far: f32, deep: usize) -> Option<f64> {
    let (reach, share) = STAYS;
    let due = (reach as f64 * share) as usize;
    let mut ahead = distances.iter().skip(1).take(reach).filter(|d| **d > far).count();
    for i in 0..deep {
        if distances[i] > far && ahead >= due {
            let before = if i > 0 { distances[i - 1] } else { far };
            let part = if distances[i] > before { (far - before) / (distances[i] - before) } else { 1.0 };
            return Some(i as f64 - 0.5 + f64::from(part));
        }
        let leaves = distances.get(i + 1).is_some_and(|d| *d > far);
        let enters = distances.get(i + 1 + reach).is_some_and(|d| *d > far);
        ahead = ahead + usize::from(enters) - usize::from(leaves);
    }
    None
}

/// How far in an edge lies, along its side.
#[derive(Clone, Copy, Debug)]
struct Line {
    start: f64,
    slope: f64,
}

impl Line {
    fn at(self, along: f64) -> f64 {
        self.start + self.slope * along
    }

    fn is_near(self, (along, inwards): (f64, f64)) -> bool {
        (inwards - self.at(along)).abs() < STRAIGHT
    }

    /// The least-squares line through what is near.
    fn fitted(self, ends: &[(f64, f64)]) -> Self {
        let near: Vec<(f64, f64)> = ends.iter().copied().filter(|end| self.is_near(*end)).collect();
        let n = near.len() as f64;
        let (my, mx) = (near.iter().map(|e| e.0).sum::<f64>() / n, near.iter().map(|e| e.1).sum::<f64>() / n);
        let spread: f64 = near.iter().map(|e| (e.0 - my).powi(2)).sum();
        if near.len() < 5 || spread == 0.0 {
            return self;
        }
        let slope = near.iter().map(|e| (e.0 - my) * (e.1 - mx)).sum::<f64>() / spread;
        Self { start: mx - slope * my, slope }
    }
}

/// A line, and what speaks for it.
#[derive(Clone, Copy, Debug)]
struct Edge {
    line: Line,
    /// The share of the rows whose paper ends at it.
    share: f64,
    /// The share of what lies outside that is no paper.
    marked: f64,
    width: f64,
}

impl Edge {
    fn is_strong(&self) -> bool {
        self.width > NARROWEST && self.share >= 0.7 && self.marked < 0.02
    }

    /// Enough where another two are strong.
    fn is_weak(&self) -> bool {
        self.width > NARROWEST && self.share >= 0.3 && self.marked < 0.02
    }

    /// Enough where all others are strong: a caption may stand below, and much of the picture be as light as the paper.
    fn is_faint(&self) -> bool {
        self.width > NARROWEST && self.share >= 0.2 && self.marked < 0.1
    }
}

/// The outermost border of a picture.
fn ring(planes: &Planes) -> Option<Ring> {
    let strips: Vec<Strip> = Side::ALL.into_iter().map(|side| Strip::of(planes, side)).collect::<Option<_>>()?;
    let mean = [0, 1, 2].map(|c| strips.iter().map(|strip| strip.colour[c]).sum::<f32>() / 4.0);
    if strips.iter().any(|strip| (0..3).any(|c| (strip.colour[c] - mean[c]).abs() > 30.0)) {
        return None;
    }
    // The angle that most rows of all sides agree on.
    let angles: Vec<Option<(f64, f64)>> = strips
        .iter()
        .map(|strip| {
            let line = strip.line()?;
            let rows = strip.known().filter(|end| line.is_near(*end)).count();
            Some(((strip.side.sign() * line.slope).atan().to_degrees(), rows as f64))
        })
        .collect();
    let agree = |angle: f64| angles.iter().flatten().filter(move |(other, _)| (other - angle).abs() < ONE_ANGLE);
    let rows = |angle: f64| agree(angle).map(|(_, rows)| rows).sum::<f64>();
    let (most, _) = angles.iter().flatten().copied().max_by(|(a, _), (b, _)| rows(*a).total_cmp(&rows(*b)))?;
    let degrees = agree(most).map(|(angle, rows)| angle * rows).sum::<f64>() / rows(most);
    let slope = degrees.to_radians().tan();
    let lines: Vec<Line> =
        strips.iter().map(|strip| strip.line_of_slope(strip.side.sign() * slope)).collect::<Option<_>>()?;
    let edges: Vec<Edge> = (strips.iter().enumerate())
        .map(|(i, strip)| {
            // Left and right lie between top and bottom, and the other way round.
            let (first, last) = if strip.side.upright() { (2, 3) } else { (0, 1) };
            let end = |i: usize| lines[i].at(strips[i].length as f64 / 2.0);
            strip.edge(lines[i], end(first), strip.length as f64 - end(last))
        })
        .collect::<Option<_>>()?;
    let agrees = |i: usize| angles[i].is_some_and(|(angle, _)| (angle - most).abs() < ONE_ANGLE);
    let strong = (0..4).filter(|i| agrees(*i) && edges[*i].is_strong()).count();
    let found = strong >= 2 && edges.iter().all(|edge| edge.is_weak() || (strong == 3 && edge.is_faint()));
    let middles = [0, 1, 2, 3].map(|i| strips[i].middle(edges[i].line));
    let writing = edges.iter().any(|edge| edge.marked >= 0.02);
    found.then_some(Ring { degrees, middles, writing })
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::file::Channels;
    use dettaglio_domain::hash::ContentHash;
    use rstest::rstest;

    use super::*;
    use crate::chance::scattered;
    use crate::picture::Samples;

    const SIZE: Size = Size::new(900, 640);
    const WHITE: [f32; 3] = [238.0, 236.0, 230.0];
    const YELLOWED: [f32; 3] = [208.0, 192.0, 158.0];
    const LID: [f32; 3] = [24.0, 24.0, 26.0];

    fn original(level: impl Fn(f64, f64) -> [f32; 3]) -> Original {
        let pixel = |i: u64| {
            let (x, y) = (i % u64::from(SIZE.width), i / u64::from(SIZE.width));
            let grain = 6.0 * (scattered(i) as f32 / u64::MAX as f32 - 0.5);
            level(x as f64 + 0.5, y as f64 + 0.5).map(|value| (value + grain).clamp(0.0, 255.0) as u8)
        };
        let samples = (0..SIZE.area()).flat_map(pixel).collect();
        Original::new(ContentHash::of(b"scan"), SIZE, Channels::Colour, Samples::Eight(samples), None)
    }

    /// Something with light and dark in it.
    fn scene(x: f64, y: f64) -> [f32; 3] {
        let wave = |period: f64, at: f64| ((at / period).sin() * 50.0) as f32;
        [110.0 + wave(70.0, x) + wave(31.0, y), 100.0 + wave(55.0, x + y), 90.0 + wave(43.0, x - y)]
    }

    /// A scene in a border of paper on a lid, turned clockwise around the middle of the scan.
    fn scan(degrees: f64, paper: [f32; 3], print: [f64; 4], picture: [f64; 4]) -> Original {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let (cx, cy) = (f64::from(SIZE.width) / 2.0, f64::from(SIZE.height) / 2.0);
        let holds =
            |[left, top, right, bottom]: [f64; 4], x, y| (left..right).contains(&x) && (top..bottom).contains(&y);
        original(move |x, y| {
            let (x, y) = (cx + (x - cx) * cos + (y - cy) * sin, cy - (x - cx) * sin + (y - cy) * cos);
            match () {
                () if holds(picture, x, y) => scene(x, y),
                () if holds(print, x, y) => paper,
                () => LID,
            }
        })
    }

    const NO_LID: [f64; 4] = [-400.0, -400.0, 1300.0, 1040.0];

    #[rstest]
    #[case::straight(0.0, WHITE, NO_LID)]
    #[case::clockwise(1.3, YELLOWED, NO_LID)]
    #[case::the_other_way(-2.2, WHITE, NO_LID)]
    #[case::on_a_lid(0.8, YELLOWED, [40.0, 30.0, 860.0, 615.0])]
    fn a_picture_is_cut_out_of_its_paper(#[case] degrees: f64, #[case] paper: [f32; 3], #[case] print: [f64; 4]) {
        let picture = [90.0, 70.0, 820.0, 560.0];
        let found = find(&scan(degrees, paper, print, picture)).expect("there is a border");
        assert!((found.frame.degrees + degrees).abs() < 0.06, "{found:?}");
        // Straightened around the middle of the scan, the picture lies where it was put.
        let crop = found.frame.crop.unwrap();
        let sides = [crop.x, crop.y, crop.x + crop.width, crop.y + crop.height].map(f64::from);
        let inside = [sides[0] - picture[0], sides[1] - picture[1], picture[2] - sides[2], picture[3] - sides[3]];
        assert!(inside.iter().all(|px| (0.0..6.0).contains(px)), "{inside:?}");
        assert!(!found.writing);
    }

    #[test]
    fn a_caption_on_the_paper_is_left_outside_and_told() {
        let plain = scan(0.0, YELLOWED, NO_LID, [60.0, 40.0, 840.0, 540.0]).planes();
        let letters = |x: f64, y: f64| {
            (570.0..582.0).contains(&y) && (80.0..500.0).contains(&x) && ((x / 3.0) as u32).is_multiple_of(2)
        };
        let written = original(|x, y| {
            let at = y as usize * SIZE.width as usize + x as usize;
            if letters(x, y) { [60.0; 3] } else { [0, 1, 2].map(|c| plain.plane(c)[at] * 255.0) }
        });
        let found = find(&written).expect("there is a border");
        let crop = found.frame.crop.unwrap();
        assert!(found.writing && (530..=540).contains(&(crop.y + crop.height)), "{found:?}");
    }

    #[rstest]
    #[case::a_picture_to_its_edges(scene)]
    #[case::nothing(|_, _| WHITE)]
    #[case::a_horizon(|x, y| if y < 300.0 { WHITE } else { scene(x, y) })]
    #[case::a_thing_on_white(|x: f64, y: f64| if (x - 450.0).hypot(y - 320.0) < 200.0 { scene(x, y) } else { WHITE })]
    #[case::a_page_of_type(|x: f64, y: f64| {
        let ends = 700.0 + 90.0 * ((y / 24.0).floor() * 2.3).sin();
        let ink = (100.0..ends).contains(&x) && (80.0..560.0).contains(&y) && y % 24.0 < 12.0 && ((x / 4.0) as u32).is_multiple_of(2);
        if ink { LID } else { WHITE }
    })]
    #[case::bars_above_and_below(|x, y| if (80.0..560.0).contains(&y) { scene(x, y) } else { LID })]
    fn what_is_no_border_is_left(#[case] level: fn(f64, f64) -> [f32; 3]) {
        assert_eq!(find(&original(level)), None);
    }
}
