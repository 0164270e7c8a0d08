//! The noise that texture models draw texture from.

use dettaglio_domain::geometry::Size;

use super::network::Corner;
use crate::chance::scattered;

/// The square root of 3: even noise between this and its negative has variance 1.
const AMPLITUDE: f32 = 1.732_050_8;

/// One value for each pixel of a region whose upper left pixel lies at `corner`, row-major: even noise with mean 0 and variance 1.
///
/// Each value is a hash of its pixel's column and row alone, so that regions of one picture agree wherever they are cut.
pub fn grain(corner: Corner, size: Size) -> Vec<f32> {
    let rows = (0..size.height).map(|y| corner.y.wrapping_add(y));
    rows.flat_map(|y| (0..size.width).map(move |x| value(corner.x.wrapping_add(x), y))).collect()
}

fn value(x: u32, y: u32) -> f32 {
    let hash = scattered(((u64::from(y) << 32) | u64::from(x)).wrapping_add(0x9E37_79B9_7F4A_7C15));
    let share = (hash >> 40) as f32 / (1_u32 << 24) as f32;
    (2.0 * share - 1.0) * AMPLITUDE
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn regions_agree_where_they_overlap() {
        let whole = grain(Corner::default(), Size::new(40, 30));
        let part = grain(Corner { x: 13, y: 7 }, Size::new(9, 11));
        for y in 0..11 {
            assert_eq!(part[y * 9..][..9], whole[(y + 7) * 40 + 13..][..9]);
        }
    }

    #[test]
    fn it_is_even_noise_without_a_pattern() {
        let size = Size::new(256, 256);
        let values = grain(Corner { x: 4096, y: 1000 }, size);
        let mean = |of: &dyn Fn(usize) -> f32| (0..65536 - 1024).map(|i| f64::from(of(i))).sum::<f64>() / 64512.0;
        assert!(mean(&|i| values[i]).abs() < 0.02);
        assert!((mean(&|i| values[i] * values[i]) - 1.0).abs() < 0.01);
        // Neighbours across, down, and at the lattices that enlargers could follow have nothing in common.
        for step in [1, 2, 4, 256, 512, 1024] {
            let common = mean(&|i| values[i] * values[i + step]);
            assert!(common.abs() < 0.015, "{step}: {common}");
        }
    }
}
