//! The models of one folder.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use crate::hash::ContentHash;

use super::{Card, Engine, Grade, Kind, LevelKind, ModelError, ModelRef, Network, OwnModels};

/// The subject of models that suit any picture.
pub const EVERYDAY: &str = "everyday";

/// One model: its card, and its network once it is first needed.
pub struct Model {
    card: Card,
    file: PathBuf,
    retired: bool,
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
        Self { card, file: PathBuf::new(), retired: false, network: OnceLock::from(Ok(network)) }
    }

    /// A model in a file, loaded when it is first needed.
    fn in_file(card: Card, file: PathBuf, retired: bool) -> Self {
        Self { card, file, retired, network: OnceLock::new() }
    }

    /// Whether it is no longer offered; treatments that name it still find it.
    pub fn is_retired(&self) -> bool {
        self.retired
    }

    fn marked(self: &Arc<Self>, retired: bool) -> Arc<Self> {
        if self.retired == retired {
            return Arc::clone(self);
        }
        let network = self.network.clone();
        Arc::new(Self { card: self.card.clone(), file: self.file.clone(), retired, network })
    }

    /// Bytes of its file; 0 when there is none.
    pub fn file_bytes(&self) -> u64 {
        std::fs::metadata(&self.file).map_or(0, |m| m.len())
    }

    /// What it is.
    pub fn card(&self) -> &Card {
        &self.card
    }

    fn covers(&self, factor: f64) -> bool {
        f64::from(self.card.factor) * 1.01 >= factor
    }

    /// Its network; loaded, and checked against the card, the first time.
    pub fn network(&self) -> Result<Arc<dyn Network>, ModelError> {
        self.network.get_or_init(|| Engine::load()?.open(&self.file, &self.card)).clone()
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
            .map(|path| Ok(Arc::new(Model::in_file(Card::read(&path)?, path.with_extension("onnx"), false))))
            .collect::<Result<Vec<_>, ModelError>>()?;
        Ok(Self { models })
    }

    /// This shelf with a person's own models, and with those marked that are retired.
    ///
    /// Own models whose cards cannot be read are left out and told of. Networks that are loaded stay loaded.
    pub fn with_own(&self, own: &OwnModels) -> (Self, Vec<ModelError>) {
        let retired = own.retired();
        let shipped = self.models.iter().filter(|m| m.card.trial.is_none());
        let mut models: Vec<Arc<Model>> = shipped.map(|m| m.marked(retired.contains(&m.card.id))).collect();
        let (cards, troubles) = own.cards();
        for card in cards {
            let retired = retired.contains(&card.id);
            let file = own.folder().join(&card.id).with_extension("onnx");
            models.push(match self.models.iter().find(|m| m.card == card) {
                Some(known) => known.marked(retired),
                None => Arc::new(Model::in_file(card, file, retired)),
            });
        }
        (Self { models }, troubles)
    }

    /// A shelf of given models.
    pub fn of(models: Vec<Model>) -> Self {
        Self { models: models.into_iter().map(Arc::new).collect() }
    }

    /// Those that are offered.
    pub fn offered(&self) -> impl Iterator<Item = &Arc<Model>> {
        self.models.iter().filter(|m| !m.retired)
    }

    /// All of them, by id, the shipped ones first.
    pub fn models(&self) -> &[Arc<Model>] {
        &self.models
    }

    /// The one of this id.
    pub fn get(&self, id: &str) -> Result<&Arc<Model>, ModelError> {
        self.models.iter().find(|m| m.card.id == id).ok_or_else(|| ModelError::Unknown {
            id: id.to_owned(),
            known: self.offered().map(|m| m.card.id.clone()).collect(),
        })
    }

    /// The network that a treatment names, if the file is still the same.
    pub fn network(&self, named: &ModelRef) -> Result<Arc<dyn Network>, ModelError> {
        self.named(named)?.network()
    }

    /// The model that a treatment names, if the file is still the same.
    pub fn named(&self, named: &ModelRef) -> Result<&Arc<Model>, ModelError> {
        let model = self.get(&named.model)?;
        if model.card.sha256 != named.sha256 {
            return Err(ModelError::OtherVersion { id: named.model.clone() });
        }
        Ok(model)
    }

    /// The cleaners that are told a level of this kind, by id.
    pub fn cleaners(&self, level: LevelKind) -> impl Iterator<Item = &Card> {
        self.offered().map(|m| &m.card).filter(move |c| c.kind == Kind::Clean && c.level == Some(level))
    }

    /// Whether `card` may serve where a level of this kind is told: one made for it, or a person's own that asks for none.
    pub fn serves(card: &Card, level: LevelKind) -> bool {
        card.kind == Kind::Clean && card.level.is_none_or(|own| own == level)
    }

    /// The model that restores faces, when one is offered.
    pub fn restorer(&self) -> Option<&Card> {
        self.offered().map(|m| m.card()).find(|c| c.kind == Kind::Face)
    }

    /// Names what is offered: another when a model comes, goes or changes.
    pub fn mark(&self) -> ContentHash {
        let offered: Vec<ModelRef> = self.offered().map(|m| ModelRef::of(m.card())).collect();
        ContentHash::of_step(&ContentHash::of(b"shelf 1"), &offered)
    }

    /// Whether an enlarger of this subject is offered that draws no pattern: one that may be suggested by name.
    pub fn commends(&self, subject: &str) -> bool {
        let mut enlargers = self.offered().filter(|m| m.card.kind == Kind::Enlarge && m.card.subject == subject);
        enlargers.any(|m| !m.card.draws_screen())
    }

    /// Whether a model may be retired: not the last one that suits any picture.
    pub fn check_retire(&self, id: &str) -> Result<(), ModelError> {
        let is_everyday = |m: &Model| m.card.kind == Kind::Enlarge && m.card.subject == EVERYDAY;
        let last = is_everyday(self.get(id)?) && !self.offered().any(|m| is_everyday(m) && m.card.id != id);
        if last { Err(ModelError::LastEveryday { id: id.to_owned() }) } else { Ok(()) }
    }

    /// The smallest chain of models for a subject that covers `factor`, in the order in which they run.
    ///
    /// The subject's own models are taken as often as needed, and the smallest factor runs first: a pass costs what
    /// it is given, and so the others are given less. Where the wanted grade is missing, the other serves. Where
    /// Everyday covers what is left by a smaller factor than the subject has, or the subject's model cleans as well
    /// and must not do so twice, Everyday goes on from what the subject's model made. Nothing when the factor needs
    /// no model, or when the subject has none.
    pub fn chain(&self, subject: &str, grade: Grade, factor: f64) -> Vec<Arc<Model>> {
        let mut own = Vec::new();
        let mut rest = Vec::new();
        let mut left = factor;
        // A hundredth above a whole factor is not worth four times the pixels.
        while left > 1.01 {
            let Some(model) = self.best(subject, grade, left) else { break };
            let going_on = own.last().is_some() && subject != EVERYDAY;
            let everyday = going_on.then(|| self.best(EVERYDAY, grade, left)).flatten();
            let smaller =
                everyday.filter(|e| model.card.cleans || (e.covers(left) && e.card.factor < model.card.factor));
            let (list, model) = match smaller {
                Some(everyday) => (&mut rest, everyday),
                None => (&mut own, model),
            };
            left /= f64::from(model.card.factor);
            list.push(Arc::clone(model));
        }
        own.sort_by_key(|m| m.card.factor);
        rest.sort_by_key(|m| m.card.factor);
        own.into_iter().chain(rest).collect()
    }

    /// The offered model of a subject that is best for the next pass.
    fn best(&self, subject: &str, grade: Grade, left: f64) -> Option<&Arc<Model>> {
        let enlargers = self.offered().filter(|m| m.card.kind == Kind::Enlarge && m.card.subject == subject);
        enlargers.min_by_key(|m| {
            let factor = i64::from(m.card.factor);
            // Of those that cover what is left the smallest; otherwise the largest; then the wanted grade.
            (!m.covers(left), if m.covers(left) { factor } else { -factor }, m.card.grade != grade)
        })
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

    fn subject_shelf(cleans: bool) -> Shelf {
        let make = |subject: &str, factor| {
            let id = format!("{subject}-x{factor}");
            let cleans = cleans && subject != EVERYDAY;
            let card = Card { id, subject: subject.to_owned(), cleans, ..stand_in::card(factor, Grade::Draft) };
            Model::with_network(card, Arc::new(Repeat { factor }))
        };
        Shelf::of(vec![make("everyday", 2), make("everyday", 4), make("lettering", if cleans { 2 } else { 4 })])
    }

    #[rstest]
    #[case(2.0, &["lettering-x4"])]
    #[case(4.0, &["lettering-x4"])]
    #[case(6.0, &["lettering-x4", "everyday-x2"])]
    #[case(16.0, &["lettering-x4", "lettering-x4"])]
    fn everyday_goes_on_where_a_subject_would_be_too_much(#[case] factor: f64, #[case] expected: &[&str]) {
        let shelf = subject_shelf(false);
        let chain = shelf.chain("lettering", Grade::Draft, factor);
        assert_eq!(chain.iter().map(|m| m.card().id.as_str()).collect::<Vec<_>>(), expected);
    }

    #[rstest]
    #[case(2.0, &["lettering-x2"])]
    #[case(4.0, &["lettering-x2", "everyday-x2"])]
    #[case(8.0, &["lettering-x2", "everyday-x4"])]
    fn one_that_cleans_runs_once(#[case] factor: f64, #[case] expected: &[&str]) {
        let shelf = subject_shelf(true);
        let chain = shelf.chain("lettering", Grade::Draft, factor);
        assert_eq!(chain.iter().map(|m| m.card().id.as_str()).collect::<Vec<_>>(), expected);
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
        assert!(matches!(shelf.check_retire("everyday-x2-draft"), Err(ModelError::LastEveryday { .. })));
        assert!(shelf.check_retire("everyday-x4-fine").is_ok());
        own.set_retired("everyday-x4-fine", false).unwrap();
        assert_eq!(shelf.with_own(&own).0.offered().count(), 2);
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
