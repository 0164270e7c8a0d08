//! What a file carries besides its pixels: EXIF, XMP and IPTC, read from originals and written into results.

mod fields;
pub(crate) mod iptc;
pub(crate) mod xmp;

pub use fields::Metadata;
pub(crate) use fields::tiff_value;
