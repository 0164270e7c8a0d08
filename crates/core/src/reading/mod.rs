//! Reading: what is measured on an original before anything is decided.
//!
//! | part | by |
//! |---|---|
//! | [`noise`] | the calmest blocks at each brightness |
//! | [`softness`] | the re-blur ratio at strong edges; overshoot; direction |
//! | [`compression`] | the quantisation table, or the grid and comb that a former JPEG left |
//! | [`spectrum`] | where the power spectrum ends; the period that interpolation leaves |
//! | [`content`] | flat, textured and lettered shares; clipped tones; the tone of an old print |
//!
//! [`conclusion`](Reading::conclusion) says it in words.

pub mod compression;
mod content;
pub mod noise;
pub mod softness;
pub mod spectrum;

use serde::{Deserialize, Serialize};

use crate::codec::Facts;
use crate::picture::{Original, Region, Size};
use crate::screen::weave;
use crate::size::{MM_PER_INCH, eye_ppi};

pub use compression::FormerJpeg;
pub use content::Content;
pub(crate) use content::is_lettering;
pub use noise::NoiseReading;
pub use softness::SoftnessReading;
pub use spectrum::Detail;

/// All that was measured on an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reading {
    /// Noise.
    pub noise: NoiseReading,
    /// Softness and sharpening; absent when there are too few edges.
    pub softness: Option<SoftnessReading>,
    /// Quality of the file, when it is a JPEG, 1 to 100.
    pub jpeg_quality: Option<f32>,
    /// Traces of an earlier JPEG in the pixels.
    pub former_jpeg: Option<FormerJpeg>,
    /// How far up detail goes.
    pub detail: Detail,
    /// Shares of the picture.
    pub content: Content,
}

/// Blocks that are measured at most.
const MOST_BLOCKS: usize = 40_000;

/// Pixels of the middle of the picture that edges and spectrum are read from at most: a square of 2800 px.
const WINDOW: u32 = 2800;

/// Noise from which on cleaning pays, in 8-bit levels.
pub const NOISY: f32 = 1.5;

/// ISO sensitivity from which on there is noise, whether it can be told from texture or not.
const SURELY_NOISY_ISO: u32 = 1600;

/// JPEG quality below which marks show once enlarged.
pub const MARKED_QUALITY: f32 = 88.0;

/// Edge spread, in pixels, from which on a picture is soft, and beyond which no model brings detail back.
pub const SOFT: f32 = 0.95;

/// See [`SOFT`].
pub const BEYOND_HELP: f32 = 2.2;

/// Overshoot from which on edges were sharpened.
pub const SHARPENED: f32 = 0.06;

/// Side of the middle of the picture in which a weave is looked for, in pixels.
const WEAVE_WINDOW: u32 = 512;

/// Energy at one fine frequency over that around it from which on a picture is a halftone, a screen or a weave: noise has 2 to 4.
const WOVEN: f64 = 200.0;

/// Whether the middle of a picture repeats itself finely, as a halftone does, which varies alike everywhere without being noise.
fn is_woven(original: &Original) -> bool {
    let middle = original.size().whole().middle(WEAVE_WINDOW);
    weave(&original.region(middle), 0).is_some_and(|energy| energy > WOVEN)
}

impl Reading {
    /// Measures an original; `facts` tell of its file. About a second for 12 megapixels.
    pub fn of(original: &Original, facts: &Facts) -> Self {
        let blocks = noise::blocks(original, MOST_BLOCKS);
        let mut noise = noise::read(&blocks);
        if noise.sigma >= NOISY && !noise.hidden {
            noise.hidden = noise::outlasts_halving(original, &noise) || is_woven(original);
        }
        let content = content::read(original, &blocks, &noise);
        let size = original.size();
        let (width, height) = (size.width.min(WINDOW), size.height.min(WINDOW));
        // The window starts at whole blocks, so that a grid is found where it is in the file.
        let start = |side: u32, kept: u32| (side - kept) / 2 / 8 * 8;
        let window = Region::new(start(size.width, width), start(size.height, height), width, height);
        let luminance = original.region(window).luminance();
        let sigma = noise.luminance / 255.0;
        let softness = softness::read(&luminance, width as usize, sigma);
        let former = compression::former_jpeg(&luminance, width as usize);
        // The grid of the file itself is no trace of an earlier one.
        let former_jpeg = former.filter(|f| facts.jpeg_quality.is_none() || (f.x, f.y) != (0, 0));
        let blocks = facts.jpeg_quality.is_some() || former.is_some();
        let mut detail = spectrum::read(&luminance, width as usize, sigma, blocks);
        let side = |px: u32| ((px as f32 * detail.usable).round() as u32).max(1);
        detail.size = Size::new(side(size.width), side(size.height));
        Self { noise, softness, jpeg_quality: facts.jpeg_quality, former_jpeg, detail, content }
    }

    /// The compression that the pixels went through: the worse of the file's and an earlier one.
    pub fn worst_quality(&self) -> Option<f32> {
        [self.jpeg_quality, self.former_jpeg.map(|f| f.quality)].into_iter().flatten().min_by(f32::total_cmp)
    }

    /// Whether there is noise worth taking out. Where only texture was to be seen, the camera's `iso` decides: cleaning for noise
    /// that is none takes the texture.
    pub fn is_noisy(&self, iso: Option<u32>) -> bool {
        self.noise.sigma >= NOISY && (!self.noise.hidden || iso.is_some_and(|iso| iso >= SURELY_NOISY_ISO))
    }

    /// Resolution that the picture's real detail gives on paper, when its pixels give `ppi`.
    pub fn detail_ppi(&self, ppi: f64) -> f64 {
        ppi * f64::from(self.detail.usable)
    }

    /// What it comes to, in plain words, the most important first.
    pub fn conclusion(&self) -> Vec<String> {
        [self.noise_words(), self.sharpness_words(), self.compression_words(), self.detail_words(), self.tone_words()]
            .into_iter()
            .flatten()
            .collect()
    }

    fn noise_words(&self) -> Option<String> {
        let NoiseReading { level, sigma, colour, luminance, hidden } = self.noise;
        let word = match sigma {
            s if s < 0.8 => return Some("Practically free of noise.".to_owned()),
            s if s < NOISY => return Some(format!("A trace of noise, sigma {sigma:.1}: no need to clean.")),
            _ if hidden => {
                return Some(format!(
                    "Texture all over: noise cannot be told from it, and is at most of sigma {sigma:.1}."
                ));
            }
            s if s < 4.0 => "Light noise",
            s if s < 10.0 => "Clear noise",
            _ => "Strong noise",
        };
        let (dark, light) = (level.0[1], level.0[6]);
        let place = match () {
            () if dark > 1.5 * light.max(1.0) => format!(", strongest in the shadows ({dark:.0})"),
            () if light > 1.5 * dark.max(1.0) => format!(", strongest in the lights ({light:.0})"),
            () => String::new(),
        };
        let speckle = if colour > 0.8 * luminance { ", much of it in colour" } else { "" };
        Some(format!("{word}, sigma {sigma:.1}{place}{speckle}: clean before enlarging."))
    }

    fn sharpness_words(&self) -> Option<String> {
        let Some(SoftnessReading { sigma, shake, overshoot, .. }) = self.softness else {
            return Some("Too few edges to tell how sharp it is.".to_owned());
        };
        let spread = match sigma {
            s if s < 0.5 => "edges spread over less than half a pixel".to_owned(),
            s => format!("edges spread over {s:.1} px"),
        };
        let mut words = match sigma {
            s if s < SOFT => format!("Sharp: {spread}."),
            s if s < BEYOND_HELP => format!("A little soft: {spread}, which can be brought back in part."),
            _ => format!(
                "Soft: {spread}. No model brings back what is not there; it can be printed small, or seen from afar."
            ),
        };
        if let Some(degrees) = shake {
            words += &format!(" Drawn out along {degrees:.0} degrees, as by a shake.");
        }
        if overshoot > SHARPENED {
            words += &format!(" Sharpened already: edges overshoot by {:.0} %.", overshoot * 100.0);
        }
        Some(words)
    }

    fn compression_words(&self) -> Option<String> {
        if let Some(FormerJpeg { quality, x, y }) = self.former_jpeg {
            return Some(format!(
                "It was a JPEG of quality {quality:.0} before (blocks from {x}, {y}): its marks are still there."
            ));
        }
        let quality = self.jpeg_quality?;
        Some(match quality {
            q if q < 60.0 => format!("Strong compression, quality {q:.0}: take the marks out first."),
            q if q < MARKED_QUALITY => format!("Compression of quality {q:.0}: its marks would show once enlarged."),
            q => format!("Mild compression, quality {q:.0}."),
        })
    }

    fn detail_words(&self) -> Option<String> {
        let Detail { usable, size, enlarged, ends_abruptly } = self.detail;
        let cm = |px: u32| f64::from(px) / eye_ppi(1.0) * MM_PER_INCH / 10.0;
        let print =
            format!("real detail supports about {:.0} x {:.0} cm seen from 1 m", cm(size.width), cm(size.height));
        Some(match enlarged {
            Some(factor) => {
                format!(
                    "It seems to have been enlarged {factor:.1} times before: {size} would hold all of its detail; {print}."
                )
            }
            None if ends_abruptly => format!(
                "Its detail ends abruptly, as after an enlargement or out of focus: it would fit into {size}; {print}."
            ),
            None if usable < 0.7 => format!("Its detail would fit into {size}; {print}."),
            None => format!("Detail up to {:.0} % of what its pixels can hold; {print}.", usable * 100.0),
        })
    }

    fn tone_words(&self) -> Option<String> {
        let Content { clipped_shadows, clipped_highlights, lettering, faded_tone, .. } = self.content;
        let mut parts = Vec::new();
        if faded_tone {
            parts.push("of one faded tone, as a scan of an old print".to_owned());
        }
        if lettering > 0.2 {
            parts.push(format!("{:.0} % looks like lettering or line work", lettering * 100.0));
        }
        if clipped_highlights > 0.02 {
            parts.push(format!("{:.0} % of the lights are clipped", clipped_highlights * 100.0));
        }
        if clipped_shadows > 0.05 {
            parts.push(format!("{:.0} % of the shadows are clipped", clipped_shadows * 100.0));
        }
        let text = parts.join("; ");
        let mut letters = text.chars();
        letters.next().map(|first| format!("{}{}.", first.to_uppercase(), letters.as_str()))
    }
}
