//! Figures between two pictures of one size.
//!
//! Both figures are taken on BT.601 luminance and leave out a border, where a resampler has no neighbours.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use rayon::prelude::*;

use crate::colour::linearise_fast;
use crate::enlarge::{area_mean, resample};
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

/// Peak signal-to-noise ratio in dB of the three encoded colours together, in [0, 1]; infinite for equal pictures.
///
/// # Panics
/// As [`psnr`].
pub fn psnr_rgb(a: &Planes, b: &Planes, border: u32) -> f64 {
    assert_eq!(a.size(), b.size(), "pictures of one size");
    let Size { width, height } = a.size();
    assert!(width > 2 * border && height > 2 * border, "something inside the border");
    let inside = border as usize..(width - border) as usize;
    let mut sum = 0.0;
    for channel in 0..3 {
        for y in border..height - border {
            let rows = a.row(channel, y)[inside.clone()].iter().zip(&b.row(channel, y)[inside.clone()]);
            sum += rows.map(|(a, b)| f64::from(a - b).powi(2)).sum::<f64>();
        }
    }
    let count = 3 * u64::from(width - 2 * border) * u64::from(height - 2 * border);
    -10.0 * (sum / count as f64).log10()
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

/// Where a result, brought back to the original's size, departs from the original.
#[derive(Clone, Debug, PartialEq)]
pub struct Departure {
    /// CIEDE2000 per pixel of the original, row-major: 1 is just seen side by side.
    pub map: Vec<f32>,
    /// 95 % of the pixels depart by no more.
    pub p95: f32,
    /// Mean over all pixels.
    pub mean: f32,
}

/// The departure of a result from an original; both hold sRGB values.
///
/// The result is averaged down in light to the original's size, or up where it is smaller.
pub fn departure(original: &Planes, result: &Planes) -> Departure {
    let size = original.size();
    Departure::of(colour_differences(original, &area_mean(result, size, size.whole())))
}

impl Departure {
    /// From the departure of each pixel; of at least one.
    pub fn of(map: Vec<f32>) -> Self {
        let mut sorted = map.clone();
        let place = ((sorted.len() as f64 * 0.95) as usize).min(sorted.len() - 1);
        let p95 = *sorted.select_nth_unstable_by(place, f32::total_cmp).1;
        let mean = map.iter().sum::<f32>() / map.len() as f32;
        Self { map, p95, mean }
    }
}

/// CIEDE2000 between each pixel of two pictures of one size that hold sRGB values, row by row.
///
/// # Panics
/// When the sizes differ.
pub fn colour_differences(a: &Planes, b: &Planes) -> Vec<f32> {
    assert_eq!(a.size(), b.size(), "pictures of one size");
    let at = |planes: &Planes, i: usize| lab([0, 1, 2].map(|channel| planes.plane(channel)[i]));
    (0..a.size().area() as usize).into_par_iter().map(|i| ciede2000(at(a, i), at(b, i))).collect()
}

/// Mean gradient of one picture's luminance over another's: below 1 it is softer, above 1 sharper or noisier.
///
/// # Panics
/// As [`psnr`].
pub fn sharpness(picture: &Planes, truth: &Planes, border: u32) -> f64 {
    let (picture, truth) = (inner_luminance(picture, border), inner_luminance(truth, border));
    assert_eq!((picture.width, picture.height), (truth.width, truth.height), "pictures of one size");
    picture.mean_gradient() / truth.mean_gradient().max(1e-9)
}

/// Mean CIEDE2000 between two pictures averaged over 8 x 8 px: colour and tone that drifted, detail left out.
///
/// # Panics
/// When the sizes differ.
pub fn drift(picture: &Planes, truth: &Planes) -> f64 {
    const CELL: u32 = 8;
    assert_eq!(picture.size(), truth.size(), "pictures of one size");
    let side = |px: u32| (px / CELL).max(1);
    let size = Size::new(side(truth.size().width), side(truth.size().height));
    let small = |planes: &Planes| resample(planes, size, size.whole(), Kernel::Bicubic);
    let (picture, truth) = (small(picture), small(truth));
    let at = |planes: &Planes, i: usize| lab([0, 1, 2].map(|channel| planes.plane(channel)[i]));
    let area = size.area() as usize;
    (0..area).map(|i| f64::from(ciede2000(at(&picture, i), at(&truth, i)))).sum::<f64>() / area as f64
}

/// CIE 1976 L*a*b* of encoded sRGB, under D65.
pub(crate) fn lab(rgb: [f32; 3]) -> [f32; 3] {
    let [r, g, b] = rgb.map(linearise_fast);
    let xyz = [
        (0.412_456_4 * r + 0.357_576_1 * g + 0.180_437_5 * b) / 0.950_47,
        0.212_672_9 * r + 0.715_152_2 * g + 0.072_175 * b,
        (0.019_333_9 * r + 0.119_192 * g + 0.950_304_1 * b) / 1.088_83,
    ];
    let [x, y, z] = xyz.map(|t| if t > 216.0 / 24389.0 { t.cbrt() } else { (24389.0 / 27.0 * t + 16.0) / 116.0 });
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

/// The colour difference of CIE 142 between two L*a*b* colours, all weights 1.
pub(crate) fn ciede2000(one: [f32; 3], two: [f32; 3]) -> f32 {
    let ([l1, a1, b1], [l2, a2, b2]) = (one, two);
    let seventh = |c: f32| (c.powi(7) / (c.powi(7) + 25.0_f32.powi(7))).sqrt();
    let g = 0.5 * (1.0 - seventh((a1.hypot(b1) + a2.hypot(b2)) / 2.0));
    let (a1, a2) = (a1 * (1.0 + g), a2 * (1.0 + g));
    let (c1, c2) = (a1.hypot(b1), a2.hypot(b2));
    let hue = |a: f32, b: f32| if a == 0.0 && b == 0.0 { 0.0 } else { b.atan2(a).to_degrees().rem_euclid(360.0) };
    let (h1, h2) = (hue(a1, b1), hue(a2, b2));
    let grey = c1 * c2 == 0.0;
    let turn = match h2 - h1 {
        _ if grey => 0.0,
        d if d > 180.0 => d - 360.0,
        d if d < -180.0 => d + 360.0,
        d => d,
    };
    let (dl, dc, dh) = (l2 - l1, c2 - c1, 2.0 * (c1 * c2).sqrt() * (turn / 2.0).to_radians().sin());
    let (l, c) = ((l1 + l2) / 2.0, (c1 + c2) / 2.0);
    let h = match h1 + h2 {
        sum if grey => sum,
        sum if (h1 - h2).abs() <= 180.0 => sum / 2.0,
        sum if sum < 360.0 => (sum + 360.0) / 2.0,
        sum => (sum - 360.0) / 2.0,
    };
    let cos = |degrees: f32| degrees.to_radians().cos();
    let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0) - 0.2 * cos(4.0 * h - 63.0);
    let rotation = -2.0 * seventh(c) * (60.0 * (-((h - 275.0) / 25.0).powi(2)).exp()).to_radians().sin();
    let away = (l - 50.0).powi(2);
    let (sl, sc, sh) = (1.0 + 0.015 * away / (20.0 + away).sqrt(), 1.0 + 0.045 * c, 1.0 + 0.015 * c * t);
    let (l, c, h) = (dl / sl, dc / sc, dh / sh);
    (l * l + c * c + h * h + rotation * c * h).max(0.0).sqrt()
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
    /// The mean length of the gradient, by differences to the right and below.
    fn mean_gradient(&self) -> f64 {
        let at = |x: usize, y: usize| f64::from(self.values[y * self.width + x]);
        let gradient = |x, y| (at(x + 1, y) - at(x, y)).hypot(at(x, y + 1) - at(x, y));
        let places = (0..self.height - 1).flat_map(|y| (0..self.width - 1).map(move |x| (x, y)));
        places.map(|(x, y)| gradient(x, y)).sum::<f64>() / ((self.width - 1) * (self.height - 1)) as f64
    }

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
    use rstest::rstest;

    fn picture(offset: f32) -> Planes {
        let size = Size::new(40, 30);
        let value = |i: u64| 0.4 + 0.3 * (i as f32 * 0.21).sin() + offset;
        Planes::from_values(size, (0..3 * size.area()).map(|i| value(i % size.area())).collect())
    }

    // Pairs 1, 5, 7, 17 and 25 of the test data of Sharma, Wu and Dalal (2005).
    #[rstest]
    #[case([50.0, 2.6772, -79.7751], [50.0, 0.0, -82.7485], 2.0425)]
    #[case([50.0, -1.1848, -84.8006], [50.0, 0.0, -82.7485], 1.0)]
    #[case([50.0, 0.0, 0.0], [50.0, -1.0, 2.0], 2.3669)]
    #[case([50.0, 2.5, 0.0], [73.0, 25.0, -18.0], 27.1492)]
    #[case([60.2574, -34.0099, 36.2677], [60.4626, -34.1751, 39.4387], 1.2644)]
    fn colour_differences_follow_the_published_pairs(#[case] one: [f32; 3], #[case] two: [f32; 3], #[case] due: f32) {
        assert!((ciede2000(one, two) - due).abs() < 0.002, "{}", ciede2000(one, two));
        assert!((ciede2000(two, one) - due).abs() < 0.002, "either way");
    }

    #[test]
    fn white_is_white() {
        let [l, a, b] = lab([1.0; 3]);
        assert!((l - 100.0).abs() < 0.01 && a.abs() < 0.02 && b.abs() < 0.02, "{l} {a} {b}");
    }

    #[test]
    fn an_honest_enlargement_departs_little_and_a_tinted_one_much() {
        let small = picture(0.0);
        let size = small.size().times(3);
        let large = resample(&small, size, size.whole(), Kernel::Bicubic);
        let honest = departure(&small, &large);
        let mut tinted = large.clone();
        let reds = size.area() as usize;
        tinted.values_mut()[..reds].iter_mut().for_each(|v| *v += 0.05);
        let tinted = departure(&small, &tinted);
        assert!(tinted.mean > honest.mean + 2.0 && tinted.p95 > honest.p95, "{} {}", honest.mean, tinted.mean);
        assert_eq!(departure(&small, &small).p95, 0.0);
    }

    #[test]
    fn a_known_difference_has_the_known_psnr() {
        assert!((psnr(&picture(0.0), &picture(0.1), 4) - 20.0).abs() < 1e-3);
        assert_eq!(psnr(&picture(0.0), &picture(0.0), 4), f64::INFINITY);
        assert!((psnr_rgb(&picture(0.0), &picture(0.1), 4) - 20.0).abs() < 1e-3);
        // One colour of three off by a tenth.
        let mut tinted = picture(0.0);
        let reds = tinted.size().area() as usize;
        tinted.values_mut()[..reds].iter_mut().for_each(|v| *v += 0.1);
        assert!((psnr_rgb(&picture(0.0), &tinted, 0) - 24.771).abs() < 1e-3);
    }

    /// Fine noise of a given strength on grey.
    fn textured(strength: f32) -> Planes {
        let size = Size::new(64, 48);
        let value = |i: u64| {
            let hash = (i + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 40;
            0.5 + strength * (hash as f32 / (1 << 24) as f32 - 0.5)
        };
        Planes::from_values(size, (0..3 * size.area()).map(|i| value(i % size.area())).collect())
    }

    #[test]
    fn half_the_texture_is_half_as_sharp() {
        let (full, half) = (textured(0.4), textured(0.2));
        assert!((sharpness(&half, &full, 4) - 0.5).abs() < 1e-3);
        assert_eq!(sharpness(&full, &full, 4), 1.0);
    }

    #[test]
    fn drift_sees_tone_and_not_detail() {
        let (full, fine) = (textured(0.2), textured(0.0));
        assert!(drift(&full, &fine) < 0.6, "{}", drift(&full, &fine));
        assert!(drift(&picture(0.05), &picture(0.0)) > 2.0);
        assert_eq!(drift(&full, &full), 0.0);
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
