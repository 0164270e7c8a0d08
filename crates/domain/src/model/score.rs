//! What was measured of a model, on pictures that it never saw.

use serde::{Deserialize, Serialize};

/// What was gained on one set of pictures, or with one kind of damage, in dB.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Evidence {
    /// Which set, or which damage.
    pub on: String,
    /// Whether it is what the model was made for.
    pub own: bool,
    /// On how many pictures.
    pub pictures: usize,
    /// The least gain on any of them.
    pub least: f64,
    /// The mean gain.
    pub mean: f64,
    /// The most, where single pictures are known.
    pub most: Option<f64>,
}

/// One picture that the model never saw, shrunk or damaged, and enlarged again.
///
/// Figures are taken against the picture itself; PSNR in dB on luminance.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Score {
    /// Of which set: "photographs", or a subject's own.
    pub set: String,
    /// Which picture.
    pub photo: String,
    /// PSNR by repeating the nearest pixel.
    pub nearest: f64,
    /// PSNR by bicubic resampling.
    pub bicubic: f64,
    /// PSNR by Lanczos 3 resampling.
    pub lanczos: f64,
    /// PSNR by Everyday of the same factor; nothing for Everyday itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub everyday: Option<f64>,
    /// PSNR by this model.
    pub model: f64,
    /// Structural similarity by bicubic, 0 to 1.
    pub bicubic_ssim: f64,
    /// Structural similarity by this model, 0 to 1.
    pub model_ssim: f64,
    /// Sharpness over the truth's, by bicubic.
    pub bicubic_sharpness: f64,
    /// The same by this model.
    pub model_sharpness: f64,
    /// How far bicubic lies from the truth to a general network that has learned to see: 0 is equal. Nothing for what was measured
    /// before this was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bicubic_perceived: Option<f64>,
    /// The same by Everyday; nothing for Everyday itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub everyday_perceived: Option<f64>,
    /// The same by this model.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub model_perceived: Option<f64>,
    /// The energy that this model leaves on the lattice of its factor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub screen: Option<f64>,
    /// The strongest narrow peak in this model's spectrum.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub weave: Option<f64>,
    /// Drift of colour and tone by this model.
    pub drift: f64,
    /// dB over bicubic when the picture is shrunk in linear light, as a sensor does; nothing where the damage is given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub light_gain: Option<f64>,
}

impl Score {
    /// dB over bicubic.
    pub fn gain(&self) -> f64 {
        self.model - self.bicubic
    }
}

/// As [`Card::perceived_nearer`], on scores of one's choice.
pub fn perceived_nearer(scores: &[&Score]) -> Option<f64> {
    let pairs = scores.iter().filter_map(|s| Some((s.model_perceived?, s.everyday_perceived?)));
    let (model, everyday) = pairs.fold((0.0, 0.0), |(model, everyday), (m, e)| (model + m, everyday + e));
    (everyday > 0.0).then(|| 1.0 - model / everyday)
}

/// Energy on the lattice of the factor, over its neighbourhood, above which a pattern shows. Photographs have 1 to 4,
/// Everyday up to 9 where a picture is smoothest, models that draw dots 95 to 2,800.
pub const MOST_SCREEN: f64 = 10.0;

/// dB that any part of a damaged face may lose by being restored as suggested.
pub const MOST_LOST: f64 = 0.3;

/// The set of photographs of all kinds.
pub const PHOTOGRAPHS: &str = "photographs";

/// The faces that a restorer was tried on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FaceTrial {
    /// Pixels of the picture between the eyes.
    pub eyes: f32,
    /// How far the picture's edges were spread, as a Gaussian's standard deviation in its pixels.
    pub blur: f32,
}

/// One kind of damage, averaged over photographs that the model never saw, before and after cleaning.
///
/// PSNR and SSIM as in [`Score`], against the undamaged photographs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CleaningScore {
    /// In words: "sensor noise, sigma 25".
    pub damage: String,
    /// The pictures were sound: what counts is how little is done to them.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub undamaged: bool,
    /// Of a restorer: which faces it was tried on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub face: Option<FaceTrial>,
    /// On how many photographs.
    pub photos: usize,
    /// Mean PSNR of the damaged picture in dB; 0 where it was not damaged at all.
    pub before: f64,
    /// Mean PSNR of the cleaned picture in dB.
    pub after: f64,
    /// The least gain on any of the photographs, in dB.
    pub least_gain: f64,
    /// Mean structural similarity of the damaged picture, 0 to 1.
    pub before_ssim: f64,
    /// Mean structural similarity of the cleaned picture, 0 to 1.
    pub after_ssim: f64,
    /// Mean PSNR of the three colours of the cleaned picture in dB; nothing for what was measured before this was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_rgb: Option<f64>,
    /// On which photograph it gained least.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub worst: String,
}
