//! How well the dots of a halftone are found and taken out: on photographs that are printed here, in dots of ink, and scanned.
//!
//!     cargo run --release -p dettaglio-core --example halftones -- foundry/held-out [DOCUMENT]
//!     cargo run --release -p dettaglio-core --example halftones -- --find PICTURE...
//!
//! Prints a table; with a document, writes it there. With `--find`, says which pictures are halftones.

use std::error::Error;
use std::f32::consts::TAU;
use std::path::{Path, PathBuf};
use std::time::Instant;

use dettaglio_core::codec::read;
use dettaglio_core::colour::{encode, linearise};
use dettaglio_core::compare::psnr;
use dettaglio_core::halftone::find;
use dettaglio_core::model::Shelf;
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::halftone::Halftone;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::repair::Repair;
use dettaglio_domain::treatment::Treatment;
use rayon::prelude::*;

type Outcome<T> = Result<T, Box<dyn Error>>;

/// Pixels from dot to dot, and the angles of the inks' screens in degrees: black alone, or one for each colour.
const SCREENS: [(f32, &[f32]); 6] = [
    (2.2, &[45.0]),
    (3.1, &[45.0]),
    (4.4, &[30.0]),
    (6.5, &[45.0]),
    (3.4, &[15.0, 75.0, 0.0]),
    (5.2, &[15.0, 75.0, 45.0]),
];

/// What ink leaves of the light.
const INK: f32 = 0.07;

/// Sub-pixels a side in which a scan is worked out.
const FINE: usize = 4;

/// Standard deviations of the scanner's lens in pixels, and of its noise, 1 being full scale.
const LENS: f32 = 0.5;
const SCANNER_NOISE: f32 = 0.008;

/// Pixels of each photograph that are printed: a square from its middle.
const SIDE: u32 = 600;

/// Pixels at the edges that are left out of PSNR.
const BORDER: u32 = 16;

/// Standard deviations in pixels among which the best plain blur is looked for.
const BLURS: std::ops::RangeInclusive<u32> = 3..=16;
const BLUR_STEP: f32 = 0.2;

fn main() -> Outcome<()> {
    let mut args = std::env::args().skip(1);
    let first = args.next().ok_or("usage: halftones HELD-OUT [DOCUMENT], or halftones --find PICTURE...")?;
    if first == "--find" {
        let (mut halftones, mut all) = (0, 0);
        for path in args.map(PathBuf::from) {
            let Ok(picture) = load(&path) else { continue };
            all += 1;
            if let Some(waves) = find(&picture) {
                halftones += 1;
                println!("{}: {} ({} waves)", path.display(), Halftone::found(waves.clone()).dots(), waves.len());
            }
        }
        println!("{halftones} of {all} pictures are halftones");
        return Ok(());
    }
    let text = measured(Path::new(&first))?;
    print!("{text}");
    if let Some(document) = args.next() {
        std::fs::write(document, text)?;
    }
    Ok(())
}

fn measured(folder: &Path) -> Outcome<String> {
    let mut text = INTRODUCTION.to_owned();
    let photographs = pictures(folder)?;
    let renderer = Renderer::new(Shelf::of(vec![]), 64 << 20);
    for (period, angles) in SCREENS {
        let (mut found, mut off, mut gains, mut sums, mut seconds) = (0, 0.0_f32, Vec::new(), [0.0; 3], 0.0);
        for path in &photographs {
            let (truth, scan) = printed(&middle(&load(path)?), period, angles);
            let scan = Original::from_planes(&scan);
            let Some(waves) = find(&scan) else {
                println!("not found in {}", path.display());
                continue;
            };
            found += 1;
            let halftone = Halftone::found(waves);
            off = off.max((halftone.period() / period - 1.0).abs());
            let treatment = Treatment {
                repair: Repair { halftone: Some(halftone), ..Repair::default() },
                ..Treatment::plain(Kernel::Nearest, scan.size())
            };
            let began = Instant::now();
            let after = renderer.render(&scan, &treatment, scan.size().whole().seen_as(), &Unhurried)?;
            seconds += began.elapsed().as_secs_f64() / scan.size().megapixels();
            let scan = scan.planes();
            let figures = [psnr(&scan, &truth, BORDER), best_blur(&scan, &truth), psnr(&after, &truth, BORDER)];
            gains.push((figures[2] - figures[1], path));
            sums.iter_mut().zip(figures).for_each(|(sum, figure)| *sum += figure);
        }
        gains.sort_by(|a, b| a.0.total_cmp(&b.0));
        let [scan, blur, after] = sums.map(|sum| sum / f64::from(found));
        let (least, most) = (&gains[0], gains[gains.len() - 1].0);
        let name = least.1.file_stem().unwrap_or_default().to_string_lossy();
        let angles: Vec<String> = angles.iter().map(|angle| format!("{angle:.0}°")).collect();
        text.push_str(&format!(
            "| {period} | {} | {found} of {} | {:.1} | {scan:.2} | {blur:.2} | **{after:.2}** | {:+.2} ({name}) to {most:+.2} | {:.2} |\n",
            angles.join(", "),
            photographs.len(),
            off * 100.0,
            least.0,
            seconds / f64::from(found),
        ));
    }
    Ok(text)
}

const INTRODUCTION: &str = "# Halftones, measured

Written by `cargo run --release -p dettaglio-core --example halftones -- foundry/held-out docs/halftones.md`.

Photographs that no model has seen, printed in round dots by one ink or three and scanned, with the lens and the noise of a scanner. The truth is the
tone that was printed. *Found* is in how many the screen was found; *period off by* how far its period then was from the truth, in % at most. PSNR in
dB on luminance: of the scan, of the best plain blur in light (whoever picks it knows the truth), and with the dots taken out as suggested. Seconds
a megapixel are of this run.

| px from dot to dot | angles | found | period off by, % | scan | best blur | dots taken out | over the best blur | s / MP |
|--:|---|---|--:|--:|--:|--:|---|--:|
";

/// What is printed, and a scan of the print.
fn printed(picture: &Planes, period: f32, angles: &[f32]) -> (Planes, Planes) {
    let size = picture.size();
    let (width, area) = (size.width as usize, size.area() as usize);
    let grey = picture.luminance();
    let ranks = ranks();
    let channels: Vec<(Vec<f32>, Vec<f32>)> = (0..3)
        .into_par_iter()
        .map(|channel| {
            let angle = angles[channel % angles.len()];
            let tone = if angles.len() == 1 { &grey[..] } else { picture.plane(channel) };
            let (sin, cos) = angle.to_radians().sin_cos();
            let printed = |i: usize| INK + (1.0 - INK) * linearise(tone[i]);
            let scanned = |i: usize| {
                // Dots in which the screen is above a rank that as large a share of it is above as there is ink.
                let rank = ranks[((1.0 - linearise(tone[i])) * (ranks.len() - 1) as f32) as usize];
                let ink: f32 = (0..FINE * FINE)
                    .map(|fine| {
                        let at = |whole: usize, part: usize| whole as f32 + (part as f32 + 0.5) / FINE as f32;
                        let (x, y) = (at(i % width, fine % FINE), at(i / width, fine / FINE));
                        let (u, v) = ((x * cos + y * sin) / period, (y * cos - x * sin) / period);
                        ((screen(u, v) - rank) * 25.0 + 0.5).clamp(0.0, 1.0)
                    })
                    .sum();
                1.0 - (1.0 - INK) * ink / (FINE * FINE) as f32
            };
            let truth = (0..area).map(|i| encode(printed(i))).collect();
            let light: Vec<f32> = (0..area).map(scanned).collect();
            let mut random = 1_u32 + channel as u32;
            let scan = blurred(&light, width, LENS).into_iter().map(|light| {
                let level = encode(light.clamp(0.0, 1.0)) + SCANNER_NOISE * normal(&mut random);
                (level * 255.0).round().clamp(0.0, 255.0) / 255.0
            });
            (truth, scan.collect())
        })
        .collect();
    let (truth, scan): (Vec<_>, Vec<_>) = channels.into_iter().unzip();
    (Planes::from_values(size, truth.concat()), Planes::from_values(size, scan.concat()))
}

/// Round dots, 0 to 1, one for each unit of both.
fn screen(u: f32, v: f32) -> f32 {
    0.5 + 0.25 * ((TAU * u).cos() + (TAU * v).cos())
}

/// The values of a screen from the highest to the lowest.
fn ranks() -> Vec<f32> {
    let mut all: Vec<f32> = (0..1 << 16).map(|i| screen((i % 256) as f32 / 256.0, (i / 256) as f32 / 256.0)).collect();
    all.sort_by(|a, b| b.total_cmp(a));
    all
}

/// About normal, of standard deviation 1: the sum of twelve even ones.
fn normal(random: &mut u32) -> f32 {
    let mut even = || {
        *random = random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (*random >> 8) as f32 / (1 << 24) as f32
    };
    (0..12).map(|_| even()).sum::<f32>() - 6.0
}

/// PSNR of the scan blurred in light, at the blur that comes nearest to the truth.
fn best_blur(scan: &Planes, truth: &Planes) -> f64 {
    let width = scan.size().width as usize;
    let light: Vec<f32> = scan.values().iter().map(|value| linearise(*value)).collect();
    let of = |step: u32| {
        let planes: Vec<f32> = light
            .chunks_exact(scan.size().area() as usize)
            .flat_map(|plane| blurred(plane, width, step as f32 * BLUR_STEP))
            .map(|light| encode(light.clamp(0.0, 1.0)))
            .collect();
        psnr(&Planes::from_values(scan.size(), planes), truth, BORDER)
    };
    let all: Vec<u32> = BLURS.collect();
    all.into_par_iter().map(of).reduce(|| 0.0, f64::max)
}

/// By a Gaussian of this standard deviation; edges are repeated.
fn blurred(plane: &[f32], width: usize, sigma: f32) -> Vec<f32> {
    let reach = (3.0 * sigma).ceil() as isize;
    let weights: Vec<f32> = (-reach..=reach).map(|i| (-((i * i) as f32) / (2.0 * sigma * sigma)).exp()).collect();
    let sum: f32 = weights.iter().sum();
    let height = plane.len() / width;
    let along = |plane: &[f32], step: (isize, isize)| -> Vec<f32> {
        let at = |x: isize, y: isize| {
            plane[y.clamp(0, height as isize - 1) as usize * width + x.clamp(0, width as isize - 1) as usize]
        };
        let value = |i: usize| {
            let (x, y) = ((i % width) as isize, (i / width) as isize);
            let near = (-reach..=reach).zip(&weights);
            near.map(|(by, weight)| weight * at(x + by * step.0, y + by * step.1)).sum::<f32>() / sum
        };
        (0..plane.len()).map(value).collect()
    };
    along(&along(plane, (1, 0)), (0, 1))
}

fn middle(picture: &Original) -> Planes {
    let size = picture.size();
    let side = Size::new(size.width.min(SIDE), size.height.min(SIDE));
    let (x, y) = ((size.width - side.width) / 2, (size.height - side.height) / 2);
    picture.planes().cut(dettaglio_domain::geometry::Region::new(x, y, side.width, side.height))
}

fn pictures(folder: &Path) -> Outcome<Vec<PathBuf>> {
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<_, _>>()?;
    paths.retain(|path| path.extension().is_some_and(|ending| ending == "png" || ending == "jpg"));
    paths.sort();
    Ok(paths)
}

fn load(path: &Path) -> Outcome<Original> {
    Ok(read(path, ContentHash::of_file(path)?, &Limits::default())?.original)
}
