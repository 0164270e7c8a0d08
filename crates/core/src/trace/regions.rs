//! Which colour each pixel belongs to, and how much of it.

use dettaglio_domain::geometry::Size;

use super::palette::{Colour, Palette, at, distance, nearest};
use crate::picture::Planes;

/// The colour of each pixel, by its place in the palette, row by row; and all that occur around it, as bits.
pub struct Labels {
    pub size: Size,
    pub of: Vec<u8>,
    around: Vec<u32>,
}

/// Sides of the squares in which a mixed pixel's colours are looked for, in small pixels.
const REACH: f64 = 1.6;

/// How far a shape goes on below those that lie on it, in small pixels.
const BELOW: f64 = 0.5;

/// A line is lighter or darker than both of its sides by this much, in encoded values, and along itself by less than half of it.
const RIDGE: f32 = 0.1;

/// Gives each pixel one of the palette's colours: one that is plain the nearest; one on an edge the nearest of those around it, so that what
/// lies between two colours is not taken for a third.
pub fn label(picture: &Planes, palette: &Palette, scale: f64) -> Labels {
    let size = picture.size();
    let (width, height) = (size.width as usize, size.height as usize);
    let all = u32::MAX >> (32 - palette.colours.len().clamp(1, 32));
    let luminance = picture.luminance();
    let step = (scale * 0.75).round().max(1.0) as usize;
    let mut sure = vec![0_u32; width * height];
    for y in 0..height {
        for x in 0..width {
            let i = y * width + x;
            let own = match beside_line(&luminance, width, height, (x, y), step) {
                Some(j) => ink(&palette.colours, at(picture, j), at(picture, i)),
                None if palette.plain[i] => nearest(&palette.colours, all, at(picture, i)),
                None => None,
            };
            sure[i] = own.map_or(0, |label| 1 << label);
        }
    }
    let reach = (REACH * scale).round().max(1.0) as usize;
    let around = spread(&sure, width, height, reach);
    let of: Vec<u8> = (0..width * height)
        .map(|i| {
            let allowed = match (sure[i], around[i]) {
                (0, 0) => all,
                (0, around) => around,
                (own, _) => own,
            };
            if allowed.count_ones() == 2 {
                let (a, b) = (allowed.trailing_zeros() as u8, 31 - allowed.leading_zeros() as u8);
                let of_b = share(at(picture, i), palette.colours[usize::from(a)], palette.colours[usize::from(b)]);
                return if of_b > 0.5 { b } else { a };
            }
            nearest(&palette.colours, allowed, at(picture, i)).unwrap_or(0)
        })
        .collect();
    let bits: Vec<u32> = of.iter().map(|label| 1 << label).collect();
    Labels { size, of, around: spread(&bits, width, height, reach) }
}

/// The ink of a line that is thinner than a small pixel and so paler than it: what, laid over the colour beside it, comes nearest.
fn ink(colours: &[Colour], side: Colour, here: Colour) -> Option<u8> {
    let all = u32::MAX >> (32 - colours.len().clamp(1, 32));
    let ground = nearest(colours, all, side)?;
    let off = |label: usize| {
        let over = share(here, side, colours[label]).clamp(0.0, 1.0);
        let mixed = [0, 1, 2].map(|c| side[c] + (colours[label][c] - side[c]) * over);
        distance(mixed, here)
    };
    (0..colours.len())
        .filter(|label| *label != usize::from(ground))
        .min_by(|a, b| off(*a).total_cmp(&off(*b)))
        .map(|label| label as u8)
}

/// Where a pixel lies on a thin line, lighter or darker than what lies to both sides and like what lies before and behind: a pixel beside it.
fn beside_line(luminance: &[f32], width: usize, height: usize, (x, y): (usize, usize), step: usize) -> Option<usize> {
    if x < step || y < step || x + step >= width || y + step >= height {
        return None;
    }
    let here = luminance[y * width + x];
    let at = |(dx, dy): (i64, i64), sign: i64| {
        let along = |from: usize, by: i64| (from as i64 + sign * by * step as i64) as usize;
        along(y, dy) * width + along(x, dx)
    };
    let pair = |way: (i64, i64)| (luminance[at(way, -1)], luminance[at(way, 1)]);
    let across = |(a, b): (f32, f32)| here < a.min(b) - RIDGE || here > a.max(b) + RIDGE;
    let along = |(a, b): (f32, f32)| (here - a).abs() < RIDGE / 2.0 && (here - b).abs() < RIDGE / 2.0;
    [((1, 0), (0, 1)), ((0, 1), (1, 0)), ((1, 1), (1, -1)), ((1, -1), (1, 1))]
        .into_iter()
        .find(|(beside, ahead)| across(pair(*beside)) && along(pair(*ahead)))
        .map(|(beside, _)| at(beside, 1))
}

/// How far a colour lies from one to another, 0 to 1 between them.
fn share(here: Colour, from: Colour, to: Colour) -> f32 {
    let axis = [0, 1, 2].map(|c| to[c] - from[c]);
    let length: f32 = axis.iter().map(|v| v * v).sum();
    (0..3).map(|c| (here[c] - from[c]) * axis[c]).sum::<f32>() / length.max(1e-9)
}

/// All bits that are set within so many pixels across and down.
fn spread(bits: &[u32], width: usize, height: usize, reach: usize) -> Vec<u32> {
    let along = |source: &[u32], count: usize, step: usize, lines: usize, line_step: usize| {
        let mut out = vec![0; source.len()];
        for line in 0..lines {
            for i in 0..count {
                let (from, to) = (i.saturating_sub(reach), (i + reach).min(count - 1));
                out[line * line_step + i * step] =
                    (from..=to).fold(0, |bits, k| bits | source[line * line_step + k * step]);
            }
        }
        out
    };
    let across = along(bits, width, 1, height, width);
    along(&across, height, width, width, 1)
}

impl Labels {
    /// The colours that occur, those that cover most first.
    pub fn by_area(&self, colours: usize) -> Vec<u8> {
        let mut counts = vec![0_usize; colours];
        self.of.iter().for_each(|&label| counts[usize::from(label)] += 1);
        let mut order: Vec<u8> = (0..colours as u8).filter(|&label| counts[usize::from(label)] > 0).collect();
        order.sort_by_key(|&label| std::cmp::Reverse(counts[usize::from(label)]));
        order
    }

    /// How much of each pixel a colour's shape covers, 0 to 1: half on its edge. The shape goes on below those that lie on it, `above`: all
    /// the way where they lie on it alone.
    pub fn field(&self, picture: &Planes, colours: &[Colour], above: &[u8], label: u8, scale: f64) -> Vec<f32> {
        let (width, height) = (self.size.width as usize, self.size.height as usize);
        let above = above.iter().fold(0_u32, |bits, label| bits | 1 << label);
        let is_above = |other: u8| above >> other & 1 == 1;
        let covered = self.covered(&is_above, label);
        let own: Vec<u32> = self.of.iter().map(|&l| u32::from(l == label)).collect();
        let near = spread(&own, width, height, (BELOW * scale).round().max(1.0) as usize);
        let colour = |label: u8| colours[usize::from(label)];
        let field = (0..width * height).map(|i| {
            let mine = self.of[i];
            if covered[i] || (mine != label && is_above(mine) && near[i] > 0) {
                return 1.0;
            }
            if mine == label {
                let others = self.around[i] & !above & !(1 << label);
                return match nearest(colours, others, at(picture, i)) {
                    Some(other) => share(at(picture, i), colour(other), colour(label)).clamp(0.5001, 1.0),
                    None => 1.0,
                };
            }
            if !is_above(mine) && self.around[i] >> label & 1 == 1 {
                return share(at(picture, i), colour(mine), colour(label)).clamp(0.0, 0.4999);
            }
            0.0
        });
        field.collect()
    }

    /// Pixels of colours above a shape that lie within it alone: they touch no colour below it.
    fn covered(&self, is_above: &dyn Fn(u8) -> bool, label: u8) -> Vec<bool> {
        let (width, height) = (self.size.width as usize, self.size.height as usize);
        let mut seen = vec![false; width * height];
        let mut covered = vec![false; width * height];
        let mut region = Vec::new();
        for start in 0..width * height {
            if seen[start] || !is_above(self.of[start]) {
                continue;
            }
            let (mut within, mut open) = (true, vec![start]);
            seen[start] = true;
            region.clear();
            while let Some(i) = open.pop() {
                region.push(i);
                let (x, y) = (i % width, i / width);
                for (dx, dy) in [(-1_i64, 0_i64), (1, 0), (0, -1), (0, 1)] {
                    let (nx, ny) = (x as i64 + dx, y as i64 + dy);
                    if nx < 0 || ny < 0 || nx >= width as i64 || ny >= height as i64 {
                        continue;
                    }
                    let j = ny as usize * width + nx as usize;
                    let other = self.of[j];
                    if !is_above(other) {
                        within &= other == label;
                    } else if !seen[j] {
                        seen[j] = true;
                        open.push(j);
                    }
                }
            }
            if within {
                region.iter().for_each(|&i| covered[i] = true);
            }
        }
        covered
    }
}
