//! What the Clean step took away, and the share of it that is blended back on the result.
//!
//! The enlarging model always sees the picture as clean as it can be. Grain, Colour speckle, Keep texture and the
//! other strengths decide how much of what was removed returns, after the model: moving them costs no model.

use dettaglio_domain::clean::{Clean, Noise, NoiseCurve};
use dettaglio_domain::geometry::Region;

use super::drawn;
use super::level::{Below, Level};
use super::pace::{Pace, RenderError};
use crate::picture::{Planes, luminance};
use crate::plane::{box_mean, slope_energy, smoothstep};

/// Pixels around a pixel that decide whether Keep texture counts it as texture.
const TEXTURE_REACH: u32 = 4;

/// Slopes of the cleaned picture between which tone becomes texture, in luminance a pixel.
const TEXTURE_SLOPE: (f32, f32) = (0.008, 0.03);

/// One part of the Clean step as far as blending back goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Share {
    /// The same share of everything.
    Even(f32),
    /// Of noise.
    Noise {
        /// Of brightness.
        grain: f32,
        /// Of colour.
        speckle: f32,
        /// Of brightness where there is texture, on top.
        texture: f32,
        /// Of thin lines and points, on top.
        lines: f32,
        /// The noise that was to be taken.
        level: NoiseCurve,
    },
}

impl Share {
    fn is_nothing(self) -> bool {
        match self {
            Share::Even(share) => share == 0.0,
            Share::Noise { grain, speckle, texture, lines, .. } => [grain, speckle, texture, lines] == [0.0; 4],
        }
    }
}

/// The share of each pass's removal that returns, in the order of the passes.
pub fn shares(clean: &Clean) -> Vec<Share> {
    let marks = clean.marks.iter().map(|m| Share::Even(1.0 - m.strength));
    let noise = clean.noise.iter().map(|n| Share::Noise {
        grain: 1.0 - n.grain,
        speckle: 1.0 - n.speckle,
        texture: n.keep_texture * n.grain,
        lines: n.keep_lines * n.grain,
        level: n.level,
    });
    let softness = clean.softness.iter().map(|s| Share::Even(1.0 - s.strength));
    marks.chain(noise).chain(softness).collect()
}

/// Pixels around a region that [`removed`] needs.
pub fn reach(clean: &Clean) -> u32 {
    let wants = |share: fn(&Noise) -> f32| clean.noise.as_ref().is_some_and(|noise| share(noise) > 0.0);
    match () {
        () if wants(|n| n.keep_lines) => drawn::REACH.max(TEXTURE_REACH + 1),
        () if wants(|n| n.keep_texture) => TEXTURE_REACH + 1,
        () => 0,
    }
}

/// What returns of what the cleaned level's passes took away, in the region; nothing when nothing returns.
///
/// Values are differences of encoded RGB, -1 to 1.
pub fn removed(
    cleaned: &Level<'_>,
    clean: &Clean,
    region: Region,
    pace: &dyn Pace,
) -> Result<Option<Planes>, RenderError> {
    let shares = shares(clean);
    if shares.iter().all(|share| share.is_nothing()) {
        return Ok(None);
    }
    let padded = region.grown(reach(clean), cleaned.size());
    let mut total = Planes::black(region.size());
    let mut after = cleaned.region(padded, pace)?;
    let mut below = cleaned.below();
    // From the last pass down to the first.
    for share in shares.iter().rev() {
        let before = below.region(padded, pace)?;
        add(&mut total, &before, &after, *share, region, padded);
        after = before;
        match below {
            Below::Framed(_) | Below::Step(_) => break,
            Below::Level(level) => below = level.below(),
        }
    }
    Ok(Some(total))
}

fn add(total: &mut Planes, before: &Planes, after: &Planes, share: Share, region: Region, padded: Region) {
    if share.is_nothing() {
        return;
    }
    let (grain, speckle, texture) = match share {
        Share::Even(share) => (share, share, 0.0),
        Share::Noise { grain, speckle, texture, .. } => (grain, speckle, texture),
    };
    let lines = match share {
        Share::Noise { lines, level, .. } if lines > 0.0 => Some((lines, drawn::drawn(before, after, &level))),
        _ => None,
    };
    let (width, inset) = (padded.width as usize, ((region.x - padded.x) as usize, (region.y - padded.y) as usize));
    let mask = (texture > 0.0).then(|| texture_mask(&after.luminance(), width));
    let area = total.size().area() as usize;
    let columns = region.width as usize;
    let values = total.values_mut();
    for y in 0..region.height as usize {
        for x in 0..columns {
            let at = (y + inset.1) * width + x + inset.0;
            let difference = [0, 1, 2].map(|channel| before.plane(channel)[at] - after.plane(channel)[at]);
            let luminance = luminance(difference);
            let of_luminance = grain + mask.as_ref().map_or(0.0, |m| texture * m[at]);
            for (channel, value) in difference.into_iter().enumerate() {
                let value = of_luminance * luminance + speckle * (value - luminance);
                let drawn = lines.as_ref().map_or(0.0, |(share, drawn)| share * drawn.plane(channel)[at]);
                values[channel * area + y * columns + x] += value + drawn;
            }
        }
    }
}

/// Where the cleaned picture still has texture, 0 to 1.
fn texture_mask(luminance: &[f32], width: usize) -> Vec<f32> {
    let mut mask = box_mean(&slope_energy(luminance, width), width, TEXTURE_REACH as usize);
    mask.iter_mut().for_each(|v| *v = smoothstep(v.max(0.0).sqrt(), TEXTURE_SLOPE.0, TEXTURE_SLOPE.1));
    mask
}
