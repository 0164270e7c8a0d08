//! The computation of Dettaglio: everything that turns a photograph into an enlargement.
//!
//! This crate knows nothing of HTTP, SQL, windows or async tasks. Read it in the order of the work:
//!
//! | module | what lives there |
//! |---|---|
//! | [`picture`] | pixels: planes of floating-point RGB, the decoded original |
//! | [`codec`] | files in (JPEG, PNG, TIFF, WebP, camera raw) and out (JPEG, PNG, TIFF, WebP), row band by row band |
//! | [`metadata`] | what a file carries besides its pixels: EXIF, XMP, IPTC |
//! | [`colour`] | transfer curve and profiles |
//! | [`reading`] | what is measured on an original |
//! | [`model`] | the shelf of learned networks, and the runtime that computes them |
//! | [`frame`] | turning, straightening, cropping |
//! | [`halftone`] | the screen of a print's dots: found, and taken out |
//! | [`inpaint`] | large gaps filled from the picture's own texture |
//! | [`clean`] | what a cleaner is told about each pixel |
//! | [`enlarge`] | plain resampling |
//! | [`finish`] | edges and grain at the print's scale |
//! | [`face`] | faces: finding them, and the canvas on which they are restored |
//! | [`area`] | how much each pixel belongs to a masked part |
//! | [`rehearsal`] | a picture shrunk, enlarged again by every candidate, and compared with itself |
//! | [`trial`] | a short rehearsal that decides what is suggested |
//! | [`render`] | `render(original, treatment, region)`: the one definition of a result |
//! | [`spots`] | places that a picture suggests for comparing candidates |
//! | [`compare`], [`screen`] | PSNR, SSIM, regular patterns and other figures of pictures |
//! | [`forecast`] | the speed of models, and the size of a result's file |
//!
//! What is decided without pixels (sizes, treatments, models' cards, suggestions) stands in `dettaglio-domain`.
//! Data flows one way: `codec -> picture -> render (enlarge, model) -> codec`.

mod apart;
pub mod area;
mod budget;
mod chance;
pub mod clean;
pub mod codec;
pub mod colour;
pub mod compare;
pub mod enlarge;
pub mod face;
pub mod finish;
pub mod forecast;
pub mod frame;
#[cfg(fuzzing)]
pub mod fuzzing;
pub mod halftone;
pub mod inpaint;
pub mod metadata;
pub mod model;
pub mod picture;
mod plane;
pub mod priority;
pub mod reading;
pub mod rehearsal;
pub mod render;
pub mod screen;
pub mod sight;
pub mod spots;
pub mod tones;
pub mod trace;
pub mod trial;
pub(crate) mod warp;

/// What must come first in the `main` of a program that reads strangers' files or runs their models, before it starts any thread:
/// where it was started as a helper of another of its processes, it helps until that ends, and answers true.
pub fn helper_main() -> bool {
    let mut said = std::env::args_os().skip(1);
    let command = said.next();
    // Whatever ends the conversation with the parent ends the helper: there is nobody else to tell.
    match command.as_ref().and_then(|command| command.to_str()) {
        Some(codec::DECODE_COMMAND) => drop(codec::decode()),
        Some(model::own::RUN_COMMAND) => drop(model::own::run_apart()),
        Some(model::device::TRY_COMMAND) => match (said.next(), said.next()) {
            (Some(plugin), Some(file)) => model::device::try_plugin(plugin.as_ref(), file.as_ref()),
            _ => return false,
        },
        _ => return false,
    }
    true
}
