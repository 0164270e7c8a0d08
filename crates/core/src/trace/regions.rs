//! Which colour each pixel belongs to, and how much of it.

use dettaglio_domain::geometry::Size;

use super::palette::{Colour, EXPLAINED, Palette, at, between, distance, nearest, well_within};
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

/// A line lies on one ground where this share of what it touches is of one colour.
const ONE_GROUND: f32 = 0.75;

/// By how much less off, encoded, others must explain a narrow region's colour than its own does.
const BETTER: f32 = 0.02;

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
    let of = without_mixtures(of, picture, palette, scale);
    let bits: Vec<u32> = of.iter().map(|label| 1 << label).collect();
    Labels { size, of, around: spread(&bits, width, height, reach) }
}

/// Regions that are nowhere wide, and which two other colours explain better than their own: each pixel goes to the nearer of the two. A narrow
/// gap between dark lines is no third colour, and neither is what lies between two. But a fine line on one ground keeps a colour that only
/// fine lines have: it is paler than its ink.
fn without_mixtures(mut of: Vec<u8>, picture: &Planes, palette: &Palette, scale: f64) -> Vec<u8> {
    let colours = &palette.colours;
    let well = well_within(&of, picture.size(), scale);
    for region in regions(&of, picture.size()) {
        let own = usize::from(of[region[0]]);
        if region.iter().any(|i| well[*i]) || (!palette.wide[own] && on_one_ground(&of, &region, picture.size())) {
            continue;
        }
        let share = 1.0 / region.len() as f32;
        let mut mean = [0.0; 3];
        region.iter().for_each(|i| (0..3).for_each(|c| mean[c] += share * at(picture, *i)[c]));
        let mut with_own = f32::INFINITY;
        let mut without = (f32::INFINITY, 0, 0);
        for a in 0..colours.len() {
            for b in a + 1..colours.len() {
                let (share, off) = between(mean, colours[a], colours[b]);
                if !(0.0..=1.0).contains(&share) {
                    continue;
                }
                if a == own || b == own {
                    with_own = with_own.min(off);
                } else if off < without.0 {
                    without = (off, a, b);
                }
            }
        }
        let (off, a, b) = without;
        // A colour that only fine lines have is mixed of others itself.
        if off < EXPLAINED && (!palette.wide[own] || off + BETTER < with_own) {
            for i in region {
                of[i] = if between(at(picture, i), colours[a], colours[b]).0 > 0.5 { b } else { a } as u8;
            }
        }
    }
    of
}

/// Whether what a region touches is of one label for the most part.
fn on_one_ground(of: &[u8], region: &[usize], size: Size) -> bool {
    let mut counts = [0_u32; 32];
    let own = of[region[0]];
    region
        .iter()
        .flat_map(|i| beside(*i, size))
        .filter(|j| of[*j] != own)
        .for_each(|j| counts[usize::from(of[j])] += 1);
    let most = counts.iter().max().copied().unwrap_or(0);
    most as f32 >= ONE_GROUND * counts.iter().sum::<u32>() as f32
}

/// The pixels next to one.
fn beside(i: usize, size: Size) -> impl Iterator<Item = usize> {
    let (width, height) = (size.width as usize, size.height as usize);
    let (x, y) = (i % width, i / width);
    let around = [
        (x > 0).then(|| i - 1),
        (x + 1 < width).then(|| i + 1),
        (y > 0).then(|| i - width),
        (y + 1 < height).then(|| i + width),
    ];
    around.into_iter().flatten()
}

/// The pixels of each connected region of one label.
fn regions(of: &[u8], size: Size) -> Vec<Vec<usize>> {
    let mut seen = vec![false; of.len()];
    let mut found = Vec::new();
    for start in 0..of.len() {
        if std::mem::replace(&mut seen[start], true) {
            continue;
        }
        let mut region = vec![start];
        let mut next = 0;
        while next < region.len() {
            let i = region[next];
            next += 1;
            for j in beside(i, size).filter(|j| of[*j] == of[i]) {
                if !std::mem::replace(&mut seen[j], true) {
                    region.push(j);
                }
            }
        }
        found.push(region);
    }
    found
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
                for j in beside(i, self.size) {
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

#[cfg(test)]
mod tests {
    use super::*;

    const PAPER: Colour = [0.95, 0.93, 0.88];
    const INK: Colour = [0.13, 0.21, 0.24];
    const GLASS: Colour = [0.18, 0.5, 0.52];
    const SIDE: usize = 30;

    fn mixed(a: Colour, b: Colour, share: f32) -> Colour {
        [0, 1, 2].map(|c| a[c] + (b[c] - a[c]) * share)
    }

    /// Rows of these colours, and the labels that were given to them.
    fn relabelled(rows: impl Fn(usize) -> (Colour, u8), colours: &[Colour], wide: &[bool]) -> Vec<u8> {
        let size = Size::new(SIDE as u32, SIDE as u32);
        let values =
            (0..3).flat_map(|c| (0..SIDE * SIDE).map(move |i| (c, i))).map(|(c, i)| rows(i / SIDE).0[c]).collect();
        let picture = Planes::from_values(size, values);
        let palette = Palette { colours: colours.to_vec(), wide: wide.to_vec(), plain: vec![true; SIDE * SIDE] };
        let of = (0..SIDE * SIDE).map(|i| rows(i / SIDE).1).collect();
        without_mixtures(of, &picture, &palette, 4.0).into_iter().step_by(SIDE).collect()
    }

    #[test]
    fn a_narrow_gap_between_dark_lines_is_no_third_colour() {
        let gap = mixed(PAPER, INK, 0.4);
        let rows = |y: usize| if (13..16).contains(&y) { (gap, 2) } else { (INK, 1) };
        let found = relabelled(rows, &[PAPER, INK, GLASS], &[true; 3]);
        assert!(found[13..16].iter().all(|label| *label == 0), "{found:?}");
    }

    #[test]
    fn a_line_of_a_colour_of_its_own_keeps_it() {
        let rows = |y: usize| if (13..16).contains(&y) { (GLASS, 2) } else { (PAPER, 0) };
        let found = relabelled(rows, &[PAPER, INK, GLASS], &[true; 3]);
        assert!(found[13..16].iter().all(|label| *label == 2), "{found:?}");
    }

    #[test]
    fn what_is_mixed_of_two_goes_between_them_and_stays_on_one_ground() {
        let pale = mixed(GLASS, INK, 0.6);
        let (colours, wide) = ([PAPER, INK, GLASS, pale], [true, true, true, false]);
        let between = |y: usize| match y {
            0..13 => (INK, 1),
            13..16 => (pale, 3),
            _ => (GLASS, 2),
        };
        let found = relabelled(between, &colours, &wide);
        assert!(found[13..16].iter().all(|label| *label == 1), "{found:?}");
        let line = |y: usize| if (13..16).contains(&y) { (pale, 3) } else { (GLASS, 2) };
        let found = relabelled(line, &colours, &wide);
        assert!(found[13..16].iter().all(|label| *label == 3), "{found:?}");
    }
}
