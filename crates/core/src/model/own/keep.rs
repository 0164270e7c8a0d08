//! The folder in which a person's own models are kept, and which models are retired.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::model::{Card, Cleaner, Enlarger, Grade, Task, Trial};

use crate::model::cards::read_card;
use crate::model::error::ModelError;
use crate::model::whole::write_whole;

/// The longest name of a model.
const LONGEST_NAME: usize = 60;

/// The list of retired models, shipped or not.
const RETIRED: &str = "retired.json";

/// A folder with a person's own models (`ID.onnx` with its card `ID.json`) and the list of those that are retired.
#[derive(Clone, Debug)]
pub struct OwnModels {
    folder: PathBuf,
}

/// Why the folder could not be changed.
#[derive(Debug, thiserror::Error)]
pub enum OwnError {
    /// No name.
    #[error("a model needs a name of 1 to {LONGEST_NAME} characters")]
    Name,
    /// The very same file is there.
    #[error("this file is on the shelf already, as \"{name}\"")]
    Known {
        /// Its name.
        name: String,
        /// Its id.
        id: String,
    },
    /// Another model has the name.
    #[error("there is a model named \"{name}\" already: choose another name")]
    NameTaken {
        /// The name.
        name: String,
    },
    /// A card cannot be read.
    #[error(transparent)]
    Model(#[from] ModelError),
    /// The folder cannot be written.
    #[error("the folder of models cannot be written: {0}")]
    Io(#[from] std::io::Error),
}

impl OwnModels {
    /// The folder, whether it is there yet or not.
    pub fn at(folder: &Path) -> Self {
        Self { folder: folder.to_owned() }
    }

    /// Where it is.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The cards that can be read, by id, and what is wrong with the others.
    pub fn cards(&self) -> (Vec<Card>, Vec<ModelError>) {
        let entries = std::fs::read_dir(&self.folder).into_iter().flatten().filter_map(Result::ok);
        let mut paths: Vec<PathBuf> = entries.map(|e| e.path()).filter(|p| is_card(p)).collect();
        paths.sort();
        let mut cards = Vec::new();
        let mut troubles = Vec::new();
        for path in paths {
            match read_card(&path) {
                Ok(card) if card.trial.is_some() => cards.push(card),
                Ok(_) => {
                    troubles.push(ModelError::Unreadable { file: path, why: "no trial run stands in it".to_owned() })
                }
                Err(error) => troubles.push(error),
            }
        }
        (cards, troubles)
    }

    /// Puts a file on the shelf: its copy, then its card, each whole or not at all.
    pub fn add(
        &self,
        file: &Path,
        name: &str,
        file_name: &str,
        trial: Trial,
        added_on: &str,
    ) -> Result<Card, OwnError> {
        let name = name.trim();
        if name.is_empty() || name.chars().count() > LONGEST_NAME {
            return Err(OwnError::Name);
        }
        let bytes = std::fs::read(file)?;
        let sha256 = ContentHash::of(&bytes);
        let (known, _) = self.cards();
        if let Some(card) = known.iter().find(|c| c.sha256 == sha256) {
            return Err(OwnError::Known { name: card.name.clone(), id: card.id.clone() });
        }
        if known.iter().any(|c| c.name.eq_ignore_ascii_case(name)) {
            return Err(OwnError::NameTaken { name: name.to_owned() });
        }
        let card = card(name, file_name, sha256, trial, added_on);
        self.write(&format!("{}.onnx", card.id), &bytes)?;
        let text = serde_json::to_vec_pretty(&card).map_err(std::io::Error::other)?;
        self.write(&format!("{}.json", card.id), &text)?;
        Ok(card)
    }

    /// The ids of models that are no longer offered.
    pub fn retired(&self) -> BTreeSet<String> {
        let text = std::fs::read(self.folder.join(RETIRED)).unwrap_or_default();
        serde_json::from_slice(&text).unwrap_or_default()
    }

    /// Takes a model off the list of those offered, or puts it back.
    pub fn set_retired(&self, id: &str, retired: bool) -> Result<(), OwnError> {
        let mut all = self.retired();
        let changed = if retired { all.insert(id.to_owned()) } else { all.remove(id) };
        if changed {
            self.write(RETIRED, &serde_json::to_vec_pretty(&all).map_err(std::io::Error::other)?)?;
        }
        Ok(())
    }

    fn write(&self, name: &str, bytes: &[u8]) -> std::io::Result<()> {
        write_whole(&self.folder.join(name), bytes)
    }
}

/// Whether a file is a card: not the list of retired models.
fn is_card(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "json") && path.file_name().is_none_or(|n| n != RETIRED)
}

fn card(name: &str, file_name: &str, sha256: ContentHash, trial: Trial, added_on: &str) -> Card {
    let slug: String =
        name.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
    let slug: Vec<&str> = slug.split('-').filter(|part| !part.is_empty()).collect();
    let id = format!("own-{}-{}", slug.join("-"), &sha256.to_string()[..8]);
    let task = match trial.factor {
        1 => Task::Clean(Cleaner { level: None, cleaning: Vec::new() }),
        factor => Task::Enlarge(Enlarger { factor, grain: false, cleans: false, level: None, scores: Vec::new() }),
    };
    Card {
        name: name.to_owned(),
        task,
        subject: id.clone(),
        grade: Grade::Fine,
        purpose: "Added by you; what it was made for, you know best.".to_owned(),
        halo: trial.halo,
        multiple: trial.multiple,
        parameters: 0,
        licence: "as its maker says".to_owned(),
        training_data: Vec::new(),
        recipe: format!("from {file_name}"),
        made_on: added_on.to_owned(),
        weaknesses: Vec::new(),
        trial: Some(trial),
        sha256,
        id,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::model::Kind;
    use dettaglio_domain::stand_in::trial;

    #[test]
    fn a_model_is_kept_with_its_card_and_known_again() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("crisp.onnx");
        std::fs::write(&file, b"a network").unwrap();
        let own = OwnModels::at(&folder.path().join("own"));
        let card = own.add(&file, " Crisp & clear ", "crisp.onnx", trial(2), "2026-01-02").unwrap();
        assert!(card.id.starts_with("own-crisp-clear-"), "{}", card.id);
        assert_eq!((card.kind(), card.factor(), card.halo, card.multiple), (Kind::Enlarge, 2, 3, 2));
        assert_eq!(own.cards().0, [card]);
        assert!(matches!(own.add(&file, "Other", "o.onnx", trial(2), "2026-01-02"), Err(OwnError::Known { .. })));
        std::fs::write(&file, b"another network").unwrap();
        assert!(matches!(
            own.add(&file, "crisp & CLEAR", "o.onnx", trial(1), "2026-01-02"),
            Err(OwnError::NameTaken { .. })
        ));
        assert!(matches!(own.add(&file, "  ", "o.onnx", trial(1), "2026-01-02"), Err(OwnError::Name)));
        assert_eq!(own.add(&file, "Third", "o.onnx", trial(1), "2026-01-02").unwrap().kind(), Kind::Clean);
    }

    #[test]
    fn retired_ones_are_remembered() {
        let folder = tempfile::tempdir().unwrap();
        let own = OwnModels::at(folder.path());
        own.set_retired("everyday-x2-draft", true).unwrap();
        own.set_retired("other", true).unwrap();
        own.set_retired("other", false).unwrap();
        assert_eq!(own.retired().into_iter().collect::<Vec<_>>(), ["everyday-x2-draft"]);
        assert!(own.cards().0.is_empty() && own.cards().1.is_empty());
    }

    #[test]
    fn a_broken_card_is_named_and_the_others_stay() {
        let folder = tempfile::tempdir().unwrap();
        let own = OwnModels::at(folder.path());
        let file = folder.path().join("m.onnx");
        std::fs::write(&file, b"a network").unwrap();
        own.add(&file, "Good", "o.onnx", trial(2), "2026-01-02").unwrap();
        std::fs::write(folder.path().join("bad.json"), b"{").unwrap();
        let (cards, troubles) = own.cards();
        assert_eq!((cards.len(), troubles.len()), (1, 1));
        assert!(troubles[0].to_string().contains("bad.json"));
    }
}
