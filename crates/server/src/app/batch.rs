//! Many pictures at once: changed together, looked over before the run, and queued.

use dettaglio_domain::id::{HouseId, JobId, OrderId, OriginalId};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use dettaglio_core::model::Shelf;
use dettaglio_domain::face::Faces;
use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::forecast::Rates;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::intent::Intent;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::limits::{Limits, worst_bytes};
use dettaglio_domain::naming::Unlike;
use dettaglio_domain::preflight::{Finding, Fix, Planned, Weight};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Choice, Steps, Ticket, Worked};
use dettaglio_domain::size::Target;
use dettaglio_domain::treatment::TreatmentError;
use dettaglio_domain::words;
use dettaglio_store::jobs::NewJob;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::faces::faces_of;
use super::intents::{self, Applied, steps_of};
use super::jobs::{new_job, result_name};
use super::readings::reading_of;
use super::state::App;
use crate::compute::studio::blocking;
use crate::problem::Problem;

/// The most results of one batch.
const MOST: usize = 10_000;

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

/// What is said of the faces of all pictures at once; without it, each keeps what is set for it.
#[derive(Clone, Copy, Debug, Deserialize, Serialize, ToSchema)]
#[serde(rename_all = "snake_case", tag = "how")]
pub enum FacesChoice {
    /// Left to the enlarging model.
    Off,
    /// Restored where there are any.
    Restored {
        /// How far, 0 to 1.
        strength: f32,
    },
}

impl FacesChoice {
    fn set(choice: Option<Self>, intent: &mut Intent) {
        match choice {
            None => {}
            Some(Self::Off) => intent.recipe.steps.faces = None,
            Some(Self::Restored { strength }) => intent.recipe.steps.faces = Some(Faces { strength }),
        }
    }
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
    /// Each picture in each of these prints; in its own without any.
    pub prints: Vec<Ticket>,
    /// Each result as each of these files; as its own without any.
    pub outputs: Vec<OutputSettings>,
    /// Names of the results.
    pub pattern: Option<String>,
    /// What was decided on single results after a look over.
    pub changes: Vec<Change>,
}

/// What was decided on a result.
#[derive(Clone, Debug, Deserialize, Serialize, ToSchema)]
pub struct Change {
    /// Which, by its key.
    pub key: String,
    /// What mends it.
    pub fix: Option<Fix>,
    /// Whether it is left out.
    #[serde(default)]
    pub skip: bool,
}

/// A result that a batch would make.
#[derive(Debug, Serialize, ToSchema)]
pub struct BatchItem {
    /// Names it within the batch.
    pub key: String,
    /// Of which original.
    pub original_id: OriginalId,
    /// What that is called.
    pub name: String,
    /// Name of the result.
    pub file_name: String,
    /// Its pixels.
    pub sheet: Option<Size>,
    /// What is done, in words.
    pub description: String,
    /// Seconds that it is forecast to take.
    pub seconds: Option<f64>,
    /// What is to be known before the run, what weighs most first.
    pub findings: Vec<Finding>,
    /// Whether it is left out.
    pub skipped: bool,
}

/// What a batch would make.
#[derive(Debug, Serialize, ToSchema)]
pub struct BatchPlan {
    /// Result by result.
    pub items: Vec<BatchItem>,
    /// Its prints in words, in their order.
    pub prints: Vec<String>,
    /// How many would be run.
    pub runs: usize,
    /// How many of those cannot be run as they are.
    pub stopped: usize,
    /// Seconds of all runs together on one worker, where all can be told.
    pub seconds: Option<f64>,
    /// Bytes that the files take at most.
    pub bytes_at_most: u64,
    /// Bytes that the disk has.
    pub bytes_free: Option<u64>,
}

/// Queues all results of a batch that are not left out; none when one of them cannot be run.
pub async fn queue(app: &App, id: OrderId, batch: &Batch) -> Result<Vec<JobId>, Problem> {
    let LookedOver { plan, ready } = look_over(app, id, batch).await?;
    let stop = plan.items.iter().filter(|item| !item.skipped).find_map(|item| {
        let stop = item.findings.first().filter(|finding| finding.weight == Weight::Stop)?;
        Some(format!("{}: {}", item.name, stop.text))
    });
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

struct Ready {
    original: OriginalId,
    worked: Worked,
    settings: OutputSettings,
    file_name: String,
}

/// Works out a batch: what is known of the pictures is fetched first, then the rest is computed on a thread that may block.
pub async fn look_over(app: &App, order: OrderId, batch: &Batch) -> Result<LookedOver, Problem> {
    let _turn = app.looking_over.acquire().await.map_err(Problem::internal)?;
    let details = app.store.order(order).await?.details;
    let rows = chosen(app, order, batch.originals.as_deref()).await?;
    let results = rows.len().saturating_mul(batch.prints.len().max(1)).saturating_mul(batch.outputs.len().max(1));
    if results > MOST {
        let detail = format!("a batch makes at most {MOST} results: choose fewer pictures, sizes or formats");
        return Err(Problem::refused("batch.too-many", detail));
    }
    let treating = Resolved::of(app, &batch.treating).await?;
    let mut pictures = Vec::with_capacity(rows.len());
    for mut row in rows {
        row.faces = Some(faces_of(app, &row).await?);
        let reading = reading_of(app, &row).await?;
        let mut intent = treating.intent(app, &row).await?;
        FacesChoice::set(batch.faces, &mut intent);
        pictures.push(Picture { row, reading, intent });
    }
    let known = Known {
        shelf: app.studio.renderer().shelf(),
        rates: app.studio.rates(),
        limits: *app.studio.limits(),
        free: app.files.free_bytes(),
        least_ppi: details.least_ppi,
    };
    let batch = batch.clone();
    blocking(move || known.look_over(&pictures, &batch)).await?
}

/// A picture of a batch, with all that is known of it.
struct Picture {
    row: OriginalRow,
    reading: Reading,
    intent: Intent,
}

/// What is the same for all pictures of a batch.
struct Known {
    shelf: Arc<Shelf>,
    rates: Rates,
    limits: Limits,
    /// Bytes that the disk has.
    free: Option<u64>,
    least_ppi: Option<f64>,
}

impl Known {
    fn look_over(&self, pictures: &[Picture], batch: &Batch) -> Result<LookedOver, Problem> {
        let changes: HashMap<&str, &Change> =
            batch.changes.iter().map(|change| (change.key.as_str(), change)).collect();
        let (free, seconds) = (self.free, Some(0.0));
        let prints = batch.prints.iter().map(words::ticket).collect();
        let mut plan =
            BatchPlan { items: Vec::new(), prints, runs: 0, stopped: 0, seconds, bytes_at_most: 0, bytes_free: free };
        let (mut ready, mut names) = (Vec::new(), Unlike::default());
        for picture in pictures {
            for (p, print) in each(&batch.prints).into_iter().enumerate() {
                for (o, output) in each(&batch.outputs).into_iter().enumerate() {
                    let key = format!("{}-{p}-{o}", picture.row.id);
                    let change = changes.get(key.as_str()).copied();
                    let mut intent = picture.intent.clone();
                    if let Some(Ticket { target, surround }) = print {
                        (intent.target, intent.recipe.surround) = (target, surround);
                    }
                    intent.output = output.unwrap_or(intent.output);
                    if let Some(fix) = change.and_then(|change| change.fix) {
                        mend(&mut intent, fix);
                    }
                    let skipped = change.is_some_and(|change| change.skip);
                    let (item, one) =
                        self.item(picture, &intent, key, skipped, batch.pattern.as_deref(), &mut names)?;
                    if let Some(one) = one.filter(|_| !skipped) {
                        let sheet = one.worked.treatment.sheet();
                        plan.bytes_at_most += worst_bytes(sheet, one.settings.format, one.settings.depth);
                        plan.seconds = plan.seconds.zip(item.seconds).map(|(sum, one)| sum + one);
                        ready.push(one);
                    }
                    if !skipped {
                        plan.runs += 1;
                        plan.stopped += usize::from(item.findings.first().is_some_and(|f| f.weight == Weight::Stop));
                    }
                    plan.items.push(item);
                }
            }
        }
        say_when_the_disk_is_short(&mut plan);
        Ok(LookedOver { plan, ready })
    }

    /// One result: what is to be said of it, and what is needed to run it, where it can be run.
    fn item(
        &self,
        picture: &Picture,
        intent: &Intent,
        key: String,
        skipped: bool,
        pattern: Option<&str>,
        names: &mut Unlike,
    ) -> Result<(BatchItem, Option<Ready>), Problem> {
        let Picture { row, reading, .. } = picture;
        let settings = intent.settings();
        let mut item = BatchItem {
            key,
            original_id: row.id,
            name: row.name.clone(),
            file_name: String::new(),
            sheet: None,
            description: String::new(),
            seconds: None,
            findings: Vec::new(),
            skipped,
        };
        let worked = match intents::worked_out(intent, &self.shelf, row) {
            Ok(worked) => worked,
            Err(error) => {
                let text = Problem::from(error).detail;
                item.findings = vec![Finding { weight: Weight::Stop, text, fix: None }];
                return Ok((item, None));
            }
        };
        let (target, distance_m, least_ppi) = (intent.target, intent.distance_m, self.least_ppi);
        let planned = Planned { target, worked: &worked, settings, reading, distance_m, least_ppi };
        item.findings = planned.findings(&self.limits, self.free);
        let name = result_name(pattern, &row.name, &worked.treatment, &settings)?;
        item.file_name = names.take(name);
        item.sheet = Some(worked.treatment.sheet());
        item.description = worked.treatment.describe(&self.shelf);
        item.seconds = self.rates.seconds(worked.kept, &worked.treatment);
        let ready = Ready { original: row.id, worked, settings, file_name: item.file_name.clone() };
        Ok((item, Some(ready)))
    }
}

/// One file may find room where all of them together do not.
fn say_when_the_disk_is_short(plan: &mut BatchPlan) {
    let Some(free) = plan.bytes_free.filter(|free| plan.bytes_at_most > *free) else { return };
    let text = format!(
        "all files together take up to {} GB and the disk has {} GB: choose JPEG or smaller prints, or run a part",
        plan.bytes_at_most / 1_000_000_000 + 1,
        free / 1_000_000_000
    );
    if let Some(first) = plan.items.iter_mut().find(|item| !item.skipped) {
        first.findings.insert(0, Finding { weight: Weight::Warning, text, fix: None });
    }
}

/// Each of a list, or nothing once.
fn each<T: Copy>(list: &[T]) -> Vec<Option<T>> {
    if list.is_empty() { vec![None] } else { list.iter().copied().map(Some).collect() }
}

fn mend(intent: &mut Intent, fix: Fix) {
    match fix {
        Fix::Target { target } => intent.target = target,
        Fix::Format { format } => intent.output.format = format,
        Fix::Plain => intent.recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Lanczos3 },
    }
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

    /// What is asked for of a picture; print and frame stay its own.
    async fn intent(&self, app: &App, row: &OriginalRow) -> Result<Intent, Problem> {
        let mut intent = intents::of(app, row).await?;
        match self {
            Self::AsSet => {}
            Self::Suggested => {
                intent.recipe.steps = intents::suggested_steps(&intent, app, row).await?;
                intent.recipe.areas.clear();
            }
            Self::Steps(steps) => {
                intent.recipe.steps = steps.for_reading(&reading_of(app, row).await?, row.facts.iso);
                intent.recipe.areas.clear();
            }
        }
        Ok(intent)
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
    /// What is done to faces from now on.
    #[serde(default)]
    pub faces: Option<FacesChoice>,
    /// The print.
    pub print: Option<Ticket>,
    /// Whether each is cropped, around its middle, to the shape of its print.
    #[serde(default)]
    pub crop_to_print: bool,
    /// The file.
    pub output: Option<OutputSettings>,
}

/// Changes several pictures at once, and answers what each had before.
pub async fn edit(app: &App, id: OrderId, edit: Edit) -> Result<Vec<Applied>, Problem> {
    let treating = Resolved::of(app, &edit.treating).await?;
    let mut applied = Vec::new();
    for mut row in chosen(app, id, edit.originals.as_deref()).await? {
        row.faces = Some(faces_of(app, &row).await?);
        let before = intents::of(app, &row).await?;
        let mut intent = treating.intent(app, &row).await?;
        FacesChoice::set(edit.faces, &mut intent);
        if let Some(Ticket { target, surround }) = edit.print {
            (intent.target, intent.recipe.surround) = (target, surround);
        }
        if let (true, Target::Print { paper, .. }) = (edit.crop_to_print, intent.target) {
            let (w, h) = paper.inches();
            intent.recipe.frame =
                intent.recipe.frame.cropped_to_shape(row.facts.size, w / h).map_err(TreatmentError::from)?;
        }
        intent.output = edit.output.unwrap_or(intent.output);
        app.store.set_intent(row.id, Some(&intent)).await?;
        applied.push(Applied { id: row.id, name: row.name, before });
    }
    Ok(applied)
}
