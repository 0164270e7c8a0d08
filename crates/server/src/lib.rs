//! The HTTP side of Dettaglio.
//!
//! | module | what lives there |
//! |---|---|
//! | [`service`] | start and stop of the whole: database, worker, server |
//! | [`app`] | state, routes, who may talk to it |
//! | [`api`] | the addresses under /api/v1, one file per noun |
//! | [`studio`] | decoded originals, the renderer, and who may compute when |
//! | [`worker`] | takes jobs and makes enlargements of them |
//! | [`demo`] | the data that ships with the product |

pub mod api;
pub mod app;
pub mod demo;
pub mod problem;
mod serve_file;
pub mod service;
pub mod studio;
pub mod worker;
