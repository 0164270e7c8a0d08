//! How near traced shapes come to what was drawn.
//!
//! ```sh
//! cargo run --release -p dettaglio-core --example tracing
//! ```
//!
//! Twelve made-up emblems whose shapes are known are drawn at 200 to 500 px, compressed as JPEG at quality 60 to 90, traced, and held against the
//! truth: how many points of its edges have a traced edge within 0.35 of a small pixel; how far the colours are off (CIEDE2000); how many
//! nodes there are for one of the truth's; and both drawn large, against the same picture enlarged by the models for lettering.

use std::f64::consts::TAU;

use dettaglio_core::codec::read;
use dettaglio_core::compare::{colour_differences, psnr_rgb};
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::Planes;
use dettaglio_core::reading;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::trace::{Segment, Traced};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::{Grade, LETTERING};
use dettaglio_domain::recipe::{Choice, Surround};
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::{PrintFacts, Suggestion};
use dettaglio_domain::trace::Tracing;

type Point = (f64, f64);

/// A shape of a truth: a closed line of many points, its colour, and how many nodes it would be drawn with by hand.
struct Drawn {
    points: Vec<Point>,
    colour: [f32; 3],
    nodes: usize,
}

/// Side of the larger drawings that are compared, in pixels.
const LARGE: u32 = 2000;

/// Straight lines that stand for a curve: as many as leave it by a hundredth of a small pixel at most.
const PIECES: u32 = 128;

/// A traced edge is near when it lies within this, in small pixels.
const NEAR: f64 = 0.35;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let renderer = Renderer::new(Shelf::open(&root.join("models"))?, 256 << 20);
    println!(
        "| emblem | px | JPEG | edge points near | colours off, mean, worst | nodes, of the truth's | traced, dB | lettering model, dB |"
    );
    println!("|---|--:|--:|--:|--:|--:|--:|--:|");
    let mut sums = [0.0; 4];
    for number in 0..12_u32 {
        let shapes = emblem(number);
        let side = 200 + 27 * number;
        let quality = 60 + (number * 11 % 31) as u8;
        let small = rasterised(&shapes, side, 8);
        let file = jpeg(&small, quality)?;
        let path = std::env::temp_dir().join(format!("dettaglio-emblem-{number}.jpg"));
        std::fs::write(&path, &file)?;
        let decoded = read(&path, ContentHash::of(&file), &Limits::default())?;
        std::fs::remove_file(&path)?;
        let reading = reading::measure(&decoded.original, &decoded.facts);
        let print = PrintFacts { factor: 4.0, ppi: None, distance_m: None };
        let suggestion = Suggestion::of(&reading, None, &[], &decoded.facts, &renderer.shelf(), print);
        let recipe = suggestion.recipe(Frame::default(), Surround::None);
        let mut drawn = recipe.clone();
        drawn.steps.enlarge = Choice::Traced(Tracing::usual());
        let worked = drawn.work_out(&renderer.shelf(), decoded.original.size(), Target::Factor { factor: 1.0 })?;
        let shapes_found = match renderer.shapes(&decoded.original, &worked.treatment, &Unhurried) {
            Ok(shapes) => shapes.ok_or("it is not traced")?,
            Err(error) => {
                println!("| {} | {side} | {quality} | {error} | | | | |", number + 1);
                continue;
            }
        };
        let traced = &shapes_found.printed;
        let scale = f64::from(side);
        let near = near_share(&shapes, traced, scale);
        let (mean, worst) = colours_off(&shapes, traced);
        let due: usize = 4 + shapes.iter().map(|shape| shape.nodes).sum::<usize>();
        let ratio = traced.nodes() as f64 / due as f64;
        let truth = rasterised(&shapes, LARGE, 3);
        let ours = rasterised(&polygons(traced, scale), LARGE, 3);
        let mut enlarged = recipe.clone();
        enlarged.steps.enlarge = Choice::Learned { subject: LETTERING.to_owned(), grade: Grade::Fine, strength: 1.0 };
        let target = Target::Factor { factor: f64::from(LARGE) / scale };
        let worked = enlarged.work_out(&renderer.shelf(), decoded.original.size(), target)?;
        let theirs = renderer.render(
            &decoded.original,
            &worked.treatment,
            Size::new(LARGE, LARGE).whole().seen_as(),
            &Unhurried,
        )?;
        let (ours, theirs) = (psnr_rgb(&ours, &truth, 8), psnr_rgb(&theirs, &truth, 8));
        println!(
            "| {} | {side} | {quality} | {:.1} % | {mean:.1}, {worst:.1} | {}, {ratio:.2} | {ours:.1} | {theirs:.1} |",
            number + 1,
            near * 100.0,
            traced.nodes()
        );
        for (sum, value) in sums.iter_mut().zip([near, f64::from(worst), ratio, ours - theirs]) {
            *sum += value / 12.0;
        }
    }
    println!(
        "\nIn the mean: {:.1} % of edge points near, the worst colour {:.1} off, {:.2} nodes for one, {:+.1} dB over the lettering model",
        sums[0] * 100.0,
        sums[1],
        sums[2],
        sums[3]
    );
    Ok(())
}

/// Shapes in a square of side 1, the lowest first, on white.
fn emblem(number: u32) -> Vec<Drawn> {
    let mut seed = number.wrapping_mul(2_654_435_761) ^ 0x9e37;
    let mut next = move || {
        seed ^= seed << 13;
        seed ^= seed >> 17;
        seed ^= seed << 5;
        f64::from(seed % 10_000) / 10_000.0
    };
    const INKS: [[f32; 3]; 6] = [
        [0.08, 0.24, 0.55],
        [0.61, 0.32, 0.0],
        [0.1, 0.42, 0.44],
        [0.64, 0.15, 0.17],
        [0.93, 0.78, 0.3],
        [0.12, 0.12, 0.12],
    ];
    let mut ink = number as usize;
    let mut inked = |points: Vec<Point>, nodes: usize| {
        ink += 1;
        Drawn { points, colour: INKS[ink % INKS.len()], nodes }
    };
    let mut shapes = Vec::new();
    let ground = if number.is_multiple_of(2) { circle(0.5, 0.5, 0.42) } else { rounded(0.1, 0.1, 0.8, 0.8, 0.12) };
    shapes.push(inked(ground, if number.is_multiple_of(2) { 4 } else { 8 }));
    shapes.push(inked(circle(0.5, 0.45, 0.2 + 0.08 * next()), 4));
    let spikes = 5 + number as usize % 4;
    shapes.push(inked(star(0.5, 0.45, 0.16 + 0.05 * next(), 0.4, spikes), 2 * spikes));
    // Bars such as letters are made of.
    let width = 0.025 + 0.02 * next();
    for k in 0..4 {
        let x = 0.26 + 0.13 * f64::from(k);
        let bar = vec![(x, 0.72), (x + width, 0.72), (x + width, 0.82), (x, 0.82)];
        shapes.push(Drawn { points: bar, colour: [1.0; 3], nodes: 4 });
    }
    shapes.push(Drawn { points: rounded(0.25, 0.84, 0.5, 0.022, 0.011), colour: [1.0; 3], nodes: 8 });
    shapes
}

fn circle(x: f64, y: f64, radius: f64) -> Vec<Point> {
    (0..400).map(|k| f64::from(k) / 400.0 * TAU).map(|a| (x + radius * a.cos(), y + radius * a.sin())).collect()
}

fn rounded(x: f64, y: f64, width: f64, height: f64, radius: f64) -> Vec<Point> {
    let corners = [
        (x + width - radius, y + radius),
        (x + width - radius, y + height - radius),
        (x + radius, y + height - radius),
        (x + radius, y + radius),
    ];
    let corner = |(i, (cx, cy)): (usize, (f64, f64))| {
        (0..=40).map(move |k| {
            let angle = TAU / 4.0 * (f64::from(k) / 40.0 + i as f64 - 1.0);
            (cx + radius * angle.cos(), cy + radius * angle.sin())
        })
    };
    corners.into_iter().enumerate().flat_map(corner).collect()
}

fn star(x: f64, y: f64, radius: f64, inner: f64, spikes: usize) -> Vec<Point> {
    (0..2 * spikes)
        .map(|k| {
            let r = if k % 2 == 0 { radius } else { radius * inner };
            let angle = TAU * (k as f64 / (2 * spikes) as f64 - 0.25);
            (x + r * angle.cos(), y + r * angle.sin())
        })
        .collect()
}

/// A square picture of shapes on white; so many samples across and down for each pixel.
fn rasterised(shapes: &[Drawn], side: u32, samples: u32) -> Planes {
    let fine = (side * samples) as usize;
    let mut owner = vec![0_u8; fine * fine];
    for (i, shape) in shapes.iter().enumerate() {
        for row in 0..fine {
            let y = (row as f64 + 0.5) / fine as f64;
            let mut crossings: Vec<f64> = edges(&shape.points)
                .filter(|(a, b)| (a.1 <= y) != (b.1 <= y))
                .map(|(a, b)| a.0 + (y - a.1) / (b.1 - a.1) * (b.0 - a.0))
                .collect();
            crossings.sort_by(f64::total_cmp);
            for pair in crossings.chunks_exact(2) {
                let to = |x: f64| ((x * fine as f64 - 0.5).ceil().max(0.0) as usize).min(fine);
                owner[row * fine + to(pair[0])..row * fine + to(pair[1])].fill(i as u8 + 1);
            }
        }
    }
    let size = Size::new(side, side);
    let area = size.area() as usize;
    let mut values = vec![0.0; 3 * area];
    let (samples, share) = (samples as usize, 1.0 / (samples * samples) as f32);
    for row in 0..fine {
        for column in 0..fine {
            let colour = match owner[row * fine + column] {
                0 => [1.0; 3],
                i => shapes[usize::from(i) - 1].colour,
            };
            let pixel = row / samples * side as usize + column / samples;
            (0..3).for_each(|c| values[c * area + pixel] += colour[c] * share);
        }
    }
    Planes::from_values(size, values)
}

fn edges(points: &[Point]) -> impl Iterator<Item = (Point, Point)> + '_ {
    points.iter().copied().zip(points.iter().copied().cycle().skip(1))
}

/// Traced shapes as lines of many points, in the truth's space. Holes are drawn by what lies on them, as paths are filled even and odd.
fn polygons(traced: &Traced, side: f64) -> Vec<Drawn> {
    let mut all = Vec::new();
    for shape in &traced.shapes {
        // Outlines of one shape become one line with bridges of no width: what is crossed twice is not filled.
        let mut points: Vec<Point> = Vec::new();
        for outline in &shape.outlines {
            let mut own = vec![outline.start];
            let mut from = outline.start;
            for segment in &outline.segments {
                match *segment {
                    Segment::Line(end) => own.push(end),
                    Segment::Curve(a, b, end) => own.extend((1..=PIECES).map(|k| {
                        let t = f64::from(k) / f64::from(PIECES);
                        let s = 1.0 - t;
                        let at = |p: [f64; 4]| {
                            s * s * s * p[0] + 3.0 * s * s * t * p[1] + 3.0 * s * t * t * p[2] + t * t * t * p[3]
                        };
                        (at([from.0, a.0, b.0, end.0]), at([from.1, a.1, b.1, end.1]))
                    })),
                }
                from = segment.end();
            }
            let first = points.first().copied();
            points.extend(own.iter().copied());
            points.push(own[0]);
            points.extend(first);
        }
        let points = points.into_iter().map(|(x, y)| (x / side, y / side)).collect();
        all.push(Drawn { points, colour: shape.colour, nodes: 0 });
    }
    all
}

/// The share of points on the truth's edges, as far as they can be seen, that have a traced edge near.
fn near_share(shapes: &[Drawn], traced: &Traced, side: f64) -> f64 {
    let lines: Vec<(Point, Point)> =
        polygons(traced, side).iter().flat_map(|shape| edges(&shape.points).collect::<Vec<_>>()).collect();
    let (mut near, mut all) = (0, 0);
    for (i, shape) in shapes.iter().enumerate() {
        for (a, b) in edges(&shape.points) {
            let steps = ((b.0 - a.0).hypot(b.1 - a.1) * side / 0.5).ceil().max(1.0) as usize;
            for k in 0..steps {
                let share = k as f64 / steps as f64;
                let p = (a.0 + (b.0 - a.0) * share, a.1 + (b.1 - a.1) * share);
                if shapes[i + 1..].iter().any(|over| holds(&over.points, p)) {
                    continue;
                }
                all += 1;
                let nearest = lines.iter().map(|line| distance(*line, p)).fold(f64::INFINITY, f64::min);
                near += usize::from(nearest * side <= NEAR);
            }
        }
    }
    f64::from(near as u32) / f64::from(all.max(1) as u32)
}

fn holds(points: &[Point], (x, y): Point) -> bool {
    let crossed =
        edges(points).filter(|(a, b)| (a.1 <= y) != (b.1 <= y) && x < a.0 + (y - a.1) / (b.1 - a.1) * (b.0 - a.0));
    crossed.count() % 2 == 1
}

fn distance(((ax, ay), (bx, by)): (Point, Point), (x, y): Point) -> f64 {
    let (dx, dy) = (bx - ax, by - ay);
    let t = (((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy).max(1e-18)).clamp(0.0, 1.0);
    (x - ax - t * dx).hypot(y - ay - t * dy)
}

/// How far the nearest traced colour is from each of the truth's, CIEDE2000: in the mean and at worst.
fn colours_off(shapes: &[Drawn], traced: &Traced) -> (f32, f32) {
    let pixel = |colour: [f32; 3]| Planes::from_values(Size::new(1, 1), colour.to_vec());
    let mut wanted: Vec<[f32; 3]> = vec![[1.0; 3]];
    shapes.iter().for_each(|shape| {
        if !wanted.contains(&shape.colour) {
            wanted.push(shape.colour);
        }
    });
    let off: Vec<f32> = wanted
        .iter()
        .map(|due| {
            let to = |got: &[f32; 3]| colour_differences(&pixel(*due), &pixel(*got))[0];
            traced.colours().iter().map(to).fold(f32::INFINITY, f32::min)
        })
        .collect();
    (off.iter().sum::<f32>() / off.len() as f32, off.iter().copied().fold(0.0, f32::max))
}

fn jpeg(picture: &Planes, quality: u8) -> Result<Vec<u8>, image::ImageError> {
    let size = picture.size();
    let pixel = |x: u32, y: u32| {
        let i = (y * size.width + x) as usize;
        image::Rgb([0, 1, 2].map(|c| (picture.plane(c)[i].clamp(0.0, 1.0) * 255.0).round() as u8))
    };
    let mut bytes = Vec::new();
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, quality);
    image::RgbImage::from_fn(size.width, size.height, pixel).write_with_encoder(encoder)?;
    Ok(bytes)
}
