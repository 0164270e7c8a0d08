//! Points of light, such as stars, keep their colour in a mosaic that was filled in.
//!
//! A point of a few pixels is seen by a handful of red and of blue ones, and estimates that look along rows and columns take it for noise: it
//! comes out half as colourful as it is. What all the pixels of one colour saw of it together tells its colour better, the wider it is. Here that sum
//! is made to hold, where a point stands alone before an even, dark ground.

use rawler::CFA;
use rayon::prelude::*;

use crate::colour::encode;
use crate::plane::median;

/// The most of a peak's green that pixels at the window's edge may have.
const FAR_OFF: f32 = 0.7;

/// Half the side of the window in which a point is looked at, in pixels.
const REACH: usize = 5;

/// From its middle a point reaches so far, in pixels.
const RADIUS: f32 = 3.6;

/// Radii, in pixels, between which the ground is seen.
const RING: (f32, f32) = (4.0, 5.6);

/// In encoded values, as all below: how far a point rises above its ground at least, and how light that is at most.
const LEAST_HEIGHT: f32 = 0.08;
const LIGHTEST_GROUND: f32 = 0.3;

/// The ground is even where this share of it lies no farther from its middle value than a share of the point's height, or than a step of tone
/// that is hardly seen.
const EVEN_SHARE: f32 = 0.85;
const EVEN_HEIGHT: f32 = 0.12;
const EVEN_STEP: f32 = 0.012;

/// What is wider (standard deviation in pixels), longer (variances along and across) or farther off its peak is no point.
const WIDEST: f32 = 1.6;
const LONGEST: f32 = 2.0;
const OFF_PEAK: f32 = 0.8;

/// By how much the sums of two colours differ in points as they are, as a share of them: an error of so much makes a sum worth half.
const COLOURED_BY: f32 = 0.15;

/// What a colour is multiplied by at least and at most, and how many times the noise a sum must be to be believed.
const FACTORS: (f32, f32) = (0.25, 3.0);
const ABOVE_NOISE: f32 = 3.0;

/// Standard deviation of a normal distribution over its median absolute deviation.
const DEVIATIONS: f32 = 1.4826;

/// Gives points of light in filled-in pixels (linear, three values each) the colour that their sensor saw.
///
/// `period`: pixels from one red pixel to the next. What was seen itself is not changed.
pub(super) fn coloured(values: &mut [f32], width: usize, colours: &CFA, gains: [f32; 3], period: f32) {
    let height = values.len() / (3 * width);
    let pixels = Pixels { values, width, colours, gains };
    let points: Vec<Point> = (REACH..height.saturating_sub(REACH))
        .into_par_iter()
        .flat_map_iter(|y| (REACH..width.saturating_sub(REACH)).filter_map(move |x| pixels.point(x, y, period)))
        .collect();
    for point in points {
        point.colour(values, width, colours, gains);
    }
}

/// Pixels as they were filled in.
#[derive(Clone, Copy)]
struct Pixels<'a> {
    values: &'a [f32],
    width: usize,
    colours: &'a CFA,
    gains: [f32; 3],
}

impl Pixels<'_> {
    fn green(self, x: usize, y: usize) -> f32 {
        self.values[3 * (y * self.width + x) + 1]
    }

    fn balanced(self, x: usize, y: usize) -> [f32; 3] {
        let at = 3 * (y * self.width + x);
        [0, 1, 2].map(|colour| self.values[at + colour] * self.gains[colour])
    }

    /// Whether a pixel is the lightest of those around it and lighter than what lies farther off; of a plateau the first is.
    fn is_peak(self, x: usize, y: usize) -> bool {
        let own = self.green(x, y);
        let far = [(x - REACH, y), (x + REACH, y), (x, y - REACH), (x, y + REACH)];
        if far.into_iter().any(|(x, y)| self.green(x, y) > FAR_OFF * own) {
            return false;
        }
        let mut around = (y - 3..=y + 3).flat_map(|v| (x - 3..=x + 3).map(move |u| (u, v)));
        around.all(|(u, v)| {
            let is_before = (v, u) < (y, x);
            let other = self.green(u, v);
            if is_before { other < own } else { other <= own }
        })
    }

    /// The point that peaks at a pixel, if one does.
    fn point(self, x: usize, y: usize, period: f32) -> Option<Point> {
        if !self.is_peak(x, y) {
            return None;
        }
        let ground = self.ground(x, y)?;
        let shape = self.shape(x, y, ground.map(|one| one.0))?;
        // What sampling every so many pixels does to the sum of a normal distribution (Poisson's summation formula, its first terms).
        let error = 2.0 * (-2.0 * (std::f32::consts::PI / period).powi(2) * shape.variance).exp();
        let trust = 1.0 / (1.0 + (error / COLOURED_BY).powi(2));
        let factors = [0, 1, 2].map(|colour| self.factor(x, y, colour, ground[colour], &shape, trust));
        Some(Point { x, y, middle: shape.middle, ground: ground.map(|one| one.0), factors })
    }

    /// Middle value and standard deviation of each colour's own pixels in the ring around a point, balanced; none where it is not dark
    /// and even, or the point does not rise above it.
    fn ground(self, x: usize, y: usize) -> Option<[(f32, f32); 3]> {
        let mut ring: [Vec<f32>; 3] = Default::default();
        for (u, v) in window(x, y) {
            let away = (u as f32 - x as f32).hypot(v as f32 - y as f32);
            if away > RING.0 && away <= RING.1 {
                let colour = self.colours.color_at(v, u);
                ring[colour].push(self.balanced(u, v)[colour]);
            }
        }
        let [red, green, blue] = ring.each_mut().map(|values| median(values));
        let middles = [red?, green?, blue?];
        let mean = |values: [f32; 3]| values.map(encode).iter().sum::<f32>() / 3.0;
        let dark = mean(middles);
        let height = mean(self.balanced(x, y)) - dark;
        if height < LEAST_HEIGHT || dark > LIGHTEST_GROUND {
            return None;
        }
        let slack = EVEN_STEP.max(EVEN_HEIGHT * height);
        let even = ring.iter().zip(middles).all(|(values, middle)| {
            let (middle, mut near) = (encode(middle), 0);
            for value in values {
                near += usize::from((encode(*value) - middle).abs() < slack);
            }
            near as f32 >= EVEN_SHARE * values.len() as f32
        });
        even.then(|| {
            let mut spread = ring;
            [0, 1, 2].map(|colour| {
                for value in &mut spread[colour] {
                    *value = (*value - middles[colour]).abs();
                }
                (middles[colour], DEVIATIONS * median(&mut spread[colour]).unwrap_or(0.0))
            })
        })
    }

    /// Where a point's middle is, and how wide it is; none where it is no point.
    fn shape(self, x: usize, y: usize, ground: [f32; 3]) -> Option<Shape> {
        let light: Vec<(f32, f32, f32)> = window(x, y)
            .map(|(u, v)| (u as f32 - x as f32, v as f32 - y as f32, (u, v)))
            .filter(|(right, down, _)| right.hypot(*down) < RADIUS - 0.4)
            .map(|(right, down, (u, v))| {
                let above = self.balanced(u, v).iter().zip(ground).map(|(value, ground)| value - ground).sum::<f32>();
                (right, down, above.max(0.0))
            })
            .collect();
        let total: f32 = light.iter().map(|(_, _, light)| light).sum();
        if total <= 0.0 {
            return None;
        }
        let mean =
            |of: &dyn Fn(f32, f32) -> f32| light.iter().map(|(r, d, light)| of(*r, *d) * light).sum::<f32>() / total;
        let (right, down) = (mean(&|r, _| r), mean(&|_, d| d));
        let across = mean(&|r, _| (r - right).powi(2));
        let along = mean(&|_, d| (d - down).powi(2));
        let both = mean(&|r, d| (r - right) * (d - down));
        let variance = (across + along) / 2.0;
        let skew = (variance * variance - across * along + both * both).max(0.0).sqrt();
        let is_point =
            variance < WIDEST * WIDEST && right.hypot(down) < OFF_PEAK && variance + skew < LONGEST * (variance - skew);
        is_point.then_some(Shape { middle: (x as f32 + right, y as f32 + down), variance })
    }

    /// What a colour of a point, less its ground, is to be multiplied by where it was estimated, so that it has as much of it as was seen.
    fn factor(self, x: usize, y: usize, colour: usize, ground: (f32, f32), shape: &Shape, trust: f32) -> f32 {
        let (mut seen, mut estimated, mut own, mut all, mut squares) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for (u, v) in window(x, y) {
            let weight = weight(shape.middle, u, v);
            let light = weight * (self.balanced(u, v)[colour] - ground.0);
            all += weight;
            if self.colours.color_at(v, u) == colour {
                seen += light;
                own += weight;
                squares += weight * weight;
            } else {
                estimated += light;
            }
        }
        if seen <= 0.0 || estimated <= 0.0 {
            return 1.0;
        }
        let due = (1.0 - trust) * (seen + estimated) + trust * seen * all / own;
        let factor = ((due - seen) / estimated).clamp(FACTORS.0, FACTORS.1);
        let noise = (ABOVE_NOISE * ground.1).powi(2) * squares;
        1.0 + (factor - 1.0) * seen * seen / (seen * seen + noise)
    }
}

/// Where a point's middle is, in pixels, and its variance, in pixels squared.
struct Shape {
    middle: (f32, f32),
    variance: f32,
}

/// 1 within a point's reach, 0 beyond it.
fn weight(middle: (f32, f32), x: usize, y: usize) -> f32 {
    (RADIUS + 0.5 - (x as f32 - middle.0).hypot(y as f32 - middle.1)).clamp(0.0, 1.0)
}

/// The places of the window around a pixel.
fn window(x: usize, y: usize) -> impl Iterator<Item = (usize, usize)> {
    (y - REACH..=y + REACH).flat_map(move |v| (x - REACH..=x + REACH).map(move |u| (u, v)))
}

/// A point of light, and what its colours are multiplied by.
struct Point {
    x: usize,
    y: usize,
    middle: (f32, f32),
    /// Of each colour, balanced.
    ground: [f32; 3],
    factors: [f32; 3],
}

impl Point {
    fn colour(&self, values: &mut [f32], width: usize, colours: &CFA, gains: [f32; 3]) {
        for (u, v) in window(self.x, self.y) {
            let own = colours.color_at(v, u);
            let weight = weight(self.middle, u, v);
            for colour in (0..3).filter(|colour| *colour != own) {
                let value = &mut values[3 * (v * width + u) + colour];
                let ground = self.ground[colour] / gains[colour];
                *value = ground + (*value - ground) * (1.0 + (self.factors[colour] - 1.0) * weight);
            }
        }
    }
}
