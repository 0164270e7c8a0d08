//! How the pixels on edges change as outlines are moved, and which move brings the drawing nearest to the picture.

use std::collections::BTreeMap;
use std::f64::consts::PI;

use super::drawn::{Drawn, Given};
use super::path::Path;
use crate::trace::fit::length;

/// What a pixel differs by from noise and compression, in encoded values: what an edge is moved for must be more.
const NOISE: f64 = 0.04;

/// Waves along a piece by which it is told whether it follows its edge: it does not where one of them is wider than [`OFF`] pixels and takes
/// away [`CHANCE`] times as much as of noise alone.
const WAVES: usize = 6;

const OFF: f64 = 0.05;

const CHANCE: f64 = 9.0;

/// Steps of the conjugate gradient at most, and the share of the residual that is small enough.
const GRADIENTS: usize = 60;
const SMALL: f64 = 1e-4;

/// How the pixels on edges change with each number of all paths.
pub struct Slopes {
    /// By pixel and number: how the pixel's three channels change with the number.
    all: Vec<Slope>,
    /// What each number is expected to move by.
    expected: Vec<f64>,
}

struct Slope {
    pixel: u32,
    number: u32,
    by: [f64; 3],
}

impl Slopes {
    pub fn of(paths: &[Path], drawn: &Drawn, given: &Given) -> Self {
        // Which way is out of a shape, so that the area that a moved edge sweeps has its sign: its holes are less than its rims.
        let mut areas = vec![0.0; given.shapes()];
        paths.iter().for_each(|path| areas[path.shape] += path.area());
        let mut all: Vec<Slope> = Vec::new();
        let mut expected = Vec::new();
        for path in paths {
            let outward: f64 = areas[path.shape].signum();
            path.visit(expected.len(), |point| {
                let Some(pixel) = given.pixel(point.at) else { return };
                let Some(contrast) = drawn.contrast(point.at, path.shape, given) else { return };
                for (number, by) in point.influences {
                    let swept = outward * (by.0 * point.along.1 - by.1 * point.along.0);
                    let by = contrast.map(|c| swept * f64::from(c));
                    all.push(Slope { pixel: pixel as u32, number: *number as u32, by });
                }
            });
            path.expected(&mut expected);
        }
        all.sort_by_key(|slope| (slope.pixel, slope.number));
        all.dedup_by(|next, kept| {
            let same = (next.pixel, next.number) == (kept.pixel, kept.number);
            if same {
                (0..3).for_each(|c| kept.by[c] += next.by[c]);
            }
            same
        });
        Self { all, expected }
    }

    /// The step that brings the drawing nearest to the picture, weighed against how far numbers are expected to move: the conjugate gradient
    /// on the normal equations, each number in its own measure.
    pub fn solved(&self, missing: &[[f32; 3]]) -> Vec<f64> {
        let count = self.expected.len();
        let weight = 1.0 / (NOISE * NOISE);
        let mut right = vec![0.0; count];
        let mut diagonal: Vec<f64> = self.expected.iter().map(|by| 1.0 / (by * by)).collect();
        for Slope { pixel, number, by } in &self.all {
            for c in 0..3 {
                right[*number as usize] += weight * by[c] * f64::from(missing[*pixel as usize][c]);
                diagonal[*number as usize] += weight * by[c] * by[c];
            }
        }
        let times = |numbers: &[f64]| {
            let mut out: Vec<f64> =
                numbers.iter().zip(&self.expected).map(|(v, expected)| v / (expected * expected)).collect();
            for of_pixel in self.all.chunk_by(|a, b| a.pixel == b.pixel) {
                let mut sum = [0.0; 3];
                for Slope { number, by, .. } in of_pixel {
                    (0..3).for_each(|c| sum[c] += by[c] * numbers[*number as usize]);
                }
                for Slope { number, by, .. } in of_pixel {
                    out[*number as usize] += weight * (by[0] * sum[0] + by[1] * sum[1] + by[2] * sum[2]);
                }
            }
            out
        };
        let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
        let (mut solved, mut left) = (vec![0.0; count], right);
        let mut eased: Vec<f64> = left.iter().zip(&diagonal).map(|(v, d)| v / d).collect();
        let (mut ahead, mut size) = (eased.clone(), dot(&left, &eased));
        let enough = SMALL * size;
        for _ in 0..GRADIENTS {
            if size <= enough {
                break;
            }
            let image = times(&ahead);
            let far = size / dot(&ahead, &image);
            solved.iter_mut().zip(&ahead).for_each(|(v, by)| *v += far * by);
            left.iter_mut().zip(&image).for_each(|(v, by)| *v -= far * by);
            eased = left.iter().zip(&diagonal).map(|(v, d)| v / d).collect();
            let next = dot(&left, &eased);
            ahead.iter_mut().zip(&eased).for_each(|(v, by)| *v = by + next / size * *v);
            size = next;
        }
        solved
    }
}

/// Which pieces do not follow the edge that the picture has there.
pub fn strained(path: &Path, drawn: &Drawn, given: &Given) -> Vec<bool> {
    let mut found: Vec<BTreeMap<usize, [[f64; 3]; WAVES]>> = vec![BTreeMap::new(); path.pieces()];
    path.visit(0, |point| {
        let Some(pixel) = given.pixel(point.at) else { return };
        let Some(contrast) = drawn.contrast(point.at, path.shape, given) else { return };
        let row = found[point.piece].entry(pixel).or_default();
        for (wave, slope) in row.iter_mut().enumerate() {
            let swept = length(point.along) * ((wave + 1) as f64 * PI * point.share).sin();
            (0..3).for_each(|c| slope[c] += swept * f64::from(contrast[c]));
        }
    });
    let strained = found.into_iter().map(|pixels| {
        (0..WAVES).any(|wave| {
            let (mut along, mut own) = (0.0, 0.0);
            for (pixel, slopes) in &pixels {
                for (slope, missing) in slopes[wave].iter().zip(drawn.missing[*pixel]) {
                    along += slope * f64::from(missing);
                    own += slope * slope;
                }
            }
            let wide = along / own.max(1e-12);
            wide.abs() > OFF && wide * along > CHANCE * NOISE * NOISE
        })
    });
    strained.collect()
}
