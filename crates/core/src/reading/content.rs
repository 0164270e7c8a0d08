//! Content: clipped tones, and how much of the picture is flat, textured, or lettering.

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::noise::{BLOCK, Block, NoiseReading};
use crate::picture::{Original, Region};

/// Shares of the picture, 0 to 1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Content {
    /// With nothing but noise.
    pub flat: f32,
    /// With fine structure.
    pub texture: f32,
    /// That looks like lettering or line work: two even tones with sharp borders.
    pub lettering: f32,
    /// With some colour at the dark end of the scale.
    pub clipped_shadows: f32,
    /// With some colour at the light end of the scale.
    pub clipped_highlights: f32,
    /// Mean luminance.
    pub brightness: f32,
}

/// Blocks that are looked at for lettering.
const MOST_BLOCKS: usize = 3000;

/// Contrast that lettering has at least, in luminance.
const LETTERING_CONTRAST: f32 = 0.15;

/// Reads a picture whose blocks and noise were measured.
pub fn read(original: &Original, blocks: &[Block], noise: &NoiseReading) -> Content {
    if blocks.is_empty() {
        return Content::default();
    }
    let count = blocks.len() as f32;
    let share = |of: &(dyn Fn(&Block) -> bool + Sync)| blocks.iter().filter(|b| of(b)).count() as f32 / count;
    let noise_at = |b: &Block| noise.level.at(b.brightness).max(0.7);
    let step = blocks.len().div_ceil(MOST_BLOCKS).max(1);
    let lettering: Vec<bool> = blocks
        .par_iter()
        .step_by(step)
        .map(|block| block.whole > 100.0 && is_lettering(original, block.x, block.y))
        .collect();
    let clipped =
        |dark: bool| blocks.iter().filter(|b| (b.brightness < 0.5) == dark).map(|b| b.clipped).sum::<f32>() / count;
    Content {
        flat: share(&|b| b.whole.sqrt() < 1.8 * noise_at(b) + 0.8),
        texture: share(&|b| b.fine_luminance.sqrt() > 2.0 * noise_at(b) + 2.0),
        lettering: lettering.iter().filter(|l| **l).count() as f32 / lettering.len() as f32,
        clipped_shadows: clipped(true),
        clipped_highlights: clipped(false),
        brightness: blocks.iter().map(|b| b.brightness).sum::<f32>() / count,
    }
}

/// Whether the block of 16 x 16 px at a place holds two even tones and little in between.
pub fn is_lettering(original: &Original, x: u32, y: u32) -> bool {
    let luminance = original.region(Region::new(x, y, BLOCK, BLOCK)).luminance();
    let mean = luminance.iter().sum::<f32>() / luminance.len() as f32;
    let side = |light: bool| {
        let tones: Vec<f32> = luminance.iter().copied().filter(|v| (*v > mean) == light).collect();
        (tones.iter().sum::<f32>() / tones.len().max(1) as f32, tones.len())
    };
    let ((dark, dark_count), (light, light_count)) = (side(false), side(true));
    let contrast = light - dark;
    let between = luminance.iter().filter(|v| (dark + 0.3 * contrast..light - 0.3 * contrast).contains(*v)).count();
    let apart = |v: &f32| (v - if *v > mean { light } else { dark }).powi(2);
    let within = luminance.iter().map(apart).sum::<f32>() / luminance.len() as f32;
    let few = luminance.len() / 12;
    contrast > LETTERING_CONTRAST
        && dark_count > few
        && light_count > few
        && between * 6 < luminance.len()
        && within < 0.04 * contrast * contrast
}
