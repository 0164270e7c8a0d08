//! A folder for each order into which a scanner, or a person, drops files: what has arrived whole becomes an original.
//!
//! `inbox/7/scan.tif` goes into order 7, and then to `inbox/7/taken`; a file that is refused goes to `inbox/7/refused`
//! with the reason beside it. Nothing is deleted.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::OrderId;
use dettaglio_domain::naming;
use tempfile::NamedTempFile;

use crate::app::App;
use crate::app::originals::add_file;
use crate::compute::studio::blocking;
use crate::problem::Problem;

const TAKEN: &str = "taken";
const REFUSED: &str = "refused";

/// What was in the folders at the last look.
#[derive(Debug, Default)]
pub struct Inbox {
    seen: HashMap<PathBuf, (u64, SystemTime)>,
}

impl Inbox {
    /// Takes every file that has not changed since the last look.
    pub async fn look_through(&mut self, app: &App) -> anyhow::Result<()> {
        let mut now = HashMap::new();
        for (order, path, state) in files(&app.inbox) {
            // One that still grows is left until it does not.
            if self.seen.get(&path) == Some(&state) {
                take(app, order, &path).await?;
            } else {
                now.insert(path, state);
            }
        }
        self.seen = now;
        Ok(())
    }
}

/// The files in folders that are called like orders.
fn files(inbox: &Path) -> Vec<(OrderId, PathBuf, (u64, SystemTime))> {
    let inside = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut found = Vec::new();
    for folder in inside(inbox) {
        let Some(order) = folder.file_name().to_str().and_then(|name| name.parse::<u64>().ok()).map(OrderId::from)
        else {
            continue;
        };
        // Links are not followed, neither here nor below: they could lead out of the folder.
        if !folder.file_type().is_ok_and(|kind| kind.is_dir()) {
            continue;
        }
        for entry in inside(&folder.path()) {
            let hidden = entry.file_name().to_string_lossy().starts_with('.');
            let Some(facts) = entry.metadata().ok().filter(|f| f.is_file() && !hidden) else { continue };
            let Ok(changed) = facts.modified() else { continue };
            found.push((order, entry.path(), (facts.len(), changed)));
        }
    }
    found
}

async fn take(app: &App, order: OrderId, path: &Path) -> anyhow::Result<()> {
    let name = naming::plain(&path.file_name().unwrap_or_default().to_string_lossy());
    let outcome = import(app, order, &name, path).await;
    let folder = path.parent().unwrap_or(Path::new(".")).join(if outcome.is_ok() { TAKEN } else { REFUSED });
    if let Err(problem) = &outcome {
        if problem.is_transient() {
            anyhow::bail!("{name}: {}", problem.detail);
        }
        tracing::warn!("{name} was refused: {}", problem.detail);
    }
    std::fs::create_dir_all(&folder)?;
    let to = free_name(&folder, &name);
    std::fs::rename(path, &to)?;
    if let Err(problem) = outcome {
        let mut beside = to.into_os_string();
        beside.push(".txt");
        std::fs::write(beside, format!("{}\n", problem.detail))?;
    }
    Ok(())
}

async fn import(app: &App, order: OrderId, name: &str, path: &Path) -> Result<(), Problem> {
    app.store.order(order).await?;
    let limits = *app.studio.limits();
    let (source, work) = (path.to_owned(), app.files.work().to_owned());
    let (copy, hash) = blocking(move || {
        limits.check_file(std::fs::metadata(&source).map_err(Problem::internal)?.len())?;
        let copy = NamedTempFile::new_in(work).map_err(Problem::full)?;
        std::fs::copy(&source, copy.path()).map_err(Problem::full)?;
        let hash = ContentHash::of_file(copy.path()).map_err(Problem::internal)?;
        Ok::<_, Problem>((copy, hash))
    })
    .await??;
    add_file(app, order, name, copy, hash).await?;
    Ok(())
}

/// The name, with a number where the folder has it already.
fn free_name(folder: &Path, name: &str) -> PathBuf {
    let names = std::iter::once(name.to_owned()).chain((2..).map(|number| format!("{number}-{name}")));
    names.map(|name| folder.join(name)).find(|path| !path.exists()).unwrap_or_else(|| folder.join(name))
}
