//! A picture with a gap at one size, pixel by pixel.

use std::f32::consts::FRAC_1_SQRT_2;

use crate::picture::Planes;
use crate::plane::gaussian;

/// Tone and two differences of colours, times [`TINT`], and how steep tone is around the pixel, along rows and down columns, times [`LIVELINESS`].
pub type Values = [f32; 5];

/// Pixels from the middle of a patch to its edge, and along its side.
pub const HALF: usize = 3;
pub const SIDE: usize = 2 * HALF + 1;

/// What the steepness of tone counts beside tone.
const LIVELINESS: f32 = 6.0;

/// What tint counts beside tone: a patch of another tint is seen at once.
const TINT: f32 = 2.0;

/// Tone, red against blue, and green against both, of red, green and blue: orthonormal, but for [`TINT`].
const OPPONENT: [[f32; 3]; 3] = [
    [0.577_350_3, 0.577_350_3, 0.577_350_3],
    [FRAC_1_SQRT_2, 0.0, -FRAC_1_SQRT_2],
    [0.408_248_3, -0.816_496_6, 0.408_248_3],
];

/// Standard deviation of the surroundings over which steepness is averaged, in pixels of the whole size.
const SURROUNDINGS: f32 = 5.0;

/// Sound ones of four pixels, from which on the pixel that they become counts as sound.
const SOUND_OF_FOUR: usize = 3;

pub struct Layer {
    pub width: usize,
    pub height: usize,
    /// In the gap, what is thought to lie there so far.
    pub values: Vec<Values>,
    /// City-block distance to the nearest sound pixel; 0 for those.
    pub depths: Vec<u32>,
}

impl Layer {
    /// The whole size; the gap begins as the mean of what lies around it.
    pub fn of(planes: &Planes, is_gap: &[bool]) -> Self {
        let (width, height) = (planes.size().width as usize, planes.size().height as usize);
        let depths = depths(width, height, |i| is_gap[i]);
        let [tone, first, second] = [0, 1, 2].map(|i| opponent(planes, i));
        let [across, down] = steepness(&tone, width, is_gap);
        let sigma = (depths.iter().copied().max().unwrap_or(0) as f32).max(2.0);
        let planes = [tone, first, second, across, down].map(|plane| continued(plane, width, is_gap, sigma));
        let values = (0..width * height).map(|i| std::array::from_fn(|channel| planes[channel][i])).collect();
        Self { width, height, values, depths }
    }

    pub fn is_gap(&self, pixel: usize) -> bool {
        self.depths[pixel] > 0
    }

    /// The pixels of the gap.
    pub fn gap(&self) -> Vec<usize> {
        (0..self.values.len()).filter(|pixel| self.is_gap(*pixel)).collect()
    }

    pub fn deepest(&self) -> u32 {
        self.depths.iter().copied().max().unwrap_or(0)
    }

    /// Half as wide and high; of four pixels the sound ones count, where there are any.
    pub fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, self.height / 2);
        let four = |i: usize| {
            let first = 2 * (i / width) * self.width + 2 * (i % width);
            [first, first + 1, first + self.width, first + self.width + 1]
        };
        let sound = |i: usize| four(i).into_iter().filter(|pixel| !self.is_gap(*pixel)).count();
        let mean = |i: usize| {
            let sound = sound(i);
            let counting = four(i).into_iter().filter(|pixel| sound == 0 || !self.is_gap(*pixel));
            let mut sum = Values::default();
            for pixel in counting {
                sum.iter_mut().zip(self.values[pixel]).for_each(|(sum, value)| *sum += value);
            }
            let count = if sound == 0 { 4 } else { sound };
            sum.map(|value| value / count as f32)
        };
        let values = (0..width * height).map(mean).collect();
        Self { width, height, values, depths: depths(width, height, |i| sound(i) < SOUND_OF_FOUR) }
    }

    /// Puts into the gap what lies there at half the size.
    pub fn take_from(&mut self, half: &Self) {
        for pixel in self.gap() {
            let (x, y) = ((pixel % self.width / 2).min(half.width - 1), (pixel / self.width / 2).min(half.height - 1));
            self.values[pixel] = half.values[y * half.width + x];
        }
    }
}

/// Red, green and blue of what lies in a pixel.
pub fn colour(values: &Values) -> [f32; 3] {
    let [tone, first, second] = [values[0], values[1] / TINT, values[2] / TINT];
    [0, 1, 2].map(|c| OPPONENT[0][c] * tone + OPPONENT[1][c] * first + OPPONENT[2][c] * second)
}

/// One of the three planes that tone and tint are told by.
fn opponent(planes: &Planes, i: usize) -> Vec<f32> {
    let weight = if i == 0 { 1.0 } else { TINT };
    let [red, green, blue] = OPPONENT[i].map(|share| weight * share);
    let colours = planes.plane(0).iter().zip(planes.plane(1)).zip(planes.plane(2));
    colours.map(|((r, g), b)| red * r + green * g + blue * b).collect()
}

/// For each pixel, how steep tone is around it, along rows and down columns: from sound pixels alone.
fn steepness(tone: &[f32], width: usize, is_gap: &[bool]) -> [Vec<f32>; 2] {
    let height = tone.len() / width;
    let counts = |i: usize| {
        let has_neighbours = i % width + 1 < width && i / width + 1 < height;
        has_neighbours && !is_gap[i] && !is_gap[i + 1] && !is_gap[i + width]
    };
    let counting: Vec<f32> = (0..tone.len()).map(|i| f32::from(u8::from(counts(i)))).collect();
    let weights = gaussian(&counting, width, SURROUNDINGS);
    [1, width].map(|step| {
        let steps: Vec<f32> = (0..tone.len())
            .map(|i| if counts(i) { LIVELINESS * (tone[i + step] - tone[i]).abs() } else { 0.0 })
            .collect();
        let sums = gaussian(&steps, width, SURROUNDINGS);
        sums.iter().zip(&weights).map(|(sum, weight)| sum / weight.max(1e-6)).collect()
    })
}

/// A plane whose gap holds the mean of the sound pixels around, weighted by a Gaussian.
fn continued(mut plane: Vec<f32>, width: usize, is_gap: &[bool], sigma: f32) -> Vec<f32> {
    let sound: Vec<f32> = is_gap.iter().map(|gap| f32::from(u8::from(!gap))).collect();
    let known: Vec<f32> = plane.iter().zip(&sound).map(|(value, sound)| value * sound).collect();
    let (sums, weights) = (gaussian(&known, width, sigma), gaussian(&sound, width, sigma));
    let count = sound.iter().sum::<f32>().max(1.0);
    let overall = known.iter().sum::<f32>() / count;
    for (i, value) in plane.iter_mut().enumerate().filter(|(i, _)| is_gap[*i]) {
        *value = if weights[i] > 1e-6 { sums[i] / weights[i] } else { overall };
    }
    plane
}

/// City-block distance of each pixel to the nearest one outside the gap, in two sweeps (Rosenfeld and Pfaltz 1966).
fn depths(width: usize, height: usize, is_gap: impl Fn(usize) -> bool) -> Vec<u32> {
    let far = (width + height) as u32;
    let mut depths: Vec<u32> = (0..width * height).map(|i| if is_gap(i) { far } else { 0 }).collect();
    let mut lower = |i: usize, beside: Option<usize>| {
        if let Some(beside) = beside {
            depths[i] = depths[i].min(depths[beside] + 1);
        }
    };
    for i in 0..width * height {
        lower(i, (i % width > 0).then(|| i - 1));
        lower(i, i.checked_sub(width));
    }
    for i in (0..width * height).rev() {
        lower(i, (i % width + 1 < width).then_some(i + 1));
        lower(i, (i / width + 1 < height).then_some(i + width));
    }
    depths
}

/// Of what is marked, row-major, all that hangs together with a place `depth` pixels from what is not.
pub fn deep(marked: &[bool], width: usize, depth: u32) -> Vec<bool> {
    let depths = depths(width, marked.len() / width, |i| marked[i]);
    let mut found: Vec<bool> = depths.iter().map(|own| *own >= depth).collect();
    let mut waiting: Vec<usize> = (0..found.len()).filter(|i| found[*i]).collect();
    while let Some(i) = waiting.pop() {
        let beside = [
            (i % width > 0).then(|| i - 1),
            (i % width + 1 < width).then_some(i + 1),
            i.checked_sub(width),
            Some(i + width).filter(|below| *below < marked.len()),
        ];
        for next in beside.into_iter().flatten().filter(|next| marked[*next]) {
            if !found[next] {
                found[next] = true;
                waiting.push(next);
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn depth_is_the_way_to_the_nearest_sound_pixel() {
        let gap = [false, true, true, true, true, true];
        assert_eq!(depths(6, 1, |i| gap[i]), [0, 1, 2, 3, 4, 5]);
        let middle = depths(5, 5, |i| (1..4).contains(&(i % 5)) && (1..4).contains(&(i / 5)));
        assert_eq!((middle[6], middle[12], middle[0]), (1, 2, 0));
    }

    #[test]
    fn what_hangs_together_with_a_deep_place_is_deep() {
        // A square of 7 with a tail to its right, and a line apart.
        let marked: Vec<bool> = (0..20 * 12)
            .map(|i| (i % 20, i / 20))
            .map(|(x, y)| ((1..8).contains(&x) && (1..8).contains(&y)) || (y == 4 && (8..15).contains(&x)) || y == 10)
            .collect();
        let found = deep(&marked, 20, 4);
        assert!(found[20 + 1] && found[4 * 20 + 14] && !found[10 * 20 + 5] && !found[0]);
        assert!(!deep(&marked, 20, 5).contains(&true));
    }

    #[test]
    fn colours_come_back() {
        let planes = Planes::from_values(dettaglio_domain::geometry::Size::new(1, 1), vec![0.2, 0.9, 0.4]);
        let layer = Layer::of(&planes, &[false]);
        let back = colour(&layer.values[0]);
        assert!(back.iter().zip([0.2, 0.9, 0.4]).all(|(back, own)| (back - own).abs() < 1e-6), "{back:?}");
    }

    #[test]
    fn a_gap_begins_as_what_lies_around_it() {
        let plane = continued(vec![0.2, 0.2, 9.0, 0.4, 0.4], 5, &[false, false, true, false, false], 1.0);
        assert!((plane[2] - 0.3).abs() < 1e-3, "{plane:?}");
        let far = continued(vec![0.5; 400], 400, &[vec![false], vec![true; 399]].concat(), 2.0);
        assert!((far[300] - 0.5).abs() < 1e-5, "where nothing sound is near");
    }
}
