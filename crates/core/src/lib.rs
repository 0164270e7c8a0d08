//! The computation of Dettaglio: everything that turns a photograph into an enlargement.
//!
//! This crate knows nothing of HTTP, SQL, windows or async tasks. Read it in the order of the work:
//!
//! | module | what lives there |
//! |---|---|
//! | [`picture`] | pixels: sizes, regions, planes of floating-point RGB, the decoded original |
//! | [`codec`] | files in (JPEG, PNG, TIFF, WebP, camera raw) and out (JPEG, PNG, TIFF, WebP), row band by row band |
//! | [`colour`] | transfer curve and profiles |
//! | [`reading`] | what is measured on an original, and what it comes to in words |
//! | [`size`] | from "60 x 40 cm at 240 ppi" to pixels, and what such a print is worth |
//! | [`limits`] | what is refused, before any work is done |
//! | [`model`] | the shelf of learned networks, their cards, and the runtime that computes them |
//! | [`frame`] | turning, straightening, cropping |
//! | [`affine`] | where a place of the original lies on its sheet |
//! | [`clean`] | compression marks, noise, softness: what goes before enlarging |
//! | [`enlarge`] | plain resampling kernels, and the chain of passes that reaches a factor |
//! | [`finish`] | edges and grain at the print's scale |
//! | [`face`] | faces: finding them, and the canvas on which they are restored |
//! | [`area`] | parts of the picture that carry their own settings |
//! | [`treatment`] | the ordered, saved settings for one picture |
//! | [`rehearsal`] | a picture shrunk, enlarged again by every candidate, and compared with itself |
//! | [`suggest`] | the treatment that a reading and a print suggest, with reasons |
//! | [`recipe`] | what a person chooses, before it is worked out for a picture and a size |
//! | [`render`] | `render(original, treatment, region)`: the one definition of a result |
//! | [`spots`] | places at which candidates are compared |
//! | [`compare`] | PSNR, SSIM and other figures between two pictures |
//! | [`preflight`] | what is to be said of a run before it is started |
//! | [`forecast`] | how long and how large it will be |
//! | [`naming`] | what a result's file is called |
//!
//! Data flows one way: `codec -> picture -> render (enlarge, model) -> codec`.

pub mod affine;
mod apart;
pub mod area;
pub mod clean;
pub mod codec;
pub mod colour;
pub mod compare;
pub mod enlarge;
pub mod face;
pub mod finish;
pub mod forecast;
pub mod frame;
pub mod hash;
pub mod limits;
pub mod model;
pub mod naming;
pub mod picture;
mod plane;
pub mod preflight;
pub mod reading;
pub mod recipe;
pub mod rehearsal;
pub mod render;
pub mod screen;
pub mod size;
pub mod spots;
pub mod suggest;
pub mod treatment;

pub use apart::Held;

/// What must come first in the `main` of a program that reads strangers' files or runs their models, before it starts any thread:
/// where it was started as a helper of another of its processes, it helps until that ends, and answers true.
pub fn helper_main() -> bool {
    let command = std::env::args_os().nth(1);
    // Whatever ends the conversation with the parent ends the helper: there is nobody else to tell.
    match command.as_ref().and_then(|command| command.to_str()) {
        Some(codec::DECODE_COMMAND) => drop(codec::decode()),
        Some(model::own::RUN_COMMAND) => drop(model::own::run_apart()),
        _ => return false,
    }
    true
}
