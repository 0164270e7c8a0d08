//! The same recipe by quicker models: what is shown of a view until the models that were chosen are done with it.

use crate::clean::Clean;
use crate::kernel::Kernel;
use crate::model::{Catalogue, Grade, LETTERING, ModelRef};
use crate::recipe::{Choice, Recipe, Steps};

impl Recipe {
    /// This recipe with draft models wherever there are any, without repair and without restored faces.
    ///
    /// `None` when that is what it says already: there is nothing quicker to be shown first.
    pub fn in_draft(&self, catalogue: &Catalogue) -> Option<Self> {
        let mut draft = self.clone();
        draft.areas.iter_mut().map(|area| &mut area.steps).for_each(|steps| steps.put_in_draft(catalogue));
        draft.steps.put_in_draft(catalogue);
        (draft != *self).then_some(draft)
    }
}

impl Steps {
    fn put_in_draft(&mut self, catalogue: &Catalogue) {
        self.repair.wear = None;
        self.faces = None;
        match &mut self.enlarge {
            Choice::Plain { .. } => {}
            Choice::Learned { grade, .. } => *grade = Grade::Draft,
            // Tracing takes seconds.
            Choice::Traced(_) => self.enlarge = drawn_by_models(catalogue),
        }
        let Clean { marks, noise, softness } = &mut self.clean;
        let cleaners = [
            marks.as_mut().map(|marks| &mut marks.model),
            noise.as_mut().map(|noise| &mut noise.model),
            softness.as_mut().map(|softness| &mut softness.model),
        ];
        for model in cleaners.into_iter().flatten() {
            if let Some(draft) = draft_of(model, catalogue) {
                *model = draft;
            }
        }
    }
}

/// What comes nearest to a traced drawing without tracing it.
fn drawn_by_models(catalogue: &Catalogue) -> Choice {
    if catalogue.enlargers(LETTERING).next().is_some() {
        Choice::Learned { subject: LETTERING.to_owned(), grade: Grade::Draft, strength: 1.0 }
    } else {
        Choice::Plain { kernel: Kernel::Lanczos3 }
    }
}

/// The draft cleaner of the same subject as a fine one.
fn draft_of(model: &ModelRef, catalogue: &Catalogue) -> Option<ModelRef> {
    let card = catalogue.card_of(model).ok()?;
    let draft = catalogue.cleaners(card.level()?).find(|c| c.subject == card.subject && c.grade == Grade::Draft)?;
    Some(ModelRef::of(draft))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clean::{Marks, Noise, NoiseCurve};
    use crate::face::Faces;
    use crate::kernel::Kernel;
    use crate::model::{Card, LevelKind};
    use crate::stand_in::{card, cleaner, cleaner_card};
    use crate::trace::Tracing;

    fn catalogue() -> Catalogue {
        let fine = Card { id: "noise-fine".to_owned(), grade: Grade::Fine, ..cleaner_card() };
        let of_marks = |id: &str, grade| Card {
            id: id.to_owned(),
            task: cleaner(LevelKind::Compression),
            subject: "compression".to_owned(),
            ..card(2, grade)
        };
        let marks = [of_marks("marks", Grade::Draft), of_marks("marks-fine", Grade::Fine)];
        Catalogue::of([card(2, Grade::Draft), card(2, Grade::Fine), fine, cleaner_card()].into_iter().chain(marks))
    }

    fn recipe(enlarge: Choice) -> Recipe {
        let steps = serde_json::json!({ "enlarge": enlarge });
        serde_json::from_value(steps).unwrap()
    }

    fn learned(grade: Grade) -> Choice {
        Choice::Learned { subject: "everyday".to_owned(), grade, strength: 0.8 }
    }

    #[test]
    fn fine_models_give_way_to_drafts_and_settings_stay() {
        let catalogue = catalogue();
        let mut fine = recipe(learned(Grade::Fine));
        let cleaner = catalogue.cards().find(|card| card.id == "noise-fine").unwrap();
        let noise = Noise::usual(ModelRef::of(cleaner), NoiseCurve::flat(9.0));
        fine.steps.clean.noise = Some(noise.clone());
        let of = |id: &str| ModelRef::of(catalogue.cards().find(|card| card.id == id).unwrap());
        let marks = Marks { model: of("marks-fine"), quality: 40.0, strength: 0.7 };
        fine.steps.clean.marks = Some(marks.clone());
        fine.steps.faces = Some(Faces { strength: 0.5 });
        let draft = fine.in_draft(&catalogue).unwrap();
        assert_eq!(draft.steps.enlarge, learned(Grade::Draft));
        assert_eq!(draft.steps.clean.noise, Some(Noise { model: ModelRef::of(&cleaner_card()), ..noise }));
        assert_eq!(draft.steps.clean.marks, Some(Marks { model: of("marks"), ..marks }));
        assert_eq!(draft.steps.faces, None);
        assert_eq!(draft.in_draft(&catalogue), None, "a draft is its own");
    }

    #[test]
    fn what_is_traced_is_shown_by_the_models_for_lettering_until_it_is() {
        let traced = recipe(Choice::Traced(Tracing::usual()));
        let lettering = Card { subject: LETTERING.to_owned(), ..card(4, Grade::Fine) };
        let draft = traced.in_draft(&Catalogue::of([lettering])).unwrap();
        assert!(matches!(draft.steps.enlarge, Choice::Learned { subject, .. } if subject == LETTERING));
        let draft = traced.in_draft(&catalogue()).unwrap();
        assert_eq!(draft.steps.enlarge, Choice::Plain { kernel: Kernel::Lanczos3 });
    }

    #[test]
    fn what_needs_no_model_and_what_has_no_draft_stays_as_it_is() {
        let catalogue = Catalogue::of([card(2, Grade::Fine), Card { grade: Grade::Fine, ..cleaner_card() }]);
        assert_eq!(recipe(Choice::Plain { kernel: Kernel::Bicubic }).in_draft(&catalogue), None);
        let mut cleaned = recipe(learned(Grade::Draft));
        cleaned.steps.clean.noise = Some(Noise::usual(ModelRef::of(&cleaner_card()), NoiseCurve::flat(9.0)));
        assert_eq!(cleaned.in_draft(&catalogue), None);
    }
}
