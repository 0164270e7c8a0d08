//! A shop's feed of orders: a list in JSON, with the addresses of the pictures. Each order is taken once.

use anyhow::{Context, bail};
use chrono::NaiveDate;
use dettaglio_core::hash::{ContentHash, Hasher};
use dettaglio_core::naming;
use dettaglio_core::recipe::{Surround, Ticket};
use dettaglio_core::size::{Paper, Target};
use dettaglio_store::orders::OrderDetails;
use futures::StreamExt;
use reqwest::Url;
use serde::Deserialize;
use tempfile::NamedTempFile;
use tokio::io::AsyncWriteExt;

use crate::api::originals::add_file;
use crate::app::App;

/// An order as the shop tells it.
#[derive(Debug, Deserialize)]
struct ShopOrder {
    reference: String,
    title: String,
    #[serde(default)]
    client: String,
    #[serde(default)]
    notes: String,
    due_on: Option<NaiveDate>,
    /// "30x20cm".
    print: String,
    ppi: f64,
    pictures: Vec<ShopPicture>,
}

#[derive(Debug, Deserialize)]
struct ShopPicture {
    name: String,
    /// Beside the feed, or anywhere on its host.
    address: String,
}

/// Takes the orders that are not known yet.
pub async fn take_orders(app: &App, feed: &str) -> anyhow::Result<()> {
    let feed = Url::parse(feed)?;
    let orders: Vec<ShopOrder> = reqwest::get(feed.clone()).await?.error_for_status()?.json().await?;
    for order in orders {
        if app.store.knows_reference(&order.reference).await? {
            continue;
        }
        take(app, &feed, &order).await.with_context(|| order.reference.clone())?;
    }
    Ok(())
}

/// All pictures are fetched before the order is opened: one that breaks off is taken whole the next time.
async fn take(app: &App, feed: &Url, order: &ShopOrder) -> anyhow::Result<()> {
    let paper: Paper = order.print.parse()?;
    let mut files = Vec::new();
    for picture in &order.pictures {
        let address = feed.join(&picture.address)?;
        // The feed cannot make this program fetch from elsewhere.
        if address.origin() != feed.origin() {
            bail!("{} is not on the shop's own host", picture.name);
        }
        files.push((naming::plain(&picture.name), fetch(app, address).await?));
    }
    let details = OrderDetails {
        title: order.title.chars().take(200).collect(),
        client: order.client.chars().take(200).collect(),
        notes: order.notes.clone(),
        due_on: order.due_on,
        print: Some(Ticket { target: Target::Print { paper, ppi: order.ppi }, surround: Surround::None }),
        ..OrderDetails::default()
    };
    let opened = app.store.open_order(&details, Some(&order.reference)).await?;
    for (name, (file, hash)) in files {
        if let Err(problem) = add_file(app, opened.id, &name, file, hash).await {
            tracing::warn!("{}: {name} was refused: {}", order.reference, problem.detail);
        }
    }
    Ok(())
}

async fn fetch(app: &App, address: Url) -> anyhow::Result<(NamedTempFile, ContentHash)> {
    let mut pieces = reqwest::get(address).await?.error_for_status()?.bytes_stream();
    let file = NamedTempFile::new_in(app.files.work())?;
    let mut out = tokio::fs::File::from_std(file.reopen()?);
    let (mut hasher, mut bytes) = (Hasher::new(), 0);
    while let Some(piece) = pieces.next().await {
        let piece = piece?;
        bytes += piece.len() as u64;
        app.studio.limits().check_file(bytes)?;
        hasher.update(&piece);
        out.write_all(&piece).await?;
    }
    out.flush().await?;
    Ok((file, hasher.finish()))
}
