//! Views that are computed before anybody asks for them.

use std::path::Path;
use std::time::{Duration, Instant};

use image::ImageFormat;
use reqwest::StatusCode;

use crate::support::{Server, encoded, intent, picture};

/// Bytes of all files below a folder.
fn bytes_below(folder: &Path) -> u64 {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let of = |entry: std::fs::DirEntry| {
        let kind = entry.metadata().ok()?;
        Some(if kind.is_dir() { bytes_below(&entry.path()) } else { kind.len() })
    };
    entries.filter_map(of).sum()
}

/// Opens the first of two pictures, and answers the bytes of computed tiles that are there when that many seconds are over, or as soon as there
/// are any.
async fn computed_after_opening(looks_ahead: bool, seconds: u64) -> u64 {
    let server = Server::with(|settings| settings.look_ahead = looks_ahead).await;
    let order = server.new_order().await;
    let file = |width| encoded(&picture(width, 200), ImageFormat::Png);
    let sent = server.import(order, vec![("vases.png", file(300)), ("harbour.png", file(310))]).await;
    let ids: Vec<u64> = (0..2).map(|i| sent[i]["original"]["id"].as_u64().expect("a number")).collect();
    for id in &ids {
        let kept = server.put(&format!("/originals/{id}/intent"), &intent(2.0)).await;
        assert_eq!(kept.status(), StatusCode::NO_CONTENT);
    }
    let tiles = server.folder.path().join("tiles");
    assert_eq!(bytes_below(&tiles), 0, "nobody has looked at anything");
    assert_eq!(server.get(&format!("/originals/{}/opening", ids[0])).await.status(), StatusCode::OK);
    let began = Instant::now();
    while bytes_below(&tiles) == 0 && began.elapsed() < Duration::from_secs(seconds) {
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let computed = bytes_below(&tiles);
    server.stop().await;
    computed
}

#[tokio::test(flavor = "multi_thread")]
async fn the_picture_after_one_that_is_opened_is_computed_by_a_model() {
    assert!(computed_after_opening(true, 60).await > 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_is_computed_ahead_where_that_is_not_wanted() {
    assert_eq!(computed_after_opening(false, 4).await, 0);
}
