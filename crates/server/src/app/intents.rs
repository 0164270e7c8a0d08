//! What is asked for of a picture: what is kept, or what comes first.

use dettaglio_domain::file::{Format, OutputSettings};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::id::{HouseId, OrderId, OriginalId};
use dettaglio_domain::intent::{Alternative, Intent, Letter};
use dettaglio_domain::limits::LimitError;
use dettaglio_domain::model::Catalogue;
use dettaglio_domain::recipe::{Recipe, RecipeError, Steps, Surround, Ticket, Worked};
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::Followed;
use dettaglio_store::orders::OriginalRow;
use serde::Serialize;
use utoipa::ToSchema;

use super::faces::faces_of;
use super::readings::{SuggestionFor, SuggestionView, reading_of};
use super::state::App;
use crate::problem::Problem;

/// What an order says of all its pictures.
#[derive(Clone, Debug, Default)]
struct OrderUsual {
    /// How large, and what lies around.
    print: Option<Ticket>,
    /// How they are treated.
    steps: Option<Steps>,
}

impl OrderUsual {
    /// Of an order.
    async fn of(app: &App, order: OrderId) -> Result<Self, Problem> {
        let details = app.store.order(order).await?.details;
        let steps = match details.house_treatment_id {
            Some(id) => steps_of(app, id).await?,
            None => None,
        };
        Ok(Self { print: details.print, steps })
    }
}

/// What is done under a house treatment's number, if there is one.
pub async fn steps_of(app: &App, id: HouseId) -> Result<Option<Steps>, Problem> {
    Ok(app.store.house_treatments().await?.into_iter().find(|house| house.id == id).map(|house| house.steps))
}

/// What is asked for when nothing was said yet: what the order says, or else all that is suggested; as TIFF of the
/// original's depth.
pub async fn first(app: &App, row: &OriginalRow) -> Result<Intent, Problem> {
    let usual = OrderUsual::of(app, row.order_id).await?;
    let row = &OriginalRow { faces: Some(faces_of(app, row).await?), ..row.clone() };
    let ordered = usual.print.map(|print| print.target);
    let target = row.target.or(ordered).unwrap_or(Target::USUAL);
    let surround = usual.print.map_or(Surround::None, |print| print.surround);
    let wanted = SuggestionFor { target, frame: Frame::default(), surround, distance_m: None };
    let recipe = match &usual.steps {
        None => wanted.tried(app, row).await?.recipe,
        // The order says what is done: nothing needs to be tried.
        Some(steps) => {
            let reading = reading_of(app, row).await?;
            let recipe = wanted.suggest(row, &reading, None, &app.studio.renderer().shelf())?.recipe;
            Recipe { steps: steps.for_reading(&reading, row.facts.iso), ..recipe }
        }
    };
    let output = OutputSettings { depth: row.facts.depth, ..OutputSettings::new(Format::Tiff) };
    Ok(Intent { target, recipe, output, letter: Letter::A, alternatives: Vec::new(), distance_m: None })
}

/// What was last asked for of a picture, or else what comes first.
///
/// # Errors
/// When what is kept cannot be read: nothing is put in its place without a word.
pub async fn of(app: &App, row: &OriginalRow) -> Result<Intent, Problem> {
    match row.intent.clone()? {
        Some(intent) => Ok(intent),
        None => first(app, row).await,
    }
}

/// What is suggested for its print.
pub async fn suggested(intent: &Intent, app: &App, row: &OriginalRow) -> Result<SuggestionView, Problem> {
    for_print_of(intent).tried(app, row).await
}

/// What is unsure of the suggestion, where that is what is asked for of a picture. Nothing is tried for it: a picture that nobody has tried
/// anything on is not treated as suggested.
pub async fn doubts(intent: &Intent, app: &App, row: &OriginalRow) -> Result<Vec<String>, Problem> {
    let fresh;
    let row = match &row.intent {
        // What comes first may just have been tried.
        Ok(None) => {
            fresh = OriginalRow { faces: row.faces.clone(), ..app.store.original(row.id).await? };
            &fresh
        }
        _ => row,
    };
    let shelf = app.studio.renderer().shelf();
    let Some(suggestion) = for_print_of(intent).kept(row, &shelf)? else { return Ok(Vec::new()) };
    let followed = Followed::of(&suggestion, &intent.recipe.steps);
    Ok(if followed == Followed::Kept { suggestion.doubts } else { Vec::new() })
}

/// How a suggestion for an intent's print is asked for.
pub fn for_print_of(intent: &Intent) -> SuggestionFor {
    let (target, frame, surround) = (intent.target, intent.recipe.frame, intent.recipe.surround);
    SuggestionFor { target, frame, surround, distance_m: intent.distance_m }
}

/// What an intent comes to for a picture, within the limits of its format.
///
/// `free` is what the disk has, where that counts.
pub fn work_out(intent: &Intent, app: &App, row: &OriginalRow, free: Option<u64>) -> Result<Worked, Problem> {
    let worked = worked_out(intent, &app.studio.renderer().shelf(), row)?;
    check(intent, app, row, &worked, free)?;
    Ok(worked)
}

/// Whether what an intent came to is within the limits of its format; `free` as for [`work_out`].
pub fn check(
    intent: &Intent,
    app: &App,
    row: &OriginalRow,
    worked: &Worked,
    free: Option<u64>,
) -> Result<(), LimitError> {
    app.studio.limits().check_output(&row.facts, worked.treatment.sheet(), intent.settings(), free)
}

/// What an intent comes to for a picture with the faces that were found on it.
pub fn worked_out(intent: &Intent, catalogue: &Catalogue, row: &OriginalRow) -> Result<Worked, RecipeError> {
    intent.work_out(catalogue, row.facts.size, row.faces.as_deref().unwrap_or_default())
}

/// A picture that got them.
#[derive(Debug, Serialize, ToSchema)]
pub struct Applied {
    /// Its number.
    pub id: OriginalId,
    /// Its name.
    pub name: String,
    /// What it had before, to undo it.
    pub before: Intent,
}

/// What another of an intent's treatments comes to.
pub fn other(
    intent: &Intent,
    other: &Alternative,
    catalogue: &Catalogue,
    row: &OriginalRow,
) -> Result<Worked, RecipeError> {
    intent.work_out_other(other, catalogue, row.facts.size, row.faces.as_deref().unwrap_or_default())
}
