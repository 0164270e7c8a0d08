//! Rehearsal: a good picture is shrunk, enlarged again by every candidate, and compared with itself.
//!
//! | part | what |
//! |---|---|
//! | [`parts`] | where: a few parts that stand for the whole |
//! | [`Scene`] | one part: what candidates start from, and the truth that they should come to |
//! | [`candidates`] | who takes part |
//! | [`figures`] | what is compared |
//! | [`run`] | every candidate on every part, turn by turn |
//!
//! The shrunk picture is sharper and has less noise than the picture itself. So a rehearsal tells which method suits what the picture
//! shows; it cannot tell how much of the picture's own blur or noise is to go ([`PutBack`] brings some of that back).

mod figures;
mod parts;
mod run;
mod scene;

pub use figures::between;
pub(crate) use figures::overshoot;
pub use parts::{SIDE, SMALLEST, choose, divided};
pub use run::{Done, Rehearsal, Score, Turn};
pub(crate) use scene::treatment;
pub use scene::{MAY_BE_MARKED, PutBack, RehearsalError, Scene, as_rehearsed};
