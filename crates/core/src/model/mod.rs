//! The shelf of learned networks and the runtime that computes them.

mod card;
mod engine;
mod shelf;
#[cfg(test)]
pub(crate) mod stand_in;

use std::path::PathBuf;

pub use card::{Card, Grade, Kind, Score};
pub use engine::{Engine, LIBRARY_VARIABLE, Network, OnnxNetwork};
pub use shelf::{Model, Shelf};

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
    /// The runtime refused or failed.
    #[error("model {id} failed: {why}")]
    Run {
        /// Which model.
        id: String,
        /// The runtime's words.
        why: String,
    },
}
