//! `render(original, treatment, region)`: the one definition of a result.
//!
//! A preview, a comparison and the final run all ask here, for regions of the result. A region pulls
//! what it needs from the step before; learned passes are kept as tiles ([`cache`]), so a pan computes
//! only what is new and a run takes over what the preview made.

mod amber;
mod areas;
mod blend_back;
pub mod cache;
mod departure;
mod descreen;
pub mod disk;
mod drawings;
mod drawn;
mod faces;
mod gaps;
mod level;
pub(crate) mod pace;
mod renderer;
mod repair;
mod run;
mod sheet;
mod slots;
#[cfg(test)]
mod tests;
mod traced;
mod weights;

pub use departure::Measures;
pub use faces::Restoration;
pub use level::{TILE, largest_block};
pub use pace::{Cancelled, Pace, RenderError, Unhurried};
pub use renderer::{Renderer, own_levels, view_size};
pub use run::{Destination, in_camera_colours, run, run_camera};
pub use traced::Shapes;
