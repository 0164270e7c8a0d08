//! The use cases: what can be asked of the product, whoever asks.

pub mod ahead;
pub(crate) mod archive;
pub mod batch;
pub mod changes;
pub mod faces;
pub mod followed;
pub mod intents;
pub mod jobs;
pub mod originals;
pub mod plans;
pub mod readings;
pub mod state;
pub mod troubles;

pub use state::App;
