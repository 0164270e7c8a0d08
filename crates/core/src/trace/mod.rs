//! Emblems and lettering as shapes: what was drawn is drawn again.
//!
//! A picture that was drawn in a few plain colours, enlarged and cleaned, is divided by its [palette]; every colour's [regions] become
//! [contours](contour) to a fraction of a pixel, and these lines and [curves](fit), few and with corners where corners are. Shapes lie on
//! each other as cut paper does, so that no gap shows between them.

mod contour;
mod drawing;
mod error;
mod fit;
mod palette;
mod pdf;
mod refine;
mod regions;
mod shapes;
mod simplify;
mod svg;

pub use drawing::{DrawingError, drawing};
pub use error::TraceError;
pub use fit::{Outline, Segment};
pub use palette::Colour;
pub use pdf::pdf;
pub use shapes::{Shape, Traced, trace};
pub use svg::{hex, svg};

/// What a drawing is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DrawingFile {
    /// SVG 1.1.
    Svg,
    /// PDF 1.7, one page.
    Pdf,
}

impl DrawingFile {
    /// By the ending of a file's name, without its dot.
    pub fn of_ending(ending: &str) -> Option<Self> {
        match ending.to_ascii_lowercase().as_str() {
            "svg" => Some(Self::Svg),
            "pdf" => Some(Self::Pdf),
            _ => None,
        }
    }

    /// The file's bytes: as large as the print in millimetres where there is one.
    pub fn bytes(self, traced: &Traced, print_mm: Option<(f64, f64)>) -> Vec<u8> {
        match self {
            Self::Svg => svg(traced, print_mm).into_bytes(),
            Self::Pdf => pdf(traced, print_mm),
        }
    }
}

#[cfg(test)]
mod tests;
