//! Figures between two pictures of one size.
//!
//! Both figures are taken on BT.601 luminance and leave out a border, where a resampler has no neighbours.

use crate::picture::Planes;

/// Peak signal-to-noise ratio in dB of luminance in [0, 1]; infinite for equal pictures.
///
/// # Panics
/// When the sizes differ or the border leaves nothing.
pub fn psnr(a: &Planes, b: &Planes, border: u32) -> f64 {
    let (a, b) = (inner_luminance(a, border), inner_luminance(b, border));
    assert_eq!((a.width, a.height), (b.width, b.height), "pictures of one size");
    let sum: f64 = a.values.iter().zip(&b.values).map(|(a, b)| f64::from(a - b).powi(2)).sum();
    -10.0 * (sum / a.values.len() as f64).log10()
}

/// Structural similarity (Wang 2004) of luminance: Gaussian window 11 x 11, sigma 1.5, K1 = 0.01, K2 = 0.03.
///
/// 1 for equal pictures. Windows that would leave the picture are left out.
///
/// # Panics
/// When the sizes differ or fewer than 11 pixels a side are left.
pub fn ssim(a: &Planes, b: &Planes, border: u32) -> f64 {
    const C1: f64 = 0.01 * 0.01;
    const C2: f64 = 0.03 * 0.03;
    let (a, b) = (inner_luminance(a, border), inner_luminance(b, border));
    assert_eq!((a.width, a.height), (b.width, b.height), "pictures of one size");
    let (mean_a, mean_b) = (a.smooth(), b.smooth());
    let (aa, bb, ab) = (a.product(&a).smooth(), b.product(&b).smooth(), a.product(&b).smooth());
    let mut sum = 0.0;
    for i in 0..mean_a.values.len() {
        let (ma, mb) = (f64::from(mean_a.values[i]), f64::from(mean_b.values[i]));
        let var_a = f64::from(aa.values[i]) - ma * ma;
        let var_b = f64::from(bb.values[i]) - mb * mb;
        let cov = f64::from(ab.values[i]) - ma * mb;
        sum += (2.0 * ma * mb + C1) * (2.0 * cov + C2) / ((ma * ma + mb * mb + C1) * (var_a + var_b + C2));
    }
    sum / mean_a.values.len() as f64
}

struct Grey {
    width: usize,
    height: usize,
    values: Vec<f32>,
}

fn inner_luminance(planes: &Planes, border: u32) -> Grey {
    let (size, border) = (planes.size(), border as usize);
    let (width, height) = (size.width as usize, size.height as usize);
    assert!(width > 2 * border && height > 2 * border, "something inside the border");
    let luminance = planes.luminance();
    let rows = luminance.chunks_exact(width).skip(border).take(height - 2 * border);
    let values = rows.flat_map(|row| &row[border..width - border]).copied().collect();
    Grey { width: width - 2 * border, height: height - 2 * border, values }
}

impl Grey {
    fn product(&self, other: &Grey) -> Grey {
        let values = self.values.iter().zip(&other.values).map(|(a, b)| a * b).collect();
        Grey { width: self.width, height: self.height, values }
    }

    /// The Gaussian mean around every pixel whose window lies inside.
    fn smooth(&self) -> Grey {
        const REACH: usize = 5;
        const SIGMA: f32 = 1.5;
        assert!(self.width > 2 * REACH && self.height > 2 * REACH, "room for one window");
        let raw: Vec<f32> =
            (0..=2 * REACH).map(|i| (-(i as f32 - REACH as f32).powi(2) / (2.0 * SIGMA * SIGMA)).exp()).collect();
        let sum: f32 = raw.iter().sum();
        let kernel: Vec<f32> = raw.iter().map(|w| w / sum).collect();
        let (width, height) = (self.width - 2 * REACH, self.height - 2 * REACH);
        let across: Vec<f32> = self
            .values
            .chunks_exact(self.width)
            .flat_map(|row| row.windows(2 * REACH + 1).map(|w| w.iter().zip(&kernel).map(|(v, k)| v * k).sum::<f32>()))
            .collect();
        let mut values = vec![0.0; width * height];
        for (y, out) in values.chunks_exact_mut(width).enumerate() {
            for (tap, weight) in kernel.iter().enumerate() {
                let row = &across[(y + tap) * width..(y + tap + 1) * width];
                out.iter_mut().zip(row).for_each(|(o, v)| *o += v * weight);
            }
        }
        Grey { width, height, values }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Size;

    fn picture(offset: f32) -> Planes {
        let size = Size::new(40, 30);
        let value = |i: u64| 0.4 + 0.3 * (i as f32 * 0.21).sin() + offset;
        Planes::from_values(size, (0..3 * size.area()).map(|i| value(i % size.area())).collect())
    }

    #[test]
    fn a_known_difference_has_the_known_psnr() {
        assert!((psnr(&picture(0.0), &picture(0.1), 4) - 20.0).abs() < 1e-3);
        assert_eq!(psnr(&picture(0.0), &picture(0.0), 4), f64::INFINITY);
    }

    #[test]
    fn similarity_is_one_for_equals_and_falls_with_contrast() {
        let original = picture(0.0);
        assert!((ssim(&original, &original, 4) - 1.0).abs() < 1e-6);
        let flat =
            Planes::from_values(original.size(), original.values().iter().map(|v| 0.4 + (v - 0.4) * 0.3).collect());
        assert!(ssim(&original, &flat, 4) < 0.7);
    }

    #[test]
    fn similarity_of_two_flat_greys_follows_the_formula() {
        let flat = |v: f32| Planes::from_values(Size::new(20, 20), vec![v; 1200]);
        let expected = (2.0 * 0.2 * 0.6 + 0.0001) / (0.2 * 0.2 + 0.6 * 0.6 + 0.0001);
        assert!((ssim(&flat(0.2), &flat(0.6), 0) - expected).abs() < 1e-3);
    }
}
