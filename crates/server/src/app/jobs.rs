//! Jobs: enlargements that are to be made.

use dettaglio_domain::file::OutputSettings;
use dettaglio_domain::id::{JobId, OriginalId};
use dettaglio_domain::intent::Intent;
use dettaglio_domain::naming;
use dettaglio_domain::recipe::Worked;
use dettaglio_store::jobs::NewJob;

use super::faces::faces_of;
use super::intents;
use super::state::App;
use crate::problem::Problem;

/// Queues an enlargement; limits are checked now.
pub async fn queue(app: &App, id: OriginalId, intent: &Intent, pattern: Option<&str>) -> Result<Vec<JobId>, Problem> {
    let mut row = app.store.original(id).await?;
    row.faces = Some(faces_of(app, &row).await?);
    let worked = intents::work_out(intent, app, &row, app.files.free_bytes())?;
    let name = naming::of_result(pattern, &row.name, &worked.treatment, &intent.settings())?;
    let job = new_job(app, id, &worked, intent.settings(), name).await?;
    let added = app.store.add_jobs(&[job]).await?;
    app.queued.notify_waiters();
    Ok(added)
}

/// A job for what was worked out, with its treatment kept and its time forecast.
pub async fn new_job(
    app: &App,
    original: OriginalId,
    worked: &Worked,
    settings: OutputSettings,
    file_name: String,
) -> Result<NewJob, Problem> {
    let treatment = app.store.add_treatment(&worked.treatment).await?;
    let forecast = app.studio.rates().seconds(worked.kept, &worked.treatment);
    Ok(NewJob { original, treatment, settings, file_name, forecast })
}
