//! Reading: what is measured on an original before anything is decided.
//!
//! | part | by |
//! |---|---|
//! | [`noise`] | the calmest blocks at each brightness |
//! | [`softness`] | the re-blur ratio at strong edges; overshoot; direction |
//! | [`compression`] | the quantisation table, or the grid and comb that a former JPEG left |
//! | [`spectrum`] | where the power spectrum ends; the period that interpolation leaves |
//! | [`halftone`] | waves that stand in the spectrum of all parts alike |
//! | `border` | four straight edges with paper outside |
//! | [`content`] | flat, textured and lettered shares; clipped tones; the tone of an old print |
//!
//! What it comes to, [`Reading::conclusion`] says in words.

mod border;
pub mod compression;
mod content;
pub mod noise;
pub mod softness;
pub mod spectrum;

use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::reading::{NOISY, NoiseReading, Reading};

use crate::halftone;
use crate::picture::Original;
use crate::screen::weave;

pub(crate) use content::is_lettering;

/// Blocks that are measured at most.
const MOST_BLOCKS: usize = 40_000;

/// Pixels of the middle of the picture that edges and spectrum are read from at most: a square of 2800 px.
const WINDOW: u32 = 2800;

/// Side of the middle of the picture in which a weave is looked for, in pixels.
const WEAVE_WINDOW: u32 = 512;

/// Energy at one fine frequency over that around it from which on a picture is a halftone, a screen or a weave: noise has 2 to 4.
const WOVEN: f64 = 200.0;

/// The same from which on it holds a fine regular pattern, such as tiles of a roof far away: of photographs looked at, one in forty.
const PATTERNED: f64 = 80.0;

/// How much the middle of a picture repeats itself finely.
fn weave_of(original: &Original) -> f64 {
    let middle = original.size().whole().middle(WEAVE_WINDOW);
    weave(&original.region(middle.seen_as()), 0).unwrap_or_default()
}

/// Whether the middle of a picture repeats itself finely, as a halftone does, which varies alike everywhere without being noise.
fn is_woven(original: &Original) -> bool {
    weave_of(original) > WOVEN
}

/// Whether the middle of a picture holds a fine regular pattern. What lies between its pixels cannot be told from them: repeating finer
/// than they can hold, it shows as another pattern.
pub(crate) fn is_patterned(original: &Original) -> bool {
    weave_of(original) > PATTERNED
}

/// The noise of an original and nothing else, before it is asked whether it can be told from texture.
pub(crate) fn noise_of(original: &Original) -> NoiseReading {
    noise::read(&noise::blocks(original, MOST_BLOCKS))
}

/// Measures an original; `facts` tell of its file. About a second for 12 megapixels.
pub fn measure(original: &Original, facts: &Facts) -> Reading {
    let blocks = noise::blocks(original, MOST_BLOCKS);
    let mut noise = noise::read(&blocks);
    if noise.sigma >= NOISY && !noise.hidden {
        noise.hidden = noise::outlasts_halving(original, &noise) || is_woven(original);
    }
    let screen = halftone::find(original);
    let content = content::read(original, &blocks, &noise, screen.is_some());
    let size = original.size();
    let (width, height) = (size.width.min(WINDOW), size.height.min(WINDOW));
    // The window starts at whole blocks, so that a grid is found where it is in the file.
    let start = |side: u32, kept: u32| (side - kept) / 2 / 8 * 8;
    let window = Region::new(start(size.width, width), start(size.height, height), width, height);
    let luminance = original.region(window.seen_as()).luminance();
    let sigma = noise.luminance / 255.0;
    let softness = softness::read(&luminance, width as usize, sigma);
    let former = compression::former_jpeg(&luminance, width as usize);
    // The grid of the file itself is no trace of an earlier one.
    let former_jpeg = former.filter(|f| facts.jpeg_quality.is_none() || (f.x, f.y) != (0, 0));
    let blocks = facts.jpeg_quality.is_some() || former.is_some();
    let mut detail = spectrum::read(&luminance, width as usize, sigma, blocks);
    let side = |px: u32| ((px as f32 * detail.usable).round() as u32).max(1);
    detail.size = Size::new(side(size.width), side(size.height));
    Reading {
        noise,
        softness,
        jpeg_quality: facts.jpeg_quality,
        former_jpeg,
        detail,
        content,
        screen,
        sight: None,
        border: border::find(original),
    }
}
