//! The parts of a picture that a rehearsal looks at.

use rayon::prelude::*;

use crate::picture::{Original, Region, Size};
use crate::plane::slope_energy;

/// Side of a part in pixels of the original, where the picture is larger.
pub const SIDE: u32 = 256;

/// The shortest side of a part that can be rehearsed.
pub const SMALLEST: u32 = 48;

/// Places that are looked at before some are chosen, at most.
const MOST_PLACES: u32 = 96;

/// Side of the middle of a place that is looked at.
const PROBE: u32 = 96;

/// Up to `count` parts of `side` px that stand for the picture, the liveliest first: of all places, ranked by how lively they are, some at even
/// steps from the top down to the calmest quarter, where every method does alike.
pub fn choose(original: &Original, count: usize, side: u32) -> Vec<Region> {
    let places = places(original.size(), side);
    if places.len() <= count {
        return places;
    }
    let mut ranked: Vec<(f32, Region)> = places.into_par_iter().map(|at| (liveliness(original, at), at)).collect();
    ranked.sort_by(|a, b| b.0.total_cmp(&a.0));
    let last = (ranked.len() - 1) as f64 * 0.75;
    let step = last / (count.max(2) - 1) as f64;
    (0..count).map(|i| ranked[(i as f64 * step).round() as usize].1).collect()
}

/// A whole picture as parts that cover it, as evenly as its size allows; the last ones of a row or column are larger.
pub fn divided(size: Size, side: u32) -> Vec<Region> {
    let cuts = |whole: u32| {
        let count = (whole / side).max(1);
        (0..count).map(move |i| {
            let (from, to) = (whole * i / count, whole * (i + 1) / count);
            (from, to - from)
        })
    };
    cuts(size.height)
        .flat_map(|(y, height)| cuts(size.width).map(move |(x, width)| Region::new(x, y, width, height)))
        .collect()
}

/// Places of `side` px all over the picture that do not overlap, no more than can be looked at in a moment.
fn places(size: Size, side: u32) -> Vec<Region> {
    let (width, height) = (size.width.min(side), size.height.min(side));
    let (mut across, mut down) = (size.width / width.max(1), size.height / height.max(1));
    let too_many = (f64::from(across) * f64::from(down) / f64::from(MOST_PLACES)).sqrt().max(1.0);
    across = ((f64::from(across) / too_many) as u32).max(1);
    down = ((f64::from(down) / too_many) as u32).max(1);
    // At multiples of eight, where the blocks of a JPEG begin.
    let at = |i: u32, count: u32, whole: u32, part: u32| match count {
        1 => (whole - part) / 2 / 8 * 8,
        _ => (u64::from(whole - part) * u64::from(i) / u64::from(count - 1)) as u32 / 8 * 8,
    };
    let region = |row, column| {
        Region::new(at(column, across, size.width, width), at(row, down, size.height, height), width, height)
    };
    (0..down).flat_map(|row| (0..across).map(move |column| region(row, column))).collect()
}

/// Mean squared slope of the middle of a place.
fn liveliness(original: &Original, at: Region) -> f32 {
    let (width, height) = (at.width.min(PROBE), at.height.min(PROBE));
    let probe = Region::new(at.x + (at.width - width) / 2, at.y + (at.height - height) / 2, width, height);
    let slopes = slope_energy(&original.region(probe).luminance(), width as usize);
    slopes.iter().sum::<f32>() / slopes.len() as f32
}
