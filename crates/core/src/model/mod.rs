//! The shelf of learned networks and the runtime that computes them.

mod card;
mod engine;
mod example;
mod grain;
pub mod own;
mod shelf;
#[cfg(test)]
pub(crate) mod stand_in;

use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use crate::hash::ContentHash;

pub use card::{
    Card, CleaningScore, FaceTrial, Grade, Kind, LevelKind, MOST_LOST, MOST_SCREEN, PHOTOGRAPHS, Score,
    perceived_nearer,
};
pub use engine::{Corner, Engine, LIBRARY_VARIABLE, Network, OnnxNetwork};
pub use example::Example;
pub use grain::grain;
pub use own::{OwnModels, Trial};
pub use shelf::{EVERYDAY, Model, Shelf};

/// A model in a treatment: the very file that is meant.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ModelRef {
    /// The model's id.
    pub model: String,
    /// Hash of its file.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
}

impl ModelRef {
    /// The model of this card.
    pub fn of(card: &Card) -> Self {
        Self { model: card.id.clone(), sha256: card.sha256 }
    }
}

/// Why a model cannot be used.
#[derive(Clone, Debug, thiserror::Error)]
pub enum ModelError {
    /// The runtime's library is missing or does not load.
    #[error("the model runtime could not be loaded: {0}")]
    Engine(String),
    /// The folder of models, a card or a model file cannot be read.
    #[error("{}: {why}", file.display())]
    Unreadable {
        /// Which file.
        file: PathBuf,
        /// The reason.
        why: String,
    },
    /// The file is not the one that its card describes.
    #[error("{} is not the file that its card describes: put the original back, or remove both", file.display())]
    Altered {
        /// Which file.
        file: PathBuf,
    },
    /// No model has this name.
    #[error("there is no model \"{id}\"; there are: {}", known.join(", "))]
    Unknown {
        /// What was asked for.
        id: String,
        /// What there is.
        known: Vec<String>,
    },
    /// The treatment names a model file other than the one at hand.
    #[error("the treatment was made with another version of model {id}: choose the model again")]
    OtherVersion {
        /// Which model.
        id: String,
    },
    /// Every picture starts with one of these.
    #[error("{id} is the last model for everyday pictures, with which every picture starts: restore another first")]
    LastEveryday {
        /// Which model.
        id: String,
    },
    /// The runtime refused or failed.
    #[error("model {id} failed: {why}")]
    Run {
        /// Which model.
        id: String,
        /// The runtime's words.
        why: String,
    },
}
