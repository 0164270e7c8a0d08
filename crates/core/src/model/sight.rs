//! A general network that has learned to see: what a square of a picture shows, and how far two pictures lie apart to the eye.
//!
//! A small classifier (Tan and Le, EfficientNet, 2019), written by `foundry/dettaglio_foundry/sight.py`; the distance is that of features
//! normalised over their channels (Zhang, Isola, Efros, Shechtman and Wang 2018), without learned weights.

use std::path::Path;

use dettaglio_domain::geometry::Size;

use super::error::ModelError;
use super::shipped::Shipped;
use crate::picture::Planes;

/// The folder of the networks, in that of the models.
pub const FOLDER: &str = "sight";

/// Their files, and their SHA-256.
const KINDS_FILE: (&str, &str) = ("kinds.onnx", "3a9b141f97cab77bb695be1f28eac18d7ed19bd375039e92ef4d9831bc230de5");
const FEATURES_FILE: (&str, &str) =
    ("features.onnx", "51039f24dbedbb8bd240501fcf7d07550e265a697e520fd9360d83ca77de8b41");

/// Side of the squares that are shown to the network that tells what they show, pixels.
pub const SIDE: u32 = 224;

/// Sides of what is compared are filled up to multiples of this.
const MULTIPLE: u32 = 4;

/// How many kinds are told apart; the last is anything else.
pub const KINDS: usize = 6;

/// Features of one stage, of length 1 at each place: channel by channel.
#[derive(Clone, Debug)]
struct Stage {
    values: Vec<f32>,
    places: usize,
}

/// What was seen of a picture, for distances: at half and at a quarter of its size.
#[derive(Clone, Debug)]
pub struct Features([Stage; 2]);

/// The general network: its beginning, which tells pictures apart, and all of it, which tells what they show.
pub struct Sight {
    kinds: Shipped,
    features: Shipped,
}

impl std::fmt::Debug for Sight {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Sight")
    }
}

impl Sight {
    /// Out of the folder of models.
    ///
    /// # Errors
    /// When the file is missing, is not the one that is shipped, or the runtime cannot be loaded.
    pub fn open(models: &Path) -> Result<Self, ModelError> {
        let folder = models.join(FOLDER);
        let open = |(file, sha256)| Shipped::open(&folder, file, sha256);
        Ok(Self { kinds: open(KINDS_FILE)?, features: open(FEATURES_FILE)? })
    }

    /// The probabilities of each kind in a picture of [`SIDE`] px a side, encoded in sRGB.
    ///
    /// # Errors
    /// When the network fails.
    pub fn kinds(&self, picture: &Planes) -> Result<[f32; KINDS], ModelError> {
        self.kinds.ask(shape(picture), picture.values(), ["kinds"], |[(_, kinds)]| kinds.try_into().ok())
    }

    /// What is seen of a picture, encoded in sRGB, for [`Features::apart`].
    ///
    /// # Errors
    /// When the network fails.
    pub fn features(&self, picture: &Planes) -> Result<Features, ModelError> {
        let filled = picture.filled_up(MULTIPLE);
        let picture = filled.as_ref().unwrap_or(picture);
        self.features.ask(shape(picture), picture.values(), ["fine", "middle"], |stages| {
            let stage = |(shape, values): (&[i64], &[f32])| Stage {
                values: values.to_vec(),
                places: shape.iter().skip(1).map(|side| *side as usize).product(),
            };
            Some(Features(stages.map(stage)))
        })
    }
}

fn shape(picture: &Planes) -> [usize; 4] {
    let Size { width, height } = picture.size();
    [1, 3, height as usize, width as usize]
}

impl Features {
    /// How far two pictures of one size lie apart: the mean over the stages of the mean squared distance of their features, times 100;
    /// 0 where they are equal, 400 at most.
    pub fn apart(&self, other: &Self) -> f64 {
        let stage = |(a, b): (&Stage, &Stage)| {
            let squares: f64 = a.values.iter().zip(&b.values).map(|(a, b)| f64::from(a - b).powi(2)).sum();
            squares / a.places.max(1) as f64
        };
        100.0 * self.0.iter().zip(&other.0).map(stage).sum::<f64>() / self.0.len() as f64
    }
}
