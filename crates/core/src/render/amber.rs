//! A picture, dim, with amber over it.

use crate::picture::Planes;

/// The colour of a clear departure, sRGB.
const AMBER_COLOUR: [f32; 3] = [0.94, 0.64, 0.25];

/// A picture, dim and grey, with amber over it: by a share of 0 to 1 for each pixel.
pub(super) fn in_amber(picture: &Planes, shares: &[f32]) -> Planes {
    let luminance = picture.luminance();
    let mut out = Planes::black(picture.size());
    for (channel, plane) in out.values_mut().chunks_exact_mut(shares.len()).enumerate() {
        for ((value, luminance), share) in plane.iter_mut().zip(&luminance).zip(shares) {
            let dim = 0.12 + 0.3 * luminance;
            *value = dim + (AMBER_COLOUR[channel] - dim) * share;
        }
    }
    out
}
