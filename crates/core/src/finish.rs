//! The Finish step, at the print's own scale: edges, and a trace of grain.
//!
//! Everything works on luminance and is added to all three channels, so that no colour shifts. Values depend only
//! on the pixels within [`halo`] and on the absolute place, so a region is that part of the whole.

use dettaglio_domain::affine::space::Result as Enlarged;
use dettaglio_domain::finish::{Edges, Finish, PrintGrain};
use dettaglio_domain::geometry::Region;
use rayon::prelude::*;

use crate::chance::scattered;
use crate::picture::Planes;
use crate::plane::{LEAST, box_mean, cut, gaussian, gaussian_kernel, highest, lowest, slope_energy, smoothstep};

/// An overshoot that an unguarded edge may have, as a share of full scale.
const WIDEST_OVERSHOOT: f32 = 0.25;

/// Columns and rows of the blocks that edges are found in: all planes that one takes lie in a core's own cache.
const BLOCK: (usize, usize) = (512, 96);

/// Slopes, in luminance over the edge width, below and above which tone counts as flat and as an edge.
const FLAT_SLOPE: (f32, f32) = (0.012, 0.05);

/// Pixels of the result around a pixel that its value depends on.
pub fn halo(finish: &Finish) -> u32 {
    finish.edges.map_or(0, |edges| edges_halo(&edges))
}

/// Finishes planes that are the part `place` of the result.
///
/// The outer [`halo`] pixels come out right only where they are the picture's own edge.
pub fn apply(finish: &Finish, planes: &mut Planes, place: Region<Enlarged>) {
    apply_sparing(finish, planes, place, None);
}

/// As [`apply`], where `skin` says how far each pixel of the planes is skin, 0 to 1.
pub fn apply_sparing(finish: &Finish, planes: &mut Planes, place: Region<Enlarged>, skin: Option<&[f32]>) {
    let luminance = planes.luminance();
    let width = planes.size().width as usize;
    let mut change = match &finish.edges {
        Some(edges) => sharpened(edges, &luminance, width, skin),
        None => vec![0.0; luminance.len()],
    };
    if let Some(grain) = &finish.grain {
        lay_grain(grain, &luminance, place, &mut change);
    }
    let area = luminance.len();
    planes.values_mut().par_chunks_mut(area).for_each(|plane| {
        plane.par_iter_mut().zip(&change).with_min_len(LEAST).for_each(|(value, change)| {
            *value = (*value + change).clamp(0.0, 1.0);
        });
    });
}

fn edges_halo(edges: &Edges) -> u32 {
    let width = edges.width.clamp(0.3, 12.0);
    ((3.0 * width).ceil() as u32).max(mask_reach(edges) as u32 + 1).max(guard_reach(edges) as u32)
}

fn guard_reach(edges: &Edges) -> usize {
    edges.width.clamp(1.0, 12.0).ceil() as usize
}

fn mask_reach(edges: &Edges) -> usize {
    (2.0 * edges.width).clamp(2.0, 24.0).round() as usize
}

/// Where edges are, 0 (flat) to 1, shape (height, width): what Leave flat tone works by.
pub fn mask(edges: &Edges, luminance: &[f32], width: usize) -> Vec<f32> {
    let scale = edges.width.max(1.0);
    let mut mask = box_mean(&slope_energy(luminance, width), width, mask_reach(edges));
    mask.iter_mut().for_each(|v| *v = smoothstep(v.max(0.0).sqrt() * scale, FLAT_SLOPE.0, FLAT_SLOPE.1));
    mask
}

/// [`sharpened_at_once`], block by block: each is given what lies around it, and comes out as that part of the whole.
fn sharpened(edges: &Edges, luminance: &[f32], width: usize, skin: Option<&[f32]>) -> Vec<f32> {
    let (columns, rows) = BLOCK;
    let (height, halo, across) = (luminance.len() / width, edges_halo(edges) as usize, width.div_ceil(columns));
    let count = across * height.div_ceil(rows);
    let blocks: Vec<Vec<f32>> = (0..count)
        .into_par_iter()
        .map(|block| {
            let (x, y) = (block % across * columns, block / across * rows);
            let (right, bottom) = ((x + columns).min(width), (y + rows).min(height));
            let (left, top) = (x.saturating_sub(halo), y.saturating_sub(halo));
            let (far_right, far_bottom) = ((right + halo).min(width), (bottom + halo).min(height));
            let padded = |plane: &[f32]| cut(plane, width, (left, far_right), (top, far_bottom));
            let skin = skin.map(padded);
            let change = sharpened_at_once(edges, &padded(luminance), far_right - left, skin.as_deref());
            cut(&change, far_right - left, (x - left, right - left), (y - top, bottom - top))
        })
        .collect();
    let mut change = vec![0.0; luminance.len()];
    change.par_chunks_mut(width).enumerate().for_each(|(y, line)| {
        for (column, part) in line.chunks_mut(columns).enumerate() {
            let block = &blocks[y / rows * across + column];
            let wide = part.len();
            part.copy_from_slice(&block[y % rows * wide..][..wide]);
        }
    });
    change
}

/// What is added to the luminance of a plane.
fn sharpened_at_once(edges: &Edges, luminance: &[f32], width: usize, skin: Option<&[f32]>) -> Vec<f32> {
    let blurred = gaussian(luminance, width, edges.width.clamp(0.3, 12.0));
    let mask = (edges.leave_flat > 0.0).then(|| mask(edges, luminance, width));
    let reach = guard_reach(edges);
    let (low, high) = (lowest(luminance, width, reach), highest(luminance, width, reach));
    let margin = (1.0 - edges.halo_guard.clamp(0.0, 1.0)) * WIDEST_OVERSHOOT;
    let change = luminance.iter().enumerate().map(|(i, own)| {
        let open = mask.as_ref().map_or(1.0, |m| 1.0 - edges.leave_flat * (1.0 - m[i]));
        let open = open * skin.map_or(1.0, |skin| 1.0 - edges.leave_skin * skin[i]);
        let sharp = own + edges.strength * open * (own - blurred[i]);
        sharp.clamp(low[i] - margin, high[i] + margin) - own
    });
    change.collect()
}

fn lay_grain(grain: &PrintGrain, luminance: &[f32], place: Region<Enlarged>, change: &mut [f32]) {
    let width = place.width as usize;
    let sigma = (grain.size / 2.0 - 0.4).max(0.0);
    let reach = if sigma > 0.0 { (3.0 * sigma).ceil() as i64 } else { 0 };
    let kernel = gaussian_kernel(sigma);
    // Smoothing lowers the variance by the sum of squared weights, in both directions.
    let gain = 1.0 / kernel.iter().map(|k| k * k).sum::<f32>();
    let rows: Vec<Vec<f32>> = (-reach..i64::from(place.height) + reach)
        .into_par_iter()
        .map(|y| {
            let y = i64::from(place.y) + y;
            let raw: Vec<f32> =
                (-reach..i64::from(place.width) + reach).map(|x| white_noise(i64::from(place.x) + x, y)).collect();
            raw.windows(kernel.len()).map(|w| w.iter().zip(&kernel).map(|(v, k)| v * k).sum()).collect()
        })
        .collect();
    change.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
        for (x, value) in out.iter_mut().enumerate() {
            let noise: f32 = kernel.iter().enumerate().map(|(j, k)| rows[y + j][x] * k).sum();
            *value += noise * gain * grain.amount * grain.level.at(luminance[y * width + x]) / 255.0;
        }
    });
}

/// A normally distributed number for each place, mean 0 and variance 1, always the same.
fn white_noise(x: i64, y: i64) -> f32 {
    let z = scattered((x as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ (y as u64).wrapping_mul(0xC2B2_AE3D_27D4_EB4F));
    // The sum of four uniform numbers is close to normal, and its variance is four twelfths.
    let sum: f32 = (0..4).map(|i| ((z >> (16 * i)) & 0xFFFF) as f32 / 65535.0).sum();
    (sum - 2.0) * 3.0_f32.sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::clean::NoiseCurve;
    use dettaglio_domain::geometry::Size;
    use rstest::rstest;

    const EDGES: Edges = Edges { strength: 1.5, width: 1.2, halo_guard: 0.5, leave_flat: 0.8, leave_skin: 0.0 };

    /// An edge down the middle and a faint ripple on both sides.
    fn edge(size: Size) -> Planes {
        let values = (0..3 * size.area()).map(|i| {
            let x = (i % u64::from(size.width)) as f32;
            let step = 1.0 / (1.0 + (-(x - size.width as f32 / 2.0)).exp());
            0.3 + 0.4 * step + 0.002 * (x * 1.3).sin()
        });
        Planes::from_values(size, values.collect())
    }

    fn finished(finish: Finish, planes: &Planes) -> Planes {
        let mut out = planes.clone();
        apply(&finish, &mut out, planes.size().whole().seen_as());
        out
    }

    #[rstest]
    #[case(1.0, 0.0005)]
    #[case(0.9, 0.03)]
    fn the_halo_guard_bounds_the_overshoot(#[case] halo_guard: f32, #[case] bound: f32) {
        let before = edge(Size::new(60, 8));
        let edges = Some(Edges { halo_guard, strength: 3.0, ..EDGES });
        let after = finished(Finish { edges, grain: None }, &before);
        let range = |p: &Planes| p.values().iter().fold((1.0_f32, 0.0_f32), |(l, h), v| (l.min(*v), h.max(*v)));
        let ((low, high), (low_after, high_after)) = (range(&before), range(&after));
        assert!(low - low_after < bound && high_after - high < bound, "{low_after} {high_after}");
        let slope = |p: &Planes| p.row(0, 4)[31] - p.row(0, 4)[29];
        assert!(slope(&after) > 1.3 * slope(&before), "the edge is steeper");
    }

    #[test]
    fn flat_tone_is_left_alone_when_asked() {
        let before = edge(Size::new(60, 8));
        let rough = |leave_flat| {
            let after = finished(Finish { edges: Some(Edges { leave_flat, ..EDGES }), grain: None }, &before);
            after.row(0, 4)[2..15].iter().zip(&before.row(0, 4)[2..15]).map(|(a, b)| (a - b).abs()).sum::<f32>()
        };
        assert!(rough(1.0) < 0.02 * rough(0.0), "{} {}", rough(1.0), rough(0.0));
    }

    #[rstest]
    #[case(1.0)]
    #[case(3.0)]
    fn grain_has_the_sigma_asked_for(#[case] size: f32) {
        let flat = Planes::from_values(Size::new(200, 200), vec![0.5; 120_000]);
        let grain = Some(PrintGrain { amount: 0.5, level: NoiseCurve::flat(12.0), size });
        let after = finished(Finish { edges: None, grain }, &flat);
        let mean = after.plane(0).iter().sum::<f32>() / 40_000.0;
        let sigma = (after.plane(0).iter().map(|v| (v - mean).powi(2)).sum::<f32>() / 40_000.0).sqrt() * 255.0;
        assert!((sigma - 6.0).abs() < 0.4, "{sigma}");
        assert!((mean - 0.5).abs() < 0.002);
    }

    #[rstest]
    #[case::one_block(Size::new(60, 20))]
    #[case::several_and_a_rest(Size::new(1100, 203))]
    #[case::narrow(Size::new(3, 300))]
    fn blocks_come_out_as_the_whole_would(#[case] size: Size) {
        let luminance: Vec<f32> = (0..size.area()).map(|i| ((i * 7919) % 251) as f32 / 250.0).collect();
        let skin: Vec<f32> = (0..size.area()).map(|i| (i % 7) as f32 / 6.0).collect();
        let edges = Edges { leave_skin: 0.7, width: 2.3, ..EDGES };
        let whole = sharpened_at_once(&edges, &luminance, size.width as usize, Some(&skin));
        let blocks = sharpened(&edges, &luminance, size.width as usize, Some(&skin));
        assert!(whole == blocks, "to the bit");
    }

    #[test]
    fn a_region_with_its_halo_is_that_part_of_the_whole() {
        let before = edge(Size::new(90, 50));
        let grain = Some(PrintGrain { amount: 1.0, level: NoiseCurve::flat(5.0), size: 2.5 });
        let finish = Finish { edges: Some(EDGES), grain };
        let whole = finished(finish, &before);
        let inner = Region::new(30, 20, 25, 9);
        let halo = halo(&finish);
        let padded = Region::new(30 - halo, 20 - halo, 25 + 2 * halo, 9 + 2 * halo);
        let mut part = before.cut(padded);
        apply(&finish, &mut part, padded.seen_as());
        assert!(part.cut(Region::new(halo, halo, 25, 9)) == whole.cut(inner));
    }
}
