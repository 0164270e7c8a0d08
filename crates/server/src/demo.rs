//! The demo data: orders and pictures that ship with the product, loaded once into an empty database.

use std::path::Path;

use anyhow::Context;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::size::{Paper, Target};
use serde::Deserialize;
use tempfile::NamedTempFile;

use crate::api::originals::add_file;
use crate::app::App;

#[derive(Deserialize)]
struct DemoOrder {
    title: String,
    client: String,
    due_in_days: i64,
    pictures: Vec<DemoPicture>,
}

#[derive(Deserialize)]
struct DemoPicture {
    file: String,
    print: String,
    ppi: f64,
}

/// Loads the demo of a folder, unless there are orders already.
pub async fn load(app: &App, folder: &Path) -> anyhow::Result<()> {
    if !app.store.orders().await?.is_empty() {
        return Ok(());
    }
    let list = folder.join("orders.json");
    let text = std::fs::read_to_string(&list).with_context(|| list.display().to_string())?;
    let orders: Vec<DemoOrder> = serde_json::from_str(&text).with_context(|| list.display().to_string())?;
    for demo in orders {
        let due = chrono::Utc::now().date_naive() + chrono::Days::new(demo.due_in_days.max(0) as u64);
        let order = app.store.add_order(&demo.title, &demo.client, Some(due)).await?;
        for picture in demo.pictures {
            let source = folder.join("pictures").join(&picture.file);
            let copy = NamedTempFile::new_in(app.files.work())?;
            std::fs::copy(&source, copy.path()).with_context(|| source.display().to_string())?;
            let hash = ContentHash::of_file(copy.path())?;
            let (original, _) = add_file(app, order.id, &picture.file, copy, hash)
                .await
                .map_err(|problem| anyhow::anyhow!("{}: {}", picture.file, problem.detail))?;
            let paper: Paper = picture.print.parse()?;
            app.store.set_target(original.id, &Target::Print { paper, ppi: picture.ppi }).await?;
        }
    }
    Ok(())
}
