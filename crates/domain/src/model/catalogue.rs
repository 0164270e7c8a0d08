//! The cards of all models at hand, and which of them serve a subject and a factor.

use std::sync::Arc;

use super::card::{Card, Grade, Kind, LevelKind};
use super::reference::ModelRef;
use crate::hash::ContentHash;

/// The subject of models that suit any picture.
pub const EVERYDAY: &str = "everyday";

/// The subject of pictures that were drawn: lettering, line, emblems.
pub const LETTERING: &str = "lettering";

/// A model's card, and whether the model is offered.
#[derive(Clone, Debug, PartialEq)]
pub struct Listed {
    /// What it is.
    pub card: Card,
    /// Whether it is no longer offered; treatments that name it still find it.
    pub retired: bool,
}

/// The cards of all models at hand, by id, the shipped ones first.
#[derive(Clone, Debug, Default)]
pub struct Catalogue {
    listed: Vec<Arc<Listed>>,
}

/// Why a model of a catalogue cannot be used as asked.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum CatalogueError {
    /// No model has this name.
    #[error("there is no model \"{id}\"; there are: {}", known.join(", "))]
    Unknown {
        /// What was asked for.
        id: String,
        /// What there is.
        known: Vec<String>,
    },
    /// The treatment names a model file other than the one at hand.
    #[error("the treatment was made with another version of model {id}: choose the model again")]
    OtherVersion {
        /// Which model.
        id: String,
    },
    /// Every picture starts with one of these.
    #[error("{id} is the last model for everyday pictures, with which every picture starts: restore another first")]
    LastEveryday {
        /// Which model.
        id: String,
    },
}

impl Catalogue {
    /// A catalogue of these entries, in this order.
    pub fn new(listed: Vec<Arc<Listed>>) -> Self {
        Self { listed }
    }

    /// A catalogue of these cards, all of them offered.
    pub fn of(cards: impl IntoIterator<Item = Card>) -> Self {
        Self::new(cards.into_iter().map(|card| Arc::new(Listed { card, retired: false })).collect())
    }

    /// All entries, offered or not.
    pub fn listed(&self) -> &[Arc<Listed>] {
        &self.listed
    }

    /// The cards of those that are offered.
    pub fn cards(&self) -> impl Iterator<Item = &Card> {
        self.listed.iter().filter(|listed| !listed.retired).map(|listed| &listed.card)
    }

    /// The card of this id, offered or not.
    pub fn card(&self, id: &str) -> Result<&Card, CatalogueError> {
        let known = || self.cards().map(|card| card.id.clone()).collect();
        let found = self.listed.iter().map(|listed| &listed.card).find(|card| card.id == id);
        found.ok_or_else(|| CatalogueError::Unknown { id: id.to_owned(), known: known() })
    }

    /// The card of the model that a treatment names, if the file is still the same.
    pub fn card_of(&self, named: &ModelRef) -> Result<&Card, CatalogueError> {
        let card = self.card(&named.model)?;
        if card.sha256 != named.sha256 {
            return Err(CatalogueError::OtherVersion { id: named.model.clone() });
        }
        Ok(card)
    }

    /// The cleaners that are told a level of this kind, by id.
    pub fn cleaners(&self, level: LevelKind) -> impl Iterator<Item = &Card> {
        self.cards().filter(move |c| c.kind() == Kind::Clean && c.level() == Some(level))
    }

    /// Whether `card` may serve where a level of this kind is told: one made for it, or a person's own that asks for none.
    pub fn serves(card: &Card, level: LevelKind) -> bool {
        card.kind() == Kind::Clean && card.level().is_none_or(|own| own == level)
    }

    /// The model that restores faces, when one is offered.
    pub fn restorer(&self) -> Option<&Card> {
        self.cards().find(|c| c.kind() == Kind::Face)
    }

    /// The models that find wear on prints and fill it, when both are offered.
    pub fn repairers(&self) -> Option<(&Card, &Card)> {
        let of = |kind| self.cards().find(move |c| c.kind() == kind);
        of(Kind::Find).zip(of(Kind::Fill))
    }

    /// Names what is offered: another when a model comes, goes or changes.
    pub fn mark(&self) -> ContentHash {
        let offered: Vec<ModelRef> = self.cards().map(ModelRef::of).collect();
        ContentHash::of_step(&ContentHash::of(b"shelf 1"), &offered)
    }

    /// Whether an enlarger of this subject is offered that draws no pattern: one that may be suggested by name.
    pub fn commends(&self, subject: &str) -> bool {
        self.enlargers(subject).any(|card| !card.draws_screen())
    }

    /// The enlargers of a subject that are offered.
    pub fn enlargers(&self, subject: &str) -> impl Iterator<Item = &Card> {
        self.cards().filter(move |card| card.kind() == Kind::Enlarge && card.subject == subject)
    }

    /// Whether a model may be retired: not the last one that suits any picture.
    pub fn check_retire(&self, id: &str) -> Result<(), CatalogueError> {
        let card = self.card(id)?;
        let is_everyday = card.kind() == Kind::Enlarge && card.subject == EVERYDAY;
        let last = is_everyday && !self.enlargers(EVERYDAY).any(|other| other.id != id);
        if last { Err(CatalogueError::LastEveryday { id: id.to_owned() }) } else { Ok(()) }
    }

    /// The smallest chain of models for a subject that covers `factor`, in the order in which they run.
    ///
    /// The subject's own models are taken as often as needed, and the smallest factor runs first: a pass costs what
    /// it is given, and so the others are given less. Where the wanted grade is missing, the other serves. Where
    /// Everyday covers what is left by a smaller factor than the subject has, or the subject's model cleans as well
    /// and must not do so twice, Everyday goes on from what the subject's model made. Nothing when the factor needs
    /// no model, or when the subject has none.
    pub fn chain(&self, subject: &str, grade: Grade, factor: f64) -> Vec<&Card> {
        let mut own = Vec::new();
        let mut rest = Vec::new();
        let mut left = factor;
        // A hundredth above a whole factor is not worth four times the pixels.
        while left > 1.01 {
            let Some(card) = self.best(subject, grade, left) else { break };
            let going_on = own.last().is_some() && subject != EVERYDAY;
            let everyday = going_on.then(|| self.best(EVERYDAY, grade, left)).flatten();
            let smaller = everyday.filter(|e| card.cleans() || (covers(e, left) && e.factor() < card.factor()));
            let (list, card) = match smaller {
                Some(everyday) => (&mut rest, everyday),
                None => (&mut own, card),
            };
            left /= f64::from(card.factor());
            list.push(card);
        }
        own.sort_by_key(|card| card.factor());
        rest.sort_by_key(|card| card.factor());
        own.into_iter().chain(rest).collect()
    }

    /// The offered model of a subject that is best for the next pass.
    fn best(&self, subject: &str, grade: Grade, left: f64) -> Option<&Card> {
        self.enlargers(subject).min_by_key(|card| {
            let factor = i64::from(card.factor());
            // Of those that cover what is left the smallest; otherwise the largest; then the wanted grade.
            (!covers(card, left), if covers(card, left) { factor } else { -factor }, card.grade != grade)
        })
    }
}

/// Whether one pass of an enlarger reaches a factor; a hundredth more is left to resampling.
fn covers(card: &Card, factor: f64) -> bool {
    f64::from(card.factor()) * 1.01 >= factor
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::model::{Enlarger, Task};
    use crate::stand_in;

    fn catalogue() -> Catalogue {
        let make = |factor, grade| stand_in::card(factor, grade);
        Catalogue::of([make(2, Grade::Draft), make(4, Grade::Draft), make(4, Grade::Fine)])
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
        let catalogue = catalogue();
        let chain = catalogue.chain("everyday", Grade::Fine, factor);
        assert_eq!(chain.iter().map(|card| card.id.as_str()).collect::<Vec<_>>(), expected);
    }

    fn with_subject(cleans: bool) -> Catalogue {
        let make = |subject: &str, factor| {
            let id = format!("{subject}-x{factor}");
            let cleans = cleans && subject != EVERYDAY;
            let task = Task::Enlarge(Enlarger { cleans, ..stand_in::enlarger(factor) });
            Card { id, subject: subject.to_owned(), task, ..stand_in::card(factor, Grade::Draft) }
        };
        Catalogue::of(vec![make("everyday", 2), make("everyday", 4), make("lettering", if cleans { 2 } else { 4 })])
    }

    #[rstest]
    #[case(2.0, &["lettering-x4"])]
    #[case(4.0, &["lettering-x4"])]
    #[case(6.0, &["lettering-x4", "everyday-x2"])]
    #[case(16.0, &["lettering-x4", "lettering-x4"])]
    fn everyday_goes_on_where_a_subject_would_be_too_much(#[case] factor: f64, #[case] expected: &[&str]) {
        let catalogue = with_subject(false);
        let chain = catalogue.chain("lettering", Grade::Draft, factor);
        assert_eq!(chain.iter().map(|card| card.id.as_str()).collect::<Vec<_>>(), expected);
    }

    #[rstest]
    #[case(2.0, &["lettering-x2"])]
    #[case(4.0, &["lettering-x2", "everyday-x2"])]
    #[case(8.0, &["lettering-x2", "everyday-x4"])]
    fn one_that_cleans_runs_once(#[case] factor: f64, #[case] expected: &[&str]) {
        let catalogue = with_subject(true);
        let chain = catalogue.chain("lettering", Grade::Draft, factor);
        assert_eq!(chain.iter().map(|card| card.id.as_str()).collect::<Vec<_>>(), expected);
    }

    #[test]
    fn an_unknown_model_is_answered_with_those_there_are() {
        let error = catalogue().card("sharpest").unwrap_err().to_string();
        assert!(error.contains("sharpest") && error.contains("everyday-x2-draft"), "{error}");
    }
}
