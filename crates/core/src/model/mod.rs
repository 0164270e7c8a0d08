//! The shelf of learned networks and the runtime that computes them.

mod answers;
mod cards;
pub mod device;
mod engine;
mod error;

mod example;

mod grain;
mod network;
mod opening;

pub mod own;

mod shelf;
mod shipped;
mod whole;

pub mod sight;

#[cfg(test)]
pub(crate) mod stand_in;

pub use answers::Chosen;
pub use cards::read_card;
pub use engine::{Engine, LIBRARY_VARIABLE, OnnxNetwork};
pub use error::ModelError;

pub use example::Example;

pub use grain::grain;

pub use network::{Corner, Network};
pub use opening::{open, run_own_models_in};
pub use own::OwnModels;

pub use shelf::{Model, Shelf};
pub(crate) use shipped::Shipped;
