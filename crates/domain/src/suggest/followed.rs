//! How far a person's choice follows what was suggested.

use serde::{Deserialize, Serialize};

use super::suggestion::Suggestion;
use crate::recipe::Steps;

/// Whether what was chosen is what was suggested.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Followed {
    /// Every step as suggested.
    Kept,
    /// The suggested model, and something else at another step or strength.
    Changed,
    /// Another model, or none.
    OtherModel,
}

impl Followed {
    /// How far steps follow a suggestion. What is restored of faces is left out: it is chosen face by face.
    pub fn of(suggestion: &Suggestion, steps: &Steps) -> Self {
        let suggested = Steps { faces: None, ..suggestion.steps() };
        if suggested == (Steps { faces: None, ..steps.clone() }) {
            return Self::Kept;
        }
        if suggested.enlarge.is_by_same(&steps.enlarge) { Self::Changed } else { Self::OtherModel }
    }
}
