//! Spots: the places of a picture at which candidates are compared, and which a picture suggests by itself.

use dettaglio_domain::face::Face;
use dettaglio_domain::geometry::{Place, Region, Size};
use dettaglio_domain::spot::Spot;
use rayon::prelude::*;

use crate::picture::{Original, Planes};
use crate::plane::{box_mean, gaussian, slope_energy};
use crate::reading::is_lettering;

/// Side of the windows that are compared, in pixels of the original.
const WINDOW: u32 = 64;

/// Windows that are looked at, at most.
const MOST_WINDOWS: u32 = 2500;

/// How far apart spots lie at least, as a share of the longer side.
const APART: f32 = 0.08;

/// Luminance between which tone counts as dark, but not as black.
const DARK: std::ops::Range<f32> = 0.03..0.28;

/// Lettered blocks of a window's sixteen from which on it is lettering: one edge or two go through fewer.
const LETTERED: usize = 9;

/// What was found in one window.
#[derive(Clone, Copy)]
struct Found {
    x: f32,
    y: f32,
    mean: f32,
    /// The strongest slope of slightly blurred luminance, and where it is.
    edge: f32,
    edge_at: (f32, f32),
    /// Fine contrast that three quarters of its blocks exceed: an edge shows in some of them, texture in most.
    texture: f32,
    /// Mean slope.
    slope: f32,
    /// Blocks that look like lettering.
    lettered: usize,
}

/// Faces whose eyes are suggested.
const MOST_EYES: usize = 2;

/// The eyes of the largest faces, the strongest edge, the finest texture, the flattest dark tone and lettering, as far as the picture has them.
///
/// It looks at up to 2500 windows of 64 px, spread over the picture: 0.65 s for 24 megapixels on two busy cores.
pub fn suggest(original: &Original, faces: &[Face]) -> Vec<Spot> {
    let windows = Region::spread(original.size(), WINDOW, MOST_WINDOWS, |place| place.round() as u32);
    let windows: Vec<Found> = windows.into_par_iter().map(|w| look(original, w)).collect();
    let apart = APART * original.size().long_edge() as f32;
    let mut spots: Vec<Spot> = (eyes(original.size(), faces).take(MOST_EYES).enumerate())
        .map(|(i, Place { x, y, .. })| Spot {
            name: if i == 0 { "Eyes".to_owned() } else { format!("Eyes {}", i + 1) },
            x,
            y,
        })
        .collect();
    let mut add = |name: &str, score: &dyn Fn(&Found) -> f32, at: &dyn Fn(&Found) -> (f32, f32)| {
        let free = |f: &&Found| spots.iter().all(|s| (s.x - at(f).0).hypot(s.y - at(f).1) >= apart);
        let best = windows.iter().filter(free).max_by(|a, b| score(a).total_cmp(&score(b)));
        if let Some(found) = best.filter(|f| score(f) > 0.0) {
            let (x, y) = at(found);
            spots.push(Spot { name: name.to_owned(), x, y });
        }
    };
    let middle = |f: &Found| (f.x, f.y);
    add("Lettering", &|f| if f.lettered >= LETTERED { f.edge * f.lettered as f32 } else { 0.0 }, &middle);
    add("Strongest edge", &|f| f.edge - 0.02, &|f| f.edge_at);
    add("Finest texture", &|f| f.texture - 0.003, &middle);
    add("Flattest dark tone", &|f| if DARK.contains(&f.mean) { 1.0 / (0.001 + f.slope) } else { 0.0 }, &middle);
    spots
}

/// Where a picture of this size is opened that nobody pinned a spot in, in its pixels: at the eyes of its first face, which are what people look
/// at first; else at its liveliest place, by a small copy of it.
pub fn opening(size: Size, faces: &[Face], small: &Planes) -> Place {
    eyes(size, faces).next().unwrap_or_else(|| {
        let (x, y) = liveliest(small);
        Place::new(x * size.width as f32, y * size.height as f32)
    })
}

/// Places between the eyes of those faces that lie in a picture of this size, in its pixels.
fn eyes(size: Size, faces: &[Face]) -> impl Iterator<Item = Place> {
    let middle = |f: &Face| Place::new((f.left_eye.x + f.right_eye.x) / 2.0, (f.left_eye.y + f.right_eye.y) / 2.0);
    let (across, down) = (0.0..size.width as f32, 0.0..size.height as f32);
    faces.iter().map(middle).filter(move |at| across.contains(&at.x) && down.contains(&at.y))
}

/// Cells along the longer side of a picture whose liveliest place is looked for.
const CELLS: f32 = 24.0;

/// Difference of a pixel from a neighbour, encoded, above which it counts no more: one hard edge does not outweigh texture.
const CLEAR: f32 = 24.0 / 255.0;

/// The middle of the three by three cells with the most fine contrast, as shares of width and height; the picture's own middle where it has
/// fewer cells than that.
///
/// A comparison of treatments tells the most there. `small` is a thumbnail: of what is finer than its pixels nothing is seen.
fn liveliest(small: &Planes) -> (f32, f32) {
    let size = small.size();
    let (width, height) = (size.width as usize, size.height as usize);
    let cell = ((size.long_edge() as f32 / CELLS).round() as usize).max(4);
    let (columns, rows) = (width / cell, height / cell);
    if columns < 3 || rows < 3 {
        return (0.5, 0.5);
    }
    let luminance = small.luminance();
    let contrast = |x: usize, y: usize| {
        let here = luminance[y * width + x];
        ((here - luminance[y * width + x + 1]).abs() + (here - luminance[(y + 1) * width + x]).abs()).min(CLEAR)
    };
    // A cell's last row and column have their neighbours in the next cell.
    let inside = |at: usize| at * cell..(at + 1) * cell - 1;
    let score = |column: usize, row: usize| -> f32 {
        inside(row).map(|y| inside(column).map(|x| contrast(x, y)).sum::<f32>()).sum()
    };
    let scores: Vec<f32> = (0..rows * columns).map(|i| score(i % columns, i / columns)).collect();
    let around = |column: usize, row: usize| -> f32 {
        (row - 1..=row + 1)
            .map(|r| scores[r * columns + column - 1..=r * columns + column + 1].iter().sum::<f32>())
            .sum()
    };
    let middles = (1..rows - 1).flat_map(|row| (1..columns - 1).map(move |column| (column, row)));
    let best = middles.map(|at| (around(at.0, at.1), at)).max_by(|a, b| a.0.total_cmp(&b.0));
    let share = |at: usize, side: usize| (at as f32 + 0.5) * cell as f32 / side as f32;
    match best {
        Some((contrast, (column, row))) if contrast > 0.0 => (share(column, width), share(row, height)),
        _ => (0.5, 0.5),
    }
}

fn look(original: &Original, window: Region) -> Found {
    let luminance = original.region(window.seen_as()).luminance();
    let (width, height) = (window.width as usize, window.height as usize);
    let soft = gaussian(&luminance, width, 0.8);
    let slopes = slope_energy(&soft, width);
    // A window's rim has no neighbours: edges are looked for inside.
    let inside = |i: &usize| {
        (1..width.saturating_sub(1)).contains(&(i % width)) && (1..height.saturating_sub(1)).contains(&(i / width))
    };
    let steepest = (0..slopes.len()).filter(inside).max_by(|a, b| slopes[*a].total_cmp(&slopes[*b])).unwrap_or(0);
    let coarse = box_mean(&soft, width, 3);
    let blocks = || (0..height.div_ceil(16)).flat_map(|row| (0..width.div_ceil(16)).map(move |column| (column, row)));
    let contrast = |(column, row): (usize, usize)| {
        let (rows, columns) = (row * 16..((row + 1) * 16).min(height), column * 16..((column + 1) * 16).min(width));
        let count = (rows.len() * columns.len()) as f32;
        let squares = |y: usize| columns.clone().map(move |x| y * width + x).map(|i| (soft[i] - coarse[i]).powi(2));
        (rows.flat_map(squares).sum::<f32>() / count).sqrt()
    };
    let mut contrasts: Vec<f32> = blocks().map(contrast).collect();
    contrasts.sort_by(f32::total_cmp);
    let count = luminance.len() as f32;
    let whole_blocks = blocks().filter(|(column, row)| (column + 1) * 16 <= width && (row + 1) * 16 <= height);
    let lettered = whole_blocks
        .filter(|(column, row)| is_lettering(original, window.x + *column as u32 * 16, window.y + *row as u32 * 16));
    Found {
        x: window.x as f32 + window.width as f32 / 2.0,
        y: window.y as f32 + window.height as f32 / 2.0,
        mean: luminance.iter().sum::<f32>() / count,
        edge: slopes[steepest].sqrt(),
        edge_at: (window.x as f32 + (steepest % width) as f32 + 0.5, window.y as f32 + (steepest / width) as f32 + 0.5),
        texture: contrasts[contrasts.len() / 4],
        slope: slopes.iter().map(|s| s.sqrt()).sum::<f32>() / count,
        lettered: lettered.count(),
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Middle grey with a hard edge on the left, a checkered patch in the middle and a dark patch on the right.
    fn picture() -> Original {
        let size = Size::new(640, 320);
        let mut planes = Planes::black(size);
        for channel in 0..3 {
            for y in 0..size.height {
                for x in 0..size.width {
                    let texture = (280..380).contains(&x) && (100..220).contains(&y);
                    let dark = x > 500;
                    planes.row_mut(channel, y)[x as usize] = match () {
                        () if texture => 0.5 + if (x / 2 + y / 2) % 2 == 0 { 0.08 } else { -0.08 },
                        () if dark => 0.1,
                        () if x < 96 => 0.95,
                        () => 0.5,
                    };
                }
            }
        }
        Original::from_planes(&planes)
    }

    fn named(spots: &[Spot], name: &str) -> (f32, f32) {
        spots.iter().find(|s| s.name == name).map(|s| (s.x, s.y)).unwrap_or_else(|| panic!("{name} in {spots:?}"))
    }

    #[test]
    fn what_tells_most_is_found() {
        let spots = suggest(&picture(), &[]);
        let (x, _) = named(&spots, "Strongest edge");
        assert!((x - 96.0).abs() < 4.0, "{spots:?}");
        let (x, y) = named(&spots, "Finest texture");
        assert!((270.0..390.0).contains(&x) && (90.0..230.0).contains(&y), "{spots:?}");
        let (x, _) = named(&spots, "Flattest dark tone");
        assert!(x > 520.0, "{spots:?}");
        let close = |a: &Spot, b: &Spot| a != b && (a.x - b.x).hypot(a.y - b.y) < APART * 640.0;
        assert!(!spots.iter().any(|a| spots.iter().any(|b| close(a, b))), "{spots:?}");
    }

    #[test]
    fn eyes_come_first() {
        let at = |x, y| dettaglio_domain::geometry::Place::new(x, y);
        let face = Face::of_eyes(at(300.0, 150.0), at(340.0, 150.0));
        let beside = Face::of_eyes(at(700.0, 150.0), at(740.0, 150.0));
        let spots = suggest(&picture(), &[face, beside]);
        assert_eq!((spots[0].name.as_str(), spots[0].x, spots[0].y), ("Eyes", 320.0, 150.0));
        assert!(!spots.iter().any(|s| s.name == "Eyes 2"), "outside the picture");
    }

    #[test]
    fn a_picture_opens_at_eyes_or_where_it_is_liveliest() {
        let small = picture().planes();
        let at = Place::new;
        let face = Face::of_eyes(at(600.0, 300.0), at(680.0, 300.0));
        let beside = Face::of_eyes(at(1300.0, 300.0), at(1380.0, 300.0));
        assert_eq!(opening(Size::new(1280, 640), &[beside, face], &small), at(640.0, 300.0));
        let Place { x, y, .. } = opening(Size::new(1280, 640), &[beside], &small);
        assert!(
            (580.0..740.0).contains(&x) && (220.0..420.0).contains(&y),
            "in the texture, not at the edge: {x}, {y}"
        );
    }

    #[rstest]
    #[case::even(Size::new(320, 213))]
    #[case::a_strip(Size::new(320, 8))]
    #[case::two_pixels(Size::new(2, 1))]
    fn where_nothing_is_lively_it_opens_somewhere_inside(#[case] size: Size) {
        let Place { x, y, .. } = opening(size, &[], &Planes::from_values(size, vec![0.5; 3 * size.area() as usize]));
        assert!((0.0..size.width as f32).contains(&x) && (0.0..size.height as f32).contains(&y), "{x}, {y}");
    }

    #[test]
    fn an_even_picture_has_nothing_to_check_and_a_tiny_one_is_no_trouble() {
        let even = |side: u32, value: f32| {
            let size = Size::new(side, side);
            Original::from_planes(&Planes::from_values(size, vec![value; 3 * size.area() as usize]))
        };
        assert_eq!(suggest(&even(300, 0.6), &[]), Vec::new());
        for side in [1, 2, 15, 63] {
            assert!(suggest(&even(side, 0.1), &[]).len() <= 1, "{side}");
        }
    }
}
