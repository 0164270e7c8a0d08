//! Single planes of values, row-major, and the neighbourhoods in them that several steps ask for.
//!
//! Every value depends only on the pixels around it and is summed in the same order wherever it lies, so that a part of
//! a plane with enough around it gives the same values as the whole. Beyond an edge, the edge is repeated.

use rayon::prelude::*;

/// The mean of the square of `2 reach + 1` pixels around each pixel; the edge is repeated.
pub fn box_mean(plane: &[f32], width: usize, reach: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let share = 1.0 / (2 * reach + 1) as f32;
    let mut across = vec![0.0; plane.len()];
    across.par_chunks_exact_mut(width).zip(plane.par_chunks_exact(width)).for_each(|(out, row)| {
        for (x, value) in out.iter_mut().enumerate() {
            let inside = (x + reach + 1).min(width) - x.saturating_sub(reach);
            let sum: f32 = row[x.saturating_sub(reach)..(x + reach + 1).min(width)].iter().sum();
            // What is missing at an edge is the edge's own value.
            let missing = (2 * reach + 1 - inside) as f32 * if x < reach { row[0] } else { row[width - 1] };
            *value = (sum + missing) * share;
        }
    });
    let mut out = vec![0.0; plane.len()];
    out.par_chunks_exact_mut(width).enumerate().for_each(|(y, line)| {
        for step in 0..=2 * reach {
            let from = (y + step).saturating_sub(reach).min(height - 1);
            line.iter_mut().zip(&across[from * width..]).for_each(|(o, v)| *o += v);
        }
        line.iter_mut().for_each(|v| *v *= share);
    });
    out
}

/// The square of the slope at each pixel, from the differences of its four neighbours.
pub fn slope_energy(plane: &[f32], width: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let mut energy = vec![0.0; plane.len()];
    energy.par_chunks_mut(width).enumerate().for_each(|(y, out)| {
        let row = &plane[y * width..][..width];
        let above = &plane[y.saturating_sub(1) * width..][..width];
        let below = &plane[(y + 1).min(height - 1) * width..][..width];
        for (x, value) in out.iter_mut().enumerate() {
            let across = row[(x + 1).min(width - 1)] - row[x.saturating_sub(1)];
            let down = below[x] - above[x];
            *value = (across * across + down * down) / 4.0;
        }
    });
    energy
}

/// 0 up to `low`, 1 from `high` on, and a smooth rise between them.
pub fn smoothstep(value: f32, low: f32, high: f32) -> f32 {
    let t = ((value - low) / (high - low)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// Weights of a Gaussian that is cut off at three sigma; they sum to 1. One weight for sigma 0.
pub fn gaussian_kernel(sigma: f32) -> Vec<f32> {
    if sigma <= 0.0 {
        return vec![1.0];
    }
    let reach = (3.0 * sigma).ceil() as i32;
    let weights: Vec<f32> = (-reach..=reach).map(|i| (-(i * i) as f32 / (2.0 * sigma * sigma)).exp()).collect();
    let sum: f32 = weights.iter().sum();
    weights.into_iter().map(|w| w / sum).collect()
}

/// A plane blurred by a Gaussian that is cut off at three sigma; the edge is repeated.
pub fn gaussian(plane: &[f32], width: usize, sigma: f32) -> Vec<f32> {
    let kernel = gaussian_kernel(sigma);
    let reach = kernel.len() / 2;
    let height = plane.len() / width;
    let mut across = vec![0.0; plane.len()];
    across.par_chunks_mut(width).zip(plane.par_chunks(width)).for_each(|(out, row)| {
        let mut wide = vec![row[0]; reach];
        wide.extend_from_slice(row);
        wide.resize(width + 2 * reach, row[width - 1]);
        for (value, window) in out.iter_mut().zip(wide.windows(kernel.len())) {
            *value = window.iter().zip(&kernel).map(|(v, k)| v * k).sum();
        }
    });
    let mut out = vec![0.0; plane.len()];
    out.par_chunks_mut(width).enumerate().for_each(|(y, line)| {
        for (step, weight) in kernel.iter().enumerate() {
            let from = (y + step).saturating_sub(reach).min(height - 1);
            line.iter_mut().zip(&across[from * width..]).for_each(|(o, v)| *o += v * weight);
        }
    });
    out
}

/// The least or the greatest value in the square around each pixel.
pub fn extreme(plane: &[f32], width: usize, reach: usize, pick: fn(f32, f32) -> f32) -> Vec<f32> {
    let height = plane.len() / width;
    let mut across = vec![0.0; plane.len()];
    across.par_chunks_mut(width).zip(plane.par_chunks(width)).for_each(|(out, row)| {
        for (x, value) in out.iter_mut().enumerate() {
            let near = &row[x.saturating_sub(reach)..(x + reach + 1).min(width)];
            *value = near.iter().copied().fold(row[x], pick);
        }
    });
    let mut out = across.clone();
    out.par_chunks_mut(width).enumerate().for_each(|(y, line)| {
        for from in y.saturating_sub(reach)..(y + reach + 1).min(height) {
            line.iter_mut().zip(&across[from * width..]).for_each(|(o, v)| *o = pick(*o, *v));
        }
    });
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_mean_of_a_box_repeats_the_edge() {
        let mean = box_mean(&[0.0, 3.0, 6.0, 9.0], 4, 1);
        assert_eq!(mean, [1.0, 3.0, 6.0, 8.0]);
    }

    #[test]
    fn a_gaussian_keeps_the_sum_and_spreads_by_its_sigma() {
        let mut point = vec![0.0; 41 * 41];
        point[20 * 41 + 20] = 1.0;
        let spread = gaussian(&point, 41, 2.0);
        let sum: f32 = spread.iter().sum();
        let variance: f32 = spread.iter().enumerate().map(|(i, v)| v * ((i % 41) as f32 - 20.0).powi(2)).sum();
        assert!((sum - 1.0).abs() < 1e-4);
        assert!((variance.sqrt() - 2.0).abs() < 0.06, "{}", variance.sqrt());
    }

    #[test]
    fn a_ramp_has_its_slope() {
        let ramp: Vec<f32> = (0..30).map(|i| 0.1 * (i % 6) as f32).collect();
        let energy = slope_energy(&ramp, 6);
        assert!((energy[2 * 6 + 3] - 0.01).abs() < 1e-6, "{}", energy[15]);
    }

    #[test]
    fn the_extreme_of_a_square_is_found() {
        let mut plane = vec![0.0; 49];
        plane[24] = 5.0;
        let highest = extreme(&plane, 7, 2, f32::max);
        assert_eq!(highest.iter().filter(|v| **v == 5.0).count(), 25);
    }
}
