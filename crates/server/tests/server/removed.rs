//! What was removed over HTTP: listed, put back, deleted for good with its files.

use std::path::Path;

use image::ImageFormat;
use reqwest::StatusCode;
use serde_json::{Value, json};

use crate::support::{Server, encoded, intent, picture};

/// The names of all originals, thumbnails and results that are on the disk.
fn kept(data: &Path) -> Vec<String> {
    ["originals", "thumbnails", "enlargements", "leaving"]
        .iter()
        .flat_map(|kind| files_below(&data.join("files").join(kind)))
        .collect()
}

/// The names of all files below a folder.
fn files_below(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries
        .flat_map(|entry| match entry.path() {
            path if path.is_dir() => files_below(&path),
            path => vec![path.file_name().unwrap_or_default().to_string_lossy().into_owned()],
        })
        .collect();
    names.sort();
    names
}

async fn removed(server: &Server) -> Vec<Value> {
    let removed = Server::json(server.get("/removed").await, StatusCode::OK).await;
    removed.as_array().expect("a list").clone()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_removed_is_listed_put_back_and_deleted_with_its_files() {
    let server = Server::start().await;
    let data = server.folder.path();
    let (order, id) = server.with_picture(60, 40).await;
    let job =
        Server::json(server.post(&format!("/originals/{id}/jobs"), &intent(2.0)).await, StatusCode::CREATED).await;
    let result = server.ended(job["id"].as_u64().unwrap()).await["enlargement_id"].clone();
    let before = kept(data);
    assert_eq!(before.len(), 3, "a picture, its thumbnail, its result: {before:?}");

    server.delete(&format!("/enlargements/{result}")).await;
    server.delete(&format!("/originals/{id}")).await;
    let listed = removed(&server).await;
    assert_eq!(listed.len(), 1, "the result goes with its picture: {listed:?}");
    assert_eq!((&listed[0]["kind"], &listed[0]["name"]), (&json!("original"), &json!("vases.png")));
    server.post(&format!("/originals/{id}/restore"), &json!({})).await;
    assert_eq!(removed(&server).await[0]["kind"], "result");
    server.delete(&format!("/originals/{id}")).await;

    let early = server.delete("/removed?until=2020-01-01T00:00:00Z").await;
    assert_eq!(Server::json(early, StatusCode::OK).await["originals"], 0);
    assert_eq!(kept(data), before, "removed later: still there");
    let deleted = Server::json(server.delete("/removed").await, StatusCode::OK).await;
    assert_eq!(deleted, json!({ "orders": 0, "originals": 1, "results": 1, "busy": 0 }));
    assert_eq!(kept(data), Vec::<String>::new());
    assert_eq!(server.get(&format!("/originals/{id}")).await.status(), StatusCode::NOT_FOUND);
    assert_eq!(server.get(&format!("/orders/{order}")).await.status(), StatusCode::OK);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_that_another_order_has_too_is_kept() {
    let server = Server::start().await;
    let file = || vec![("vases.png", encoded(&picture(60, 40), ImageFormat::Png))];
    let (first, second) = (server.new_order().await, server.new_order().await);
    server.import(first, file()).await;
    let kept = server.import(second, file()).await[0]["original"]["id"].clone();
    server.post(&format!("/orders/{first}/shelve"), &json!({ "to": "removed" })).await;
    let deleted = Server::json(server.delete("/removed").await, StatusCode::OK).await;
    assert_eq!((&deleted["orders"], &deleted["originals"]), (&json!(1), &json!(1)));
    let bytes = server.get(&format!("/originals/{kept}/file")).await.bytes().await.unwrap();
    assert_eq!(bytes, file()[0].1, "byte for byte");
    assert_eq!(server.get(&format!("/originals/{kept}/thumbnail")).await.status(), StatusCode::OK);
    let again = server.import(server.new_order().await, file()).await;
    assert!(again[0]["original"].is_object(), "{again}");
    server.stop().await;
}

/// What the program prints when it deletes what was removed so many days ago.
async fn delete_by_command(server: &Server, days: &str) -> String {
    let mut command = tokio::process::Command::new(env!("CARGO_BIN_EXE_dettaglio-server"));
    command.args(["delete-removed", "--older-than-days", days, "--database", &server.database, "--data"]);
    let output = command.arg(server.folder.path()).output().await.expect("it starts");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_command_deletes_what_was_removed_long_enough_ago() {
    let server = Server::start().await;
    let (_, id) = server.with_picture(60, 40).await;
    server.delete(&format!("/originals/{id}")).await;
    assert_eq!(delete_by_command(&server, "30").await.trim(), "Nothing was removed so long ago.");
    assert_eq!(removed(&server).await.len(), 1);
    assert_eq!(delete_by_command(&server, "0").await.trim(), "Deleted for good: 0 orders, 1 picture, 0 results.");
    assert_eq!(kept(server.folder.path()), Vec::<String>::new());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_time_that_is_none_is_refused() {
    let server = Server::start().await;
    assert_eq!(server.delete("/removed?until=tomorrow").await.status(), StatusCode::BAD_REQUEST);
    server.stop().await;
}
