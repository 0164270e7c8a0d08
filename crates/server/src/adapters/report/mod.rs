//! What was done to the pictures of an order, as HTML and PDF.

mod contents;
mod html;
mod pdf;
mod typeset;

pub use contents::{Report, on_sheet, spots_of};
pub use html::html;
pub use pdf::pdf;
