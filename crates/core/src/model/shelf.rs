//! The models of one folder.

use std::fmt;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use dettaglio_domain::model::{Card, Catalogue, Listed, ModelRef};

use super::cards::read_card;
use super::error::ModelError;
use super::network::Network;
use super::opening::open;
use super::own::OwnModels;

/// One model: its card, and its network once it is first needed.
pub struct Model {
    listed: Arc<Listed>,
    file: PathBuf,
    network: OnceLock<Result<Arc<dyn Network>, ModelError>>,
}

impl fmt::Debug for Model {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Model({})", self.card().id)
    }
}

impl Model {
    /// A model whose network is given: for tests, and for networks that are no files.
    pub fn with_network(card: Card, network: Arc<dyn Network>) -> Self {
        let listed = Arc::new(Listed { card, retired: false });
        Self { listed, file: PathBuf::new(), network: OnceLock::from(Ok(network)) }
    }

    /// A model in a file, loaded when it is first needed.
    fn in_file(card: Card, file: PathBuf, retired: bool) -> Self {
        Self { listed: Arc::new(Listed { card, retired }), file, network: OnceLock::new() }
    }

    /// Whether it is no longer offered; treatments that name it still find it.
    pub fn is_retired(&self) -> bool {
        self.listed.retired
    }

    fn marked(self: &Arc<Self>, retired: bool) -> Arc<Self> {
        if self.is_retired() == retired {
            return Arc::clone(self);
        }
        let listed = Arc::new(Listed { card: self.card().clone(), retired });
        Arc::new(Self { listed, file: self.file.clone(), network: self.network.clone() })
    }

    /// Bytes of its file; 0 when there is none.
    pub fn file_bytes(&self) -> u64 {
        std::fs::metadata(&self.file).map_or(0, |m| m.len())
    }

    /// What it is.
    pub fn card(&self) -> &Card {
        &self.listed.card
    }

    /// Whether its network was loaded before.
    fn is_open(&self) -> bool {
        self.network.get().is_some()
    }

    /// Its network; loaded, and checked against the card, the first time.
    pub fn network(&self) -> Result<Arc<dyn Network>, ModelError> {
        self.network.get_or_init(|| open(&self.file, self.card())).clone()
    }
}

/// All models at hand: a catalogue of their cards, whose networks can be run.
#[derive(Clone, Debug, Default)]
pub struct Shelf {
    /// By id, the shipped ones first.
    models: Vec<Arc<Model>>,
    /// The same models' cards, in the same order.
    catalogue: Catalogue,
}

impl Deref for Shelf {
    type Target = Catalogue;

    fn deref(&self) -> &Catalogue {
        &self.catalogue
    }
}

impl Shelf {
    fn new(models: Vec<Arc<Model>>) -> Self {
        let catalogue = Catalogue::new(models.iter().map(|model| Arc::clone(&model.listed)).collect());
        Self { models, catalogue }
    }

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
            .map(|path| Ok(Arc::new(Model::in_file(read_card(&path)?, path.with_extension("onnx"), false))))
            .collect::<Result<Vec<_>, ModelError>>()?;
        Ok(Self::new(models))
    }

    /// This shelf with a person's own models, and with those marked that are retired.
    ///
    /// Own models whose cards cannot be read are left out and told of. Networks that are loaded stay loaded.
    pub fn with_own(&self, own: &OwnModels) -> (Self, Vec<ModelError>) {
        let retired = own.retired();
        let shipped = self.models.iter().filter(|m| m.card().trial.is_none());
        let mut models: Vec<Arc<Model>> = shipped.map(|m| m.marked(retired.contains(&m.card().id))).collect();
        let (cards, troubles) = own.cards();
        for card in cards {
            let retired = retired.contains(&card.id);
            let file = own.folder().join(&card.id).with_extension("onnx");
            models.push(match self.models.iter().find(|m| *m.card() == card) {
                Some(known) => known.marked(retired),
                None => Arc::new(Model::in_file(card, file, retired)),
            });
        }
        (Self::new(models), troubles)
    }

    /// A shelf of given models.
    pub fn of(models: Vec<Model>) -> Self {
        Self::new(models.into_iter().map(Arc::new).collect())
    }

    /// Those that are offered.
    pub fn offered(&self) -> impl Iterator<Item = &Arc<Model>> {
        self.models.iter().filter(|m| !m.is_retired())
    }

    /// All of them, by id, the shipped ones first.
    pub fn models(&self) -> &[Arc<Model>] {
        &self.models
    }

    /// The one of this id.
    pub fn get(&self, id: &str) -> Result<&Arc<Model>, ModelError> {
        let card = self.catalogue.card(id)?;
        Ok(self.models.iter().find(|m| m.card().id == card.id).expect("every card is a model's"))
    }

    /// Whether nothing is left to load of the network that a treatment names.
    pub fn is_open(&self, named: &ModelRef) -> bool {
        self.get(&named.model).map_or(true, |model| model.is_open())
    }

    /// The network that a treatment names, if the file is still the same.
    pub fn network(&self, named: &ModelRef) -> Result<Arc<dyn Network>, ModelError> {
        let card = self.catalogue.card_of(named)?;
        self.get(&card.id)?.network()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::model::CatalogueError;
    use dettaglio_domain::model::Grade;

    use crate::model::stand_in::{self, Repeat};

    fn shelf() -> Shelf {
        let make = |factor, grade| Model::with_network(stand_in::card(factor, grade), Arc::new(Repeat { factor }));
        Shelf::of(vec![make(2, Grade::Draft), make(4, Grade::Draft), make(4, Grade::Fine)])
    }

    #[test]
    fn what_is_retired_is_not_offered_but_found() {
        let folder = tempfile::tempdir().unwrap();
        let own = OwnModels::at(folder.path());
        own.set_retired("everyday-x4-draft", true).unwrap();
        own.set_retired("everyday-x4-fine", true).unwrap();
        let (shelf, troubles) = shelf().with_own(&own);
        assert!(troubles.is_empty());
        assert_eq!(shelf.offered().count(), 1);
        assert_eq!(shelf.chain("everyday", Grade::Fine, 4.0).len(), 2, "twice x2");
        assert!(shelf.get("everyday-x4-fine").unwrap().is_retired());
        assert!(matches!(shelf.check_retire("everyday-x2-draft"), Err(CatalogueError::LastEveryday { .. })));
        assert!(shelf.check_retire("everyday-x4-fine").is_ok());
        own.set_retired("everyday-x4-fine", false).unwrap();
        assert_eq!(shelf.with_own(&own).0.offered().count(), 2);
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
