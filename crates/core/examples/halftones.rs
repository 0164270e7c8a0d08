//! How well the dots of a halftone are found and taken out: on photographs that are printed here, in dots of ink, and scanned.
//!
//!     cargo run --release -p dettaglio-core --example halftones -- foundry/held-out [DOCUMENT]
//!     cargo run --release -p dettaglio-core --example halftones -- --find PICTURE...
//!
//! Prints a table; with a document, writes it there. With `--find`, says which pictures are halftones.

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
use dettaglio_domain::halftone::Halftone;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::repair::Repair;
use dettaglio_domain::treatment::Treatment;
use rayon::prelude::*;

mod damage;

use damage::{Outcome, blurred, load, map, white_noise};

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

/// Standard deviations of the scanner's lens in pixels, and of its noise in 8-bit levels.
const LENS: f32 = 0.5;
const SCANNER_NOISE: f32 = 2.0;

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
            let Ok(picture) = read(&path, ContentHash::of_file(&path)?, &Limits::default()) else { continue };
            all += 1;
            if let Some(waves) = find(&picture.original) {
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
    let photographs = load(folder)?;
    let renderer = Renderer::new(Shelf::of(vec![]), 64 << 20);
    for (period, angles) in SCREENS {
        let (mut found, mut off, mut gains, mut sums, mut seconds) = (0, 0.0_f32, Vec::new(), [0.0; 3], 0.0);
        for photograph in &photographs {
            let planes = &photograph.planes;
            let middle = planes.cut(planes.size().whole().middle(SIDE));
            let (truth, scan) = printed(&middle, period, angles);
            let scan = Original::from_planes(&scan);
            let Some(waves) = find(&scan) else {
                println!("not found in {}", photograph.name);
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
            gains.push((figures[2] - figures[1], &photograph.name));
            sums.iter_mut().zip(figures).for_each(|(sum, figure)| *sum += figure);
        }
        gains.sort_by(|a, b| a.0.total_cmp(&b.0));
        let [scan, blur, after] = sums.map(|sum| sum / f64::from(found));
        let ((least, name), (most, _)) = (gains[0], gains[gains.len() - 1]);
        let angles: Vec<String> = angles.iter().map(|angle| format!("{angle:.0}°")).collect();
        text.push_str(&format!(
            "| {period} | {} | {found} of {} | {:.1} | {scan:.2} | {blur:.2} | **{after:.2}** | {:+.2} ({name}) to {most:+.2} | {:.2} |\n",
            angles.join(", "),
            photographs.len(),
            off * 100.0,
            least,
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
            ((0..area).map(|i| encode(printed(i))).collect(), (0..area).map(scanned).collect())
        })
        .collect();
    let (truth, light): (Vec<_>, Vec<_>) = channels.into_iter().unzip();
    let seen = blurred(&Planes::from_values(size, light.concat()), LENS);
    (Planes::from_values(size, truth.concat()), white_noise(&map(&seen, encode), SCANNER_NOISE))
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

/// PSNR of the scan blurred in light, at the blur that comes nearest to the truth.
fn best_blur(scan: &Planes, truth: &Planes) -> f64 {
    let light = map(scan, linearise);
    let of = |step: u32| psnr(&map(&blurred(&light, step as f32 * BLUR_STEP), encode), truth, BORDER);
    BLURS.map(of).fold(0.0, f64::max)
}
