//! The models of one folder.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use super::{Card, Engine, Grade, ModelError, Network};

/// One model: its card, and its network once it is first needed.
pub struct Model {
    card: Card,
    file: PathBuf,
    network: OnceLock<Result<Arc<dyn Network>, ModelError>>,
}

impl fmt::Debug for Model {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Model({})", self.card.id)
    }
}

impl Model {
    /// A model whose network is given: for tests, and for networks that are no files.
    pub fn with_network(card: Card, network: Arc<dyn Network>) -> Self {
        Self { card, file: PathBuf::new(), network: OnceLock::from(Ok(network)) }
    }

    /// What it is.
    pub fn card(&self) -> &Card {
        &self.card
    }

    /// Its network; loaded, and checked against the card, the first time.
    pub fn network(&self) -> Result<Arc<dyn Network>, ModelError> {
        self.network
            .get_or_init(|| {
                let network = Engine::load()?.open(&self.file, &self.card)?;
                Ok(Arc::new(network) as Arc<dyn Network>)
            })
            .clone()
    }
}

/// All models at hand, by id.
#[derive(Clone, Debug, Default)]
pub struct Shelf {
    models: Vec<Arc<Model>>,
}

impl Shelf {
    /// The models of a folder: every `NAME.json` with its `NAME.onnx`.
    pub fn open(folder: &Path) -> Result<Self, ModelError> {
        let unreadable = |file: &Path, why: String| ModelError::Unreadable { file: file.to_owned(), why };
        let entries = std::fs::read_dir(folder).map_err(|e| unreadable(folder, e.to_string()))?;
        let mut cards: Vec<PathBuf> = entries
            .filter_map(|entry| entry.ok().map(|e| e.path()))
            .filter(|path| path.extension().is_some_and(|e| e == "json"))
            .collect();
        cards.sort();
        let models = cards
            .into_iter()
            .map(|path| {
                let text = std::fs::read_to_string(&path).map_err(|e| unreadable(&path, e.to_string()))?;
                let card: Card = serde_json::from_str(&text).map_err(|e| unreadable(&path, e.to_string()))?;
                Ok(Arc::new(Model { card, file: path.with_extension("onnx"), network: OnceLock::new() }))
            })
            .collect::<Result<Vec<_>, ModelError>>()?;
        Ok(Self { models })
    }

    /// A shelf of given models.
    pub fn of(models: Vec<Model>) -> Self {
        Self { models: models.into_iter().map(Arc::new).collect() }
    }

    /// All of them, by id.
    pub fn models(&self) -> &[Arc<Model>] {
        &self.models
    }

    /// The one of this id.
    pub fn get(&self, id: &str) -> Result<&Arc<Model>, ModelError> {
        self.models.iter().find(|m| m.card.id == id).ok_or_else(|| ModelError::Unknown {
            id: id.to_owned(),
            known: self.models.iter().map(|m| m.card.id.clone()).collect(),
        })
    }

    /// The smallest chain of one subject's models that covers `factor`, in the order in which they run.
    ///
    /// The smallest factor runs first: a pass costs what it is given, and so the others are given less.
    /// Where the wanted grade is missing, the other serves. Nothing when the factor needs no model,
    /// or when the subject has none.
    pub fn chain(&self, subject: &str, grade: Grade, factor: f64) -> Vec<Arc<Model>> {
        let mut passes = Vec::new();
        let mut left = factor;
        // A hundredth above a whole factor is not worth four times the pixels.
        while left > 1.01 {
            let best = self.models.iter().filter(|m| m.card.subject == subject).min_by_key(|m| {
                let covers = f64::from(m.card.factor) * 1.01 >= left;
                // Of those that cover what is left the smallest; otherwise the largest; then the wanted grade.
                (!covers, if covers { m.card.factor as i64 } else { -i64::from(m.card.factor) }, m.card.grade != grade)
            });
            let Some(model) = best else { break };
            passes.push(Arc::clone(model));
            left /= f64::from(model.card.factor);
        }
        passes.sort_by_key(|m| m.card.factor);
        passes
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::stand_in::{self, Repeat};
    use rstest::rstest;

    fn shelf() -> Shelf {
        let make = |factor, grade| Model::with_network(stand_in::card(factor, grade), Arc::new(Repeat { factor }));
        Shelf::of(vec![make(2, Grade::Draft), make(4, Grade::Draft), make(4, Grade::Fine)])
    }

    #[rstest]
    #[case(1.0, &[])]
    #[case(0.5, &[])]
    #[case(1.5, &["everyday-x2-draft"])]
    #[case(2.0, &["everyday-x2-draft"])]
    #[case(3.8, &["everyday-x4-fine"])]
    #[case(4.0, &["everyday-x4-fine"])]
    #[case(6.0, &["everyday-x2-draft", "everyday-x4-fine"])]
    #[case(16.0, &["everyday-x4-fine", "everyday-x4-fine"])]
    #[case(20.0, &["everyday-x2-draft", "everyday-x4-fine", "everyday-x4-fine"])]
    fn the_smallest_chain_that_covers_the_factor(#[case] factor: f64, #[case] expected: &[&str]) {
        let shelf = shelf();
        let chain = shelf.chain("everyday", Grade::Fine, factor);
        assert_eq!(chain.iter().map(|m| m.card().id.as_str()).collect::<Vec<_>>(), expected);
    }

    #[test]
    fn an_unknown_model_is_answered_with_those_there_are() {
        let error = shelf().get("sharpest").unwrap_err().to_string();
        assert!(error.contains("sharpest") && error.contains("everyday-x2-draft"), "{error}");
    }

    #[test]
    fn a_file_that_is_not_its_cards_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let card = stand_in::card(2, Grade::Draft);
        std::fs::write(folder.path().join("m.json"), serde_json::to_string(&card).unwrap()).unwrap();
        std::fs::write(folder.path().join("m.onnx"), b"something else").unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        assert!(matches!(shelf.models()[0].network().err(), Some(ModelError::Altered { .. })));
    }

    #[test]
    fn a_broken_card_is_named() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("broken.json"), b"{").unwrap();
        assert!(Shelf::open(folder.path()).unwrap_err().to_string().contains("broken.json"));
    }
}
