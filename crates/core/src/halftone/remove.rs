//! The waves of a screen are taken out of a picture, in light.
//!
//! Dots and paper between them come to the tone that they print where light is averaged, so values are made linear first. In every block of a fixed
//! grid, what is near one of the waves comes down to what lies around it in the spectrum: the picture's own lines, which
//! are elsewhere, stay. What the waves leave of each dot's shape, a narrow blur takes. Against the best blur alone, see docs/halftones.md.

use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::halftone::{Halftone, Wave};
use dettaglio_fourier::{Complex32, Square};
use rayon::prelude::*;

use crate::colour::{encode_fast, linearise_fast};
use crate::picture::Planes;
use crate::plane::{LEAST, cut, gaussian, gaussian_kernel};

/// Side of a block in pixels; blocks overlap by half.
const BLOCK: usize = 64;
const STEP: usize = BLOCK / 2;

/// How far around a wave what is near it reaches: this share of the way to the next dot's wave, within these bounds, in bins of a block.
const REACH: f32 = 0.4;
const REACH_BOUNDS: (f32, f32) = (2.5, 5.0);

/// Bins beyond that what is near a wave is compared with.
const RING: f32 = 3.5;

/// Standard deviation of the blur, as a share of the way from dot to dot, and in pixels at least.
const BLUR: f32 = 0.22;
const LEAST_BLUR: f32 = 0.66;

/// Takes the screen of a halftone out of a picture, region by region.
pub struct Remover {
    spectrum: Spectrum,
    /// Standard deviation of the blur, in pixels.
    blur: f32,
    strength: f32,
}

impl Remover {
    /// `waves` are those of the halftone as the picture is turned.
    pub fn new(halftone: &Halftone, waves: &[Wave]) -> Self {
        let period = halftone.period();
        let blur = (BLUR * period.min(1.0 / Halftone::COARSEST)).max(LEAST_BLUR);
        Self { spectrum: Spectrum::of(waves, period), blur, strength: halftone.strength }
    }

    /// Pixels on each side that the blur reaches.
    fn blur_reach(&self) -> u32 {
        (gaussian_kernel(self.blur).len() / 2) as u32
    }

    /// Pixels around a region that its pixels depend on.
    pub fn halo(&self) -> u32 {
        BLOCK as u32 + self.blur_reach()
    }

    /// A region with the screen taken out. `planes` are the picture's own pixels in `padded`, which reaches [`halo`](Self::halo) beyond `region`,
    /// or to the edges of the picture, whose size is `whole`. The same whatever region is asked for.
    pub fn region<S>(&self, planes: &Planes, padded: Region<S>, region: Region<S>, whole: Size) -> Planes {
        let unblurred = region.grown(self.blur_reach(), whole);
        let (width, part) = (unblurred.width as usize, region.inside(unblurred));
        let (columns, rows) =
            ((part.x as usize, (part.x + part.width) as usize), (part.y as usize, (part.y + part.height) as usize));
        let mut out = planes.cut(region.inside(padded));
        for (channel, own) in out.planes_mut().into_iter().enumerate() {
            let light: Vec<f32> = planes.plane(channel).par_iter().map(|v| linearise_fast(*v)).collect();
            let smooth = self.spectrum.without(&Held { light, padded: padded.seen_as(), whole }, unblurred.seen_as());
            let blurred = cut(&gaussian(&smooth, width, self.blur), width, columns, rows);
            own.par_iter_mut().zip(blurred).with_min_len(LEAST).for_each(|(own, light)| {
                *own += (encode_fast(light.clamp(0.0, 1.0)) - *own) * self.strength;
            });
        }
        out
    }
}

/// One channel of a part of a picture, in light.
struct Held {
    light: Vec<f32>,
    padded: Region,
    whole: Size,
}

impl Held {
    /// The block whose upper left corner is there, weighed by `window`; beyond its edges the picture is mirrored.
    fn block(&self, (top, left): (isize, isize), window: &[f32]) -> Vec<Complex32> {
        let inside = |at: isize, start: u32, side: u32| {
            let (at, side) = (at.rem_euclid(2 * side as isize), side as isize);
            (if at < side { at } else { 2 * side - 1 - at }) as usize - start as usize
        };
        let columns: Vec<usize> =
            (0..BLOCK).map(|i| inside(left + i as isize, self.padded.x, self.whole.width)).collect();
        let rows = (0..BLOCK).map(|i| inside(top + i as isize, self.padded.y, self.whole.height));
        let width = self.padded.width as usize;
        rows.zip(window)
            .flat_map(|(row, down)| {
                let values = columns.iter().map(move |column| self.light[row * width + column]);
                values.zip(window).map(move |(value, across)| Complex32::from(value * down * across))
            })
            .collect()
    }
}

/// Bins of a block's spectrum no further than `reach` bins from a frequency, which is given in bins as well.
fn bins_near(down: f32, across: f32, reach: f32) -> Vec<usize> {
    let lines = |at: f32| (at - reach).ceil() as isize..=(at + reach).floor() as isize;
    let wrapped = |line: isize| line.rem_euclid(BLOCK as isize) as usize;
    lines(down)
        .flat_map(|row| lines(across).map(move |column| (row, column)))
        .filter(|(row, column)| (*row as f32 - down).hypot(*column as f32 - across) <= reach)
        .map(|(row, column)| wrapped(row) * BLOCK + wrapped(column))
        .collect()
}

/// What is done to the spectrum of a block.
struct Spectrum {
    square: Square,
    /// The root of a Hann window: weighed by it before and after, overlapping blocks come to the whole.
    window: Vec<f32>,
    /// For each wave, the bins near it and near its mirror image, and those around it that are near none: around the mirror image they hold the same.
    waves: Vec<(Vec<usize>, Vec<usize>)>,
}

impl Spectrum {
    fn of(waves: &[Wave], period: f32) -> Self {
        let side = BLOCK as f32;
        let reach = (REACH * side / period).clamp(REACH_BOUNDS.0, REACH_BOUNDS.1);
        // Of a wave and of its mirror image.
        let near: Vec<Vec<usize>> = (waves.iter())
            .map(|wave| {
                let (down, across) = (wave.down * side, wave.across * side);
                let mut bins = [bins_near(down, across, reach), bins_near(-down, -across, reach)].concat();
                bins.sort_unstable();
                bins.dedup();
                bins
            })
            .collect();
        let mut is_free = [true; BLOCK * BLOCK];
        is_free[0] = false;
        near.iter().flatten().for_each(|bin| is_free[*bin] = false);
        let around = |wave: &Wave| {
            let mut bins = bins_near(wave.down * side, wave.across * side, reach + RING);
            bins.retain(|bin| is_free[*bin]);
            bins
        };
        let around: Vec<Vec<usize>> = waves.iter().map(around).collect();
        let window = (0..BLOCK).map(|i| (std::f32::consts::PI * (i as f32 + 0.5) / side).sin()).collect();
        Self { square: Square::new(BLOCK), window, waves: near.into_iter().zip(around).collect() }
    }

    /// A region without the waves.
    fn without(&self, held: &Held, region: Region) -> Vec<f32> {
        let width = region.width as usize;
        let mut out = vec![0.0_f32; region.size().area() as usize];
        // Block `i` begins a step before `i` steps.
        let blocks = |start: u32, end: u32| (start as usize / STEP)..(end as usize - 1) / STEP + 2;
        let corner = |block: usize| block as isize * STEP as isize - STEP as isize;
        for row in blocks(region.y, region.bottom()) {
            let columns: Vec<usize> = blocks(region.x, region.right()).collect();
            let made: Vec<Vec<f32>> = columns
                .par_iter()
                .map(|column| self.block_without(held.block((corner(row), corner(*column)), &self.window)))
                .collect();
            let top = corner(row) - region.y as isize;
            for (column, block) in columns.iter().zip(&made) {
                let left = corner(*column) - region.x as isize;
                for (i, value) in block.iter().enumerate() {
                    let (y, x) = (top + (i / BLOCK) as isize, left + (i % BLOCK) as isize);
                    if (0..region.height as isize).contains(&y) && (0..width as isize).contains(&x) {
                        out[y as usize * width + x as usize] += value;
                    }
                }
            }
        }
        out
    }

    fn block_without(&self, mut cells: Vec<Complex32>) -> Vec<f32> {
        self.square.forward(&mut cells);
        let before: Vec<f32> = cells.iter().map(|value| value.norm()).collect();
        for (near, around) in self.waves.iter().filter(|(_, around)| !around.is_empty()) {
            let mut values: Vec<f32> = around.iter().map(|bin| before[*bin]).collect();
            // Few of them belong to an edge, which is long in one direction of the spectrum.
            let calm = values.len() / 4;
            let most = *values.select_nth_unstable_by(calm, f32::total_cmp).1;
            for bin in near {
                let size = cells[*bin].norm();
                if size > most {
                    cells[*bin] *= most / size;
                }
            }
        }
        self.square.back(&mut cells);
        let weights = self.window.iter().flat_map(|down| self.window.iter().map(move |across| down * across));
        cells.iter().zip(weights).map(|(value, weight)| value.re * weight).collect()
    }
}
