//! The demo data: products, orders and pictures that ship with the product, loaded once into an empty database.

use std::path::Path;

use anyhow::Context;
use dettaglio_core::hash::ContentHash;
use dettaglio_core::recipe::{Surround, Ticket};
use dettaglio_core::size::{Paper, Target};
use dettaglio_core::treatment::Fill;
use dettaglio_store::orders::OrderDetails;
use dettaglio_store::products::Product;
use serde::Deserialize;
use tempfile::NamedTempFile;

use crate::api::originals::add_file;
use crate::app::App;

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
}

impl DemoProduct {
    fn product(&self) -> anyhow::Result<Product> {
        let paper: Paper = self.print.parse()?;
        let surround = self.bleed_mm.map_or(Surround::None, |mm| Surround::Bleed { mm, fill: Fill::Mirror });
        let print = Ticket { target: Target::Print { paper, ppi: self.ppi }, surround };
        Ok(Product { name: self.name.clone(), print, least_ppi: self.least_ppi })
    }
}

/// Loads the demo of a folder, unless there are orders already.
pub async fn load(app: &App, folder: &Path) -> anyhow::Result<()> {
    if !app.store.orders().await?.is_empty() {
        return Ok(());
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
            let source = folder.join("pictures").join(&picture.file);
            let copy = NamedTempFile::new_in(app.files.work())?;
            std::fs::copy(&source, copy.path()).with_context(|| source.display().to_string())?;
            let hash = ContentHash::of_file(copy.path())?;
            let (original, _) = add_file(app, opened.id, &picture.file, copy, hash)
                .await
                .map_err(|problem| anyhow::anyhow!("{}: {}", picture.file, problem.detail))?;
            if let (Some(print), Some(ppi)) = (picture.print, picture.ppi) {
                let paper: Paper = print.parse()?;
                app.store.set_target(original.id, &Target::Print { paper, ppi }).await?;
            }
        }
    }
    Ok(())
}
