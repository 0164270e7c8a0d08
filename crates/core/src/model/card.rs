//! A model's card: what it is for, what it was made from, and how to run it.

use serde::{Deserialize, Serialize};

use crate::hash::ContentHash;

/// The JSON file beside each ONNX file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Card {
    /// Unique, also the file name: "everyday-x4-draft".
    pub id: String,
    /// For people: "Everyday x4".
    pub name: String,
    /// What it does to a picture.
    pub kind: Kind,
    /// What it was made for: "everyday", "foliage", ...
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// In one sentence, for whom.
    pub purpose: String,
    /// Output side / input side, a whole number.
    pub factor: u32,
    /// Input pixels around a pixel that its value depends on.
    pub halo: u32,
    /// How many numbers were learned.
    pub parameters: u64,
    /// Of the model file.
    pub licence: String,
    /// The photographs that it learned from, with credits.
    pub training_data: Vec<String>,
    /// How it was trained.
    pub recipe: String,
    /// When it was exported, year-month-day.
    pub made_on: String,
    /// Where it is known to do badly.
    pub weaknesses: Vec<String>,
    /// Measured gains; empty until `evaluate` has run.
    pub scores: Vec<Score>,
    /// SHA-256 of the ONNX file.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
}

impl Card {
    /// Name and grade: "Everyday x4, draft".
    pub fn title(&self) -> String {
        match self.grade {
            Grade::Draft => format!("{}, draft", self.name),
            Grade::Fine => format!("{}, fine", self.name),
        }
    }
}

/// What a model does to a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Makes it larger.
    Enlarge,
}

/// A model's size.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Grade {
    /// Fast.
    Draft,
    /// Thorough.
    Fine,
}

/// One photograph that the model never saw, shrunk and enlarged again.
///
/// Figures are luminance PSNR in dB against the photograph itself ([`crate::compare::psnr`]).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Score {
    /// Which photograph.
    pub photo: String,
    /// By repeating the nearest pixel.
    pub nearest: f64,
    /// By bicubic resampling.
    pub bicubic: f64,
    /// By Lanczos 3 resampling.
    pub lanczos: f64,
    /// By this model.
    pub model: f64,
    /// Structural similarity by bicubic, 0 to 1 ([`crate::compare::ssim`]).
    pub bicubic_ssim: f64,
    /// Structural similarity by this model, 0 to 1.
    pub model_ssim: f64,
    /// dB over bicubic when the photograph is shrunk in linear light, as a sensor does.
    pub light_gain: f64,
}

impl Score {
    /// dB over bicubic.
    pub fn gain(&self) -> f64 {
        self.model - self.bicubic
    }
}
