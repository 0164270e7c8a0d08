//! Emblems and lettering as shapes: what was drawn is drawn again.
//!
//! A picture that was drawn in a few plain colours, enlarged and cleaned, is divided by its [palette]; every colour's [regions] become
//! [contours](contour) to a fraction of a pixel, and these lines and [curves](fit), few and with corners where corners are. Shapes lie on
//! each other as cut paper does, so that no gap shows between them.

mod contour;
pub(crate) mod error;
mod fit;
pub(crate) mod palette;
mod pdf;
mod raster;
mod refine;
mod regions;
mod shapes;
mod simplify;
mod svg;

use dettaglio_domain::trace::DrawingFile;

pub use error::TraceError;
pub use fit::{Outline, Segment};
pub use palette::{Colour, refuse_photograph};
pub use refine::refined;
pub use shapes::{Shape, Traced, refuse_tiny, to_hex, trace};

/// The bytes of a drawing as a file: as large as the print, in millimetres across and down, where there is one.
pub fn drawing_bytes(traced: &Traced, file: DrawingFile, print_mm: Option<(f64, f64)>) -> Vec<u8> {
    match file {
        DrawingFile::Svg => svg::svg(traced, print_mm).into_bytes(),
        DrawingFile::Pdf => pdf::pdf(traced, print_mm),
    }
}

#[cfg(test)]
mod tests;
