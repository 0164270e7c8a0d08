//! The demo data: products, orders and pictures that ship with the product, loaded once into an empty database.

use std::path::Path;

use anyhow::Context;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::intent::{Intent, Letter};
use dettaglio_domain::naming;
use dettaglio_domain::recipe::{Surround, Ticket, Worked};
use dettaglio_domain::size::{Paper, Target};
use dettaglio_domain::spot::Spot;
use dettaglio_domain::trace::DrawingFile;
use dettaglio_domain::treatment::Fill;
use dettaglio_store::choices::{Compared, Decision};
use dettaglio_store::enlargements::{Approval, TracedFiles};
use dettaglio_store::files::FileStore;
use dettaglio_store::jobs::{JobState, NewJob};
use dettaglio_store::leases::STOPPED_TOO_OFTEN;
use dettaglio_store::orders::{OrderDetails, OriginalRow};
use dettaglio_store::products::Product;
use serde::Deserialize;
use tempfile::NamedTempFile;

use crate::app::faces::faces_of;
use crate::app::originals::add_file;
use crate::app::{App, intents};
use crate::compute::drawn::Drawn;
use crate::compute::worker;

/// The worker to which the runs of the demo are put down.
const WORKER: &str = "demo";

#[derive(Deserialize)]
struct Demo {
    products: Vec<DemoProduct>,
    orders: Vec<DemoOrder>,
}

#[derive(Deserialize)]
struct DemoProduct {
    name: String,
    print: String,
    ppi: f64,
    bleed_mm: Option<f64>,
    least_ppi: Option<f64>,
}

#[derive(Deserialize)]
struct DemoOrder {
    title: String,
    client: String,
    purpose: String,
    notes: String,
    due_in_days: i64,
    /// Name of the product that its pictures become.
    product: String,
    pictures: Vec<DemoPicture>,
}

#[derive(Deserialize)]
struct DemoPicture {
    file: String,
    /// Another print than the order's.
    print: Option<String>,
    ppi: Option<f64>,
    /// What was done to it, as a file of the folder `work`.
    work: Option<String>,
}

/// What a person did to a picture before the demo opens.
#[derive(Deserialize)]
struct Work {
    /// What was last asked for, with the treatments that were compared.
    intent: Intent,
    /// Where they were compared.
    #[serde(default)]
    spots: Vec<Spot>,
    /// The letter that was chosen there.
    chosen: Option<Letter>,
    /// What became of its run.
    run: Option<Run>,
}

/// How a run ended.
#[derive(Deserialize)]
#[serde(rename_all = "lowercase", tag = "ended")]
enum Run {
    /// With a result, which is a file of the folder `enlargements`.
    Done {
        file: String,
        seconds: f64,
        verdict: Option<Approval>,
        #[serde(default)]
        note: String,
        /// Where it was traced: its drawing lies beside it, with other endings.
        #[serde(default)]
        drawing: Option<TracedFiles>,
    },
    /// Without: its worker stopped too often.
    Failed,
}

impl DemoProduct {
    fn product(&self) -> anyhow::Result<Product> {
        let paper: Paper = self.print.parse()?;
        let surround = self.bleed_mm.map_or(Surround::None, |mm| Surround::Bleed { mm, fill: Fill::Mirror });
        let print = Ticket { target: Target::Print { paper, ppi: self.ppi }, surround };
        Ok(Product { name: self.name.clone(), print, least_ppi: self.least_ppi })
    }
}

/// Loads the demo of a folder, unless there ever was an order: who removed the demo does not want it back. Answers whether it did.
pub async fn load(app: &App, folder: &Path) -> anyhow::Result<bool> {
    if app.store.ever_had_orders().await? {
        return Ok(false);
    }
    let list = folder.join("orders.json");
    let text = std::fs::read_to_string(&list).with_context(|| list.display().to_string())?;
    let demo: Demo = serde_json::from_str(&text).with_context(|| list.display().to_string())?;
    let products: Vec<Product> = demo.products.iter().map(DemoProduct::product).collect::<Result<_, _>>()?;
    for product in &products {
        app.store.set_product(product).await?;
    }
    for order in demo.orders {
        let product = products.iter().find(|product| product.name == order.product);
        let details = OrderDetails {
            title: order.title,
            client: order.client,
            purpose: order.purpose,
            due_on: Some(chrono::Utc::now().date_naive() + chrono::Days::new(order.due_in_days.max(0) as u64)),
            notes: order.notes,
            print: product.map(|product| product.print),
            house_treatment_id: None,
            least_ppi: product.and_then(|product| product.least_ppi),
        };
        let opened = app.store.open_order(&details, None).await?;
        for picture in order.pictures {
            let file = copied(app, &folder.join("pictures").join(&picture.file))?;
            let hash = ContentHash::of_file(file.path())?;
            let (original, _) = add_file(app, opened.id, &picture.file, file, hash)
                .await
                .map_err(|problem| anyhow::anyhow!("{}: {}", picture.file, problem.detail))?;
            if let (Some(print), Some(ppi)) = (picture.print, picture.ppi) {
                let paper: Paper = print.parse()?;
                app.store.set_target(original.id, &Target::Print { paper, ppi }).await?;
            }
            if let Some(work) = picture.work {
                let file = folder.join("work").join(work);
                let text = std::fs::read_to_string(&file).with_context(|| file.display().to_string())?;
                let work = serde_json::from_str(&text).with_context(|| file.display().to_string())?;
                redo(app, folder, original.id, work).await.with_context(|| file.display().to_string())?;
            }
        }
    }
    Ok(true)
}

/// A copy that the file store may keep.
fn copied(app: &App, file: &Path) -> anyhow::Result<NamedTempFile> {
    let copy = NamedTempFile::new_in(app.files.work())?;
    std::fs::copy(file, copy.path()).with_context(|| file.display().to_string())?;
    Ok(copy)
}

/// Puts down what was done to a picture as if it had been done here.
async fn redo(app: &App, folder: &Path, original: OriginalId, work: Work) -> anyhow::Result<()> {
    let Work { intent, spots, chosen, run } = work;
    let mut row = app.store.original(original).await?;
    if intent.recipe.steps.faces.is_some() {
        row.faces = Some(faces_of(app, &row).await.map_err(|problem| anyhow::anyhow!(problem.detail))?);
    }
    app.store.set_intent(original, Some(&intent)).await?;
    if let Some(chosen) = chosen {
        let decision = decision(app, &row, &intent, chosen, &spots).await?;
        app.store.add_decision(original, &decision).await?;
    }
    if !spots.is_empty() {
        app.store.set_spots(original, &spots).await?;
    }
    if let Some(run) = run {
        rerun(app, folder, &row, &intent, run).await?;
    }
    Ok(())
}

/// The choice among all treatments of an intent.
async fn decision(
    app: &App,
    row: &OriginalRow,
    intent: &Intent,
    chosen: Letter,
    spots: &[Spot],
) -> anyhow::Result<Decision> {
    let shelf = app.studio.renderer().shelf();
    let mut all = vec![(intent.letter, intents::worked_out(intent, &shelf, row)?)];
    for other in &intent.alternatives {
        all.push((other.letter, intents::other(intent, other, &shelf, row)?));
    }
    let mut candidates = Vec::with_capacity(all.len());
    for (letter, Worked { treatment, .. }) in all {
        let description = treatment.describe(&shelf);
        let treatment = app.store.add_treatment(&treatment).await?;
        candidates.push(Compared { letter: format!("{letter:?}"), treatment, description });
    }
    Ok(Decision { candidates, chosen: format!("{chosen:?}"), spots: spots.to_vec(), blind: true })
}

/// Puts down a run that ended, through the same records as a worker.
async fn rerun(app: &App, folder: &Path, row: &OriginalRow, intent: &Intent, run: Run) -> anyhow::Result<()> {
    let settings = intent.settings();
    let Worked { treatment, .. } = intents::worked_out(intent, &app.studio.renderer().shelf(), row)?;
    let file_name = naming::of_result(None, &row.name, &treatment, &settings)?;
    let forecast = match run {
        Run::Done { seconds, .. } => Some(seconds),
        Run::Failed => None,
    };
    let new = NewJob {
        original: row.id,
        treatment: app.store.add_treatment(&treatment).await?,
        settings,
        file_name,
        forecast,
    };
    let added = app.store.add_jobs(&[new]).await?;
    let job = app.store.take_job(WORKER).await?.filter(|job| added.contains(&job.id));
    let job = job.context("the run sheet of an empty database was not empty")?;
    let (file, seconds, verdict, note, drawing) = match run {
        Run::Failed => return Ok(app.store.end_job(job.id, WORKER, JobState::Failed, STOPPED_TOO_OFTEN).await?),
        Run::Done { file, seconds, verdict, note, drawing } => (file, seconds, verdict, note, drawing),
    };
    app.store.begun_before(job.id, WORKER, seconds).await?;
    let file = folder.join("enlargements").join(file);
    let copy = copied(app, &file)?;
    let key = FileStore::result_key(job.id, job.attempts, settings.format.extension());
    let bytes = app.files.put_file(&key, copy.path()).await?;
    let mut record = worker::record(&app.studio, &job, row, &treatment, seconds, forecast, None);
    if let Some(TracedFiles { outlines, nodes, .. }) = drawing {
        let read = |kind: DrawingFile| std::fs::read(file.with_extension(kind.extension()));
        let drawn = Drawn { outlines, nodes, svg: read(DrawingFile::Svg)?, pdf: read(DrawingFile::Pdf)? };
        record.drawing = Some(drawn.keep(&app.files, &key).await?);
    }
    app.store.finish_job(&job, WORKER, &key, bytes, &record).await?;
    let done = app.store.job(job.id).await?.enlargement_id.context("a finished job has its enlargement")?;
    Ok(app.store.set_verdict(done, verdict, &note).await?)
}
