//! Models: their cards, and which of them serve what. The networks themselves are run elsewhere.

mod card;
mod card_file;
mod catalogue;
mod reference;
mod score;
mod tensor;

pub use card::{Card, Cleaner, Enlarger, Grade, Kind, LevelKind, Repairer, Restorer, Task};
pub use card_file::{CardError, CardFile};
pub use catalogue::{Catalogue, CatalogueError, EVERYDAY, LETTERING, Listed};
pub use reference::ModelRef;
pub use score::{CleaningScore, Evidence, FaceTrial, MOST_LOST, MOST_SCREEN, PHOTOGRAPHS, Score, perceived_nearer};
pub use tensor::{Element, Layout, Range, TensorFormat, Trial};
