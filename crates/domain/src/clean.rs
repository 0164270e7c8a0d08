//! The Clean step: what is taken out of the picture before it is enlarged.
//!
//! Compression marks go first, for a denoiser would take blocks for texture; then noise; then softness, which a noisy picture cannot be
//! rid of. Each is a model pass with a conditioning level: how much of the damage there is, as a physical quantity. What a pass took away
//! is kept, and a share of it can be blended back: that is what the sliders do, and no model runs again for it.

use serde::{Deserialize, Serialize};

use crate::model::ModelRef;

/// The standard deviation of a picture's noise at eight brightnesses, in 8-bit levels.
///
/// The noise of a sensor grows with light as a + b x (Foi 2008), but a file holds it after a tone curve and often
/// after a cleaner: a curve through measured points holds all of these.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NoiseCurve(pub [f32; 8]);

/// Whether a setting is off: for what is left out of JSON then.
pub fn is_zero(value: &f32) -> bool {
    *value == 0.0
}

impl NoiseCurve {
    /// The same at every brightness.
    pub fn flat(sigma: f32) -> Self {
        Self([sigma; 8])
    }

    /// The brightness that a point of the curve stands for.
    pub fn brightness(point: usize) -> f32 {
        (point as f32 + 0.5) / 8.0
    }

    /// Sigma in 8-bit levels at a luminance in [0, 1].
    pub fn at(&self, luminance: f32) -> f32 {
        let place = (luminance * 8.0 - 0.5).clamp(0.0, 7.0);
        let below = (place as usize).min(6);
        let share = place - below as f32;
        self.0[below] + (self.0[below + 1] - self.0[below]) * share
    }

    /// The curve times a number.
    pub fn times(&self, factor: f32) -> Self {
        Self(self.0.map(|v| v * factor))
    }

    /// The curve of another encoding of the same pixels: changed at each brightness as what was measured `before` is to what is measured
    /// `now`, four-fold at most.
    pub fn encoded_anew(&self, before: &Self, now: &Self) -> Self {
        let changed = |point: usize| {
            let ratio = if before.0[point] > 0.0 { now.0[point] / before.0[point] } else { 1.0 };
            self.0[point] * ratio.clamp(0.25, 4.0)
        };
        Self(std::array::from_fn(changed))
    }

    /// The curve, cut off at a sigma.
    pub fn at_most(&self, sigma: f32) -> Self {
        Self(self.0.map(|v| v.min(sigma)))
    }

    /// The highest point, in 8-bit levels.
    pub fn most(&self) -> f32 {
        self.0.into_iter().fold(0.0, f32::max)
    }
}

/// The settings of the Clean step; each part can be off.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Clean {
    /// Blocks and fringes of JPEG.
    pub marks: Option<Marks>,
    /// The noise of a sensor or of film.
    pub noise: Option<Noise>,
    /// Slight blur.
    pub softness: Option<Softness>,
}

/// Compression marks.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Marks {
    /// By which model.
    pub model: ModelRef,
    /// The JPEG quality that left them, 1 to 100.
    pub quality: f32,
    /// The share that goes, 0 to 1.
    pub strength: f32,
}

/// Noise.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Noise {
    /// By which model.
    pub model: ModelRef,
    /// How much there is.
    pub level: NoiseCurve,
    /// The share of brightness noise that goes, 0 to 1.
    pub grain: f32,
    /// The share of colour noise that goes, 0 to 1.
    pub speckle: f32,
    /// The share of what was taken from textured places that is blended back, 0 to 1.
    pub keep_texture: f32,
    /// The share of thin lines and points among what was taken that is blended back, 0 to 1.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub keep_lines: f32,
}

/// Blur.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Softness {
    /// By which model.
    pub model: ModelRef,
    /// The spread of an edge, in pixels of the original.
    pub sigma: f32,
    /// The share that goes, 0 to 1.
    pub strength: f32,
}

impl Noise {
    /// The share of texture that is kept where nothing speaks for more.
    pub const USUAL_KEEP_TEXTURE: f32 = 0.1;

    /// A model's usual settings for noise of this level: nearly all grain and all colour speckle go, lines stay.
    pub fn usual(model: ModelRef, level: NoiseCurve) -> Self {
        Self { model, level, grain: 0.9, speckle: 1.0, keep_texture: Self::USUAL_KEEP_TEXTURE, keep_lines: 1.0 }
    }
}

impl Clean {
    /// Whether it does nothing.
    pub fn is_off(&self) -> bool {
        self.marks.is_none() && self.noise.is_none() && self.softness.is_none()
    }

    /// The passes in the order in which they run, each with what it is told.
    pub fn passes(&self) -> Vec<(&ModelRef, Conditioning)> {
        let marks =
            self.marks.iter().map(|m| (&m.model, Conditioning::Constant(1.0 - m.quality.clamp(1.0, 100.0) / 100.0)));
        let noise = self.noise.iter().map(|n| (&n.model, Conditioning::Noise(n.level)));
        let softness = self.softness.iter().map(|s| (&s.model, Conditioning::Constant(s.sigma / SOFTNESS_SCALE)));
        marks.chain(noise).chain(softness).collect()
    }
}

/// A softness model is told sigma over this many pixels.
pub const SOFTNESS_SCALE: f32 = 4.0;

/// What a cleaner is told about each pixel.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub enum Conditioning {
    /// The same everywhere.
    Constant(f32),
    /// Noise that depends on the brightness around the pixel.
    Noise(NoiseCurve),
}

/// The brightness that noise is looked up by is the mean of 5 x 5 pixels: one pixel's own is the noise itself.
pub const BRIGHTNESS_REACH: u32 = 2;

impl Conditioning {
    /// Pixels around a pixel that its level depends on.
    pub fn reach(self) -> u32 {
        match self {
            Conditioning::Constant(_) => 0,
            Conditioning::Noise(_) => BRIGHTNESS_REACH,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::hash::ContentHash;

    #[test]
    fn a_curve_goes_through_its_points() {
        let curve = NoiseCurve([8.0, 7.0, 6.0, 5.0, 4.0, 3.0, 2.0, 1.0]);
        for point in 0..8 {
            assert!((curve.at(NoiseCurve::brightness(point)) - curve.0[point]).abs() < 1e-5);
        }
        assert_eq!(curve.at(0.0), 8.0);
        assert_eq!(curve.at(1.0), 1.0);
        assert!((curve.at(0.125) - 7.5).abs() < 1e-5);
    }

    #[test]
    fn a_curve_follows_what_another_encoding_makes_of_noise() {
        let set_by_hand = NoiseCurve([10.0; 8]);
        let before = NoiseCurve([4.0, 4.0, 4.0, 4.0, 4.0, 4.0, 0.0, 4.0]);
        let now = NoiseCurve([8.0, 4.0, 2.0, 0.0, 99.0, 4.0, 7.0, 4.0]);
        assert_eq!(set_by_hand.encoded_anew(&before, &now).0, [20.0, 10.0, 5.0, 2.5, 40.0, 10.0, 10.0, 10.0]);
    }

    #[test]
    fn marks_go_before_noise_and_noise_before_softness() {
        let model = |name: &str| ModelRef { model: name.to_owned(), sha256: ContentHash::of(name.as_bytes()) };
        let clean = Clean {
            softness: Some(Softness { model: model("soft"), sigma: 1.0, strength: 1.0 }),
            marks: Some(Marks { model: model("marks"), quality: 50.0, strength: 1.0 }),
            noise: Some(Noise {
                model: model("noise"),
                level: NoiseCurve::flat(5.0),
                grain: 1.0,
                speckle: 1.0,
                keep_texture: 0.0,
                keep_lines: 0.0,
            }),
        };
        let names: Vec<&str> = clean.passes().iter().map(|(m, _)| m.model.as_str()).collect();
        assert_eq!(names, ["marks", "noise", "soft"]);
        assert_eq!(clean.passes()[0].1, Conditioning::Constant(0.5));
    }
}
