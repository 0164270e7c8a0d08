//! Softness: how far edges are spread, in which direction, and whether they overshoot.
//!
//! An edge of spread sigma, seen through Gaussians of two sizes, has gradients in the ratio
//! sqrt((sigma^2 + s2^2) / (sigma^2 + s1^2)) (the re-blur ratio, after Elder and Zucker 1998). It is solved for sigma
//! at edges that stand alone between two even tones: a thin line has another ratio. What is in focus decides how sharp a
//! picture looks: a third of the edges are sharper than the figure given.

use dettaglio_domain::reading::SoftnessReading;

use crate::plane::{gaussian, median, quantile};

/// The two Gaussians, in pixels.
const NARROW: f32 = 1.0;

const WIDE: f32 = 2.0;

/// Variance that the central difference adds: that of a box two pixels wide.
const DIFFERENCE_VARIANCE: f32 = 1.0 / 3.0;

/// The share of pixels whose gradient counts as strong.
///
/// Not few: across a shake edges are faint, and they must be seen to tell its direction.
const STRONGEST: f64 = 0.12;

/// Below this height over a pixel, in [0, 1], nothing is an edge.
const FAINTEST: f32 = 0.012;

/// Fewer edges than this say nothing.
const FEWEST: usize = 60;

/// Directions that are told apart.
const SECTORS: usize = 8;

/// The least step between the tones on both sides of an edge, in [0, 1].
const LEAST_STEP: f32 = 0.12;

/// How far a tone beside an edge may spread, as a share of the step.
const UNEVEN: f32 = 0.1;

struct Edge {
    sigma: f32,
    sector: usize,
    overshoot: f32,
}

/// Reads edges of a luminance plane; nothing when there are too few. `noise` is its sigma in [0, 1].
pub fn read(luminance: &[f32], width: usize, noise: f32) -> Option<SoftnessReading> {
    let height = luminance.len() / width;
    if width < 24 || height < 24 {
        return None;
    }
    let narrow = gaussian(luminance, width, NARROW);
    let wide = gaussian(luminance, width, WIDE);
    let slope = |plane: &[f32], at: usize| {
        ((plane[at + 1] - plane[at - 1]) / 2.0, (plane[at + width] - plane[at - width]) / 2.0)
    };
    let margin = 10;
    let strength = |at: usize| {
        let (x, y) = slope(&narrow, at);
        x.hypot(y)
    };
    let mut all: Vec<f32> = (margin..height - margin)
        .flat_map(|y| (margin..width - margin).map(move |x| y * width + x))
        .step_by(7)
        .map(strength)
        .collect();
    if all.is_empty() {
        return None;
    }
    let rank = ((all.len() as f64 * (1.0 - STRONGEST)) as usize).min(all.len() - 1);
    let (_, threshold, _) = all.select_nth_unstable_by(rank, f32::total_cmp);
    // After the narrow Gaussian, noise has gradients of about a fifth of its sigma.
    let least = threshold.max(FAINTEST).max(1.6 * noise);

    let mut edges = Vec::new();
    for y in margin..height - margin {
        for x in margin..width - margin {
            let at = y * width + x;
            let (gx, gy) = slope(&narrow, at);
            let here = gx.hypot(gy);
            if here < least
                || here < strength(step(at, width, gx, gy, 1))
                || here < strength(step(at, width, gx, gy, -1))
            {
                continue;
            }
            let Some(overshoot) = overshoot(luminance, at, width, gx, gy, noise) else { continue };
            let (wx, wy) = slope(&wide, at);
            let ratio = (here / wx.hypot(wy).max(1e-6)).powi(2);
            if ratio <= 1.02 {
                continue;
            }
            let variance = (WIDE * WIDE - ratio * NARROW * NARROW) / (ratio - 1.0) - DIFFERENCE_VARIANCE;
            let angle = gy.atan2(gx).to_degrees().rem_euclid(180.0);
            let sector = ((angle / 180.0 * SECTORS as f32 + 0.5) as usize) % SECTORS;
            edges.push(Edge { sigma: variance.max(0.0).sqrt(), sector, overshoot });
        }
    }
    if edges.len() < FEWEST {
        return None;
    }
    let sigma = quantile(&mut edges.iter().map(|e| e.sigma).collect::<Vec<_>>(), 0.35)?;
    let overshoot = median(&mut edges.iter().map(|e| e.overshoot).collect::<Vec<_>>())?;
    Some(SoftnessReading { sigma, shake: shake(&edges), overshoot, edges: edges.len() })
}

/// The direction in which edges are spread much further than across it.
fn shake(edges: &[Edge]) -> Option<f32> {
    let sectors: Vec<Option<f32>> = (0..SECTORS)
        .map(|sector| {
            let mut sigmas: Vec<f32> = edges.iter().filter(|e| e.sector == sector).map(|e| e.sigma).collect();
            // The sharpest of them: a soft shadow lies one way too, and is no shake.
            (sigmas.len() >= FEWEST / 4).then(|| quantile(&mut sigmas, 0.25)).flatten()
        })
        .collect();
    let (worst, sigma) =
        sectors.iter().enumerate().filter_map(|(i, s)| Some((i, (*s)?))).max_by(|a, b| a.1.total_cmp(&b.1))?;
    let across = sectors[(worst + SECTORS / 2) % SECTORS]?;
    (sigma > 1.0 && sigma > 1.5 * across.max(0.4)).then(|| worst as f32 * 180.0 / SECTORS as f32)
}

/// The neighbour along the gradient, in the nearest of eight directions.
fn step(at: usize, width: usize, gx: f32, gy: f32, by: isize) -> usize {
    let length = gx.hypot(gy).max(1e-9);
    let (dx, dy) = ((gx / length).round() as isize * by, (gy / length).round() as isize * by);
    (at as isize + dx + dy * width as isize) as usize
}

/// How far a profile across an edge exceeds the tones on both sides of it, as a share of the step; nothing where
/// those tones are not even.
fn overshoot(luminance: &[f32], at: usize, width: usize, gx: f32, gy: f32, noise: f32) -> Option<f32> {
    let profile: [f32; 17] = std::array::from_fn(|i| luminance[step(at, width, gx, gy, i as isize - 8)]);
    let tone = |values: &[f32]| {
        let mean = values.iter().sum::<f32>() / values.len() as f32;
        (mean, values.iter().map(|v| (v - mean).abs()).fold(0.0, f32::max))
    };
    let ((low, low_spread), (high, high_spread)) = (tone(&profile[..4]), tone(&profile[13..]));
    let height = high - low;
    if height < LEAST_STEP.max(4.0 * noise) || low_spread.max(high_spread) > UNEVEN * height + 2.0 * noise {
        return None;
    }
    let above = profile[8..13].iter().copied().fold(f32::NEG_INFINITY, f32::max) - high;
    let below = low - profile[4..9].iter().copied().fold(f32::INFINITY, f32::min);
    // The extreme of five noisy values lies above their mean by about 1.2 sigma.
    Some(((above + below) / 2.0 - 1.2 * noise).max(0.0) / height)
}
