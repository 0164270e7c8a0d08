//! Single planes of values, row-major, and the neighbourhoods in them that several steps ask for.
//!
//! Every value depends only on the pixels around it and is summed in the same order wherever it lies, so that a part of
//! a plane with enough around it gives the same values as the whole. Beyond an edge, the edge is repeated.

use rayon::prelude::*;

/// Pixels that a thread takes at least: a smaller plane is one of many, among which the threads are divided.
pub const LEAST: usize = 1 << 17;

/// Rows that come to [`LEAST`].
fn rows(width: usize) -> usize {
    (LEAST / width).max(1)
}

/// Folds the square of `2 reach + 1` pixels around each pixel, first along the rows and then down the columns; the edge is repeated.
///
/// `fold` is given what came out so far, the next value, and which of the `2 reach + 1` it is. One of them is folded into a whole
/// row at a time, which lets the compiler take many pixels in one instruction.
fn fold_around(
    plane: &[f32],
    width: usize,
    reach: usize,
    start: f32,
    fold: impl Fn(f32, f32, usize) -> f32 + Sync,
) -> Vec<f32> {
    let height = plane.len() / width;
    let mut across = vec![start; plane.len()];
    across.par_chunks_exact_mut(width).zip(plane.par_chunks_exact(width)).with_min_len(rows(width)).for_each(
        |(out, row)| {
            let mut wide = Vec::with_capacity(width + 2 * reach);
            wide.resize(reach, row[0]);
            wide.extend_from_slice(row);
            wide.resize(width + 2 * reach, row[width - 1]);
            for step in 0..=2 * reach {
                out.iter_mut().zip(&wide[step..]).for_each(|(o, v)| *o = fold(*o, *v, step));
            }
        },
    );
    let mut out = vec![start; plane.len()];
    out.par_chunks_exact_mut(width).enumerate().with_min_len(rows(width)).for_each(|(y, line)| {
        for step in 0..=2 * reach {
            let from = (y + step).saturating_sub(reach).min(height - 1);
            line.iter_mut().zip(&across[from * width..]).for_each(|(o, v)| *o = fold(*o, *v, step));
        }
    });
    out
}

/// The mean of the square of `2 reach + 1` pixels around each pixel; the edge is repeated.
pub fn box_mean(plane: &[f32], width: usize, reach: usize) -> Vec<f32> {
    let count = (2 * reach + 1) as f32;
    let mut sums = fold_around(plane, width, reach, 0.0, |sum, value, _| sum + value);
    sums.par_iter_mut().with_min_len(LEAST).for_each(|sum| *sum /= count * count);
    sums
}

/// The least value in the square of `2 reach + 1` pixels around each pixel.
pub fn lowest(plane: &[f32], width: usize, reach: usize) -> Vec<f32> {
    fold_around(plane, width, reach, f32::INFINITY, |least, value, _| if value < least { value } else { least })
}

/// The greatest value in the square of `2 reach + 1` pixels around each pixel.
pub fn highest(plane: &[f32], width: usize, reach: usize) -> Vec<f32> {
    fold_around(plane, width, reach, f32::NEG_INFINITY, |most, value, _| if value > most { value } else { most })
}

/// The value in the middle of some, which are left in another order; nothing of none.
pub fn median(values: &mut [f32]) -> Option<f32> {
    quantile(values, 0.5)
}

/// The value that a share of some lie below, which are left in another order; nothing of none.
pub fn quantile(values: &mut [f32], share: f64) -> Option<f32> {
    let place = (values.len() as f64 * share) as usize;
    (!values.is_empty()).then(|| *values.select_nth_unstable_by(place, f32::total_cmp).1)
}

/// 1 at each pixel above the second threshold, and at those above the first that hang together with one, corners included, over no more
/// than so many steps; 0 elsewhere (hysteresis, as in Canny, IEEE PAMI 8, 1986).
pub fn followed(plane: &[f32], width: usize, (least, sure): (f32, f32), steps: u32) -> Vec<f32> {
    let height = plane.len() / width;
    let mut reached: Vec<f32> = plane.iter().map(|value| f32::from(u8::from(*value > sure))).collect();
    let mut rim: Vec<usize> = (0..plane.len()).filter(|i| reached[*i] > 0.0).collect();
    for _ in 0..steps {
        let mut next = Vec::new();
        for i in rim {
            let (x, y) = (i % width, i / width);
            for v in y.saturating_sub(1)..=(y + 1).min(height - 1) {
                for u in x.saturating_sub(1)..=(x + 1).min(width - 1) {
                    let beside = v * width + u;
                    if reached[beside] == 0.0 && plane[beside] > least {
                        reached[beside] = 1.0;
                        next.push(beside);
                    }
                }
            }
        }
        rim = next;
    }
    reached
}

/// The square of the slope at each pixel, from the differences of its four neighbours.
pub fn slope_energy(plane: &[f32], width: usize) -> Vec<f32> {
    let height = plane.len() / width;
    let mut energy = vec![0.0; plane.len()];
    energy.par_chunks_mut(width).enumerate().with_min_len(rows(width)).for_each(|(y, out)| {
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

/// The part of a plane between two columns and two rows, the second of each not included.
pub fn cut(plane: &[f32], width: usize, (left, right): (usize, usize), (top, bottom): (usize, usize)) -> Vec<f32> {
    (top..bottom).flat_map(|y| &plane[y * width + left..y * width + right]).copied().collect()
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
    fold_around(plane, width, kernel.len() / 2, 0.0, |sum, value, step| sum + value * kernel[step])
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

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
    fn the_extremes_of_a_square_are_found() {
        let mut plane = vec![0.0; 49];
        plane[24] = 5.0;
        assert_eq!(highest(&plane, 7, 2).iter().filter(|v| **v == 5.0).count(), 25);
        plane[24] = -5.0;
        assert_eq!(lowest(&plane, 7, 1).iter().filter(|v| **v == -5.0).count(), 9);
    }

    #[test]
    fn a_line_is_followed_from_where_it_is_sure_so_far_and_over_corners() {
        let mut plane = vec![0.05; 20 * 20];
        (0..20).for_each(|i| plane[i * 20 + i] = 0.3);
        plane[2] = 0.95;
        plane[21 * 5] = 0.95;
        plane[19 * 20] = 0.3;
        let reached = followed(&plane, 20, (0.1, 0.9), 8);
        let diagonal: Vec<usize> = (0..20).filter(|i| reached[i * 21] == 1.0).collect();
        assert_eq!(diagonal, (0..=13).collect::<Vec<_>>());
        assert!(reached[2] == 1.0 && reached[19 * 20] == 0.0, "what is sure stands alone, what is doubtful does not");
        assert_eq!(reached.iter().filter(|v| **v > 0.0).count(), 15);
    }

    #[rstest]
    #[case::mean(|p: &[f32], w| box_mean(p, w, 4))]
    #[case::gaussian(|p: &[f32], w| gaussian(p, w, 1.3))]
    #[case::lowest(|p: &[f32], w| lowest(p, w, 4))]
    #[case::highest(|p: &[f32], w| highest(p, w, 4))]
    fn a_part_with_enough_around_it_is_that_part_of_the_whole_to_the_last_bit(
        #[case] step: fn(&[f32], usize) -> Vec<f32>,
    ) {
        let (width, height, reach) = (40, 30, 4);
        let plane: Vec<f32> = (0..width * height).map(|i| ((i * 7919) % 251) as f32 / 250.0).collect();
        let (x, y, side) = (6, 5, 20);
        let part: Vec<f32> = (y..y + side).flat_map(|row| plane[row * width + x..][..side].to_vec()).collect();
        let (whole, inner) = (step(&plane, width), step(&part, side));
        for row in reach..side - reach {
            let from = (y + row) * width + x;
            assert_eq!(whole[from + reach..from + side - reach], inner[row * side + reach..(row + 1) * side - reach]);
        }
    }
}
