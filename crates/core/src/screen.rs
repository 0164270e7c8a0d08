//! What repeats in a picture: a screen on the lattice of an enlarger's factor, and narrow peaks anywhere in the spectrum.
//!
//! A pixel shuffle that treats its phases unlike draws the same pattern into every cell: to the eye a dot screen over
//! texture. Texture of nature has a smooth spectrum; a pattern has peaks. Power is averaged over overlapping windows of
//! luminance (Welch 1967) and each frequency is compared with the median of those around it, white noise of one 8-bit level
//! added to both: a pattern that such noise would hide is not seen.

use dettaglio_fourier::{Complex32, Square};
use rayon::prelude::*;

use crate::picture::Planes;

/// Side of a window in pixels; windows overlap by half. Even, so that the lattices of 2 and 4 fall on whole bins.
const WINDOW: usize = 64;

/// Bins around a frequency that it is compared with, and those next to it that are left out.
const AROUND: isize = 6;
const BESIDE: isize = 2;

/// Standard deviation of the noise that is added, 1 being full scale.
const HIDING: f64 = 1.0 / 255.0;

/// Cycles a pixel below which a picture's own structure has peaks of its own.
const COARSE: f64 = 0.125;

/// The most energy at any frequency of the `factor` x `factor` lattice, over the median of its neighbourhood.
///
/// Photographs have 1 to 4, a visible screen tens to hundreds. Nothing where a picture holds no window of 64 px.
pub fn screen(picture: &Planes, factor: u32, border: u32) -> Option<f64> {
    let power = mean_power(picture, border)?;
    let factor = factor as usize;
    let lattice = (0..factor).flat_map(|i| (0..factor).map(move |j| (i, j))).filter(|at| *at != (0, 0));
    Some(lattice.map(|(i, j)| over_neighbours(&power, WINDOW * i / factor, WINDOW * j / factor)).fold(0.0, f64::max))
}

/// The most energy at any fine frequency over the median of its neighbourhood: a weave that lies on no lattice shows here.
///
/// A subject may have peaks of its own: compare with the truth's. Nothing where a picture holds no window of 64 px.
pub fn weave(picture: &Planes, border: u32) -> Option<f64> {
    let power = mean_power(picture, border)?;
    let cycles = |bin: usize| bin.min(WINDOW - bin) as f64 / WINDOW as f64;
    let fine =
        (0..WINDOW * WINDOW).map(|i| (i / WINDOW, i % WINDOW)).filter(|(i, j)| cycles(*i).hypot(cycles(*j)) > COARSE);
    Some(fine.map(|(i, j)| over_neighbours(&power, i, j)).fold(0.0, f64::max))
}

fn over_neighbours(power: &[f64], row: usize, column: usize) -> f64 {
    let at = |dy: isize, dx: isize| {
        let wrap = |place: usize, by: isize| (place as isize + by).rem_euclid(WINDOW as isize) as usize;
        power[wrap(row, dy) * WINDOW + wrap(column, dx)]
    };
    let around = || -AROUND..=AROUND;
    let mut neighbours: Vec<f64> = around()
        .flat_map(|dy| around().map(move |dx| (dy, dx)))
        .filter(|(dy, dx)| dy.abs() > BESIDE || dx.abs() > BESIDE)
        .map(|(dy, dx)| at(dy, dx))
        .collect();
    let middle = neighbours.len() / 2;
    let median = *neighbours.select_nth_unstable_by(middle, f64::total_cmp).1;
    at(0, 0) / median
}

/// Mean power over all windows, rows and columns from frequency 0 up.
fn mean_power(picture: &Planes, border: u32) -> Option<Vec<f64>> {
    let (width, border) = (picture.size().width as usize, border as usize);
    let (right, bottom) = (width.checked_sub(border)?, (picture.size().height as usize).checked_sub(border)?);
    let luminance = picture.luminance();
    let starts = |end: usize| (border..=end.saturating_sub(WINDOW)).step_by(WINDOW / 2);
    if right < border + WINDOW || bottom < border + WINDOW {
        return None;
    }
    let places: Vec<(usize, usize)> = starts(bottom).flat_map(|y| starts(right).map(move |x| (x, y))).collect();
    let hann: Vec<f32> =
        (0..WINDOW).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / (WINDOW - 1) as f32).cos()).collect();
    let square = Square::new(WINDOW);
    let power = |(x, y): (usize, usize)| {
        let values = |row: usize| &luminance[(y + row) * width + x..][..WINDOW];
        let mean = (0..WINDOW).flat_map(values).sum::<f32>() / (WINDOW * WINDOW) as f32;
        let weighted = |i: usize| {
            let (row, column) = (i / WINDOW, i % WINDOW);
            Complex32::from((values(row)[column] - mean) * hann[column] * hann[row])
        };
        let mut cells: Vec<Complex32> = (0..WINDOW * WINDOW).map(weighted).collect();
        square.forward(&mut cells);
        cells.iter().map(|value| f64::from(value.norm_sqr())).collect::<Vec<f64>>()
    };
    // In order, so that the sum is the same on every run.
    let all: Vec<Vec<f64>> = places.into_par_iter().map(power).collect();
    let of_window = hann.iter().map(|w| f64::from(*w).powi(2)).sum::<f64>().powi(2);
    let mut sum = vec![all.len() as f64 * HIDING * HIDING * of_window; WINDOW * WINDOW];
    for one in &all {
        sum.iter_mut().zip(one).for_each(|(s, v)| *s += v);
    }
    Some(sum)
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::geometry::Size;
    use rstest::rstest;

    /// Noise without a pattern, and so many levels of something that depends on the pixel's place.
    fn noise_and(depth: f32, pattern: impl Fn(u32, u32) -> f32) -> Planes {
        let size = Size::new(320, 256);
        let mut planes = Planes::black(size);
        for channel in 0..3 {
            for y in 0..size.height {
                for (x, value) in planes.row_mut(channel, y).iter_mut().enumerate() {
                    let hash = ((u64::from(y) << 32) | (x as u64 + 1)).wrapping_mul(0x9E37_79B9_7F4A_7C15);
                    let hash = (hash ^ (hash >> 29)).wrapping_mul(0xBF58_476D_1CE4_E5B9) >> 40;
                    let noise = hash as f32 / (1 << 24) as f32 - 0.5;
                    *value = 0.5 + 0.2 * noise + depth / 255.0 * pattern(x as u32, y);
                }
            }
        }
        planes
    }

    fn dots(factor: u32) -> impl Fn(u32, u32) -> f32 {
        move |x, y| if x % factor == 1 && y % factor == 1 { 1.0 } else { 0.0 }
    }

    #[rstest]
    #[case(2)]
    #[case(4)]
    fn a_dot_screen_stands_out_the_more_the_deeper_it_is(#[case] factor: u32) {
        let of = |depth| screen(&noise_and(depth, dots(factor)), factor, 4).unwrap();
        let (none, faint, plain) = (of(0.0), of(8.0), of(30.0));
        assert!(none < 3.0, "noise alone has {none}");
        assert!(faint > 2.0 * none && plain > 8.0 * faint, "{none} {faint} {plain}");
    }

    #[test]
    fn a_pattern_that_a_level_of_noise_hides_is_not_seen() {
        let of = |depth: f32| {
            let grey = Planes::from_values(Size::new(256, 256), vec![0.5; 3 << 16]);
            let mut drawn = grey.clone();
            for channel in 0..3 {
                for y in 0..256 {
                    let line = drawn.row_mut(channel, y);
                    line.iter_mut().enumerate().for_each(|(x, v)| *v += depth / 255.0 * dots(4)(x as u32, y));
                }
            }
            screen(&drawn, 4, 4).unwrap()
        };
        assert!((of(0.0) - 1.0).abs() < 1e-6 && of(0.3) < 2.0 && of(6.0) > 10.0, "{} {}", of(0.3), of(6.0));
    }

    #[test]
    fn a_screen_of_another_factor_is_none_of_this_ones() {
        let threes = noise_and(30.0, |x, y| if x % 3 == 0 && y % 3 == 0 { 1.0 } else { 0.0 });
        assert!(screen(&threes, 4, 4).unwrap() < 3.0);
        assert!(weave(&threes, 4).unwrap() > 20.0, "but it repeats");
    }

    #[test]
    fn a_diagonal_weave_lies_on_no_lattice_and_is_seen_all_the_same() {
        let woven = |depth| noise_and(depth, |x, y| (0.61 * x as f32 + 1.13 * y as f32).sin());
        let (none, some) = (weave(&woven(0.0), 4).unwrap(), weave(&woven(8.0), 4).unwrap());
        assert!(none < 4.0 && some > 10.0, "{none} {some}");
        assert!(screen(&woven(8.0), 4, 4).unwrap() < 4.0);
    }

    #[rstest]
    #[case(Size::new(71, 300))]
    #[case(Size::new(300, 71))]
    #[case(Size::new(5, 5))]
    fn a_picture_without_room_for_a_window_has_no_figure(#[case] size: Size) {
        assert_eq!(screen(&Planes::black(size), 4, 4), None);
        assert_eq!(weave(&Planes::black(size), 4), None);
    }
}
