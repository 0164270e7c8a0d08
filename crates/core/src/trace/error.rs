//! Why a picture is not traced.

use dettaglio_domain::geometry::Size;

/// Why a picture is not traced.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum TraceError {
    /// It has no plain colours to speak of.
    #[error(
        "this is no drawing in a few plain colours: only {} % of it has one; enlarge it instead",
        (plain * 100.0).round()
    )]
    NotDrawn {
        /// The share of the picture that is of a plain colour, or of what is plain that is of one of few colours, 0 to 1.
        plain: f32,
    },
    /// It has no pixels worth the name.
    #[error("a picture of {size} is too small to be traced")]
    TooSmall {
        /// Its size.
        size: Size,
    },
}
