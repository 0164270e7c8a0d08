//! How a rendering shares the machine, and why it may fail.

use dettaglio_domain::frame::FrameError;

use crate::codec::CodecError;
use crate::model::ModelError;
use crate::trace::error::TraceError;

/// Why a result could not be rendered.
#[derive(Debug, thiserror::Error)]
pub enum RenderError {
    /// It was given up on request.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// A model is missing or failed.
    #[error(transparent)]
    Model(#[from] ModelError),
    /// The frame does not suit the original.
    #[error(transparent)]
    Frame(#[from] FrameError),
    /// It was to be traced, and is no drawing.
    #[error(transparent)]
    Trace(#[from] TraceError),
    /// The result could not be written.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

/// The work was given up on request.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("cancelled")]
pub struct Cancelled;

/// How a rendering shares the machine: asked before, and told after, each run of a network.
pub trait Pace: Sync {
    /// May wait for more urgent work; answers whether to go on.
    fn before_block(&self) -> bool {
        true
    }

    /// So many pixels of a pass's input are done.
    fn after_block(&self, _pixels: u64) {}
}

/// Straight on to the end.
pub struct Unhurried;

impl Pace for Unhurried {}
