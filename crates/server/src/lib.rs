//! The server of Dettaglio: API, workers, devices, and the built front end.
//!
//! Each layer knows those below it only:
//!
//! | layer | what lives there |
//! |---|---|
//! | [`service`] | start and stop of the whole |
//! | [`http`] | the addresses under /api/v1, who may ask, how much is read |
//! | [`adapters`] | scanners, shops and printers outside; reports; the demo |
//! | [`app`] | the use cases |
//! | [`compute`] | decoded originals, the renderer, who may compute when, workers |
//! | [`config`], [`problem`] | settings; what can go wrong |

pub mod adapters;
pub mod app;
mod claim;
pub mod compute;
pub mod config;
#[cfg(fuzzing)]
pub mod fuzzing;
pub mod http;
pub mod problem;
pub mod service;

pub use claim::stop_running;
