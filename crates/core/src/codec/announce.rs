//! What a reader says of a picture before it takes the memory for it.

use dettaglio_domain::geometry::Size;
use serde::{Deserialize, Serialize};

use super::error::CodecError;

/// The memory that a picture takes, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Memory {
    /// While it is decoded, at the most.
    pub decoding: u64,
    /// As long as it is open.
    pub open: u64,
}

/// Is told a picture's size and what memory it takes before any pixel is decoded; may refuse.
pub(super) type Announce<'a> = dyn FnMut(Size, Memory) -> Result<(), CodecError> + 'a;
