//! A model's card: what it is for, what it was made from, and how to run it.

use serde::{Deserialize, Serialize};

use super::tensor::Trial;
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
    /// Sides of its input are multiples of this; what lacks at the right and lower edge is filled up.
    #[serde(default = "Card::any_size")]
    pub multiple: u32,
    /// What it is told besides the picture, as a second input named `level`.
    #[serde(default)]
    pub level: Option<LevelKind>,
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
    /// Measured gains of an enlarger; empty until `evaluate` has run.
    pub scores: Vec<Score>,
    /// Measured gains of a cleaner over the damaged picture, of a restorer over Everyday; empty until `evaluate` has run.
    #[serde(default)]
    pub cleaning: Vec<CleaningScore>,
    /// Of a restorer: the share of its answer that is suggested, 0 to 1; see [`Card::usual_strength`].
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strength: Option<f32>,
    /// Whether it draws texture from noise that belongs to the place, as a second input named `grain` at the result's size.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub grain: bool,
    /// Whether it takes damage out while it enlarges: such a model runs once, and others go on from there.
    #[serde(default)]
    pub cleans: bool,
    /// Of a person's own model: how it wants its pictures, as a trial run found out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trial: Option<Trial>,
    /// SHA-256 of the ONNX file.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
}

impl Card {
    /// The share of a restorer's answer that is suggested: the most, in tenths, at which no part of a damaged face came out worse by more
    /// than [`MOST_LOST`] than without it, when `evaluate` last ran; half before it was measured.
    pub fn usual_strength(&self) -> f32 {
        self.strength.unwrap_or(0.5)
    }

    fn any_size() -> u32 {
        1
    }

    /// The scores on what it was made for: its subject's own set, or photographs of all kinds.
    pub fn own_scores(&self) -> Vec<&Score> {
        let of = |set: &str| self.scores.iter().filter(|s| s.set == set).collect::<Vec<_>>();
        let own = of(&self.subject);
        if own.is_empty() { of(PHOTOGRAPHS) } else { own }
    }

    /// Mean gain of an enlarger in dB over bicubic, on what it was made for; nothing before it was measured.
    pub fn enlarging_gain(&self) -> Option<f64> {
        let scores = self.own_scores();
        (!scores.is_empty()).then(|| scores.iter().map(|s| s.gain()).sum::<f64>() / scores.len() as f64)
    }

    /// Mean gain in dB over the kinds of damage that a cleaner or a restorer was measured on; 0 before it was measured. What it
    /// does to pictures that need nothing does not count: it is not suggested for those.
    pub fn mean_gain(&self) -> f64 {
        let damaged = self.cleaning.iter().filter(|score| !score.undamaged);
        let (sum, count) = damaged.fold((0.0, 0_u32), |(sum, count), s| (sum + s.after - s.before, count + 1));
        sum / f64::from(count.max(1))
    }

    /// By which share a general network that has learned to see takes its results to be nearer to the truth than Everyday's, on what it
    /// was made for: 0.25 is a quarter nearer, less than 0 is further away. Nothing for Everyday itself, or before it was measured.
    pub fn perceived_nearer(&self) -> Option<f64> {
        perceived_nearer(&self.own_scores())
    }

    /// Whether it was measured to leave sound pictures alone: at least [`SPARED`] dB are left between them and what it makes of them. What takes
    /// a picture's own points and lines for damage is not suggested, only offered.
    pub fn spares_sound_pictures(&self) -> bool {
        self.cleaning.iter().any(|score| score.undamaged && score.after >= SPARED)
    }

    /// What speaks for it: the mean gain of an enlarger over bicubic by set of pictures, its own set first, or the gain of a cleaner or a
    /// restorer by kind of damage; what it does to sound pictures is not its own. Empty before it was measured, and for a person's own.
    pub fn evidence(&self) -> Vec<Evidence> {
        if self.kind != Kind::Enlarge {
            // Where pictures were not damaged at all there is nothing to gain.
            let measured = self.cleaning.iter().filter(|score| score.before > 0.0);
            let evidence = |score: &CleaningScore| Evidence {
                on: score.damage.clone(),
                own: !score.undamaged,
                pictures: score.photos,
                least: score.least_gain,
                mean: score.after - score.before,
                most: None,
            };
            return measured.map(evidence).collect();
        }
        let own = self.own_scores().first().map(|score| score.set.clone());
        let mut sets: Vec<&str> = Vec::new();
        for score in &self.scores {
            if !sets.contains(&score.set.as_str()) {
                sets.push(&score.set);
            }
        }
        sets.sort_by_key(|set| own.as_deref() != Some(set));
        let evidence = |set: &str| {
            let gains: Vec<f64> = self.scores.iter().filter(|s| s.set == set).map(Score::gain).collect();
            let least = gains.iter().copied().fold(f64::INFINITY, f64::min);
            let most = gains.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let mean = gains.iter().sum::<f64>() / gains.len() as f64;
            Evidence {
                on: set.to_owned(),
                own: own.as_deref() == Some(set),
                pictures: gains.len(),
                least,
                mean,
                most: Some(most),
            }
        };
        sets.into_iter().map(evidence).collect()
    }

    /// Whether it was seen to lay a regular pattern over any picture of what it was made for. Such a model is not suggested by name.
    pub fn draws_screen(&self) -> bool {
        self.own_scores().iter().filter_map(|s| s.screen).any(|screen| screen > MOST_SCREEN)
    }

    /// Name and grade: "Everyday x4, draft"; a person's own models have no grade.
    pub fn title(&self) -> String {
        if self.trial.is_some() {
            return self.name.clone();
        }
        match self.grade {
            Grade::Draft => format!("{}, draft", self.name),
            Grade::Fine => format!("{}, fine", self.name),
        }
    }
}

/// PSNR in dB from which on a sound picture counts as left alone: about ten marks of 50 px in ten megapixels, as clearly changed as dust.
const SPARED: f64 = 60.0;

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

/// What a model does to a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Makes it larger.
    Enlarge,
    /// Takes damage out of it.
    Clean,
    /// Restores a face on its canvas.
    Face,
    /// Finds dust, scratches and breaks: its answer says how likely each pixel belongs to a speck, a line, a break.
    Find,
    /// Fills what it is told of.
    Fill,
}

/// What a cleaner or a restorer is told about each pixel.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum LevelKind {
    /// The standard deviation of the noise, 1 being full scale.
    Noise,
    /// 1 - quality / 100 of a JPEG.
    Compression,
    /// The spread of an edge in pixels, over 4.
    Softness,
    /// 1 where a pixel is marked, to be filled, and 0 elsewhere.
    Wear,
    /// How much finer the canvas of a face is than the picture that it was found in: half the binary logarithm, 0 where it is not.
    Scale,
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
