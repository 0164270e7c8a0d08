//! The HTTP API under /api/v1, one file per noun, and what lies around it.

pub mod access;
mod answer;
mod connections;
mod extract;
mod form;
#[cfg(fuzzing)]
pub mod fuzzing;
mod once;
pub mod router;
mod routes;
mod rules;
mod serve_file;
mod sign_ins;

mod batch;
mod cache;
mod computing;
mod crop;
mod delivery;
mod devices;
mod document;
mod events;
mod faces;
mod health;
mod house;
mod jobs;
mod models;
mod orders;
mod originals;
mod plan;
mod products;
mod reading;
mod receive;
mod rehearsal;
mod removed;
mod results;
mod session;
mod shared;
mod spots;
mod terms;
mod tiles;
mod trace;

pub use connections::serve;
pub use router::{openapi, router};
pub use sign_ins::SignIns;
