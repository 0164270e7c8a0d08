//! Lines and points that a cleaner took for noise: found in what it took away, and given back without the noise.
//!
//! Grain has no direction. What was drawn has: along a wire or a strand the removed values keep their sign, and their mean over a few
//! pixels along it stands out of the noise, which averages away. So where the cleaned picture has a thin line, the mean *along the
//! line* of what was taken there is blended back; where what was taken rises to a point far above the noise, its small mean is.

use dettaglio_domain::clean::NoiseCurve;
use rayon::prelude::*;

use crate::picture::Planes;
use crate::plane::{box_mean, gaussian, smoothstep};

/// Pixels along a line, to either side, that are averaged.
const HALF_LENGTH: isize = 4;

/// Directions that are told apart, as steps of (across, down) for eight pixels.
const DIRECTIONS: [(f32, f32); 8] = [
    (1.0, 0.0),
    (0.924, 0.383),
    (0.707, 0.707),
    (0.383, 0.924),
    (0.0, 1.0),
    (-0.383, 0.924),
    (-0.707, 0.707),
    (-0.924, 0.383),
];

/// Blur that takes tone out, so that lines are left, in pixels.
const TONE: f32 = 2.0;

/// Blur that a point is looked for through, in pixels.
const POINT: f32 = 0.8;

/// How far a line of the cleaned picture rises above its surroundings, over the least that counts, for none and all of it.
const LINE_RISE: (f32, f32) = (1.0, 2.0);

/// The least rise that counts: this share of the noise's sigma, and so many 8-bit levels besides.
const LEAST_RISE: (f32, f32) = (0.15, 1.0);

/// Share by which a line rises more along than across itself, for none and all of it.
const LINE_SHARE: (f32, f32) = (0.25, 0.55);

/// Height of a point in what was taken, over the noise's sigma, for none and all of it.
const POINT_RISE: (f32, f32) = (1.2, 1.9);

/// Pixels around a pixel that its value depends on.
pub const REACH: u32 = 10;

/// What is given back of `before` - `after`, in differences of encoded RGB; `level` is the noise that was to be taken.
///
/// The outer [`REACH`] pixels come out right only where they are the picture's own edge.
pub fn drawn(before: &Planes, after: &Planes, level: &NoiseCurve) -> Planes {
    let size = after.size();
    let (width, height) = (size.width as usize, size.height as usize);
    let area = width * height;
    let clean = after.luminance();
    let tone = gaussian(&clean, width, TONE);
    let fine: Vec<f32> = clean.iter().zip(&tone).map(|(v, t)| v - t).collect();
    let brightness = box_mean(&clean, width, 2);
    let taken = before.values().iter().zip(after.values()).map(|(b, a)| b - a).collect();
    let taken = Planes::from_values(size, taken);
    let grey = taken.luminance();
    let blurred = (0..3).flat_map(|channel| gaussian(taken.plane(channel), width, POINT)).collect();
    let blurred = Planes::from_values(size, blurred);
    let heights = blurred.luminance();
    let at = |x: isize, y: isize| {
        let (x, y) = (x.clamp(0, width as isize - 1) as usize, y.clamp(0, height as isize - 1) as usize);
        y * width + x
    };
    let along = |plane: &[f32], x: usize, y: usize, (dx, dy): (f32, f32)| {
        let sum: f32 = (-HALF_LENGTH..=HALF_LENGTH)
            .map(|step| {
                let (px, py) = (
                    x as isize + (dx * step as f32).round() as isize,
                    y as isize + (dy * step as f32).round() as isize,
                );
                plane[at(px, py)]
            })
            .sum();
        sum / (2 * HALF_LENGTH + 1) as f32
    };
    let mut back = Planes::black(size);
    let found: Vec<[f32; 3]> = (0..area)
        .into_par_iter()
        .map(|i| {
            let (x, y) = (i % width, i / width);
            let sigma = level.at(brightness[i]) / 255.0;
            let rises = DIRECTIONS.map(|direction| along(&fine, x, y, direction));
            let best = (0..DIRECTIONS.len()).max_by(|a, b| rises[*a].abs().total_cmp(&rises[*b].abs())).unwrap_or(0);
            let (rise, across) = (rises[best].abs(), rises[(best + 4) % 8].abs());
            let least = LEAST_RISE.0 * sigma + LEAST_RISE.1 / 255.0;
            let is_line = smoothstep(rise / least, LINE_RISE.0, LINE_RISE.1)
                * smoothstep((rise - across) / (rise + across).max(1e-6), LINE_SHARE.0, LINE_SHARE.1);
            let line = if is_line > 0.0 { is_line * along(&grey, x, y, DIRECTIONS[best]) } else { 0.0 };
            let is_point = smoothstep(heights[i].abs() / sigma.max(1e-6), POINT_RISE.0, POINT_RISE.1);
            [0, 1, 2].map(|channel| line + is_point * (blurred.plane(channel)[i] - line))
        })
        .collect();
    let values = back.values_mut();
    for (i, pixel) in found.into_iter().enumerate() {
        (0..3).for_each(|channel| values[channel * area + i] = pixel[channel]);
    }
    back
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Corner, grain};
    use dettaglio_domain::geometry::Size;

    const SIZE: Size = Size::new(120, 90);
    const LEVEL: f32 = 10.0;

    /// Grey with a wire and a star, and the same as a cleaner leaves it: the wire fainter, the star gone.
    fn cleaned() -> (Planes, Planes) {
        let drawing = |wire: f32, star: f32| {
            let at = |i: usize| {
                let (x, y) = ((i % 120) as f32, (i / 120) as f32);
                let away = y - 30.0 - 0.2 * x;
                let far = (x - 80.0).hypot(y - 75.0);
                0.4 + wire * (-away * away / 0.8).exp() + star * (-far * far / 1.2).exp()
            };
            Planes::from_values(SIZE, (0..3 * SIZE.area() as usize).map(|i| at(i % SIZE.area() as usize)).collect())
        };
        (drawing(0.2, 0.25), drawing(0.14, 0.0))
    }

    fn noisy(planes: &Planes) -> Planes {
        let noise: Vec<f32> =
            (0..3).flat_map(|c| grain(Corner { x: 7, y: 10_000 * c }, SIZE)).map(|n| n * LEVEL / 255.0).collect();
        Planes::from_values(SIZE, planes.values().iter().zip(noise).map(|(v, n)| v + n).collect())
    }

    fn error(a: &Planes, b: &Planes, rows: std::ops::Range<u32>) -> f32 {
        let squares = rows.flat_map(|y| a.row(1, y).iter().zip(b.row(1, y))).map(|(a, b)| (a - b).powi(2));
        let all: Vec<f32> = squares.collect();
        (all.iter().sum::<f32>() / all.len() as f32).sqrt() * 255.0
    }

    #[test]
    fn a_wire_and_a_star_come_back_and_the_noise_does_not() {
        let (truth, after) = cleaned();
        let back = drawn(&noisy(&truth), &after, &NoiseCurve::flat(LEVEL));
        let whole = Planes::from_values(SIZE, after.values().iter().zip(back.values()).map(|(a, b)| a + b).collect());
        let at = |planes: &Planes, x: usize, y: u32| 255.0 * planes.row(1, y)[x];
        // The wire, at five places along it.
        let lacks = |planes: &Planes| {
            [20_usize, 40, 50, 70, 90]
                .iter()
                .map(|x| at(&truth, *x, 30 + *x as u32 / 5) - at(planes, *x, 30 + *x as u32 / 5))
                .sum::<f32>()
                / 5.0
        };
        assert!(lacks(&after) > 10.0 && lacks(&whole).abs() < 5.0, "{} {}", lacks(&after), lacks(&whole));
        assert!(at(&whole, 80, 75) > at(&after, 80, 75) + 30.0, "{}", at(&whole, 80, 75));
        // Empty grey above all of it.
        assert!(error(&whole, &after, 0..18) < 0.12 * LEVEL, "{}", error(&whole, &after, 0..18));
    }

    #[test]
    fn a_region_with_its_reach_is_that_part_of_the_whole() {
        let (truth, after) = cleaned();
        let (before, level) = (noisy(&truth), NoiseCurve::flat(LEVEL));
        let whole = drawn(&before, &after, &level);
        let inner = dettaglio_domain::geometry::Region::new(40, 30, 30, 20);
        let padded = inner.grown(REACH, SIZE);
        let part = drawn(&before.cut(padded), &after.cut(padded), &level);
        let cut = inner.inside(padded);
        let worst = part
            .cut(cut)
            .values()
            .iter()
            .zip(whole.cut(inner).values())
            .map(|(a, b)| (a - b).abs())
            .fold(0.0, f32::max);
        assert!(worst < 1e-6, "{worst}");
    }

    #[test]
    fn nothing_that_was_taken_is_nothing_that_comes_back() {
        let (truth, _) = cleaned();
        let back = drawn(&truth, &truth, &NoiseCurve::default());
        assert!(back.values().iter().all(|v| *v == 0.0));
    }
}
