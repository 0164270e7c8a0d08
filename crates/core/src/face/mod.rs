//! Faces: where they are, what is done to them, and how far.
//!
//! | part | what lives there |
//! |---|---|
//! | [`Face`] | a face by its eyes and mouth, in pixels of the original |
//! | [`find`] | faces in a picture, upright ones first |
//! | [`canvas`] | the fixed canvas on which every face has its eyes at the same two places |
//!
//! Restoring itself is a step of rendering ([`crate::render`]): the face is brought to the canvas, a network restores it
//! there, and what it changed is laid on the enlarged picture inside a soft mask.

pub mod canvas;

pub mod find;

mod networks;

pub use find::Finder;
