//! Cards in their files.

use std::path::Path;

use dettaglio_domain::model::Card;

use super::error::ModelError;

/// A card from its file.
pub fn read_card(file: &Path) -> Result<Card, ModelError> {
    let unreadable = |why: String| ModelError::Unreadable { file: file.to_owned(), why };
    let text = std::fs::read_to_string(file).map_err(|e| unreadable(e.to_string()))?;
    serde_json::from_str(&text).map_err(|e| unreadable(e.to_string()))
}
