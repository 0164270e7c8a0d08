//! Which sound patch is most like each patch that touches the gap: candidates come from the neighbours' matches and from chance, ever
//! nearer by (Barnes, Shechtman, Finkelstein and Goldman 2009), for all patches at once.

use rayon::prelude::*;

use super::layer::{HALF, Layer, SIDE, Values};
use crate::chance::scattered;

/// Passes over all patches in a round: of the smallest picture, which begins by chance, and of the others.
const PASSES_FROM_CHANCE: u64 = 12;
const PASSES: u64 = 5;

/// How far off the neighbours are that are asked, pass by pass.
const STEPS: [i32; 3] = [4, 2, 1];

/// The middle of the sound patch that was found, and the sum of squared differences to it.
#[derive(Clone, Copy, Debug)]
pub struct Match {
    pub x: u32,
    pub y: u32,
    pub difference: f32,
}

/// The patches of a picture at one size.
pub struct Search {
    width: usize,
    height: usize,
    number: u64,
    /// Over all patches, in a round.
    passes: u64,
    /// Middles of the patches that touch the gap, as pixels.
    pub targets: Vec<u32>,
    /// Middles of the sound patches, as pixels.
    sound: Vec<u32>,
    /// For each pixel: which target it is, [`SOUND`] or [`NEITHER`].
    what: Vec<u32>,
}

const NEITHER: u32 = u32::MAX;
const SOUND: u32 = u32::MAX - 1;

impl Search {
    /// Nothing where no patch is sound. `number` tells the sizes apart; `from_chance` whether nothing was found at a smaller one.
    pub fn of(layer: &Layer, number: u64, from_chance: bool) -> Option<Self> {
        let (width, height) = (layer.width, layer.height);
        let touched = touched(layer);
        let (mut targets, mut sound, mut what) = (Vec::new(), Vec::new(), vec![NEITHER; width * height]);
        for y in HALF..height.saturating_sub(HALF) {
            for pixel in y * width + HALF..(y + 1) * width - HALF {
                if touched[pixel] {
                    what[pixel] = targets.len() as u32;
                    targets.push(pixel as u32);
                } else {
                    what[pixel] = SOUND;
                    sound.push(pixel as u32);
                }
            }
        }
        let found = !sound.is_empty() && !targets.is_empty();
        let passes = if from_chance { PASSES_FROM_CHANCE } else { PASSES };
        found.then_some(Self { width, height, number, passes, targets, sound, what })
    }

    /// The target whose middle lies there.
    pub fn target_at(&self, x: i32, y: i32) -> Option<usize> {
        let what = self.at(x, y)?;
        (what < SOUND).then_some(what as usize)
    }

    fn at(&self, x: i32, y: i32) -> Option<u32> {
        let inside = (0..self.width as i32).contains(&x) && (0..self.height as i32).contains(&y);
        inside.then(|| self.what[y as usize * self.width + x as usize])
    }

    fn is_sound(&self, x: i32, y: i32) -> bool {
        self.at(x, y) == Some(SOUND)
    }

    fn place(&self, pixel: u32) -> (i32, i32) {
        ((pixel as usize % self.width) as i32, (pixel as usize / self.width) as i32)
    }

    /// A number for a pixel, a pass and a try.
    fn chance(&self, pixel: u32, pass: u64, attempt: u64) -> u64 {
        scattered(u64::from(pixel) ^ (pass + 1) << 32 ^ attempt << 48 ^ (self.number + 1) << 58)
    }

    fn any(&self, pixel: u32) -> Match {
        let sound = self.sound[(self.chance(pixel, 0, 0) % self.sound.len() as u64) as usize];
        let (x, y) = self.place(sound);
        Match { x: x as u32, y: y as u32, difference: f32::INFINITY }
    }

    /// A sound patch for every target, any.
    pub fn by_chance(&self) -> Vec<Match> {
        self.targets.iter().map(|target| self.any(*target)).collect()
    }

    /// What was found at half the size, twice as far.
    pub fn carried_over(&self, half: &Self, matches: &[Match]) -> Vec<Match> {
        let from = |target: &u32| {
            let (x, y) = self.place(*target);
            let inside = |at: i32, side: usize| (at / 2).clamp(HALF as i32, (side - 1 - HALF) as i32);
            let found = matches[half.target_at(inside(x, half.width), inside(y, half.height))?];
            let (x, y) = (2 * found.x as i32 + x % 2, 2 * found.y as i32 + y % 2);
            self.is_sound(x, y).then_some(Match { x: x as u32, y: y as u32, difference: f32::INFINITY })
        };
        self.targets.iter().map(|target| from(target).unwrap_or_else(|| self.any(*target))).collect()
    }

    /// Looks for better matches; what the gap holds has changed since the last round.
    pub fn improve(&self, layer: &Layer, matches: &mut Vec<Match>, round: u64) {
        let own = |(target, found): (&u32, &Match)| {
            let difference =
                self.difference(layer, self.place(*target), (found.x as i32, found.y as i32), f32::INFINITY);
            Match { difference, ..*found }
        };
        *matches = self.targets.par_iter().zip(&*matches).map(own).collect();
        for pass in 0..self.passes {
            let old = &*matches;
            let better = |(i, target): (usize, &u32)| self.better(layer, old, old[i], *target, round * 16 + pass);
            *matches = self.targets.par_iter().enumerate().map(better).collect();
        }
    }

    fn better(&self, layer: &Layer, matches: &[Match], mut best: Match, target: u32, pass: u64) -> Match {
        let (x, y) = self.place(target);
        let attempt = |to: (i32, i32), best: &mut Match| {
            if self.is_sound(to.0, to.1) && to != (best.x as i32, best.y as i32) {
                let difference = self.difference(layer, (x, y), to, best.difference);
                if difference < best.difference {
                    *best = Match { x: to.0 as u32, y: to.1 as u32, difference };
                }
            }
        };
        let step = STEPS[pass as usize % STEPS.len()];
        for (across, down) in [(-step, 0), (step, 0), (0, -step), (0, step)] {
            if let Some(neighbour) = self.target_at(x + across, y + down) {
                let found = matches[neighbour];
                attempt((found.x as i32 - across, found.y as i32 - down), &mut best);
            }
        }
        let mut reach = self.width.max(self.height) as i32;
        let mut tries = 1;
        while reach >= 1 {
            let chance = self.chance(target, pass, tries);
            let within = |bits: u64| (bits % (2 * reach as u64 + 1)) as i32 - reach;
            attempt((best.x as i32 + within(chance & 0xFFFF_FFFF), best.y as i32 + within(chance >> 32)), &mut best);
            (reach, tries) = (reach / 2, tries + 1);
        }
        best
    }

    /// The sum of squared differences of two patches; `most` or more as soon as it comes to that.
    fn difference(&self, layer: &Layer, a: (i32, i32), b: (i32, i32), most: f32) -> f32 {
        let row = |(x, y): (i32, i32), row: usize| {
            let start = (y as usize + row - HALF) * self.width + x as usize - HALF;
            layer.values[start..start + SIDE].as_flattened()
        };
        let mut sum = 0.0;
        for line in 0..SIDE {
            sum += squares(row(a, line), row(b, line));
            if sum >= most {
                break;
            }
        }
        sum
    }
}

/// Values that are summed side by side, in one instruction.
const LANES: usize = 8;

fn squares(a: &[f32], b: &[f32]) -> f32 {
    const _: () = assert!(SIDE * size_of::<Values>() / size_of::<f32>() > LANES);
    let (a, b) = (a.chunks_exact(LANES), b.chunks_exact(LANES));
    let rest: f32 = a.remainder().iter().zip(b.remainder()).map(|(a, b)| (a - b) * (a - b)).sum();
    let mut lanes = [0.0; LANES];
    for (a, b) in a.zip(b) {
        for lane in 0..LANES {
            lanes[lane] += (a[lane] - b[lane]) * (a[lane] - b[lane]);
        }
    }
    rest + lanes.iter().sum::<f32>()
}

/// For each pixel, whether the patch around it touches the gap; by a table of sums (Crow 1984).
fn touched(layer: &Layer) -> Vec<bool> {
    let (width, height) = (layer.width, layer.height);
    let wide = width + 1;
    let mut sums = vec![0_u32; wide * (height + 1)];
    for (y, x) in (0..height).flat_map(|y| (0..width).map(move |x| (y, x))) {
        let own = u32::from(layer.is_gap(y * width + x));
        sums[(y + 1) * wide + x + 1] = sums[y * wide + x + 1] + sums[(y + 1) * wide + x] - sums[y * wide + x] + own;
    }
    let within = |pixel: usize| {
        let (x, y) = (pixel % width, pixel / width);
        let (left, right) = (x.saturating_sub(HALF), (x + HALF + 1).min(width));
        let (top, bottom) = (y.saturating_sub(HALF), (y + HALF + 1).min(height));
        sums[bottom * wide + right] + sums[top * wide + left] - sums[top * wide + right] - sums[bottom * wide + left]
    };
    (0..width * height).map(|pixel| within(pixel) > 0).collect()
}
