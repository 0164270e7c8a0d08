//! The HTTP side of Dettaglio.
//!
//! | module | what lives there |
//! |---|---|
//! | [`service`] | start and stop of the whole: database, worker, server |
//! | [`app`] | state, routes, who may talk to it |
//! | [`api`] | the addresses under /api/v1, one file per noun |
//! | [`studio`] | decoded originals, the renderer, and who may compute when |
//! | [`worker`] | takes jobs and makes enlargements of them |
//! | [`access`] | who may do what |
//! | [`devices`] | scanners, shops and printers outside |
//! | [`report`] | what was done to the pictures of an order, as HTML and PDF |
//! | [`demo`] | the data that ships with the product |

pub mod access;
pub mod api;
pub mod app;
mod archive;
mod claim;
mod connections;
pub use claim::stop_running;
pub mod demo;
pub mod devices;
mod once;
pub mod problem;
pub mod rehearsals;
pub mod report;
mod serve_file;
pub mod service;
pub mod studio;
pub mod worker;
