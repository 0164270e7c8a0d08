//! Pixels: floating-point planes, and the decoded original.

mod original;
pub(crate) mod planes;

pub use original::{Original, Samples};
pub(crate) use planes::luminance;
pub use planes::{Planes, View, fill_up};
