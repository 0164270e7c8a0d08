//! Weights of the pixels of a region: where they lie, and what is laid over a picture by them.

use dettaglio_domain::geometry::Region;

use crate::picture::Planes;

/// The smallest part of a region that holds all weights above nothing; nothing where there are none.
pub(super) fn reached<S>(weights: &[f32], region: Region<S>) -> Option<Region<S>> {
    let width = region.width as usize;
    let rows = || weights.chunks_exact(width);
    let any = |row: &[f32]| row.iter().any(|w| *w > 0.0);
    let top = rows().position(any)? as u32;
    let bottom = region.height - rows().rev().position(any)? as u32;
    let first = |row: &[f32]| row.iter().position(|w| *w > 0.0);
    let last = |row: &[f32]| row.iter().rposition(|w| *w > 0.0);
    let left = rows().filter_map(first).min()? as u32;
    let right = rows().filter_map(last).max()? as u32 + 1;
    Some(Region::of(region.x + left, region.y + top, right - left, bottom - top))
}

/// Draws the values of a region towards those of `inner`, which holds a part of it, by a weight for each pixel of the region.
pub(super) fn mix<S>(planes: &mut Planes, region: Region<S>, inner: &Planes, part: Region<S>, weights: &[f32]) {
    let (left, top) = ((part.x - region.x) as usize, part.y - region.y);
    for channel in 0..3 {
        for y in 0..part.height {
            let weights = &weights[(top + y) as usize * region.width as usize + left..];
            let row = &mut planes.row_mut(channel, top + y)[left..];
            for ((value, new), weight) in row.iter_mut().zip(inner.row(channel, y)).zip(weights) {
                *value += (new - *value) * weight;
            }
        }
    }
}
