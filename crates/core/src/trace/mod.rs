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
mod regions;
mod shapes;
mod svg;

pub use drawing::{DrawingError, drawing};
pub use error::TraceError;
pub use fit::{Outline, Segment};
pub use palette::Colour;
pub use shapes::{Shape, Traced, trace};
pub use svg::{hex, svg};

#[cfg(test)]
mod tests;
