//! Many pictures at once: changed together, looked over before the run, and queued.

use std::collections::HashSet;

use dettaglio_domain::batch::{BatchPlan, Circumstances, FacesChoice, MOST, Making, Picture, Ready, Revision};
use dettaglio_domain::id::{HouseId, JobId, OrderId, OriginalId};
use dettaglio_domain::intent::Intent;
use dettaglio_domain::recipe::Steps;
use dettaglio_domain::treatment::TreatmentError;
use dettaglio_store::jobs::NewJob;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::faces::faces_of;
use super::intents::{self, Applied, steps_of};
use super::jobs::new_job;
use super::readings::reading_of;
use super::state::App;
use crate::compute::studio::blocking;
use crate::problem::Problem;

/// How the pictures are treated.
#[derive(Clone, Debug, Default, Deserialize, Serialize, ToSchema)]
#[serde(rename_all = "snake_case", tag = "how")]
pub enum Treating {
    /// Each as it was left on the bench; what was never touched, as the order says or as suggested.
    #[default]
    AsSet,
    /// Each as its own reading suggests.
    Suggested,
    /// All by one house treatment, each with its own measurements.
    House {
        /// Its number.
        id: HouseId,
    },
    /// All by these steps, each with its own measurements.
    Steps {
        /// What is done.
        steps: Box<Steps>,
    },
}

/// What is made of which pictures.
#[derive(Clone, Debug, Default, Deserialize, ToSchema)]
#[serde(default)]
pub struct Batch {
    /// Which pictures of the order; all without a list.
    pub originals: Option<Vec<OriginalId>>,
    /// How they are treated.
    pub treating: Treating,
    /// What is done to faces.
    pub faces: Option<FacesChoice>,
    /// In which prints and files.
    #[serde(flatten)]
    pub making: Making,
}

/// Queues all results of a batch that are not left out; none when one of them cannot be run.
pub async fn queue(app: &App, id: OrderId, batch: &Batch) -> Result<Vec<JobId>, Problem> {
    let LookedOver { plan, ready } = look_over(app, id, batch).await?;
    let run = plan.items.iter().filter(|item| !item.skipped);
    let stop = run.filter_map(|item| Some(format!("{}: {}", item.name, item.stop()?.text))).next();
    if let Some(text) = stop {
        return Err(Problem::refused("batch.stopped", text).field("changes"));
    }
    if ready.is_empty() {
        return Err(Problem::refused("batch.empty", "there is nothing to run: every picture is left out"));
    }
    let mut jobs: Vec<NewJob> = Vec::with_capacity(ready.len());
    for Ready { original, worked, settings, file_name } in ready {
        jobs.push(new_job(app, original, &worked, settings, file_name).await?);
    }
    let added = app.store.add_jobs(&jobs).await?;
    app.queued.notify_waiters();
    Ok(added)
}

/// A batch that was looked over.
pub struct LookedOver {
    /// What it would make.
    pub plan: BatchPlan,
    ready: Vec<Ready>,
}

/// Works out a batch: what is known of the pictures is fetched first, then the rest is computed on a thread that may block.
pub async fn look_over(app: &App, order: OrderId, batch: &Batch) -> Result<LookedOver, Problem> {
    let _turn = app.looking_over.acquire().await.map_err(Problem::internal)?;
    let details = app.store.order(order).await?.details;
    let rows = chosen(app, order, batch.originals.as_deref()).await?;
    if batch.making.results_of(rows.len()) > MOST {
        let detail = format!("a batch makes at most {MOST} results: choose fewer pictures, sizes or formats");
        return Err(Problem::refused("batch.too-many", detail));
    }
    let treating = Resolved::of(app, &batch.treating).await?;
    let mut pictures = Vec::with_capacity(rows.len());
    for mut row in rows {
        let faces = faces_of(app, &row).await?;
        row.faces = Some(faces.clone());
        let reading = reading_of(app, &row).await?;
        let (mut intent, doubts) = treating.intent(app, &row).await?;
        if let Some(choice) = batch.faces {
            choice.set(&mut intent);
        }
        pictures.push(Picture { id: row.id, name: row.name, facts: row.facts, faces, reading, intent, doubts });
    }
    let (shelf, rates) = (app.studio.renderer().shelf(), app.studio.rates());
    let (limits, free, least_ppi) = (*app.studio.limits(), app.files.free_bytes(), details.least_ppi);
    let making = batch.making.clone();
    blocking(move || {
        let known = Circumstances { catalogue: &shelf, rates: &rates, limits: &limits, free, least_ppi };
        let (plan, ready) = known.plan(&pictures, &making)?;
        Ok(LookedOver { plan, ready })
    })
    .await?
}

async fn chosen(app: &App, order: OrderId, ids: Option<&[OriginalId]>) -> Result<Vec<OriginalRow>, Problem> {
    let rows = app.store.originals(order).await?;
    let Some(ids) = ids else { return Ok(rows) };
    let ids: HashSet<OriginalId> = ids.iter().copied().collect();
    Ok(rows.into_iter().filter(|row| ids.contains(&row.id)).collect())
}

/// How pictures are treated, with the house treatment looked up.
enum Resolved {
    AsSet,
    Suggested,
    Steps(Box<Steps>),
}

impl Resolved {
    async fn of(app: &App, treating: &Treating) -> Result<Self, Problem> {
        Ok(match treating {
            Treating::AsSet => Self::AsSet,
            Treating::Suggested => Self::Suggested,
            Treating::Steps { steps } => Self::Steps(steps.clone()),
            Treating::House { id } => {
                let missing =
                    || Problem::refused("house.unknown", "there is no such house treatment").field("treating");
                Self::Steps(Box::new(steps_of(app, *id).await?.ok_or_else(missing)?))
            }
        })
    }

    /// What is asked for of a picture, and what is unsure of it where that is what is suggested; print and frame stay its own.
    async fn intent(&self, app: &App, row: &OriginalRow) -> Result<(Intent, Vec<String>), Problem> {
        let mut intent = intents::of(app, row).await?;
        let doubts = match self {
            Self::AsSet => intents::doubts(&intent, app, row).await?,
            Self::Suggested => {
                let suggested = intents::suggested(&intent, app, row).await?;
                intent.recipe.steps = suggested.recipe.steps;
                intent.recipe.areas.clear();
                suggested.doubts
            }
            Self::Steps(steps) => {
                intent.recipe.steps = steps.for_reading(&reading_of(app, row).await?, row.facts.iso);
                intent.recipe.areas.clear();
                Vec::new()
            }
        };
        Ok((intent, doubts))
    }
}

/// What is to be changed on several pictures at once.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct Edit {
    /// Which pictures of the order; all without a list.
    pub originals: Option<Vec<OriginalId>>,
    /// How they are treated from now on; as before without.
    #[serde(default)]
    pub treating: Treating,
    /// What is changed besides.
    #[serde(flatten)]
    pub revision: Revision,
}

/// Changes several pictures at once, and answers what each had before.
pub async fn edit(app: &App, id: OrderId, edit: Edit) -> Result<Vec<Applied>, Problem> {
    let treating = Resolved::of(app, &edit.treating).await?;
    let mut applied = Vec::new();
    for mut row in chosen(app, id, edit.originals.as_deref()).await? {
        row.faces = Some(faces_of(app, &row).await?);
        let before = intents::of(app, &row).await?;
        let (intent, _) = treating.intent(app, &row).await?;
        let intent = edit.revision.of(intent, row.facts.size).map_err(TreatmentError::from)?;
        app.store.set_intent(row.id, Some(&intent)).await?;
        applied.push(Applied { id: row.id, name: row.name, before });
    }
    Ok(applied)
}
