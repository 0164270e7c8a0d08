//! Warping: a picture seen through a map that is no grid of whole steps, as straightening and the canvas of faces need it.
//!
//! Values are interpolated around each pixel's place in the source. They depend on that place alone: a part of a warped picture is that
//! part of the whole, bit for bit.

use std::sync::LazyLock;

use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use multiversion::multiversion;

use crate::enlarge::weight;
use crate::picture::Planes;

/// Steps between two pixels for which taps are kept; between two steps they are interpolated, which differs from the formula by less
/// than 1e-5.
const STEPS: usize = 512;

/// Rows that are weighted: as many as the widest kernel reaches over.
const ROWS: usize = 6;

/// Columns that are weighted: those, and two of weight 0, so that a row fills whole registers.
const TAPS: usize = 8;

/// The first tap lies so many pixels before the pixel at or before the place.
const BEFORE: i64 = 2;

/// The weights of a kernel at every step from one pixel to the next; those of each step sum to 1.
pub(crate) struct Taps(LazyLock<Vec<[f32; TAPS]>>);

/// Sharp, with a little ringing: for pictures.
pub(crate) static LANCZOS_3: Taps = Taps(LazyLock::new(|| kept_taps(Kernel::Lanczos3)));

/// Catmull-Rom, which rings less: for what is blended with a picture.
pub(crate) static BICUBIC: Taps = Taps(LazyLock::new(|| kept_taps(Kernel::Bicubic)));

fn kept_taps(kernel: Kernel) -> Vec<[f32; TAPS]> {
    let at = |step: usize| {
        let share = step as f64 / STEPS as f64;
        let raw: [f64; TAPS] = std::array::from_fn(|i| match i {
            0..ROWS => weight(kernel, share + BEFORE as f64 - i as f64),
            _ => 0.0,
        });
        let sum: f64 = raw.iter().sum();
        raw.map(|tap| (tap / sum) as f32)
    };
    (0..=STEPS).map(at).collect()
}

/// The taps for a place that lies `share` of a pixel behind a pixel, 0 to 1, out of those that are kept.
#[inline(always)]
fn taps(kept: &[[f32; TAPS]], share: f64) -> [f32; TAPS] {
    let place = share * STEPS as f64;
    let step = (place as usize).min(STEPS - 1);
    let between = (place - step as f64) as f32;
    let (here, next) = (&kept[step], &kept[step + 1]);
    let mut taps = [0.0; TAPS];
    for i in 0..TAPS {
        taps[i] = here[i] + (next[i] - here[i]) * between;
    }
    taps
}

/// A part of a picture, to be seen at any places.
pub(crate) struct Window<'a> {
    source: &'a Planes,
    left: f64,
    top: f64,
    taps: &'a [[f32; TAPS]],
}

impl<'a> Window<'a> {
    /// The first pixel of `source` lies at `origin`, (x, y) in pixels, of the picture.
    pub(crate) fn new(source: &'a Planes, origin: (u32, u32), taps: &'static Taps) -> Self {
        Self { source, left: f64::from(origin.0), top: f64::from(origin.1), taps: &taps.0 }
    }

    /// The three values at a place of the picture, the middle of whose first pixel is (0.5, 0.5); beyond the edge, the edge is repeated.
    ///
    /// They may lie a little outside [0, 1], where the kernel rings.
    #[inline(always)]
    pub(crate) fn at(&self, (x, y): (f64, f64)) -> [f32; 3] {
        let (x, y) = (x - 0.5 - self.left, y - 0.5 - self.top);
        let (column, row) = (x.floor(), y.floor());
        let (across, down) = (taps(self.taps, x - column), taps(self.taps, y - row));
        let (first, line) = (column as i64 - BEFORE, row as i64 - BEFORE);
        let Size { width, height } = self.source.size();
        let (width, height) = (i64::from(width), i64::from(height));
        let is_inside = (0..=width - TAPS as i64).contains(&first) && (0..=height - ROWS as i64).contains(&line);
        std::array::from_fn(|channel| {
            let plane = self.source.plane(channel);
            if is_inside {
                let start = line as usize * width as usize + first as usize;
                let rows: [&[f32; TAPS]; ROWS] = std::array::from_fn(|j| {
                    plane[start + j * width as usize..][..TAPS].try_into().expect("as many as there are taps")
                });
                weighted(rows, &down, &across)
            } else {
                let near = |at: i64, side: i64| at.clamp(0, side - 1) as usize;
                let rows: [[f32; TAPS]; ROWS] = std::array::from_fn(|j| {
                    let row = near(line.saturating_add(j as i64), height) * width as usize;
                    std::array::from_fn(|i| plane[row + near(first.saturating_add(i as i64), width)])
                });
                weighted(rows.each_ref(), &down, &across)
            }
        })
    }
}

/// A row of pixels in [0, 1], each the mean of what is seen at `samples` places: `place` gives them by pixel and sample.
///
/// The rows of the three colours are of one length. They are computed in the widest registers that the processor has, with the same
/// values in all.
#[multiversion(targets("x86_64+avx2", "aarch64+neon"))]
pub(crate) fn warped_row(
    window: &Window<'_>,
    samples: usize,
    place: impl Fn(usize, usize) -> (f64, f64),
    [red, green, blue]: [&mut [f32]; 3],
) {
    let share = 1.0 / samples as f32;
    for (x, ((red, green), blue)) in red.iter_mut().zip(green).zip(blue).enumerate() {
        let mut sums = [0.0; 3];
        for sample in 0..samples {
            let seen = window.at(place(x, sample));
            for channel in 0..3 {
                sums[channel] += seen[channel];
            }
        }
        [*red, *green, *blue] = sums.map(|sum| (sum * share).clamp(0.0, 1.0));
    }
}

/// The sum of a few values, each weighted by its row and its column: down the columns first, which fills whole registers.
#[inline(always)]
fn weighted(rows: [&[f32; TAPS]; ROWS], down: &[f32; TAPS], across: &[f32; TAPS]) -> f32 {
    let mut sums = [0.0_f32; TAPS];
    for j in 0..ROWS {
        for i in 0..TAPS {
            sums[i] += down[j] * rows[j][i];
        }
    }
    for i in 0..TAPS {
        sums[i] *= across[i];
    }
    let half: [f32; 4] = std::array::from_fn(|i| sums[i] + sums[i + 4]);
    (half[0] + half[1]) + (half[2] + half[3])
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::lanczos_3(Kernel::Lanczos3, &LANCZOS_3)]
    #[case::bicubic(Kernel::Bicubic, &BICUBIC)]
    fn interpolated_taps_are_those_of_the_formula(#[case] kernel: Kernel, #[case] kept: &Taps) {
        for i in 0..=3000 {
            let share = f64::from(i) / 3000.0;
            let due: Vec<f64> = (0..6).map(|k| weight(kernel, share + 2.0 - f64::from(k))).collect();
            let sum: f64 = due.iter().sum();
            let far = due.iter().zip(taps(&kept.0, share)).map(|(due, tap)| (due / sum - f64::from(tap)).abs());
            assert!(far.fold(0.0, f64::max) < 1e-5, "{share}");
            assert!(
                (taps(&kept.0, share).iter().sum::<f32>() - 1.0).abs() < 1e-5
                    && taps(&kept.0, share)[6..] == [0.0, 0.0]
            );
        }
    }

    #[test]
    fn far_beyond_the_edge_lies_the_edge() {
        let size = Size::new(3, 2);
        let picture = Planes::from_values(size, (0..18).map(|v| v as f32 / 18.0).collect());
        let window = Window::new(&picture, (0, 0), &LANCZOS_3);
        for place in [(-1e12, -1e12), (-5000.0, -7.0)] {
            assert_eq!(window.at(place).map(|v| (v * 18.0).round()), [0.0, 6.0, 12.0]);
        }
        assert_eq!(window.at((1e30, 1e30)).map(|v| (v * 18.0).round()), [5.0, 11.0, 17.0]);
    }
}
