//! Drawings that were traced, kept so that each is traced once.

use std::num::NonZeroUsize;
use std::sync::Arc;

use super::slots::Slots;
use crate::trace::Traced;
use crate::trace::error::TraceError;

/// How many are kept.
const KEPT: NonZeroUsize = NonZeroUsize::new(64).unwrap();

/// Shapes by what they were traced from, or why there are none.
pub type Drawings = Slots<Result<Arc<Traced>, TraceError>>;

/// Room for drawings.
pub fn drawings() -> Drawings {
    Slots::new(KEPT)
}
