//! A person's own models: any ONNX file that makes a picture from a picture.
//!
//! A [trial run](trial) finds out how it wants its pictures; [`Foreign`] then gives it the shape of every other
//! network; [`OwnModels`] keeps it beside the shipped ones. A strange file is first opened [in a process of its
//! own](child), with limits, so that whatever it does is its end and not ours; and so it is [run](apart).

mod apart;
mod child;
mod foreign;
mod format;
mod keep;
pub(crate) mod parts;
mod refusal;
mod trial;

pub(super) use apart::RawApart;
pub(crate) use apart::{RUN_COMMAND, serve as run_apart};
pub use child::{CHILD_COMMAND, child_main, try_file, try_in_this_process};
pub(super) use foreign::Raw;
pub use foreign::{Foreign, OnnxRaw};
pub use keep::{OwnError, OwnModels};
pub use refusal::Refusal;
