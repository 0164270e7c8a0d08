//! The parts of a picture that a rehearsal looks at.

use dettaglio_domain::affine::space;
use dettaglio_domain::geometry::{Region, Size};
use rayon::prelude::*;

use crate::picture::Original;
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
pub fn choose(original: &Original, count: usize, side: u32) -> Vec<Region<space::Original>> {
    // At multiples of eight, where the blocks of a JPEG begin.
    let places = Region::spread(original.size(), side, MOST_PLACES, |place| place as u32 / 8 * 8);
    if places.len() <= count {
        return places;
    }
    let mut ranked: Vec<(f32, Region<space::Original>)> =
        places.into_par_iter().map(|at| (liveliness(original, at), at)).collect();
    ranked.sort_by(|a, b| b.0.total_cmp(&a.0));
    let last = (ranked.len() - 1) as f64 * 0.75;
    let step = last / (count.max(2) - 1) as f64;
    (0..count).map(|i| ranked[(i as f64 * step).round() as usize].1).collect()
}

/// A whole picture as parts that cover it, as evenly as its size allows; the last ones of a row or column are larger.
pub fn divided(size: Size, side: u32) -> Vec<Region<space::Original>> {
    let cuts = |whole: u32| {
        let count = (whole / side).max(1);
        (0..count).map(move |i| {
            let (from, to) = (whole * i / count, whole * (i + 1) / count);
            (from, to - from)
        })
    };
    cuts(size.height)
        .flat_map(|(y, height)| cuts(size.width).map(move |(x, width)| Region::of(x, y, width, height)))
        .collect()
}

/// Mean squared slope of the middle of a place.
fn liveliness(original: &Original, at: Region<space::Original>) -> f32 {
    let probe = at.middle(PROBE);
    let slopes = slope_energy(&original.region(probe).luminance(), probe.width as usize);
    slopes.iter().sum::<f32>() / slopes.len() as f32
}
