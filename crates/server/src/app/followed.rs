//! How often people keep what was suggested, and what they choose instead.

use dettaglio_core::model::Shelf;
use dettaglio_domain::id::{OrderId, OriginalId};
use dettaglio_domain::sight::Shown;
use dettaglio_domain::suggest::Followed;
use dettaglio_domain::words::StepsInWords;
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use utoipa::ToSchema;

use super::intents;
use super::state::App;
use crate::compute::studio::blocking;
use crate::problem::Problem;

/// The most pictures that are counted, and that are listed of those treated otherwise.
const MOST_COUNTED: u32 = 5000;
const MOST_LISTED: usize = 50;

/// How often what was suggested was kept.
#[derive(Debug, Default, Serialize, ToSchema)]
pub struct SuggestionsFollowed {
    /// By what pictures show, the most frequent first.
    pub subjects: Vec<SubjectFollowed>,
    /// The newest pictures that were treated otherwise.
    pub otherwise: Vec<Otherwise>,
}

/// How often what was suggested for pictures that show the same was kept.
#[derive(Debug, Serialize, ToSchema)]
pub struct SubjectFollowed {
    /// What they show, in words.
    pub shows: String,
    /// How many there are.
    pub pictures: usize,
    /// On how many every step is as suggested.
    pub kept: usize,
    /// On how many the model is as suggested, and another step or a strength is not.
    pub changed: usize,
    /// On how many it is another model, or none.
    pub other_model: usize,
}

/// A picture that was treated otherwise than suggested.
#[derive(Debug, Serialize, ToSchema)]
pub struct Otherwise {
    /// Its order.
    pub order_id: OrderId,
    /// Its number.
    pub original_id: OriginalId,
    /// What it is called.
    pub name: String,
    /// What was suggested.
    pub suggested: StepsInWords,
    /// What was chosen.
    pub chosen: StepsInWords,
}

/// Counts the newest pictures that somebody has worked on.
pub async fn counted(app: &App) -> Result<SuggestionsFollowed, Problem> {
    let rows = app.store.suggested_for(MOST_COUNTED).await?;
    let shelf = app.studio.renderer().shelf();
    blocking(move || followed(&shelf, &rows)).await
}

fn followed(shelf: &Shelf, rows: &[OriginalRow]) -> SuggestionsFollowed {
    let mut all = SuggestionsFollowed::default();
    for row in rows {
        // What cannot be read, or was tried with other models, says nothing of what is suggested now.
        let Ok(Some(intent)) = &row.intent else { continue };
        let Ok(Some(suggestion)) = intents::for_print_of(intent).kept(row, shelf) else { continue };
        let shown =
            row.reading.as_ref().and_then(|read| read.shows(row.faces.as_deref().unwrap_or_default(), row.facts.size));
        let shows = shown.map_or("cannot be told", Shown::in_words);
        let at = all.subjects.iter().position(|subject| subject.shows == shows).unwrap_or_else(|| {
            let none = SubjectFollowed { shows: shows.to_owned(), pictures: 0, kept: 0, changed: 0, other_model: 0 };
            all.subjects.push(none);
            all.subjects.len() - 1
        });
        let subject = &mut all.subjects[at];
        subject.pictures += 1;
        let followed = Followed::of(&suggestion, &intent.recipe.steps);
        match followed {
            Followed::Kept => subject.kept += 1,
            Followed::Changed => subject.changed += 1,
            Followed::OtherModel => subject.other_model += 1,
        }
        if followed != Followed::Kept && all.otherwise.len() < MOST_LISTED {
            all.otherwise.push(Otherwise {
                order_id: row.order_id,
                original_id: row.id,
                name: row.name.clone(),
                suggested: StepsInWords::of(&suggestion.steps(), shelf, None),
                chosen: StepsInWords::of(&intent.recipe.steps, shelf, None),
            });
        }
    }
    all.subjects.sort_by_key(|subject| std::cmp::Reverse(subject.pictures));
    all
}
