//! Models: their cards, and which of them serve what. The networks themselves are run elsewhere.

mod card;
mod catalogue;
mod reference;
mod tensor;

pub use card::{
    Card, CleaningScore, Evidence, FaceTrial, Grade, Kind, LevelKind, MOST_LOST, MOST_SCREEN, PHOTOGRAPHS, Score,
    perceived_nearer,
};
pub use catalogue::{Catalogue, CatalogueError, EVERYDAY, LETTERING, Listed};
pub use reference::ModelRef;
pub use tensor::{Element, Layout, Range, TensorFormat, Trial};
