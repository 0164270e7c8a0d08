//! What a reader says of a picture before it takes the memory for it.

use dettaglio_domain::geometry::Size;

use super::error::CodecError;

/// Is told a picture's size, and how many bytes of memory reading it takes, before any pixel is decoded; may refuse.
pub(super) type Announce<'a> = dyn FnMut(Size, u64) -> Result<(), CodecError> + 'a;
