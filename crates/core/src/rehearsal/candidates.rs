//! Who takes part in a rehearsal.

use serde::{Deserialize, Serialize};

use crate::clean::Clean;
use crate::enlarge::Kernel;
use crate::model::{Kind, Shelf};
use crate::recipe::{Choice, Recipe, Steps};

/// One way to enlarge.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Candidate {
    /// What it is called.
    pub name: String,
    /// What is done.
    pub steps: Steps,
}

impl Candidate {
    /// Only enlarging.
    pub fn enlarging(name: String, enlarge: Choice, clean: &Clean) -> Self {
        Self { name, steps: Steps { clean: clean.clone(), ..Recipe::only(enlarge).steps } }
    }
}

/// The plain methods, then every subject and grade of the enlargers on a shelf whose models start a chain to this factor, by name.
///
/// All of them start from what `clean` leaves.
pub fn candidates(shelf: &Shelf, factor: u32, clean: &Clean) -> Vec<Candidate> {
    let plain = Kernel::ALL.map(|kernel| {
        let name = kernel.to_string();
        let name = name[..1].to_uppercase() + &name[1..];
        Candidate::enlarging(name, Choice::Plain { kernel }, &Clean::default())
    });
    let mut all = Vec::from(plain);
    for model in shelf.offered().filter(|m| m.card().kind == Kind::Enlarge) {
        let card = model.card();
        let chain = shelf.chain(&card.subject, card.grade, f64::from(factor));
        let Some(first) = chain.first().map(|m| m.card()).filter(|first| first.grade == card.grade) else { continue };
        let enlarge = Choice::Learned { subject: card.subject.clone(), grade: card.grade, strength: 1.0 };
        if all.iter().all(|c| c.steps.enlarge != enlarge) {
            // A chain of another factor's model is called by the subject.
            let name = if chain.len() == 1 { first.title() } else { format!("{}, {} times", first.title(), factor) };
            all.push(Candidate::enlarging(name, enlarge, clean));
        }
    }
    all
}
