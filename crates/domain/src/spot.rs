//! Spots: the places of a picture at which candidates are compared.

use serde::{Deserialize, Serialize};

/// A place to check, in pixels of the original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spot {
    /// What the person calls it.
    pub name: String,
    /// Across, from the left edge.
    pub x: f32,
    /// Down, from the top.
    pub y: f32,
}

/// Spots that a picture can have: number keys jump to them.
pub const MOST_SPOTS: usize = 8;
