//! Pictures that were printed in dots: their screen is found in the spectrum, and taken out before they are enlarged.
//!
//! A halftone's dots lie on a square lattice, one for each ink, turned against each other. Its waves stand in the spectrum of every part of
//! the picture that is neither paper nor solid ink, at the same frequencies from edge to edge: that tells it from cloth or tiles, which
//! are in one place, and from the blocks of a JPEG, which lie along the rows.

mod find;
mod remove;

pub use find::find;
pub use remove::Remover;
