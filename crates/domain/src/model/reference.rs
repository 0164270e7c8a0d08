//! A model as a treatment names it.

use serde::{Deserialize, Serialize};

use super::card::Card;
use crate::hash::ContentHash;

/// A model in a treatment: the very file that is meant.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ModelRef {
    /// The model's id.
    pub model: String,
    /// Hash of its file.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
}

impl ModelRef {
    /// The model of this card.
    pub fn of(card: &Card) -> Self {
        Self { model: card.id.clone(), sha256: card.sha256 }
    }
}
