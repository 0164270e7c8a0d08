//! The models of one folder.

use std::fmt;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock};
use std::time::Instant;

use dettaglio_domain::model::{Card, Catalogue, Listed, ModelRef};

use super::cards::read_card;
use super::error::ModelError;
use super::network::Network;
use super::opening::open;
use super::own::OwnModels;
use super::sight::{self, Sight};

/// How many networks out of files stay loaded that nobody uses at the moment: what each has needed for its largest block stays
/// taken, which for a large one is hundreds of megabytes, and a picture's treatment seldom names more.
const MOST_LOADED: usize = 8;

/// One model: its card, and its network while it is needed.
pub struct Model {
    listed: Arc<Listed>,
    file: PathBuf,
    loaded: Arc<Mutex<Option<Loaded>>>,
}

/// A network, or why there is none.
struct Loaded {
    network: Result<Arc<dyn Network>, ModelError>,
    /// When it was last asked for.
    used: Instant,
}

impl Loaded {
    fn now(network: Result<Arc<dyn Network>, ModelError>) -> Self {
        Self { network, used: Instant::now() }
    }

    /// Whether someone has it who may be about to run it.
    fn is_in_use(&self) -> bool {
        self.network.as_ref().is_ok_and(|network| Arc::strong_count(network) > 1)
    }
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
        let loaded = Arc::new(Mutex::new(Some(Loaded::now(Ok(network)))));
        Self { listed, file: PathBuf::new(), loaded }
    }

    /// A model in a file, loaded when it is first needed.
    fn in_file(card: Card, file: PathBuf, retired: bool) -> Self {
        Self { listed: Arc::new(Listed { card, retired }), file, loaded: Arc::default() }
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
        Arc::new(Self { listed, file: self.file.clone(), loaded: Arc::clone(&self.loaded) })
    }

    /// Bytes of its file; 0 when there is none.
    pub fn file_bytes(&self) -> u64 {
        std::fs::metadata(&self.file).map_or(0, |m| m.len())
    }

    /// What it is.
    pub fn card(&self) -> &Card {
        &self.listed.card
    }

    /// Whether its network is loaded, or is just being; does not wait for that.
    fn is_open(&self) -> bool {
        self.loaded.try_lock().map_or(true, |held| held.is_some())
    }

    /// Its network; loaded, and checked against the card, when it is not at hand.
    pub fn network(&self) -> Result<Arc<dyn Network>, ModelError> {
        let mut held = self.lock();
        let loaded = held.get_or_insert_with(|| Loaded::now(open(&self.file, self.card())));
        loaded.used = Instant::now();
        loaded.network.clone()
    }

    /// When it was last used, if its network is loaded out of its file and in nobody's hands.
    fn unused_since(&self) -> Option<Instant> {
        // While it is being loaded it is in use.
        let held = self.loaded.try_lock().ok()?;
        let loaded = held.as_ref().filter(|loaded| !loaded.is_in_use());
        loaded.filter(|_| !self.file.as_os_str().is_empty()).map(|loaded| loaded.used)
    }

    /// Lets go of its network, unless somebody has taken it up.
    fn close(&self) {
        self.lock().take_if(|loaded| !loaded.is_in_use());
    }

    fn lock(&self) -> MutexGuard<'_, Option<Loaded>> {
        self.loaded.lock().unwrap_or_else(|e| e.into_inner())
    }
}

/// All models at hand: a catalogue of their cards, whose networks can be run.
#[derive(Clone, Debug, Default)]
pub struct Shelf {
    /// By id, the shipped ones first.
    models: Vec<Arc<Model>>,
    /// The same models' cards, in the same order.
    catalogue: Catalogue,
    /// What looks at pictures; nothing where their folder has nothing that does.
    sight: Option<Arc<Looker>>,
}

/// The network that looks at pictures, opened when it is first needed.
#[derive(Debug)]
struct Looker {
    models: PathBuf,
    sight: OnceLock<Result<Sight, ModelError>>,
}

impl Deref for Shelf {
    type Target = Catalogue;

    fn deref(&self) -> &Catalogue {
        &self.catalogue
    }
}

impl Shelf {
    fn new(models: Vec<Arc<Model>>, sight: Option<Arc<Looker>>) -> Self {
        let catalogue = Catalogue::new(models.iter().map(|model| Arc::clone(&model.listed)).collect());
        Self { models, catalogue, sight }
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
        let looks = folder.join(sight::FOLDER).is_dir();
        let looker = looks.then(|| Arc::new(Looker { models: folder.to_owned(), sight: OnceLock::new() }));
        Ok(Self::new(models, looker))
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
        (Self::new(models, self.sight.clone()), troubles)
    }

    /// A shelf of given models.
    pub fn of(models: Vec<Model>) -> Self {
        Self::new(models.into_iter().map(Arc::new).collect(), None)
    }

    /// What looks at pictures; nothing where the models' folder has nothing that does.
    ///
    /// # Errors
    /// When its file is not the one that is shipped, or the runtime cannot be loaded.
    pub fn sight(&self) -> Result<Option<&Sight>, ModelError> {
        let Some(looker) = &self.sight else { return Ok(None) };
        let sight = looker.sight.get_or_init(|| Sight::open(&looker.models));
        sight.as_ref().map(Some).map_err(ModelError::clone)
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
        let network = self.get(&card.id)?.network();
        self.close_unused();
        network
    }

    /// Lets go of all networks that nobody uses: they are opened anew, on the device that is chosen by then.
    pub fn close_all(&self) {
        self.close_but(0);
    }

    /// Lets go of networks that nobody uses, but for the few that were used last.
    pub fn close_unused(&self) {
        self.close_but(MOST_LOADED);
    }

    fn close_but(&self, kept: usize) {
        let mut unused: Vec<_> = self.models.iter().filter_map(|model| Some((model.unused_since()?, model))).collect();
        unused.sort_by_key(|(since, _)| *since);
        let beyond = unused.len().saturating_sub(kept);
        unused[..beyond].iter().for_each(|(_, model)| model.close());
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
    fn few_networks_stay_loaded_and_none_goes_that_is_in_use() {
        let folder = tempfile::tempdir().unwrap();
        let example = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../models/everyday-x2-draft"));
        let card = read_card(&example.with_extension("json")).unwrap();
        for number in 0..=MOST_LOADED + 1 {
            let card = Card { id: format!("{}-{number:02}", card.id), ..card.clone() };
            let file = folder.path().join(&card.id);
            std::fs::write(file.with_extension("json"), serde_json::to_string(&card).unwrap()).unwrap();
            std::fs::copy(example.with_extension("onnx"), file.with_extension("onnx")).unwrap();
        }
        let shelf = Shelf::open(folder.path()).unwrap();
        let named: Vec<ModelRef> = shelf.models().iter().map(|model| ModelRef::of(model.card())).collect();
        let first = shelf.network(&named[0]).unwrap();
        for named in &named[1..] {
            shelf.network(named).unwrap();
        }
        shelf.close_unused();
        let is_open = |number: usize| shelf.is_open(&named[number]);
        assert!(is_open(0), "it is in use");
        assert!(!is_open(1), "it is the one not used longest");
        assert!((2..named.len()).all(is_open));
        drop(first);
        shelf.close_unused();
        assert!(!is_open(0));
        assert!(shelf.network(&named[0]).is_ok(), "it is loaded again");
    }

    #[test]
    fn a_broken_card_is_named() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("broken.json"), b"{").unwrap();
        assert!(Shelf::open(folder.path()).unwrap_err().to_string().contains("broken.json"));
    }
}
