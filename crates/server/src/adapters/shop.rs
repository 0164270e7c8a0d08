//! A shop's feed of orders: a list in JSON, with the addresses of the pictures. Each order is taken once.

use anyhow::{Context, bail};
use chrono::NaiveDate;
use dettaglio_domain::hash::{ContentHash, Hasher};
use dettaglio_domain::naming;
use dettaglio_domain::recipe::{Surround, Ticket};
use dettaglio_domain::size::{Paper, Target};
use dettaglio_store::orders::OrderDetails;
use futures::StreamExt;
use reqwest::{Client, Url};
use serde::Deserialize;
use serde_json::Value;
use tempfile::NamedTempFile;
use tokio::io::AsyncWriteExt;

use super::outside;
use crate::app::App;
use crate::app::originals::add_file;

/// The most orders of a feed that are looked at.
const MOST_ORDERS: usize = 1000;

/// The longest reference, in characters.
const LONGEST_REFERENCE: usize = 100;

/// The longest notes of a shop, in characters; what became of refused pictures follows them.
const LONGEST_NOTES: usize = 5000;

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

/// Takes the orders that are not known yet. One that cannot be taken is kept in mind with its reason, and holds up no other.
pub async fn take_orders(app: &App, feed: &str) -> anyhow::Result<()> {
    let feed = Url::parse(feed)?;
    let client = outside::client();
    let answer = outside::short(outside::good(client.get(feed.clone()).send().await?)?).await?;
    let orders: Vec<Value> = serde_json::from_slice(&answer).context("the feed is no list of orders")?;
    let mut listed = Vec::new();
    for (number, order) in orders.into_iter().take(MOST_ORDERS).enumerate() {
        let hash = ContentHash::of(order.to_string().as_bytes());
        let named =
            order["reference"].as_str().map_or_else(|| format!("order {} of the feed", number + 1), str::to_owned);
        if !app.troubles.is_due(hash) {
            listed.push(hash);
            continue;
        }
        if let Err(error) = take_one(app, &client, &feed, order).await {
            tracing::warn!("the shop: {named}: {error:#}");
            app.troubles.failed(hash, &named, &format!("{error:#}"));
            listed.push(hash);
        }
    }
    app.troubles.keep_only(&listed);
    Ok(())
}

async fn take_one(app: &App, client: &Client, feed: &Url, order: Value) -> anyhow::Result<()> {
    let order: ShopOrder = serde_path_to_error::deserialize(order)?;
    if order.reference.is_empty() || order.reference.chars().count() > LONGEST_REFERENCE {
        bail!("its reference has to have 1 to {LONGEST_REFERENCE} characters");
    }
    if app.store.knows_reference(&order.reference).await? {
        return Ok(());
    }
    take(app, client, feed, &order).await
}

/// All pictures are fetched before the order is opened: one that breaks off is taken whole the next time.
async fn take(app: &App, client: &Client, feed: &Url, order: &ShopOrder) -> anyhow::Result<()> {
    let paper: Paper = order.print.parse()?;
    let target = Target::Print { paper, ppi: order.ppi };
    target.check()?;
    let mut files = Vec::new();
    for picture in &order.pictures {
        let address = feed.join(&picture.address).with_context(|| picture.name.clone())?;
        // The feed cannot make this program fetch from elsewhere.
        if address.origin() != feed.origin() {
            bail!("{} is not on the shop's own host", picture.name);
        }
        files.push((
            naming::plain(&picture.name),
            fetch(app, client, address).await.with_context(|| picture.name.clone())?,
        ));
    }
    let mut details = OrderDetails {
        title: order.title.chars().take(200).collect(),
        client: order.client.chars().take(200).collect(),
        notes: order.notes.chars().take(LONGEST_NOTES).collect(),
        due_on: order.due_on,
        print: Some(Ticket { target, surround: Surround::None }),
        ..OrderDetails::default()
    };
    let opened = app.store.open_order(&details, Some(&order.reference)).await?;
    let mut refused = String::new();
    for (name, (file, hash)) in files {
        if let Err(problem) = add_file(app, opened.id, &name, file, hash).await {
            tracing::warn!("{}: {name} was refused: {}", order.reference, problem.detail);
            refused.push_str(&format!("\n{name} could not be taken: {}.", problem.detail));
        }
    }
    // Whoever works on the order reads of what is missing.
    if !refused.is_empty() {
        details.notes.push_str(&refused);
        app.store.set_order(opened.id, &details).await?;
    }
    Ok(())
}

async fn fetch(app: &App, client: &Client, address: Url) -> anyhow::Result<(NamedTempFile, ContentHash)> {
    let mut pieces = outside::good(client.get(address).send().await?)?.bytes_stream();
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
