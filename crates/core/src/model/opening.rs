//! From a file and its card to a network that runs.

use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::time::Duration;

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::model::Card;

use super::engine::Engine;
use super::error::ModelError;
use super::network::Network;
use super::own::{Foreign, OnnxRaw, Raw, RawApart};

/// Pixels of the largest block that a network is given, halo included.
const LARGEST_BLOCK: f64 = 2304.0 * 512.0;

/// The program in whose processes persons' own models are run.
static HELPER: OnceLock<PathBuf> = OnceLock::new();

/// Has persons' own models run in processes of `program`, which calls [`helper_main`](crate::helper_main) first of all, and
/// not in this one: to be said before any is opened.
pub fn run_own_models_in(program: &Path) {
    let _ = HELPER.set(program.to_owned());
}

/// A network from an ONNX file, checked against its card.
pub fn open(file: &Path, card: &Card) -> Result<Arc<dyn Network>, ModelError> {
    let bytes =
        std::fs::read(file).map_err(|e| ModelError::Unreadable { file: file.to_owned(), why: e.to_string() })?;
    if ContentHash::of(&bytes) != card.sha256 {
        return Err(ModelError::Altered { file: file.to_owned() });
    }
    let failed = |why: String| ModelError::Run { id: card.id.clone(), why };
    if let Some(trial) = &card.trial {
        // Ten times what the trial took for the largest block, and a minute: a machine may be busy.
        let limit = Duration::from_secs_f64(60.0 + 10.0 * LARGEST_BLOCK / trial.pixels_per_second.max(1.0));
        let raw: Box<dyn Raw + Send + Sync> = match HELPER.get() {
            Some(program) => Box::new(RawApart::new(program, file, trial.element, limit)),
            None => {
                let session = Engine::load()?.session(&bytes).map_err(failed)?;
                Box::new(OnnxRaw::new(session, trial.element, limit).map_err(|e| failed(e.to_string()))?)
            }
        };
        return Ok(Arc::new(Foreign::new(card, trial.clone(), raw)));
    }
    Engine::load()?.shipped(&bytes, card)
}
