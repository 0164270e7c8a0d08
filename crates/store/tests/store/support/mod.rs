//! A database for a test, and something to put into it.

#![allow(dead_code, reason = "each test crate uses a part of it")]

use std::sync::Arc;

use dettaglio_domain::file::{Channels, Depth};
use dettaglio_domain::file::{Facts, Format, OutputSettings};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::Store;
use dettaglio_store::enlargements::{Record, TracedFiles};
use dettaglio_store::jobs::{Job, NewJob};
use dettaglio_store::testing::TestServer;
use rstest::fixture;

pub struct Database {
    pub store: Store,
    pub server: Arc<TestServer>,
    pub url: String,
}

#[fixture]
pub async fn database() -> Database {
    let server = TestServer::shared();
    let url = server.fresh_database().await;
    let store = Store::connect(&url).await.expect("a migrated database");
    Database { store, server, url }
}

pub fn facts() -> Facts {
    Facts {
        format: "JPEG".to_owned(),
        bytes: 1234,
        size: Size::new(900, 600),
        depth: Depth::Eight,
        channels: Channels::Colour,
        profile: Some("Étude RGB".to_owned()),
        turned: false,
        had_transparency: false,
        camera: None,
        iso: Some(3200),
        taken: None,
        exposure: None,
        jpeg_quality: None,
    }
}

/// Jobs that wait, on one original of a new order.
pub async fn queued(store: &Store, count: usize) -> Vec<Job> {
    let order = store.add_order("Room 2", "Isola Brina", None).await.unwrap();
    let (original, _) = store.add_original(order.id, "vases.jpg", ContentHash::of(b"vases"), &facts()).await.unwrap();
    let treatment = store.add_treatment(&Treatment::plain(Kernel::Bicubic, Size::new(1800, 1200))).await.unwrap();
    let settings = OutputSettings::new(Format::Tiff);
    let new: Vec<NewJob> = (0..count)
        .map(|i| NewJob { original, treatment, settings, file_name: format!("vases-{i}.tif"), forecast: Some(10.0) })
        .collect();
    let mut jobs = Vec::new();
    for id in store.add_jobs(&new).await.unwrap() {
        jobs.push(store.job(id).await.unwrap());
    }
    jobs
}

pub fn record(job: &Job) -> Record {
    Record {
        original: "vases.jpg".to_owned(),
        original_sha256: ContentHash::of(b"vases"),
        original_size: Size::new(900, 600),
        size: Size::new(1800, 1200),
        frame: Frame::default(),
        treatment: "bicubic".to_owned(),
        treatment_hash: job.treatment,
        settings: job.settings,
        profile: None,
        seconds: 1.5,
        forecast: None,
        device: None,
        version: "test".to_owned(),
        drawing: Some(TracedFiles { outlines: 2, nodes: 9, svg_bytes: 700, pdf_bytes: 900 }),
    }
}
