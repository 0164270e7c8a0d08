//! The Fourier transform of lines and squares of values.
//!
//! A crate of its own, as the library is generic: whoever plans a transform compiles every butterfly of it for every
//! instruction set, a seventh of the core's time in the compiler. Here that happens once.

use std::sync::Arc;

pub use rustfft::num_complex::Complex32;
use rustfft::{Fft, FftPlanner};

/// Transforms a line of any length in place. Frequencies run from 0 up.
pub fn line(values: &mut [Complex32]) {
    FftPlanner::new().plan_fft_forward(values.len()).process(values);
}

/// The transform of squares of one side. Frequencies run from 0 up, along rows and down columns.
pub struct Square {
    side: usize,
    forward: Arc<dyn Fft<f32>>,
    back: Arc<dyn Fft<f32>>,
}

impl Square {
    /// Of `side` x `side` values.
    pub fn new(side: usize) -> Self {
        let mut planner = FftPlanner::new();
        Self { side, forward: planner.plan_fft_forward(side), back: planner.plan_fft_inverse(side) }
    }

    /// In place; `cells` holds rows from top to bottom.
    pub fn forward(&self, cells: &mut [Complex32]) {
        self.both_ways(&*self.forward, cells);
    }

    /// The inverse of [`forward`](Self::forward).
    pub fn back(&self, cells: &mut [Complex32]) {
        self.both_ways(&*self.back, cells);
        let share = 1.0 / (self.side * self.side) as f32;
        cells.iter_mut().for_each(|value| *value *= share);
    }

    fn both_ways(&self, fft: &dyn Fft<f32>, cells: &mut [Complex32]) {
        fft.process(cells);
        self.turn(cells);
        fft.process(cells);
        self.turn(cells);
    }

    /// Rows become columns.
    fn turn(&self, cells: &mut [Complex32]) {
        for row in 0..self.side {
            for column in row + 1..self.side {
                cells.swap(row * self.side + column, column * self.side + row);
            }
        }
    }
}

/// A window that rises from 0 and falls again: the Hann window of `side` values, which repeats without a step.
pub fn hann(side: usize) -> Vec<f32> {
    (0..side).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / side as f32).cos()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wave_is_one_value_of_its_transform_and_comes_back() {
        const SIDE: usize = 16;
        let (down, across) = (3, 5);
        let turns = |i: usize| (i / SIDE * down + i % SIDE * across) as f32 / SIDE as f32;
        let wave: Vec<Complex32> =
            (0..SIDE * SIDE).map(|i| Complex32::from_polar(1.0, std::f32::consts::TAU * turns(i))).collect();
        let (square, mut cells) = (Square::new(SIDE), wave.clone());
        square.forward(&mut cells);
        for (i, value) in cells.iter().enumerate() {
            let due = if i == down * SIDE + across { (SIDE * SIDE) as f32 } else { 0.0 };
            assert!((value.norm() - due).abs() < 1e-3, "{i}: {value}");
        }
        square.back(&mut cells);
        assert!(wave.iter().zip(&cells).all(|(a, b)| (a - b).norm() < 1e-5));
    }
}
