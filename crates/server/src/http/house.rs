//! House treatments: steps under a name, and steps carried over to other pictures.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use chrono::{DateTime, Utc};
use dettaglio_core::model::Shelf;
use dettaglio_domain::id::{HouseId, OrderId, OriginalId};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::Steps;
use dettaglio_domain::suggest::Suggestion;
use dettaglio_store::choices::HouseTreatment;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::app::intents::Applied;
use crate::app::readings::reading_of;
use crate::app::{App, intents};
use crate::problem::Problem;

/// The longest name, in characters.
const LONGEST_NAME: usize = 100;

/// Steps under a name of the house.
#[derive(Debug, Serialize, ToSchema)]
pub struct HouseTreatmentView {
    /// Its number.
    pub id: HouseId,
    /// What it is called.
    pub name: String,
    /// What is done.
    pub steps: Steps,
    /// When it was kept.
    pub created_at: DateTime<Utc>,
}

/// A house treatment to be kept.
#[derive(Debug, Deserialize, ToSchema)]
pub struct NewHouseTreatment {
    /// What it is called; one of the same name is replaced.
    pub name: String,
    /// What is done.
    pub steps: Steps,
}

/// All house treatments by name.
#[utoipa::path(get, path = "/house-treatments", tag = "house", responses((status = OK, body = Vec<HouseTreatmentView>)))]
pub async fn house_treatments(State(app): State<App>) -> Result<Json<Vec<HouseTreatmentView>>, Problem> {
    let view = |HouseTreatment { id, name, steps, created_at }| HouseTreatmentView { id, name, steps, created_at };
    Ok(Json(app.store.house_treatments().await?.into_iter().map(view).collect()))
}

/// Keeps steps under a name.
#[utoipa::path(post, path = "/house-treatments", tag = "house", request_body = NewHouseTreatment,
    responses((status = NO_CONTENT), (status = 422, body = ProblemDetails)))]
pub async fn keep_house_treatment(
    State(app): State<App>,
    Body(new): Body<NewHouseTreatment>,
) -> Result<StatusCode, Problem> {
    let name = new.name.trim();
    if name.is_empty() || name.chars().count() > LONGEST_NAME {
        let detail = format!("a house treatment needs a name of at most {LONGEST_NAME} characters");
        return Err(Problem::refused("house.name", detail).field("name"));
    }
    app.store.set_house_treatment(name, &new.steps).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Forgets a house treatment; pictures that got it keep it.
#[utoipa::path(delete, path = "/house-treatments/{id}", tag = "house", params(("id" = HouseId, Path)),
    responses((status = NO_CONTENT), (status = 404, body = ProblemDetails)))]
pub async fn remove_house_treatment(
    State(app): State<App>,
    Address(id): Address<HouseId>,
) -> Result<StatusCode, Problem> {
    app.store.remove_house_treatment(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Steps as they would be on this original: what was measured on another picture is replaced by its own.
#[utoipa::path(post, path = "/originals/{id}/adapt", tag = "house", params(("id" = OriginalId, Path)), request_body = Steps,
    responses((status = OK, body = Steps), (status = 404, body = ProblemDetails)))]
pub async fn adapt(
    State(app): State<App>,
    Address(id): Address<OriginalId>,
    Body(steps): Body<Steps>,
) -> Result<Json<Steps>, Problem> {
    let row = app.store.original(id).await?;
    Ok(Json(steps.for_reading(&reading_of(&app, &row).await?, row.facts.iso)))
}

/// Which pictures of an order.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// All of them.
    All,
    /// Those with the same subject as this one, by their readings.
    SameSubjectAs(OriginalId),
    /// These.
    These(Vec<OriginalId>),
}

/// Steps for several pictures.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Application {
    /// What is done.
    pub steps: Steps,
    /// To which pictures.
    pub to: Which,
}

/// The subject that is suggested for a picture, by what was tried on it so far.
fn subject_of<'r>(row: &'r OriginalRow, reading: &Reading, shelf: &Shelf) -> &'r str {
    let mark = shelf.mark();
    let trial = row.trials.iter().filter(|kept| kept.shelf == mark).find_map(|kept| kept.trial.as_ref());
    Suggestion::subject(reading, trial, shelf)
}

/// Gives steps to several pictures of an order, on each with its own measurements; prints and areas stay as they are.
#[utoipa::path(post, path = "/orders/{id}/apply", tag = "house", params(("id" = OrderId, Path)), request_body = Application,
    responses((status = OK, body = Vec<Applied>), (status = 404, body = ProblemDetails)))]
pub async fn apply(
    State(app): State<App>,
    Address(id): Address<OrderId>,
    Body(Application { steps, to }): Body<Application>,
) -> Result<Json<Vec<Applied>>, Problem> {
    app.store.order(id).await?;
    let shelf = app.studio.renderer().shelf();
    let subject = match to {
        Which::SameSubjectAs(one) => {
            let row = app.store.original(one).await?;
            Some(subject_of(&row, &reading_of(&app, &row).await?, &shelf).to_owned())
        }
        _ => None,
    };
    let mut applied = Vec::new();
    for row in app.store.originals(id).await? {
        let reading = reading_of(&app, &row).await?;
        let meant = match &to {
            Which::All => true,
            Which::SameSubjectAs(_) => subject.as_deref() == Some(subject_of(&row, &reading, &shelf)),
            Which::These(ids) => ids.contains(&row.id),
        };
        if !meant {
            continue;
        }
        let before = intents::of(&app, &row).await?;
        let mut intent = before.clone();
        intent.recipe.steps = steps.for_reading(&reading, row.facts.iso);
        app.store.set_intent(row.id, Some(&intent)).await?;
        applied.push(Applied { id: row.id, name: row.name, before });
    }
    Ok(Json(applied))
}
