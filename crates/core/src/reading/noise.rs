//! Noise: its standard deviation at each brightness, from the calmest places of the picture.
//!
//! A block of 16 x 16 px is split into four of 8 x 8, and the variance inside those is averaged: that holds all noise
//! finer than eight pixels, also a sensor's that demosaicing has drawn together, and little of slow tone. In each
//! range of brightness it starts from the calmest tenth of the blocks (after Liu 2013, who ranks patches by their
//! texture) and takes in those that vary hardly more, so that chance does not make the noise too small.

use dettaglio_domain::clean::NoiseCurve;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::reading::NoiseReading;
use rayon::prelude::*;

use crate::enlarge::area_mean;
use crate::picture::{Original, Planes};

/// Side of a block.
pub const BLOCK: u32 = 16;

/// Side of the parts inside which variance is taken.
const PART: usize = 8;

/// Side of the smallest parts: an edge seldom shows in them.
const SMALLEST_PART: usize = 4;

/// The calmest blocks of a range of brightness that are believed.
const CALMEST: f64 = 0.1;

/// Mean variance of the calmest tenth of blocks of one noise, over the noise's variance: 0.91 for white noise of three
/// independent colours, 0.75 for demosaiced noise.
const CALMEST_SHARE: f32 = 0.87;

/// Blocks that vary up to this much more than the noise so far hold the same noise.
const SAME_NOISE: f32 = 1.35;

/// Among the calmest blocks of one brightness, the tenth in a hundred varies up to this much more than the second where
/// they hold noise. Where they hold texture they thin out: 1.6 and more, measured on gravel, grass, wool and moss.
const NOISE_SPREAD: f32 = 1.5;

/// A sensor's noise is nearly as strong in colour; texture is mostly light and dark.
const MOST_OVER_COLOUR: f32 = 1.7;

/// Of the parts of a picture, the fifteenth in a hundred varies up to this much more than the second where there is noise.
const FLOOR: f32 = 1.5;

/// The same of the thirtieth, which must bear witness besides where there are few.
const WIDE_FLOOR: f32 = 2.2;

/// The same of the fifteenth, whatever the brightness: noise varies up to some three times as much in lights as in shadows.
const FLOOR_OF_ALL: f32 = 3.0;

/// Parts of 8 x 8 px fewer than which say nothing, and fewer than which are few: some 700 x 550 px.
const FEWEST_PARTS: usize = 100;

const FEW_PARTS: usize = 6000;

/// Fewer blocks than this, those of some 250 x 200 px, cannot tell noise of less than this sigma, in 8-bit levels, from soft texture.
const BLOCKS_FOR_FAINT: usize = 200;

const FAINT: f32 = 8.0;

/// Noise of a halved picture over that of the picture, in light and dark and in colour, beyond which both are texture: measured on parts of 96
/// to 480 px, 0.3 to 1.05 of one or both for noise, white or a sensor's, of sigma 3 to 15; more for three of 63.
const MOST_AFTER_HALVING: f32 = 1.1;

/// Variance that rounding to 8 bits and a smoothed encoding leave, in squared levels.
const ROUNDING: f32 = 0.3;

/// Fewer blocks than this at one brightness say nothing.
const FEWEST_BLOCKS: usize = 12;

/// Noise varies almost as much within the smallest parts as over a block; tone, edges and coarse texture vary more over a block.
const MOST_STRUCTURE: f32 = 3.0;

/// A clipped pixel has no noise: blocks with more of them than this share are passed over.
const MOST_CLIPPED: f32 = 0.15;

/// Where fewer blocks than this share are left then, as in very noisy pictures, dark ones and those of a pure colour, clipped ones
/// count too: what clipping leaves of the noise is then what there is of it.
const LEAST_UNCLIPPED: f64 = 0.1;

/// Noise that is clipped still varies nearly as much within the smallest parts as within those twice as wide: measured, 0.95 times and
/// more where it is white, 0.82 in the middle where it is demosaiced, against 0.45 for ramps and fields.
const LEAST_FINE_SHARE: f32 = 0.75;

/// Noise around a colour that is at an end of the scale in all three reaches that end at seven pixels of eight; what is nowhere
/// between the ends, as type, a halftone or dots of two tones, is none.
const MOST_CLIPPED_OF_NOISE: f32 = 0.95;

/// One block's figures, in 8-bit levels.
#[derive(Clone, Copy, Debug)]
pub struct Block {
    /// Left edge, pixels.
    pub x: u32,
    /// Upper edge, pixels.
    pub y: u32,
    /// Mean luminance in [0, 1].
    pub brightness: f32,
    /// Fine variance, mean of the three colours.
    pub fine: f32,
    /// The same of each of its four parts.
    pub parts: [f32; 4],
    /// Fine variance of luminance.
    pub fine_luminance: f32,
    /// Fine variance of what is left when luminance is taken out.
    pub fine_colour: f32,
    /// Variance of luminance inside the smallest parts.
    pub finest_luminance: f32,
    /// Variance of luminance over the whole block.
    pub whole: f32,
    /// Share of pixels at either end of the scale in some colour.
    pub clipped: f32,
}

impl Block {
    /// Whether its noise is whole.
    fn unclipped(&self) -> bool {
        self.clipped <= MOST_CLIPPED
    }

    /// Whether it holds noise, or nothing, although it is clipped.
    fn noise_all_the_same(&self) -> bool {
        self.fine < 1.0
            || (self.clipped <= MOST_CLIPPED_OF_NOISE
                && self.finest_luminance >= LEAST_FINE_SHARE * self.fine_luminance)
    }
}

/// The figures of every block of the picture, or of every n-th where there are more than `most`.
pub fn blocks(original: &Original, most: usize) -> Vec<Block> {
    let size = original.size();
    let (columns, rows) = (size.width / BLOCK, size.height / BLOCK);
    let total = columns as usize * rows as usize;
    let step = total.div_ceil(most.max(1)).max(1);
    // A step that shares a factor with the columns would fall into stripes.
    let step = (step..).find(|s| *s == 1 || !(columns as usize).is_multiple_of(*s)).unwrap_or(step);
    (0..total)
        .into_par_iter()
        .step_by(step)
        .map(|i| {
            let (x, y) = (i as u32 % columns * BLOCK, i as u32 / columns * BLOCK);
            measure(&original.region(Region::of(x, y, BLOCK, BLOCK)), x, y)
        })
        .collect()
}

fn measure(planes: &Planes, x: u32, y: u32) -> Block {
    let luminance = planes.luminance();
    let colour = [0, 2]
        .map(|channel| -> Vec<f32> { planes.plane(channel).iter().zip(&luminance).map(|(v, l)| v - l).collect() });
    let green: Vec<f32> = planes.plane(1).iter().zip(&luminance).map(|(v, l)| v - l).collect();
    let mean = luminance.iter().sum::<f32>() / luminance.len() as f32;
    let whole = luminance.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / luminance.len() as f32;
    let clipped =
        (0..luminance.len()).filter(|i| (0..3).any(|c| !(0.006..=0.994).contains(&planes.plane(c)[*i]))).count();
    let scale = 255.0 * 255.0;
    let parts = (0..3).map(|channel| variances_inside(planes.plane(channel), PART));
    let parts = parts.fold([0.0; 4], |sum, of| std::array::from_fn(|i| sum[i] + of[i] / 3.0 * scale));
    Block {
        x,
        y,
        brightness: mean,
        fine: parts.iter().sum::<f32>() / 4.0,
        parts,
        fine_luminance: variance_inside(&luminance, PART) * scale,
        fine_colour: (variance_inside(&colour[0], PART)
            + variance_inside(&green, PART)
            + variance_inside(&colour[1], PART))
            / 3.0
            * scale,
        finest_luminance: variance_inside(&luminance, SMALLEST_PART) * scale,
        whole: whole * scale,
        clipped: clipped as f32 / luminance.len() as f32,
    }
}

/// The variance inside each of the parts of a block that have this side, row by row.
fn variances_inside(plane: &[f32], part_side: usize) -> Vec<f32> {
    let side = BLOCK as usize;
    let mut variances = Vec::with_capacity((side / part_side).pow(2));
    for top in (0..side).step_by(part_side) {
        for left in (0..side).step_by(part_side) {
            let part = (0..part_side * part_side).map(|i| plane[(top + i / part_side) * side + left + i % part_side]);
            let mean = part.clone().sum::<f32>() / (part_side * part_side) as f32;
            variances.push(part.map(|v| (v - mean).powi(2)).sum::<f32>() / (part_side * part_side - 1) as f32);
        }
    }
    variances
}

/// Their mean.
fn variance_inside(plane: &[f32], part_side: usize) -> f32 {
    let variances = variances_inside(plane, part_side);
    variances.iter().sum::<f32>() / variances.len() as f32
}

/// The noise of a picture whose blocks were measured.
pub fn read(blocks: &[Block]) -> NoiseReading {
    let even = |b: &&Block| b.whole <= MOST_STRUCTURE * b.finest_luminance + 1.0;
    let unclipped = blocks.iter().filter(|b| b.unclipped()).count();
    let clipped_too = (unclipped as f64) < LEAST_UNCLIPPED * blocks.len() as f64;
    let ranges: Vec<Vec<&Block>> = (0..8)
        .map(|point| {
            let here = |b: &&Block| ((b.brightness * 8.0) as usize).min(7) == point;
            let mut all: Vec<&Block> = blocks.iter().filter(here).collect();
            if !(clipped_too && hold_noise(&all)) {
                all.retain(|b| b.unclipped());
            }
            let even: Vec<&Block> = all.iter().copied().filter(even).collect();
            // Where there is almost nothing but structure, what looks even is structure too.
            if even.len() * 12 < all.len() { Vec::new() } else { even }
        })
        .collect();
    let curve = |of: fn(&Block) -> f32| {
        let mut points: Vec<Option<f32>> = ranges.iter().map(|range| calmest(range, of)).collect();
        leave_out_texture(&mut points);
        filled(&points).unwrap_or_else(|| calmest_of_any(blocks, of))
    };
    let (level, colour, luminance) = (curve(|b| b.fine), curve(|b| b.fine_colour), curve(|b| b.fine_luminance));
    let weighted = |curve: NoiseCurve| {
        let total: usize = ranges.iter().map(Vec::len).sum();
        let sum: f32 = ranges.iter().zip(curve.0).map(|(range, v)| range.len() as f32 * v * v).sum();
        if total == 0 { 0.0 } else { (sum / total as f32).sqrt() }
    };
    let count = |ranges: &mut dyn Iterator<Item = &Vec<&Block>>| ranges.map(Vec::len).sum::<usize>();
    let apart = count(&mut ranges.iter().filter(|range| stands_out(range)));
    let sigma = weighted(level);
    let too_few = blocks.len() < BLOCKS_FOR_FAINT && sigma < FAINT;
    let hidden = too_few || 2 * apart < count(&mut ranges.iter()) || !has_floor(blocks, clipped_too, &level);
    NoiseReading { level, sigma, colour: weighted(colour), luminance: weighted(luminance), hidden }
}

/// Whether the calmest places of the picture all vary alike, as they do where noise lies over everything: no place can vary less
/// than the noise, and many vary hardly more. Texture has no floor: the calmer the place, the less it varies.
///
/// Parts of 8 x 8 px, each over the noise that was read at its brightness. Measured on 150 noise-free parts of 200 x 130 px of photographs,
/// of which 47 were taken for noisy without this: the fifteenth in a hundred varies 1.5 times as much as the second in one of
/// twenty, and 2.9 times in the middle; with noise of sigma 12, white or a sensor's, 1.2 and 1.4 times in the middle.
fn has_floor(blocks: &[Block], clipped_too: bool, level: &NoiseCurve) -> bool {
    let sorted = |over: &dyn Fn(&Block) -> f32| {
        let whole = blocks.iter().filter(|b| clipped_too || b.unclipped());
        let mut variances: Vec<f32> = whole.flat_map(|b| b.parts.map(|v| (v + ROUNDING) / over(b))).collect();
        variances.sort_by(f32::total_cmp);
        variances
    };
    let variances = sorted(&|b| level.at(b.brightness).powi(2) + ROUNDING);
    if variances.len() < FEWEST_PARTS {
        return false;
    }
    let rises = |variances: &[f32], share: f64| {
        let at = |share: f64| variances[(variances.len() as f64 * share) as usize];
        at(share) / at(0.02)
    };
    if rises(&variances, 0.15) > FLOOR {
        return false;
    }
    // Of few parts a curve through texture can make a floor: then they must vary alike without it as well.
    variances.len() >= FEW_PARTS
        || (rises(&variances, 0.3) <= WIDE_FLOOR && rises(&sorted(&|_| 1.0), 0.15) <= FLOOR_OF_ALL)
}

/// Whether what was read in a small picture stays when the picture is halved, as texture does: noise is averaged away, by half where it is
/// white and to some four fifths where it is demosaiced, in light and dark or in colour.
///
/// Says nothing of larger pictures: their blocks are enough to tell noise by its floor.
pub fn outlasts_halving(original: &Original, read: &NoiseReading) -> bool {
    let size = original.size();
    if size.area() as usize / PART.pow(2) >= FEW_PARTS || size.short_edge() < 2 * BLOCK {
        return false;
    }
    let half = Size::new(size.width / 2, size.height / 2);
    let halved = Original::from_planes(&area_mean(original, half, half.whole()));
    let small = self::read(&blocks(&halved, usize::MAX));
    let stays = |now: f32, before: f32| now > MOST_AFTER_HALVING * before;
    stays(small.luminance, read.luminance) && stays(small.colour, read.colour)
}

/// Whether blocks that may be clipped hold noise, or nothing: some of any drawing's do by chance.
fn hold_noise(blocks: &[&Block]) -> bool {
    4 * blocks.iter().filter(|b| b.noise_all_the_same()).count() >= 3 * blocks.len()
}

/// Whether what the calmest of some blocks hold is noise rather than texture.
fn stands_out(blocks: &[&Block]) -> bool {
    let (Some(all), Some(colour)) = (calmest(blocks, |b| b.fine), calmest(blocks, |b| b.fine_colour)) else {
        return false;
    };
    if all <= MOST_OVER_COLOUR * colour {
        return true;
    }
    let mut variances: Vec<f32> = blocks.iter().map(|b| b.fine).collect();
    variances.sort_by(f32::total_cmp);
    let share = |share: f64, least: usize| ((variances.len() as f64 * share) as usize).max(least);
    let lowest = share(0.02, 2);
    let low = variances[..lowest].iter().sum::<f32>() / lowest as f32;
    variances[share(CALMEST, 4) - 1] <= NOISE_SPREAD * low + 1.0 / 12.0
}

/// Sigma from the calmest tenth of some blocks; nothing when they are too few.
fn calmest(blocks: &[&Block], of: fn(&Block) -> f32) -> Option<f32> {
    if blocks.len() < FEWEST_BLOCKS {
        return None;
    }
    let mut variances: Vec<f32> = blocks.iter().map(|b| of(b)).collect();
    variances.sort_by(f32::total_cmp);
    let count = ((variances.len() as f64 * CALMEST) as usize).max(4);
    let mean_of = |variances: &[f32]| variances.iter().sum::<f32>() / variances.len() as f32;
    let mut mean = mean_of(&variances[..count]) / CALMEST_SHARE;
    for _ in 0..2 {
        let same = variances.partition_point(|v| *v <= SAME_NOISE * mean).max(count);
        mean = mean_of(&variances[..same]);
    }
    // Rounding to 8 bits alone has a variance of a twelfth.
    Some((mean - 1.0 / 12.0).max(0.0).sqrt())
}

/// Brightnesses at which there is nothing but texture.
///
/// Shot noise is nearly even once encoded (light's square root against a curve of about its 0.45th power); read noise
/// and tone curves change it by up to about [`WIDEST_RANGE`] times over the scale. What exceeds that is no noise.
fn leave_out_texture(points: &mut [Option<f32>]) {
    const WIDEST_RANGE: f32 = 3.5;
    let mut known: Vec<f32> = points.iter().flatten().copied().collect();
    known.sort_by(f32::total_cmp);
    // The lowest alone may be a clipped or smoothed tone.
    let Some(low) = known.get(1).or(known.first()) else { return };
    let most = WIDEST_RANGE * low + 0.5;
    points.iter_mut().for_each(|point| *point = point.filter(|sigma| *sigma <= most));
}

/// For a picture with few blocks at any brightness.
fn calmest_of_any(blocks: &[Block], of: fn(&Block) -> f32) -> NoiseCurve {
    let lowest = blocks.iter().map(of).fold(f32::INFINITY, f32::min);
    NoiseCurve::flat(if lowest.is_finite() { (lowest - 1.0 / 12.0).max(0.0).sqrt() } else { 0.0 })
}

/// A curve through the points that were measured; the others follow their nearest neighbours.
fn filled(points: &[Option<f32>]) -> Option<NoiseCurve> {
    let known: Vec<(usize, f32)> = points.iter().enumerate().filter_map(|(i, p)| Some((i, (*p)?))).collect();
    if known.is_empty() {
        return None;
    }
    let mut curve = [0.0; 8];
    for (i, value) in curve.iter_mut().enumerate() {
        let before = known.iter().rev().find(|(at, _)| *at <= i);
        let after = known.iter().find(|(at, _)| *at >= i);
        *value = match (before, after) {
            (Some((a, va)), Some((b, vb))) if a != b => va + (vb - va) * (i - a) as f32 / (b - a) as f32,
            (Some((_, v)), _) | (_, Some((_, v))) => *v,
            (None, None) => unreachable!("some point is known"),
        };
    }
    Some(NoiseCurve(curve))
}
