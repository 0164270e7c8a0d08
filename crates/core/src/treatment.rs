//! The ordered, saved settings for one picture, with everything resolved: the same treatment of the
//! same original is the same result anywhere.

use serde::{Deserialize, Serialize};

use crate::enlarge::Kernel;
use crate::hash::ContentHash;
use crate::model::{Card, Grade, ModelError, Shelf};
use crate::picture::Size;

/// What is done to an original.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Treatment {
    /// How it is made larger.
    pub enlarge: Enlarge,
    /// Pixels of the result.
    pub size: Size,
}

/// The Enlarge step.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "by")]
pub enum Enlarge {
    /// Plain resampling.
    Plain {
        /// How.
        kernel: Kernel,
    },
    /// A chain of learned passes, then one plain resampling down to the exact size.
    Learned {
        /// In the order in which they run; at least one.
        passes: Vec<Pass>,
    },
}

/// One learned pass.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Pass {
    /// The model's id.
    pub model: String,
    /// The very file that is meant.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub sha256: ContentHash,
    /// Output side / input side.
    pub factor: u32,
}

impl Pass {
    fn of(card: &Card) -> Self {
        Self { model: card.id.clone(), sha256: card.sha256, factor: card.factor }
    }
}

impl Treatment {
    /// Plain resampling to `size`.
    pub fn plain(kernel: Kernel, size: Size) -> Self {
        Self { enlarge: Enlarge::Plain { kernel }, size }
    }

    /// The smallest chain of a subject's models that covers the way from `original` to `size`.
    ///
    /// Plain Lanczos 3 where no model is needed: for a result no larger than the original.
    pub fn learned(shelf: &Shelf, subject: &str, grade: Grade, original: Size, size: Size) -> Self {
        let factor = f64::from(size.width) / f64::from(original.width);
        let factor = factor.max(f64::from(size.height) / f64::from(original.height));
        let passes: Vec<Pass> = shelf.chain(subject, grade, factor).iter().map(|m| Pass::of(m.card())).collect();
        if passes.is_empty() {
            return Self::plain(Kernel::Lanczos3, size);
        }
        Self { enlarge: Enlarge::Learned { passes }, size }
    }

    /// As [`learned`](Self::learned), for the subject and grade of the model with this id.
    pub fn with_model(shelf: &Shelf, id: &str, original: Size, size: Size) -> Result<Self, ModelError> {
        let card = shelf.get(id)?.card();
        Ok(Self::learned(shelf, &card.subject, card.grade, original, size))
    }

    /// Names it in cache keys and addresses.
    pub fn hash(&self) -> ContentHash {
        ContentHash::of_step(&ContentHash::of(b"treatment 1"), self)
    }

    /// The learned passes; none for plain resampling.
    pub fn passes(&self) -> &[Pass] {
        match &self.enlarge {
            Enlarge::Plain { .. } => &[],
            Enlarge::Learned { passes } => passes,
        }
    }

    /// Pixels that go into each learned pass, in order: what the time depends on.
    pub fn pass_inputs(&self, original: Size) -> Vec<(&Pass, u64)> {
        let mut sides = 1_u64;
        self.passes()
            .iter()
            .map(|pass| {
                let pixels = original.area() * sides * sides;
                sides *= u64::from(pass.factor);
                (pass, pixels)
            })
            .collect()
    }

    /// In words for a record: "Everyday x4 draft, then Lanczos 3 to 5669 x 3780 px".
    pub fn describe(&self, shelf: &Shelf) -> String {
        match &self.enlarge {
            Enlarge::Plain { kernel } => format!("{kernel} to {}", self.size),
            Enlarge::Learned { passes } => {
                let names: Vec<String> = passes
                    .iter()
                    .map(|pass| shelf.get(&pass.model).map_or_else(|_| pass.model.clone(), |m| m.card().title()))
                    .collect();
                format!("{}, to {}", names.join(", then "), self.size)
            }
        }
    }
}
