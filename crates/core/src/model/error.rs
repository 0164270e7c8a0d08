//! Why a model cannot be used.

use std::path::PathBuf;

use dettaglio_domain::model::CatalogueError;

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
    /// There is no such model, or it is another than the one that is meant.
    #[error(transparent)]
    Catalogue(#[from] CatalogueError),
    /// The runtime refused or failed.
    #[error("model {id} failed: {why}")]
    Run {
        /// Which model.
        id: String,
        /// The runtime's words.
        why: String,
    },
}
