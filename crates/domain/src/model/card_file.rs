//! A card as it is kept: one flat object for every kind of model.

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use thiserror::Error;

use super::card::{Card, Cleaner, Enlarger, Grade, Kind, LevelKind, Repairer, Restorer, Task};
use super::score::{CleaningScore, Score};
use super::tensor::Trial;
use crate::hash::ContentHash;

/// The JSON file beside each ONNX file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = Card))]
pub struct CardFile {
    /// Unique, also the file name: "everyday-x4-draft".
    pub id: String,
    /// For people: "Everyday x4".
    pub name: String,
    /// What it does to a picture.
    pub kind: Kind,
    /// What it was made for: "everyday", "foliage", ...
    pub subject: String,
    /// Fast or thorough.
    pub grade: Grade,
    /// In one sentence, for whom.
    pub purpose: String,
    /// Output side / input side, a whole number.
    pub factor: u32,
    /// Input pixels around a pixel that its value depends on.
    pub halo: u32,
    /// Sides of its input are multiples of this; what lacks at the right and lower edge is filled up.
    #[serde(default = "any_size")]
    pub multiple: u32,
    /// What it is told besides the picture, as a second input named `level`.
    #[serde(default)]
    pub level: Option<LevelKind>,
    /// How many numbers were learned.
    pub parameters: u64,
    /// Of the model file.
    pub licence: String,
    /// The photographs that it learned from, with credits.
    pub training_data: Vec<String>,
    /// How it was trained.
    pub recipe: String,
    /// When it was exported, year-month-day.
    pub made_on: String,
    /// Where it is known to do badly.
    pub weaknesses: Vec<String>,
    /// Measured gains of an enlarger; empty until `evaluate` has run.
    pub scores: Vec<Score>,
    /// Measured gains of a cleaner over the damaged picture, of a restorer over Everyday; empty until `evaluate` has run.
    #[serde(default)]
    pub cleaning: Vec<CleaningScore>,
    /// Of a restorer: the share of its answer that is suggested, 0 to 1; see [`Card::usual_strength`].
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strength: Option<f32>,
    /// Whether it draws texture from noise that belongs to the place, as a second input named `grain` at the result's size.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub grain: bool,
    /// Whether it takes damage out while it enlarges: such a model runs once, and others go on from there.
    #[serde(default)]
    pub cleans: bool,
    /// Of a person's own model: how it wants its pictures, as a trial run found out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trial: Option<Trial>,
    /// SHA-256 of the ONNX file.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
}

fn any_size() -> u32 {
    1
}

/// Why a card says nothing that can be run.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum CardError {
    /// An enlarger that does not enlarge, or something else that does.
    #[error("model \"{id}\" cannot have the factor {factor}")]
    Factor {
        /// Which model.
        id: String,
        /// What its card says.
        factor: u32,
    },
    /// The sides of its input must be multiples of nothing.
    #[error("model \"{id}\" wants sides in multiples of 0")]
    Multiple {
        /// Which model.
        id: String,
    },
}

impl Serialize for Card {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        CardFile::from(self.clone()).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for Card {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        CardFile::deserialize(deserializer)?.try_into().map_err(D::Error::custom)
    }
}

impl TryFrom<CardFile> for Card {
    type Error = CardError;

    fn try_from(file: CardFile) -> Result<Self, CardError> {
        let CardFile { id, factor, level, cleaning, .. } = file;
        if (factor < 2) == (file.kind == Kind::Enlarge) || (factor != 1 && file.kind != Kind::Enlarge) {
            return Err(CardError::Factor { id, factor });
        }
        if file.multiple == 0 {
            return Err(CardError::Multiple { id });
        }
        let task = match file.kind {
            Kind::Enlarge => {
                Task::Enlarge(Enlarger { factor, grain: file.grain, cleans: file.cleans, level, scores: file.scores })
            }
            Kind::Clean => Task::Clean(Cleaner { level, cleaning }),
            Kind::Face => Task::Face(Restorer { level, strength: file.strength, cleaning }),
            Kind::Find => Task::Find(Repairer { level, cleaning }),
            Kind::Fill => Task::Fill(Repairer { level, cleaning }),
        };
        Ok(Self {
            id,
            name: file.name,
            subject: file.subject,
            grade: file.grade,
            purpose: file.purpose,
            halo: file.halo,
            multiple: file.multiple,
            parameters: file.parameters,
            licence: file.licence,
            training_data: file.training_data,
            recipe: file.recipe,
            made_on: file.made_on,
            weaknesses: file.weaknesses,
            trial: file.trial,
            sha256: file.sha256,
            task,
        })
    }
}

impl From<Card> for CardFile {
    fn from(card: Card) -> Self {
        let (kind, factor, level) = (card.kind(), card.factor(), card.level());
        let (mut scores, mut cleaning, mut strength, mut grain, mut cleans) =
            (Vec::new(), Vec::new(), None, false, false);
        match card.task {
            Task::Enlarge(own) => (scores, grain, cleans) = (own.scores, own.grain, own.cleans),
            Task::Clean(own) => cleaning = own.cleaning,
            Task::Face(own) => (cleaning, strength) = (own.cleaning, own.strength),
            Task::Find(own) | Task::Fill(own) => cleaning = own.cleaning,
        }
        Self {
            id: card.id,
            name: card.name,
            kind,
            subject: card.subject,
            grade: card.grade,
            purpose: card.purpose,
            factor,
            halo: card.halo,
            multiple: card.multiple,
            level,
            parameters: card.parameters,
            licence: card.licence,
            training_data: card.training_data,
            recipe: card.recipe,
            made_on: card.made_on,
            weaknesses: card.weaknesses,
            scores,
            cleaning,
            strength,
            grain,
            cleans,
            trial: card.trial,
            sha256: card.sha256,
        }
    }
}

#[cfg(test)]
mod tests {
    use std::fs;
    use std::path::Path;

    use rstest::rstest;

    use super::*;
    use crate::stand_in;

    #[test]
    fn shipped_cards_say_the_same_when_they_are_written_again() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../models");
        let files = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
        let mut kinds = std::collections::HashSet::new();
        for file in files.filter(|file| file.extension().is_some_and(|ending| ending == "json")) {
            let text = fs::read_to_string(&file).unwrap();
            let Ok(card) = serde_json::from_str::<Card>(&text) else {
                // The list of what is shipped is no card.
                assert!(!text.contains("sha256"), "{}", file.display());
                continue;
            };
            kinds.insert(card.kind() as u8);
            assert_eq!(CardFile::from(card.clone()), serde_json::from_str(&text).unwrap(), "{}", file.display());
            assert_eq!(card, serde_json::from_value(serde_json::to_value(&card).unwrap()).unwrap());
        }
        assert_eq!(kinds.len(), 5, "a model of each kind is shipped");
    }

    #[rstest]
    #[case::an_enlarger_that_keeps_the_size("enlarge", 1, 1)]
    #[case::a_cleaner_that_enlarges("clean", 2, 1)]
    #[case::no_size_at_all("clean", 0, 1)]
    #[case::multiples_of_nothing("enlarge", 2, 0)]
    fn a_card_that_cannot_be_run_is_refused(#[case] kind: &str, #[case] factor: u32, #[case] multiple: u32) {
        let mut card = serde_json::to_value(stand_in::card(2, Grade::Draft)).unwrap();
        assert!(serde_json::from_value::<Card>(card.clone()).is_ok());
        card["kind"] = kind.into();
        card["factor"] = factor.into();
        card["multiple"] = multiple.into();
        let refused = serde_json::from_value::<Card>(card).unwrap_err().to_string();
        assert!(refused.contains("everyday-x2-draft"), "{refused}");
    }
}
